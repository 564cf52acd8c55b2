// Package upkeep keeps duplicates true: workers take due work, lane by lane and
// many rows at once, and do it in sets, in short transactions that also delete
// the rows.
//
// In goes the due work that writes have left in the store; out come counts,
// copies, entries and the effects of the developer's triggers, brought in line
// with the facts as they are when a step runs.
//
// # Locks
//
// A transaction of upkeep takes its locks in this order, each kind once, and
// waits for nothing that comes before what it holds:
//
//  1. rows of due, which it never waits for (SKIP LOCKED);
//  2. advisory locks: an author's, taken if it is free, or waited for if it is
//     the only one (it has two halves, always taken in the same order); a
//     summary's, taken if it is free;
//  3. rows of documents, in ascending order;
//  4. rows of kept, in ascending order;
//  5. rows of cuts, in ascending order;
//  6. rows of entries, in the order of their key. Who trims passes over those
//     that are locked.
//
// For that a transaction does one kind of work on timelines at a time.
//
// Not done here: writing facts (package facts does that for triggers and ends
// too), audits (package proof).
package upkeep
