// Package findings finds what will hurt in a design that can be carried out: what the trade has learned the hard way,
// with the numbers of the design's own workload.
//
// In goes a design, with its workload if it has one; out come findings, each with a code, a place, why it hurts and
// what cures it. Not done here: what cannot hold at all (package soundness), what a design tells to whom its rules
// hide it (package access), and how findings look (the commands).
package findings
