// Package contract holds the types of api/openapi.yaml, generated. They are plain data: what the desk
// answers and what a browser reads. The package must not know anything else of the program.
package contract
