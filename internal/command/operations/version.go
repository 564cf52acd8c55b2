package operations

import (
	"context"
	"fmt"
	"runtime/debug"

	"github.com/urfave/cli/v3"

	"yalvo/internal/command/flags"
	"yalvo/internal/machine/service"
)

// Release is the version of the program.
const Release = "0.13"

func (a *app) version() *cli.Command {
	return &cli.Command{
		Name: "version", Category: "service",
		Usage:       "print the version of the program, and of the tables it works with",
		Description: flags.Example("yalvo version"),
		Action: func(_ context.Context, c *cli.Command) error {
			if _, err := flags.Arguments(c, 0, 0); err != nil {
				return err
			}
			commit, edited := madeFrom()
			if c.Bool("json") {
				return a.JSON(map[string]any{"version": Release, "commit": commit, "edited": edited,
					"tables": service.Tables})
			}
			a.Say("yalvo %s%s, tables of version %d (those of versions 1 to %d are brought along)", Release,
				fromWhere(commit, edited), service.Tables, service.Tables-1)
			return nil
		},
	}
}

// madeFrom is the commit that the program was made from, empty if it was made outside of a repository, and
// whether files had been edited since.
func madeFrom() (commit string, edited bool) {
	made, _ := debug.ReadBuildInfo()
	if made == nil {
		return "", false
	}
	for _, s := range made.Settings {
		switch s.Key {
		case "vcs.revision":
			commit = s.Value
		case "vcs.modified":
			edited = s.Value == "true"
		}
	}
	return commit, edited
}

// fromWhere says it in short.
func fromWhere(commit string, edited bool) string {
	if commit == "" {
		return ""
	}
	commit = commit[:min(12, len(commit))]
	if edited {
		return fmt.Sprintf(" (%s, edited)", commit)
	}
	return fmt.Sprintf(" (%s)", commit)
}
