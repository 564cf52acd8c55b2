package proofs

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/list"
	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"yalvo/client"
	"yalvo/internal/command/flags"
	"yalvo/internal/command/terminal"
)

func (a *app) why() *cli.Command {
	return &cli.Command{
		Name: "why", Category: "proof", ArgsUsage: "TIMELINE OWNER DOCUMENT | DOCUMENT KEPT-VALUE",
		Usage: "why an entry is in a timeline or not, or what a kept value is made of",
		Description: flags.Example("yalvo why home keeper sightings/s00002\n   " +
			"yalvo why arno_marshwood follower_count"),
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := flags.Arguments(c, 2, 3)
			if err != nil {
				return err
			}
			if len(args) == 2 {
				path, err := a.PathOf(ctx, c, args[0])
				if err != nil {
					return err
				}
				return a.whyKept(ctx, c, path, args[1])
			}
			if args[1], err = a.OwnerOf(ctx, c, args[0], args[1]); err != nil {
				return err
			}
			if args[2], err = a.EntryOf(ctx, c, args[0], args[2]); err != nil {
				return err
			}
			why, err := a.Client(c).WhyEntry(ctx, args[0], args[1], args[2])
			if err != nil {
				return err
			}
			if c.Bool("json") {
				return a.JSON(why)
			}
			a.printWhy(why)
			return nil
		},
	}
}

func (a *app) printWhy(why client.Why) {
	verdict := "is in"
	if !why.There {
		verdict = "is not in"
	}
	a.Say("%s %s the %s timeline of %s: %s.\n", why.Entry, verdict, why.Timeline, why.Owner, why.Because)
	var rows []table.Row
	for _, r := range why.Reasons {
		sign, since, change := "against", "", ""
		if r.Holds {
			sign = "for"
		}
		if r.Since != nil {
			since = terminal.Clock(*r.Since)
		}
		if r.Change != 0 {
			change = fmt.Sprint(r.Change)
		}
		rows = append(rows, table.Row{sign, r.Says, since, change, r.As})
	}
	a.Table(table.Row{"", "fact", "since", "change", "as"}, rows, 4)
}

func (a *app) whyKept(ctx context.Context, c *cli.Command, document, name string) error {
	got, err := a.Client(c).WhyKept(ctx, document, name)
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return a.JSON(got)
	}
	a.Say("%s %s = %s: %s of %s, from %s.", got.Document, got.Name, terminal.Clip(string(got.Stored), 60),
		got.Kind, got.From, terminal.Many(int(got.Many), "source"))
	for _, d := range got.Due {
		fmt.Fprintf(a.Out, "%s (since %s)\n", d.Says, terminal.Clock(*d.Since))
	}
	if len(got.Sources) == 0 {
		return nil
	}
	fmt.Fprintln(a.Out)
	var rows []table.Row
	for _, s := range got.Sources {
		what := terminal.Clip(string(s.Value), 60) // what it contributes, or else since when it counts
		if what == "" && s.At != nil {
			what = "since " + terminal.Clock(*s.At)
		}
		rows = append(rows, table.Row{s.Path, what})
	}
	if more := got.Many - int64(len(got.Sources)); more > 0 {
		rows = append(rows, table.Row{fmt.Sprintf("and %s more", terminal.Count(more)), ""})
	}
	a.Table(table.Row{"source", "contributes"}, rows)
	return nil
}

func (a *app) places() *cli.Command {
	return &cli.Command{
		Name: "places", Category: "proof", ArgsUsage: "DOCUMENT",
		Usage:       "everywhere a document's values are duplicated to, with counts",
		Description: flags.Example("yalvo places arno_marshwood"),
		Action: func(ctx context.Context, c *cli.Command) error {
			path, err := a.OnePath(ctx, c)
			if err != nil {
				return err
			}
			all, err := a.Client(c).Places(ctx, path)
			if err != nil {
				return err
			}
			if c.Bool("json") {
				return a.JSON(all)
			}
			if len(all) == 0 {
				fmt.Fprintln(a.Out, "Nothing of it is duplicated anywhere.")
				return nil
			}
			var rows []table.Row
			for _, p := range all {
				what := strings.Join(p.Values, ", ")
				if what == "" {
					what = "that it exists"
				}
				rows = append(rows, table.Row{p.Where, p.Kind, terminal.Clip(what, 60), terminal.Count(p.Many)})
			}
			a.Table(table.Row{"where", "as", "what", "places"}, rows, 4)
			return nil
		},
	}
}

func (a *app) trace() *cli.Command {
	return &cli.Command{
		Name: "trace", Category: "proof", ArgsUsage: "POSITION",
		Usage:       "what a change has caused, as a tree",
		Description: flags.Example("yalvo trace 17\n   yalvo --settled trace 17"),
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := flags.Arguments(c, 1, 1)
			if err != nil {
				return err
			}
			position, err := strconv.ParseInt(args[0], 10, 64)
			if err != nil {
				return flags.Usage("%q is no position: give the number that a write or `yalvo changes` shows", args[0])
			}
			got, err := a.Client(c).Cascade(ctx, position)
			if err != nil {
				return err
			}
			if c.Bool("json") {
				return a.JSON(got)
			}
			a.printCascade(got)
			return nil
		},
	}
}

func (a *app) printCascade(c client.Cascade) {
	a.Say("%d  %s", c.Change.Position, strings.TrimSpace(c.Change.Kind+" "+c.Change.Subject+" "+c.Change.Detail))
	switch {
	case len(c.Follows) == 0:
		fmt.Fprintln(a.Out, "Nothing followed from it.")
	case c.Settled:
		fmt.Fprintf(a.Out, "Settled after %s.\n", milliseconds(c.TookMS))
	default:
		fmt.Fprintln(a.Out, "Not settled yet.")
	}
	l := list.NewWriter()
	l.SetStyle(list.StyleConnectedLight)
	branches(l, c.Follows)
	if len(c.Follows) > 0 {
		fmt.Fprintln(a.Out, l.Render())
		a.waterfall(c)
	}
}

// branches lists steps; those that found nothing to do are only counted.
func branches(l list.Writer, steps []client.Step) {
	idle := 0
	for _, s := range steps {
		if !s.Changes && s.Rows == 0 && s.Left == 0 && s.Parked == 0 && len(s.Follows) == 0 {
			idle++
			continue
		}
		l.AppendItem(stepInWords(s))
		if len(s.Follows) > 0 {
			l.Indent()
			branches(l, s.Follows)
			l.UnIndent()
		}
	}
	if idle > 0 {
		l.AppendItem(fmt.Sprintf("%d more looked and found nothing to do", idle))
	}
}

func stepInWords(s client.Step) string {
	if s.Changes {
		return fmt.Sprintf("%s: %s, such as %s", s.Says, terminal.Many(int(s.Many), "change"), s.Example)
	}
	words := []string{fmt.Sprintf("%s: %s in %s", s.Says, terminal.Many(int(s.Rows), "row"),
		terminal.Many(int(s.Chunks), "chunk"))}
	if s.Attempts > 0 {
		words = append(words, terminal.Many(int(s.Attempts), "failed attempt"))
	}
	switch {
	case s.Parked > 0:
		words = append(words, fmt.Sprintf("%d parked: %s", s.Parked, s.Error))
	case s.Left > 0:
		words = append(words, fmt.Sprintf("%d of %d left", s.Left, s.Many))
	case s.DoneMS != nil:
		words = append(words, "done after "+milliseconds(*s.DoneMS))
	}
	return strings.Join(words, ", ")
}

func milliseconds(ms int64) string {
	if ms < 1000 {
		return fmt.Sprintf("%d ms", ms)
	}
	return fmt.Sprintf("%.1f s", float64(ms)/1000)
}
