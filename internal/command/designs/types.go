package designs

import (
	"context"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"yalvo/internal/command/flags"
	"yalvo/internal/design"
	"yalvo/internal/design/language"
	"yalvo/internal/design/models"
)

// types writes types for an app's own program.
func (a *app) types() *cli.Command {
	return &cli.Command{
		Name: "types", Category: "design", ArgsUsage: "[FILE]",
		Usage: "write types for the app's own program from a design file, or from the design in force",
		Flags: []cli.Flag{&cli.StringFlag{Name: "for", Required: true, Usage: "the `LANGUAGE`: " +
			strings.Join(models.Languages, ", ")}},
		Description: flags.Example("yalvo types --for swift > Fenwatch.swift\n   " +
			"yalvo types --for typescript demo/fenwatch.yaml"),
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := flags.Arguments(c, 0, 1)
			if err != nil {
				return err
			}
			if in := c.String("for"); !slices.Contains(models.Languages, in) {
				return flags.Usage("--for takes %s, not %q", strings.Join(models.Languages, ", "), in)
			}
			d, err := a.designOf(ctx, c, args)
			if err != nil {
				return err
			}
			text, err := models.Write(models.Of(d), c.String("for"))
			if err != nil {
				return err
			}
			if c.Bool("json") {
				return a.JSON(map[string]string{"language": c.String("for"), "text": text})
			}
			_, err = a.Out.Write([]byte(text))
			return err
		},
	}
}

// designOf is the design in a file or, if none is named, the one in force.
func (a *app) designOf(ctx context.Context, c *cli.Command, args []string) (*design.Design, error) {
	if len(args) > 0 {
		d, _, err := a.readDesign(c, args[0])
		return d, err
	}
	source, err := a.Client(c).Design(ctx)
	if err != nil {
		return nil, err
	}
	return language.Read("the design in force", source)
}
