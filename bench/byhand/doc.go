// Package byhand is the server that one would write by hand for the demo's
// screens: net/http and pgx, tables of its own, and in every write one
// transaction that also keeps the counts, sums, copied names and timelines which
// the demo's design declares. It has no journal, no audit, no positions, nothing
// that mends, and answers only what the bench asks. It is what Yalvo is measured
// beside.
package byhand
