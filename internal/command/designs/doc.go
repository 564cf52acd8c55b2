// Package designs has commands: those about the design: checked, compared, put in force, gone back to, as types
// for an app, and tried: who may do what.
//
// In go arguments and flags; out come tables for people, or JSON with --json for programs. What needs no file to
// be read is a call of package client. Not done here: how tables look (package terminal), and what commands
// share (package flags).
package designs

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
		a.new(), a.check(), a.forecast(), a.measure(), a.metered(), a.drive(), a.alternatives(), a.design(),
		a.diff(), a.apply(), a.versions(),
		a.back(), a.misfits(), a.drafts(), a.types(), a.may(),
	}
}
