// Package language reads a design file and checks it.
//
// In goes YAML (or JSON, which is YAML too); out comes a [design.Design] in
// which every name is resolved to the thing it names, or [design.Problems]: all
// that is wrong with the file, each with its place, a code and a remedy.
//
// Not done here: what cannot hold of a design as a whole (package soundness, asked at the
// end, and tested through this one), what a design is and which values its fields take
// (package design), and what follows from it (package plan).
package language
