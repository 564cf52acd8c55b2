// Package proofs has commands: those that prove: why something is shown, where it is duplicated, what a change
// has caused, and that the duplicates are what the facts say.
//
// In go arguments and flags; out come tables for people, or JSON with --json for programs. What needs no file to
// be read is a call of package client. Not done here: how tables look (package terminal), and what commands
// share (package flags).
package proofs

import (
	"github.com/urfave/cli/v3"

	"yalvo/internal/command/flags"
)

// app has the commands as its methods.
type app struct{ *flags.App }

// All are the commands, in the order in which help names them.
func All(shared *flags.App) []*cli.Command {
	a := &app{shared}
	return []*cli.Command{
		a.why(), a.places(), a.trace(), a.audit(), a.replay(), a.forget(),
	}
}
