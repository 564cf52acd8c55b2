// Package memory remembers what documents show, so that a page asks the database for the places of its
// entries and for what was written lately, and not for what the service has just read.
//
// One idea in three words. A page may show what is *known*: what the database has said stands there, in the
// versions of the rows that the page has seen, or of which the page has seen that nothing was written since a
// *moment* at which it was known. What is not known is read and *learned*. Nothing here is told by whoever
// writes: PostgreSQL notes what was written, whoever did that, and a moment is its own (decisions 12 and 25).
//
// In come keys, versions of rows and moments; out comes what was learned, or nothing. It speaks no SQL, and
// knows nothing of pages, of rules and of who reads: what is remembered is the same for all.
package memory
