package designs

import (
	"context"
	"fmt"

	"github.com/urfave/cli/v3"

	"yalvo/internal/command/flags"
)

func (a *app) measure() *cli.Command {
	return &cli.Command{
		Name: "measure", Category: "design",
		Usage: "write the workload of a running app: what there is, how it is spread, what is done in a day",
		Description: flags.Example("yalvo measure > workload.yaml\n   yalvo forecast demo/fenwatch.yaml --workload " +
			"workload.yaml"),
		Flags: []cli.Flag{&cli.FloatFlag{Name: "days", Usage: "by so many last days", Value: 7}},
		Action: func(ctx context.Context, c *cli.Command) error {
			if _, err := flags.Arguments(c, 0, 0); err != nil {
				return err
			}
			text, err := a.Client(c).Workload(ctx, c.Float("days"))
			if err != nil {
				return err
			}
			if c.Bool("json") {
				return a.JSON(map[string]any{"workload": text})
			}
			_, err = fmt.Fprint(a.Out, text)
			return err
		},
	}
}
