// Package expr compiles and evaluates the conditions of a design, written in
// CEL, the Common Expression Language.
//
// In goes the text of a condition and the shapes of the values it may name;
// out comes an [Expr] that says whether the condition holds for given values.
// Types are checked when it is compiled: a name the design does not have is an
// error with the place it stands at.
//
// Not done here: where the values come from, and what follows from the answer.
package expr
