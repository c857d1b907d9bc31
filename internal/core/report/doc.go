// Package report says what the figures of calls are and computes them: what a figure is called, what it means in one
// sentence, its unit, and of which calls it is made. A report is a Query: figures, by what, of which time, of which
// calls, beside which other time. Find narrows calls by the same conditions, so that the calls behind a figure are as
// many
// as it says.
//
//	book := report.NewBook()
//	book.Put(call, parts)
//	r := book.Run(report.Query{Figures: []string{"conversations"}, By: "rep", From: from, To: to}, report.All, cal)
//
// Calls are held in columns (core/columns): a row for each rep's part in a call, one for a call that no rep had a part
// in.
// What counts calls counts each once, however many parts fit; what measures parts (talk, wrap-up) sums those that fit.
//
// It must not know the database, the words of facets' values (they are keys), nor what anything looks like. Where a
// rule
// about a single call is behind a column (what a conversation is), it is told by whoever fills it in.
package report
