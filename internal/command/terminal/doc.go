// Package terminal writes answers for people: sentences, tables and numbers in the
// width that there is.
//
// In go values of any kind; out comes text that cannot steer a terminal, or JSON.
//
// Not done here: knowing what an answer is about (package commands).
package terminal
