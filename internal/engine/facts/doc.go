// Package facts writes what clients say: documents are created, edited and
// removed, pairs are set and unset.
//
// In go requests in terms of the design; out comes a [Result] with the position
// of the change, or a refusal. One write is one transaction: the facts, their
// line in the journal, and the due work that the plan says follows commit
// together or not at all. A [Unit] is such a transaction; upkeep writes facts
// of its own through it.
//
// Not done here: the due work. The package says which lanes got some, and knows
// nobody who does it.
package facts
