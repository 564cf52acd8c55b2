package designs

import (
	"context"
	"fmt"
	"strings"

	"github.com/jedib0t/go-pretty/v6/list"
	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"yalvo/client"
	"yalvo/internal/command/flags"
	"yalvo/internal/command/terminal"
	"yalvo/internal/design"
	"yalvo/internal/design/access"
)

// review says what a design's access costs, and what nobody may.
func (a *app) review(r access.Review) {
	if !r.Guarded {
		a.Say("\nThe design has no access: operators do everything, and nobody else anything.")
		return
	}
	a.Say("\n%s of access:\n", terminal.Many(len(r.Rules), "rule"))
	var rows []table.Row
	for _, rule := range r.Rules {
		pages := ""
		if rule.InPage {
			pages = "in their statement"
		}
		rows = append(rows, table.Row{rule.Name, rule.Condition, rule.Documents, rule.Pairs, rule.Statements, pages})
	}
	a.Table(table.Row{"rule", "holds if", "documents", "pairs", "statements", "pages"}, rows, 3, 4, 5)
	a.Say("\nDocuments and pairs are what a rule looks at for each document it is about, beside that; statements " +
		"are what it takes to fetch them for all that are decided together. What can be part of the statement that " +
		"reads a page takes none of its own there.")
	a.shown(r)
	if len(r.Nobody) > 0 {
		a.Say("What no rule allows, so that operators alone may: %s.", strings.Join(r.Nobody, ", "))
	}
}

// rightsInWords are the rights by which duplicates are shown.
var rightsInWords = map[access.Right]string{
	access.Proved: "proved: who may read the document may read where it is from",
	access.Judged: "judged for each reader when it is read",
	access.Told:   "told: its own rule says to whom",
}

// shown says by what right duplicates show documents, and what the design tells to whom it hides it.
func (a *app) shown(r access.Review) {
	if len(r.Duplicates) > 0 {
		a.Say("\n%s that %s documents:\n", terminal.Many(len(r.Duplicates), "duplicate"),
			map[bool]string{true: "shows", false: "show"}[len(r.Duplicates) == 1])
		var rows []table.Row
		for _, d := range r.Duplicates {
			rows = append(rows, table.Row{d.Name, d.Kind, rightsInWords[d.Right]})
		}
		a.Table(table.Row{"duplicate", "kind", "shown by what right"}, rows)
	}
	for _, f := range r.Findings {
		a.Say("\nLine %d: %s; %s.", f.Line, f.Tells, f.Remedy)
	}
}

// tryTable tries a table of who may do what on the rules of a design.
func (a *app) tryTable(c *cli.Command, d *design.Design) error {
	text, err := flags.Contents(c, c.String("access"))
	if err != nil {
		return fmt.Errorf("the table cannot be read: %w", err)
	}
	t, err := access.ReadTable(text)
	if err != nil {
		return err
	}
	tried, err := t.Tries(d)
	if err != nil {
		return err
	}
	wrong := []access.Expectation{}
	for _, e := range tried {
		if !e.Met() {
			wrong = append(wrong, e)
		}
	}
	if c.Bool("json") {
		if err := a.JSON(map[string]any{"tried": len(tried), "otherwise": wrong}); err != nil {
			return err
		}
	} else if len(wrong) > 0 {
		var rows []table.Row
		for _, e := range wrong {
			rows = append(rows, table.Row{e.Case, e.What, e.Account, e.Want, e.Got, e.Rule})
		}
		a.Table(table.Row{"case", "what", "account", "wanted", "is", "by rule"}, rows, 1)
	} else {
		a.Say("All of it is as expected: %s for %s.", terminal.Many(len(t.Cases), "case"),
			terminal.Many(len(t.Accounts), "account"))
	}
	if len(wrong) > 0 {
		return fmt.Errorf("%d of %d are otherwise than the table says", len(wrong), len(tried))
	}
	return nil
}

func (a *app) may() *cli.Command {
	return &cli.Command{
		Name: "may", Category: "proof",
		ArgsUsage: "read|edit|create|remove PATH [NAME=VALUE ...] | set|unset|read PAIR FROM TO | " +
			"read TIMELINE OWNER | read LIST [OF]",
		Usage: "whether the account of --as may do something by the design's rules, and why; nothing is done",
		Description: flags.Example("yalvo --as keeper may edit sightings/s00002\n   yalvo --as '~' may create " +
			"sightings " +
			"text='a heron'\n   yalvo --as keeper may set follow keeper arno_marshwood\n   " +
			"yalvo --as keeper may read home arno_marshwood\n   " +
			"yalvo --as keeper may read saves arno_marshwood"),
		Flags: []cli.Flag{&cli.StringFlag{Name: "field", Usage: "read: one value of the document"}},
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := flags.Arguments(c, 2, -1)
			if err != nil {
				return err
			}
			trial, err := a.trial(ctx, c, args)
			if err != nil {
				return err
			}
			out, err := a.Client(c).Try(ctx, trial)
			if err != nil {
				return err
			}
			if c.Bool("json") {
				return a.JSON(out)
			}
			a.printOutcome(trial, strings.Join(args, " "), out)
			return nil
		},
	}
}

// trial reads what is to be tried. Texts are told apart by their form: a path has a slash.
func (a *app) trial(ctx context.Context, c *cli.Command, args []string) (client.Trial, error) {
	t := client.Trial{Do: args[0], Field: c.String("field")}
	switch as := c.String("as"); as {
	case "", "~":
	default:
		t.As = &as
	}
	rest := args[1:]
	switch pair := t.Do == "set" || t.Do == "unset"; {
	case pair && len(rest) >= 3, t.Do == "read" && len(rest) == 3:
		t.Pair, t.From, t.To = rest[0], rest[1], rest[2]
		rest = rest[3:]
	case pair:
		return t, flags.Usage("usage: %s %s PAIR FROM TO", c.FullName(), t.Do)
	case t.Do == "read" && !strings.Contains(rest[0], "/") && len(rest) < 3:
		err := a.trialOfView(ctx, c, &t, rest)
		return t, err
	case t.Do == "create":
		t.Document, rest = rest[0], rest[1:]
	default:
		path, err := a.PathOf(ctx, c, rest[0])
		if err != nil {
			return t, err
		}
		t.Document, rest = path, rest[1:]
	}
	var err error
	if len(rest) > 0 {
		t.Facts, err = flags.Assignments(rest)
	}
	return t, err
}

// trialOfView reads a look at a timeline or a list, which the design tells apart.
func (a *app) trialOfView(ctx context.Context, c *cli.Command, t *client.Trial, rest []string) error {
	o, err := a.Client(c).Outline(ctx)
	if err != nil {
		return err
	}
	of := strings.Join(rest[1:], "")
	for _, l := range o.Lists {
		if l.Name == rest[0] {
			t.List, t.Of = rest[0], of
			return nil
		}
	}
	if of == "" {
		t.Document, err = a.PathOf(ctx, c, rest[0])
		return err
	}
	t.Timeline, t.Owner = rest[0], of
	return nil
}

func (a *app) printOutcome(t client.Trial, what string, out client.Outcome) {
	who := "A stranger"
	if t.As != nil {
		who = *t.As
	}
	switch {
	case out.Allowed:
		a.Say("%s may: %s.", who, what)
	case out.Missing:
		a.Say("%s may not: %s. For them it is not there: %s refuses it.", who, what, out.Refused)
	default:
		a.Say("%s may not: %s. %s refuses it.", who, what, out.Refused)
	}
	if len(out.Words) > 0 {
		a.Say("They are told: %s.", strings.Join(out.Words, "; "))
	}
	l := list.NewWriter()
	l.SetStyle(list.StyleConnectedLight)
	for _, s := range out.Steps {
		words := s.Rule
		if s.About != "" {
			words += " of " + s.About
		}
		if s.Condition == "" {
			l.AppendItem(mark("false") + words + ": no rule allows it")
			continue
		}
		l.AppendItem(fmt.Sprintf("%s%s (line %d): %s", mark(s.Value), words, s.Line, s.Condition))
		l.Indent()
		parts(l, s.Parts)
		l.UnIndent()
	}
	fmt.Fprintln(a.Out, l.Render())
}

func parts(l list.Writer, all []client.AccessPart) {
	for _, p := range all {
		l.AppendItem(mark(p.Value) + p.Text)
		l.Indent()
		parts(l, p.Parts)
		l.UnIndent()
	}
}

// mark shows what a condition came to, before it.
func mark(value string) string {
	return map[string]string{"true": "yes  ", "false": "no   "}[value] + map[string]string{"unknown": "?    "}[value]
}
