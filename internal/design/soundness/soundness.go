// Package soundness finds what cannot hold of a design as a whole, though each of its
// parts can be read: names that mean two things, values derived from themselves, triggers
// without an end, removals that nobody could refuse, more than a service can bear.
//
// In goes a [design.Design] with its names resolved; out come [design.Problems]. Not done
// here: the file (package language), and what the design costs (package plan).
package soundness

import "yalvo/internal/design"

// review is one look at a design.
type review struct {
	file     string
	design   *design.Design
	problems design.Problems
}

// Fits adds to the problems of a file that its design has too many names to be looked at
// any further, and tells whether it has not.
func Fits(file string, d *design.Design, found design.Problems) (design.Problems, bool) {
	r := &review{file, d, found}
	fits := r.checkSize()
	return r.problems, fits
}

// Check adds what cannot hold to the problems of a file. What can only be followed through
// a design without mistakes is not looked for in one that has some.
func Check(file string, d *design.Design, found design.Problems) design.Problems {
	r := &review{file, d, found}
	r.checkTopNames()
	r.checkDepth()
	r.checkCircles()
	r.checkShown()
	r.checkLoops()
	r.checkRemovals()
	r.checkPaths()
	return r.problems
}

func (r *review) problem(at design.Pos, code, message, remedy string) {
	r.problems = append(r.problems, design.Problem{File: r.file, Pos: at, Code: code, Message: message, Remedy: remedy})
}
