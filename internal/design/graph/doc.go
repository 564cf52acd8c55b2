// Package graph is a design as things and what runs between them: what hangs together (references, nesting, the ends
// of pairs), and what feeds what (a field its copies, a copy a timeline, a timeline a screen).
//
// In go designs, and a forecast if there is one; out come things with their members, ties and feeds, each with its
// sentence, its place in the file and what a day of it comes to. A picture is made of that (package picture, and the
// console). Not done here: layout, and whether any of it is wise (package findings).
package graph
