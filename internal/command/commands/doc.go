// Package commands are those that call a service: one file per group of them.
//
// In go arguments and flags; out come tables for people, or JSON with --json for programs. Everything but `check`,
// `design` and `types`, which read a file, is a call of package client.
//
// Not done here: starting a service (package starting), and how tables look (package terminal).
package commands

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
		a.link(), a.keys(), a.password(), a.version(),
		a.check(), a.design(), a.diff(), a.apply(), a.versions(), a.back(), a.misfits(), a.types(),
		a.list(), a.lists(), a.show(), a.add(), a.edit(), a.remove(),
		a.pair(), a.unpair(), a.dump(), a.load(), a.bring(),
		a.timeline(), a.status(), a.changes(), a.parked(),
		a.may(), a.why(), a.places(), a.trace(), a.audit(), a.replay(), a.forget(),
	}
}
