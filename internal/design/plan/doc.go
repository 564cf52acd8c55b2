// Package plan computes, from a design alone, which change makes which
// duplicates due.
//
// In goes a [design.Design] and a numbering of its names; out comes a [Plan],
// whose [Plan.Due] turns a change of facts into the maintenance it makes
// necessary. The engine carries that work out, the console and the commands
// show it, and neither knows a rule of its own.
//
// Not done here: anything that needs the stored facts. A plan says "the
// followers of 7 get entry 9", never who they are.
package plan
