// Package cli is the yalvo command: its root, under which all commands stand.
//
// In go arguments; out come what the commands answer and an exit code that scripts can use.
//
// Not done here: the commands themselves (packages commands and starting).
package cli
