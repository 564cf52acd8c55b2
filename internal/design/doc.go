// Package design is what a design file declares: collections with fields and
// kept values, pairs, timelines and triggers, each resolved to what it names.
//
// A [Design] comes out of package language. Here a document's values go in, and
// out comes what is stored of them, or what is wrong with them: a type means
// the same in a default as in a request.
//
// Not done here: reading the file (package language), what follows from a
// design (package plan), and anything that needs a database or a network.
package design
