// Package views has commands: those that show and write what an app shows and writes: documents, pairs, lists,
// timelines; and how upkeep is.
//
// In go arguments and flags; out come tables for people, or JSON with --json for programs. What needs no file to
// be read is a call of package client. Not done here: how tables look (package terminal), and what commands
// share (package flags).
package views

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
		a.list(), a.lists(), a.show(), a.add(), a.edit(), a.remove(), a.pair(), a.unpair(),
		a.timeline(), a.screen(), a.status(), a.changes(), a.parked(),
	}
}
