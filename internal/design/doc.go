// Package design reads a design file and checks it.
//
// In goes YAML (or JSON, which is YAML too); out comes a [Design] in which
// every name is resolved to the thing it names, or [Problems]: all that is
// wrong with the file, each with its place, a code and a remedy.
// The package also decides whether a document's values fit their fields,
// because a type means the same in a default as in a request.
//
// Not done here: what follows from a design (package plan), and anything that
// needs a database or a network.
package design
