// Package engine carries a plan out on the store: it writes facts, does the
// maintenance that writes make due, and reads what results.
//
// In go requests in terms of the design (collections, keys, fields); out come
// documents, pages and positions, or a [Refusal] that says what is wrong.
// Every write is one transaction: facts, journal and due work commit together.
// Workers then take due work lane by lane and do it in sets.
//
// Not done here: HTTP and JSON shapes (package server), SQL (package store),
// and the question what follows from a change (package plan).
package engine
