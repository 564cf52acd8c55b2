package proofs

import (
	"context"
	"fmt"

	"github.com/urfave/cli/v3"

	"yalvo/internal/command/flags"
	"yalvo/internal/command/terminal"
)

func (a *app) replay() *cli.Command {
	return &cli.Command{
		Name: "replay", Category: "proof", ArgsUsage: "TRIGGER",
		Usage:       "send again what a trigger has sent, with the same ids",
		Description: flags.Example("yalvo replay tell_search --from 17"),
		Flags: []cli.Flag{&cli.Int64Flag{Name: "from", Usage: "the position of the first change",
			Required: true}},
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := flags.Arguments(c, 1, 1)
			if err != nil {
				return err
			}
			n, err := a.Client(c).Replay(ctx, args[0], c.Int64("from"))
			if err != nil {
				return err
			}
			if c.Bool("json") {
				return a.JSON(map[string]int64{"replayed": n})
			}
			fmt.Fprintf(a.Out, "Due to be sent again: %s.\n", terminal.Count(n))
			return nil
		},
	}
}
