// Package operations has commands: those of who operates a service: keys and passwords, facts in bulk, an app
// that is brought along.
//
// In go arguments and flags; out come tables for people, or JSON with --json for programs. What needs no file to
// be read is a call of package client. Not done here: how tables look (package terminal), and what commands
// share (package flags).
package operations

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
		a.link(), a.keys(), a.password(), a.version(), a.dump(), a.load(), a.bring(),
	}
}
