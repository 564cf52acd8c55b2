package views

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"yalvo/client"
	"yalvo/internal/command/designs"
	"yalvo/internal/command/flags"
	"yalvo/internal/command/terminal"
)

func sorted(m map[string]any) []string {
	var names []string
	for name := range m {
		names = append(names, name)
	}
	slices.Sort(names)
	return names
}

func (a *app) timeline() *cli.Command {
	return &cli.Command{
		Name: "timeline", Category: "views", ArgsUsage: "TIMELINE OWNER",
		Usage: "show an owner's timeline, newest first",
		Flags: append(pageFlags(), liveFlag()),
		Description: flags.Example("yalvo timeline home keeper\n   yalvo timeline home keeper --live\n" +
			"   yalvo --as keeper timeline home keeper --marks liked,saved"),
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := flags.Arguments(c, 2, 2)
			if err != nil {
				return err
			}
			if args[1], err = a.OwnerOf(ctx, c, args[0], args[1]); err != nil {
				return err
			}
			reader := a.Client(c)
			if c.String("as") == "" {
				reader = reader.As(args[1]) // marks are the owner's
			}
			if c.Bool("live") {
				return watching(ctx, reader.Follow(ctx, args[0], args[1], page(c), func(t client.Timeline) error {
					a.apart(c)
					return a.showTimeline(c, "Nothing is in "+args[1]+"'s timeline.", t)
				}))
			}
			t, err := reader.Timeline(ctx, args[0], args[1], page(c))
			if err != nil {
				return err
			}
			return a.showTimeline(c, "Nothing is in "+args[1]+"'s timeline.", t)
		},
	}
}

func liveFlag() cli.Flag { return &cli.BoolFlag{Name: "live", Usage: "go on showing it as it changes"} }

// apart puts a line between what is shown and what was shown before.
func (a *app) apart(c *cli.Command) {
	if !c.Bool("json") {
		fmt.Fprintln(a.Out)
	}
}

// watching is the end of what is shown live: Ctrl-C is how one stops watching.
func watching(ctx context.Context, err error) error {
	if ctx.Err() != nil {
		return nil
	}
	return err
}

func (a *app) showTimeline(c *cli.Command, none string, t client.Timeline) error {
	if c.Bool("json") {
		return a.JSON(t)
	}
	if len(t.Entries) == 0 {
		a.Say("%s", none)
		return nil
	}
	header := table.Row{"at", "author", "id", "carries", "kept"}
	var rows []table.Row
	for _, e := range t.Entries {
		rows = append(rows, table.Row{terminal.Clock(e.At), e.Author, e.ID, terminal.Clip(summary(e.Facts,
			e.Author), 80),
			terminal.Clip(keptInWords(e.Kept), 80)})
	}
	if marked := func(e client.Entry) bool { return len(e.Marks) > 0 }; slices.ContainsFunc(t.Entries, marked) {
		header = append(header, "marks")
		for i, e := range t.Entries {
			rows[i] = append(rows[i], marksInWords(e.Marks))
		}
	}
	a.Table(header, rows)
	a.more(t.Next)
	return nil
}

// summary is what an entry carries of its document's facts in a line: its texts
// first, and not the author, who stands beside it.
func summary(facts map[string]any, author string) string {
	var texts, rest []string
	for _, name := range sorted(facts) {
		switch v := facts[name].(type) {
		case string:
			switch {
			case v == author:
			case strings.Contains(v, " ") || !strings.Contains(v, "/"): // not the address of a picture
				texts = append(texts, v)
			default:
				rest = append(rest, name+"="+v)
			}
		case map[string]any:
			rest = append(rest, name+"="+strings.Join(textsIn(v), ", "))
		default:
			rest = append(rest, name+"="+terminal.Value(v))
		}
	}
	return strings.Join(append(texts, rest...), "  ")
}

// keptInWords are an entry's kept values in a line: copies first, in their texts,
// then numbers; of lists only how many there are.
func keptInWords(kept map[string]any) string {
	var copies, rest []string
	for _, name := range sorted(kept) {
		switch v := kept[name].(type) {
		case map[string]any:
			copies = append(copies, name+"="+strings.Join(textsIn(v), ", "))
		case []any:
			rest = append(rest, fmt.Sprintf("%s=[%d]", name, len(v)))
		default:
			rest = append(rest, name+"="+terminal.Value(v))
		}
	}
	return strings.Join(append(copies, rest...), "  ")
}

// textsIn are the texts among values, but for addresses of pictures.
func textsIn(values map[string]any) []string {
	var texts []string
	for _, name := range sorted(values) {
		if v, is := values[name].(string); is && !strings.Contains(v, "/") {
			texts = append(texts, v)
		}
	}
	return texts
}

func (a *app) status() *cli.Command {
	return &cli.Command{
		Name: "status", Category: "views",
		Usage:       "is everything settled, and how much is there?",
		Description: flags.Example("yalvo status\n   yalvo --settled status   # after all that is due now"),
		Action: func(ctx context.Context, c *cli.Command) error {
			if _, err := flags.Arguments(c, 0, 0); err != nil {
				return err
			}
			s, err := a.Client(c).Status(ctx)
			if err != nil {
				return err
			}
			if c.Bool("json") {
				return a.JSON(s)
			}
			a.showStatus(s)
			return designs.SayUnfinished(ctx, a.App, c)
		},
	}
}

func (a *app) showStatus(s client.Status) {
	switch {
	case s.Settled:
		a.Say("Everything is settled: what was written has reached every copy.")
	case s.Due > 0:
		a.Say("Due: %s, the oldest for %.1f s.", terminal.Count(s.Due), float64(s.LagMS)/1000)
	}
	if s.Parked > 0 {
		a.Say("Parked, and waiting for you: %s (see `yalvo parked`).", terminal.Many(int(s.Parked), "piece")+" of work")
	}
	a.Say("What there is was counted %s ago.\n", time.Since(s.Counted).Round(time.Second))
	var rows []table.Row
	for _, l := range s.Lanes {
		if l.Due > 0 {
			rows = append(rows, table.Row{"due", l.Lane, terminal.Count(l.Due)})
		}
	}
	for _, part := range []struct {
		kind    string
		amounts []client.Amount
	}{{"documents", s.Documents}, {"pairs", s.Pairs}, {"entries", s.Entries}} {
		for _, one := range part.amounts {
			rows = append(rows, table.Row{part.kind, one.Name, terminal.Count(one.Many)})
		}
	}
	a.Table(table.Row{"", "name", "many"}, rows, 3)
}

func (a *app) changes() *cli.Command {
	return &cli.Command{
		Name: "changes", Category: "views", Flags: []cli.Flag{&cli.IntFlag{Name: "limit", Usage: "how many",
			Value: 20}},
		Usage:       "the newest changes, newest first",
		Description: flags.Example("yalvo changes --limit 5"),
		Action: func(ctx context.Context, c *cli.Command) error {
			if _, err := flags.Arguments(c, 0, 0); err != nil {
				return err
			}
			all, err := a.Client(c).Changes(ctx, c.Int("limit"))
			if err != nil {
				return err
			}
			if c.Bool("json") {
				return a.JSON(all)
			}
			var rows []table.Row
			for _, ch := range all {
				cause := ""
				if ch.Cause != 0 {
					cause = fmt.Sprint(ch.Cause)
				}
				rows = append(rows, table.Row{ch.Position, terminal.Clock(ch.At), ch.Kind, ch.Subject,
					terminal.Clip(ch.Detail, 60),
					ch.As, cause})
			}
			a.Table(table.Row{"position", "at", "what", "subject", "detail", "as", "because of"}, rows, 1, 7)
			return nil
		},
	}
}

func (a *app) parked() *cli.Command {
	return &cli.Command{
		Name: "parked", Category: "views", Flags: []cli.Flag{
			&cli.BoolFlag{Name: "retry", Usage: "make it all due again"},
			&cli.Int64Flag{Name: "work", Usage: "with --retry: only the piece of work of this `NUMBER`"},
			&cli.Int64Flag{Name: "drop", Usage: "give up the piece of work of this `NUMBER`"}},
		Usage: "work that failed too often and waits for a person",
		Description: flags.Example("yalvo parked\n   yalvo parked --retry\n   yalvo parked --retry --work 17\n   " +
			"yalvo " +
			"parked --drop 17"),
		Action: func(ctx context.Context, c *cli.Command) error {
			if _, err := flags.Arguments(c, 0, 0); err != nil {
				return err
			}
			switch {
			case c.IsSet("work") && !c.Bool("retry"):
				return flags.Usage("--work says what --retry is to try again: give both")
			case c.IsSet("drop") && c.Bool("retry"):
				return flags.Usage("--drop gives work up and --retry tries it again: give one")
			case c.IsSet("drop"):
				return a.dropParked(ctx, c)
			case c.Bool("retry"):
				return a.retryParked(ctx, c)
			}
			return a.listParked(ctx, c)
		},
	}
}

func (a *app) retryParked(ctx context.Context, c *cli.Command) error {
	if c.IsSet("work") {
		if err := a.Client(c).RetryOne(ctx, c.Int64("work")); err != nil {
			return err
		}
		if c.Bool("json") {
			return a.JSON(map[string]int{"retried": 1})
		}
		a.Say("It is due again.")
		return nil
	}
	n, err := a.Client(c).Retry(ctx)
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return a.JSON(map[string]int64{"retried": n})
	}
	fmt.Fprintf(a.Out, "Due again: %s.\n", terminal.Count(n))
	return nil
}

func (a *app) dropParked(ctx context.Context, c *cli.Command) error {
	if err := a.Client(c).DropParked(ctx, c.Int64("drop")); err != nil {
		return err
	}
	if c.Bool("json") {
		return a.JSON(map[string]int64{"dropped": c.Int64("drop")})
	}
	a.Say("It is given up. `yalvo audit` finds what it would have brought in line.")
	return nil
}

func (a *app) listParked(ctx context.Context, c *cli.Command) error {
	all, err := a.Client(c).ParkedWork(ctx)
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return a.JSON(all)
	}
	if len(all) == 0 {
		fmt.Fprintln(a.Out, "No work is parked.")
		return nil
	}
	var rows []table.Row
	for _, p := range all {
		rows = append(rows, table.Row{p.Work, terminal.Clock(p.Parked), p.About, p.Step, p.Change, p.Attempts,
			terminal.Clip(p.Error, 200)})
	}
	a.Table(table.Row{"work", "parked", "for", "step", "change", "attempts", "error"}, rows, 1, 5, 6)
	return nil
}
