// Package versions changes the design in force while the app runs.
//
// In goes a new version of the design; out comes what differs, measured by what is
// stored, and then the new version in force: what it asks to be done to what was
// stored before is done in the background, in stretches, by whichever service is
// free, and goes on after a kill. Until a duplicate is finished, readers and
// audits know that it is not (see [running.Version]).
//
// Not done here: what leads from one design to another (package compare), and the
// statements that derive duplicates anew (package store).
package versions
