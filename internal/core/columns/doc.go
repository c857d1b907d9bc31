// Package columns holds rows by their columns, so that millions of them are counted and summed within a moment: which
// rows fit is a set of bits, a value is a code of two bytes, what is measured a whole number.
//
// Rows belong to groups: all rows of a group stand one after the other, and what is counted is groups, each once. (A
// call
// has a row for each colleague who had a part in it.)
//
// It must not know what a row or a group is, what a code stands for, nor where they are kept. A Table is not safe for
// use by
// several goroutines while it is changed; reading alone is.
package columns
