// Package words tells a design in sentences: what there is, every relation from both its ends, what is kept, who sees
// what, and who may do what.
//
// In go designs; out come sentences in plain English, by the names of the design: a collection called "sightings" holds
// sightings, and one of them is a sighting. Not done here: whether that is wise (package findings).
package words
