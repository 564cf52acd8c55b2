package designs

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"yalvo/internal/command/flags"
	"yalvo/internal/command/picture"
	"yalvo/internal/command/terminal"
	"yalvo/internal/design"
	"yalvo/internal/design/access"
	"yalvo/internal/design/findings"
	"yalvo/internal/design/graph"
	"yalvo/internal/design/language"
	"yalvo/internal/design/plan"
	"yalvo/internal/design/words"
)

func (a *app) check() *cli.Command {
	return &cli.Command{
		Name: "check", Category: "design", ArgsUsage: "FILE",
		Usage: "check a design file (- for standard input) and show what follows from it; needs no service",
		Description: flags.Example("yalvo check demo/fenwatch.yaml\n   yalvo design | yalvo check -\n   " +
			"yalvo check demo/fenwatch.yaml --access demo/access.yaml"),
		Flags: []cli.Flag{patchFlag(), &cli.StringFlag{Name: "fix", Usage: "write the cure of the " +
			"finding `CODE` into the file, " +
			"where that is " +
			"mechanical, or of `CODE:PLACE`"}, &cli.StringFlag{Name: "access",
			Usage: "try the rules of access on `TABLE`: a file that " +
				"says who may do what"}, &cli.BoolFlag{Name: "words", Usage: "tell the design in sentences"}},
		Action: func(_ context.Context, c *cli.Command) error {
			args, err := flags.Arguments(c, 1, 1)
			if err != nil {
				return err
			}
			if args[0] == "-" && c.String("fix") != "" {
				return flags.Usage("--fix writes into the file: name one")
			}
			if c.Bool("patch") && c.String("fix") == "" {
				return flags.Usage("--patch says what --fix would write: name a finding with that")
			}
			d, _, err := a.readDesign(c, args[0])
			if err != nil {
				return err
			}
			if c.String("access") != "" {
				return a.tryTable(c, d)
			}
			if c.String("fix") != "" {
				return a.fix(c, args[0], d)
			}
			if c.Bool("words") {
				return a.tell(c, d)
			}
			rules := plan.New(d, plan.Counted()).Rules()
			review := access.NewReview(d)
			found := findings.Of(d)
			if c.Bool("json") {
				return a.JSON(map[string]any{"app": d.App, "rules": rules, "access": review,
					"findings": append([]findings.Finding{}, found...)})
			}
			a.Say("%s is fine: %s, %s, %s, %s. %s derived from it%s\n", called(args[0]),
				terminal.Many(len(d.Collections), "collection"), terminal.Many(len(d.Pairs), "pair"),
				terminal.Many(len(d.Timelines), "timeline"), terminal.Many(len(d.Lists), "list"),
				terminal.Many(len(rules), "trigger"), colonFor(rules))
			a.rules(rules)
			a.served(d)
			a.review(review)
			a.findings(found)
			return nil
		},
	}
}

// tell tells a design in sentences.
func (a *app) tell(c *cli.Command, d *design.Design) error {
	all := words.Of(d)
	if c.Bool("json") {
		return a.JSON(map[string]any{"app": d.App, "words": all})
	}
	for _, p := range all {
		a.Say("%s (%s)", p.About, p.Kind)
		for _, s := range p.Sentences {
			a.Say("  %s", s)
		}
		fmt.Fprintln(a.Out)
	}
	return nil
}

// called is what a file is called in messages.
func called(file string) string {
	if file == "-" {
		return "standard input"
	}
	return file
}

// colonFor ends a sentence that the rules follow, if there are any.
func colonFor(all []plan.Rule) string {
	if len(all) == 0 {
		return "."
	}
	return ":"
}

func (a *app) rules(all []plan.Rule) {
	if len(all) == 0 {
		return
	}
	var rows []table.Row
	for _, t := range all {
		rows = append(rows, table.Row{t.When, t.Then})
	}
	a.Table(table.Row{"when", "then"}, rows)
}

// readDesign reads a file; what is wrong with it is printed, all of it.
func (a *app) readDesign(c *cli.Command, file string) (*design.Design, []byte, error) {
	d, err := a.readDesignWith(c, file, nil)
	if err != nil {
		return nil, nil, err
	}
	return d, d.Source, nil
}

// readDesignWith reads a file with some values in place of what it has.
func (a *app) readDesignWith(c *cli.Command, file string, settings []language.Setting) (*design.Design, error) {
	source, err := flags.Contents(c, file)
	if err != nil {
		return nil, fmt.Errorf("the design cannot be read: %w", err)
	}
	file = called(file)
	d, err := language.ReadWith(file, source, settings)
	if err == nil {
		err = access.Problems(file, d)
	}
	if err != nil {
		return nil, a.problems(c, file, err)
	}
	return d, nil
}

// problems prints those that a file has, and is the error that says how many.
func (a *app) problems(c *cli.Command, file string, err error) error {
	var problems design.Problems
	if !errors.As(err, &problems) {
		return err
	}
	if c.Bool("json") {
		if err := a.JSON(map[string]any{"problems": problemsInJSON(problems)}); err != nil {
			return err
		}
	} else {
		fmt.Fprintln(terminal.Visible(a.Err), problems.Error())
	}
	return fmt.Errorf("%s: %s", file, terminal.Many(len(problems), "problem"))
}

func problemsInJSON(all design.Problems) []map[string]any {
	out := make([]map[string]any, len(all))
	for i, p := range all {
		out[i] = map[string]any{"file": p.File, "line": p.Pos.Line, "column": p.Pos.Column, "code": p.Code,
			"message": p.Message, "remedy": p.Remedy}
	}
	return out
}

// design prints the design in force, or draws it.
func (a *app) design() *cli.Command {
	return &cli.Command{
		Name: "design", Category: "design", ArgsUsage: "[FILE]",
		Usage: "print the design in force, as it was applied, or draw it",
		Description: flags.Example("yalvo design > design.yaml\n   yalvo design --picture design.svg\n   " +
			"yalvo design --picture fenwatch.svg demo/fenwatch.yaml"),
		Flags: []cli.Flag{&cli.StringFlag{Name: "picture", Usage: "draw collections, pairs, timelines, lists and " +
			"screens into `OUT.svg`; of the design in FILE without a service"}},
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := flags.Arguments(c, 0, 1)
			if err != nil {
				return err
			}
			if c.IsSet("picture") {
				return a.draw(ctx, c, args)
			}
			if len(args) > 0 {
				return flags.Usage("a file is only drawn: say where to with --picture OUT.svg")
			}
			source, err := a.Client(c).Design(ctx)
			if err != nil {
				return err
			}
			if c.Bool("json") {
				about, err := a.Client(c).About(ctx)
				if err != nil {
					return err
				}
				return a.JSON(map[string]any{"app": about.App, "version": about.Design, "source": string(source)})
			}
			_, err = a.Out.Write(source)
			return err
		},
	}
}

// draw draws a design file, or the design in force, and says what is in the picture.
func (a *app) draw(ctx context.Context, c *cli.Command, args []string) error {
	out := c.String("picture")
	if filepath.Ext(out) != ".svg" {
		return flags.Usage("the picture is an SVG: name a file that ends in .svg, not %q", out)
	}
	d, err := a.designOf(ctx, c, args)
	if err != nil {
		return err
	}
	g := graph.Of(d)
	var svg bytes.Buffer
	if err := picture.SVG(g, &svg); err != nil {
		return err
	}
	if err := os.WriteFile(out, svg.Bytes(), 0o644); err != nil {
		return fmt.Errorf("the picture cannot be written: %w", err)
	}
	if c.Bool("json") {
		return a.JSON(map[string]any{"app": d.App, "picture": out, "things": len(g.Things)})
	}
	a.Say("%s: %s of %s, as an SVG", out, terminal.Many(len(g.Things), "thing"), d.App)
	return nil
}
