package cli

import (
	"context"

	"github.com/urfave/cli/v3"

	"yalvo/internal/machine/service"
)

// Release is the version of the program.
const Release = "0.12"

func (a *app) version() *cli.Command {
	return &cli.Command{
		Name: "version", Category: "service",
		Usage:       "print the version of the program, and of the tables it works with",
		Description: example("yalvo version"),
		Action: func(_ context.Context, c *cli.Command) error {
			if _, err := arguments(c, 0, 0); err != nil {
				return err
			}
			if c.Bool("json") {
				return a.JSON(map[string]any{"version": Release, "tables": service.Tables})
			}
			a.Say("yalvo %s, tables of version %d (those of versions 1 to %d are brought along)", Release,
				service.Tables, service.Tables-1)
			return nil
		},
	}
}
