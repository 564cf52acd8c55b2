// Package cli is the yalvo command: one file per group of commands.
//
// In go arguments; out come tables for people, or JSON with --json for
// programs, and an exit code that scripts can use. Everything but `up` and
// `check` is a call of package client.
package cli
