// Package architecture holds no code: its tests hold the project to its own rules about what may import what.
package architecture
