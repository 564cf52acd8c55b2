// Package compare finds what leads from one design to another.
//
// In go the design in force and one that is to follow it; out comes a
// [Comparison]: what differs, in the design's own terms, what each difference
// does to what is stored, and the steps that bring it about. A [Rewrite] turns
// the facts of one document of the old form into those of the new one.
//
// Not done here: carrying the steps out (package versions), and anything that
// needs the stored facts. How many documents a step is about is not known here.
package compare
