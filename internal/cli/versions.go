package cli

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"os"
	"os/user"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"yalvo/client"
	"yalvo/internal/service"
)

func (a *app) diff() *cli.Command {
	return &cli.Command{
		Name: "diff", Category: "design", ArgsUsage: "FILE",
		Usage:       "say what a design file would change, and what that does to what is stored; changes nothing",
		Description: example("yalvo diff demo/fenwatch-2.yaml"),
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := arguments(c, 1, 1)
			if err != nil {
				return err
			}
			_, source, err := a.readDesign(c, args[0])
			if err != nil {
				return err
			}
			d, err := a.client(c).Diff(ctx, filepath.Base(args[0]), source)
			if err != nil {
				return err
			}
			if c.Bool("json") {
				return a.json(d)
			}
			a.printDifference(d)
			return nil
		},
	}
}

// printDifference says what differs and what that does to what is stored.
func (a *app) printDifference(d client.Difference) {
	if len(d.Changes) == 0 {
		a.say("Nothing differs from version %d.", d.Base)
		return
	}
	if d.Base > 0 {
		a.say("Compared with version %d, which is in force:\n", d.Base)
	}
	var rows []table.Row
	var unfit []table.Row
	for _, c := range d.Changes {
		effects := []string{}
		for _, e := range c.Effects {
			effects = append(effects, effectInWords(c.Kind, e))
			for _, x := range e.Examples {
				unfit = append(unfit, table.Row{c.Name, x.Path, x.Detail})
			}
		}
		rows = append(rows, table.Row{c.Kind, c.Name, howInWords(c.How, c.Was, c.What), strings.Join(effects, "; ")})
	}
	a.table(table.Row{"", "name", "change", "what it does to what is stored"}, rows)
	if len(unfit) > 0 {
		a.say("\nThese would not fit, among others. They stay as they are, can be read, and " +
			"are listed by `yalvo misfits`:\n")
		a.table(table.Row{"field", "document", "why"}, unfit)
	}
	if d.Seconds > 0 {
		a.say("\nAbout %s of work in the background, at the rates just measured. The app goes on meanwhile%s.",
			inSeconds(d.Seconds), meanwhile(d.Steps))
	}
	if len(d.Drops) > 0 {
		a.say("\nFacts would be LOST: apply it with --drop %s", strings.Join(d.Drops, " --drop "))
	}
}

func howInWords(how, was string, what []string) string {
	s := how
	if was != "" {
		s += " from " + was
	}
	if len(what) > 0 {
		s += ": " + strings.Join(what, ", ")
	}
	return s
}

func effectInWords(kind string, e client.Effect) string {
	of := many(int(e.Many), "document")
	switch kind {
	case "timeline":
		of = count(e.Many) + " entries"
	case "pair":
		of = many(int(e.Many), "pair")
	}
	values := many(int(e.Many), "value")
	if kind == "field" && e.Does == "drop" {
		of = values
	}
	s := map[string]string{
		"fill": "the default for " + of, "carry": values + " under the new name", "convert": values + " to convert",
		"check": of + " to look at", "rebuild": "derived anew: " + of,
		"redeliver": many(int(e.Many), "author") + " to look at", "retract": "taken out; it can be derived again",
		"drop": of + " LOST",
	}[e.Does]
	if e.Unfit > 0 {
		s += fmt.Sprintf(", of which %s do not fit", count(e.Unfit))
	}
	return s
}

// meanwhile says what readers do not see until the steps are done.
func meanwhile(steps []client.PlannedStep) string {
	var hidden, collected []string
	for _, s := range steps {
		switch {
		case s.Aspect == "contribution":
		case s.Shows == "hidden":
			hidden = append(hidden, s.Name)
		case s.Shows == "collected":
			collected = append(collected, s.Name)
		}
	}
	out := ""
	if len(hidden) > 0 {
		out += ", without " + strings.Join(hidden, ", ")
	}
	if len(collected) > 0 {
		out += ", with " + strings.Join(collected, ", ") + " collected when it is read"
	}
	return out
}

func inSeconds(s float64) string {
	d := time.Duration(s * float64(time.Second))
	if d < time.Second {
		return "a second"
	}
	return d.Round(time.Second).String()
}

func applyFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringSliceFlag{Name: "drop", Usage: "a name whose facts may be lost; may be given several times"},
		&cli.BoolFlag{Name: "yes", Usage: "do not ask, whatever it does to what is stored"},
		&cli.StringFlag{Name: "by", Usage: "who asks for it, for the record", Value: loginName(),
			DefaultText: "who is logged in"},
		&cli.BoolFlag{Name: "no-wait", Usage: "do not wait until what it asks for is done in the background"},
	}
}

func loginName() string {
	if u, err := user.Current(); err == nil {
		return u.Username
	}
	return os.Getenv("USER")
}

// applying asks, on a terminal, whether a difference shall be put in force, and
// tells what to send. Without one it goes on unless facts would be lost that nobody
// has named: then the service refuses it.
func (a *app) applying(c *cli.Command, d client.Difference) (client.Applying, error) {
	how := client.Applying{Base: d.Base, Drop: c.StringSlice("drop"), By: c.String("by")}
	touches := false
	for _, change := range d.Changes {
		touches = touches || len(change.Effects) > 0
	}
	if d.Base == 0 || !touches || c.Bool("yes") || !a.interactive(c) {
		return how, nil
	}
	a.printDifference(d)
	fmt.Fprintf(a.out, "\nPut it in force? [y/N] ")
	answer, err := bufio.NewReader(c.Root().Reader).ReadString('\n')
	if yes := strings.ToLower(strings.TrimSpace(answer)); err != nil || yes != "y" && yes != "yes" {
		return how, fmt.Errorf("version %d stays in force", d.Base)
	}
	return how, nil
}

func (a *app) apply() *cli.Command {
	return &cli.Command{
		Name: "apply", Category: "design", ArgsUsage: "FILE",
		Usage:       "check a design file and put it in force, while the app runs",
		Flags:       applyFlags(),
		Description: example("yalvo apply demo/fenwatch.yaml\n   yalvo apply demo/fenwatch.yaml --by keeper --no-wait"),
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := arguments(c, 1, 1)
			if err != nil {
				return err
			}
			_, source, err := a.readDesign(c, args[0])
			if err != nil {
				return err
			}
			name := filepath.Base(args[0])
			d, err := a.client(c).Diff(ctx, name, source)
			if err != nil {
				return err
			}
			how, err := a.applying(c, d)
			if err != nil {
				return err
			}
			got, err := a.client(c).Apply(ctx, name, source, how)
			if err != nil {
				return err
			}
			return a.applied(ctx, c, got)
		},
	}
}

func (a *app) back() *cli.Command {
	return &cli.Command{
		Name: "back", Category: "design", ArgsUsage: "[VERSION]",
		Usage: "put an earlier version of the design in force once more: the one before, unless another is named",
		Flags: append(applyFlags(), &cli.BoolFlag{Name: "dry-run", Usage: "only say what it would change"}),
		Description: example("yalvo back 1 --dry-run\n   yalvo back 1") +
			"\n\nNames go back too, with what is stored under them. What was added since is lost: it has to be named.",
		Action: func(ctx context.Context, c *cli.Command) error {
			version, err := a.versionBack(ctx, c)
			if err != nil {
				return err
			}
			d, err := a.client(c).DiffBack(ctx, version)
			if err != nil {
				return err
			}
			if c.Bool("dry-run") {
				if c.Bool("json") {
					return a.json(d)
				}
				a.printDifference(d)
				return nil
			}
			how, err := a.applying(c, d)
			if err != nil {
				return err
			}
			got, err := a.client(c).Back(ctx, version, how)
			if err != nil {
				return err
			}
			return a.applied(ctx, c, got)
		},
	}
}

func (a *app) versionBack(ctx context.Context, c *cli.Command) (int, error) {
	args, err := arguments(c, 0, 1)
	if err != nil {
		return 0, err
	}
	if len(args) == 1 {
		return versionIn(args[0])
	}
	about, err := a.client(c).About(ctx)
	if err == nil && about.Design < 2 {
		err = errors.New("there is no version before the one in force")
	}
	return about.Design - 1, err
}

func versionIn(text string) (int, error) {
	n, err := strconv.Atoi(text)
	if err != nil || n < 1 {
		return 0, usage("%q is no version of the design: give its number, see `yalvo versions`", text)
	}
	return n, nil
}

// applied says what putting a design in force came to, and waits until what it
// asks for is done.
func (a *app) applied(ctx context.Context, c *cli.Command, got client.Applied) error {
	if !c.Bool("no-wait") && got.Steps > 0 {
		if err := a.awaitVersion(ctx, c, got.Version); err != nil {
			return err
		}
	}
	if c.Bool("json") {
		return a.json(got)
	}
	for _, service := range got.Without {
		fmt.Fprintf(a.out, "Not taken up yet by %s: it works by the design before until it can.\n", service)
	}
	about, err := a.client(c).About(ctx)
	if err != nil {
		return err
	}
	if !got.Changed {
		fmt.Fprintf(a.out, "%s runs this design already, as version %d.\n", about.App, got.Version)
		return nil
	}
	fmt.Fprintf(a.out, "%s now runs version %d: %d triggers derived, none written by hand.\n", about.App, got.Version,
		len(got.Rules))
	if c.Bool("no-wait") && got.Steps > 0 {
		a.say("What it asks for is done in the background: `yalvo versions %d` says how far it is.", got.Version)
		return nil
	}
	return a.sayMisfits(ctx, c)
}

// awaitVersion shows progress until all that a version asks for has been done.
func (a *app) awaitVersion(ctx context.Context, c *cli.Command, version int) error {
	bar := a.bar()
	_, err := a.client(c).AwaitVersion(ctx, version, func(v client.Version) {
		for _, s := range v.Steps {
			if bar != nil && s.State == "running" {
				bar.Describe(fmt.Sprintf("%s %s: %s of %s", s.Does, s.Name, count(s.Rows), count(max(s.Total, s.Rows))))
				_ = bar.Set(int(v.Progress() * 100)) // a bar that cannot be drawn is no reason to stop
			}
		}
	})
	if bar != nil {
		_ = bar.Clear()
	}
	if errors.Is(err, context.Canceled) {
		return fmt.Errorf("version %d is in force, and what it asks for goes on: `yalvo versions %d` "+
			"says how far it is",
			version, version)
	}
	return err
}

// sayUnfinished says that what a version of the design asks for is not done yet.
func (a *app) sayUnfinished(ctx context.Context, c *cli.Command) error {
	all, err := a.client(c).Versions(ctx, 1)
	if err == nil && len(all) > 0 && !all[0].Done {
		a.say("\nWhat version %d of the design asks for is being done: %s. `yalvo versions %d` says more.",
			all[0].Version,
			progressInWords(all[0]), all[0].Version)
	}
	return err
}

// sayMisfits says that there are facts which do not fit the design.
func (a *app) sayMisfits(ctx context.Context, c *cli.Command) error {
	all, err := a.client(c).Misfits(ctx)
	if err != nil {
		return err
	}
	var many int64
	for _, m := range all {
		many += m.Many
	}
	if many > 0 {
		a.say("Not all facts fit it: `yalvo misfits` lists %s that do not.", count(many))
	}
	return nil
}

func (a *app) versions() *cli.Command {
	return &cli.Command{
		Name: "versions", Category: "design", ArgsUsage: "[VERSION]",
		Usage:       "list the versions of the design; of one, what it did and how far that has come",
		Description: example("yalvo versions\n   yalvo versions 1"),
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := arguments(c, 0, 1)
			if err != nil {
				return err
			}
			if len(args) == 1 {
				return a.oneVersion(ctx, c, args[0])
			}
			all, err := a.client(c).Versions(ctx, 100)
			if err != nil {
				return err
			}
			if c.Bool("json") {
				return a.json(all)
			}
			var rows []table.Row
			for _, v := range all {
				rows = append(rows, table.Row{v.Version, v.Applied.Local().Format(time.DateTime), v.Author, v.File,
					changesInWords(v), progressInWords(v)})
			}
			a.table(table.Row{"version", "applied", "by", "file", "changed", "what it asked for"}, rows, 1)
			return nil
		},
	}
}

func changesInWords(v client.Version) string {
	if v.Version == 1 {
		return "the first"
	}
	if len(v.Changes) == 0 {
		return "the wording"
	}
	if len(v.Changes) > 3 {
		return many(len(v.Changes), "thing")
	}
	var names []string
	for _, c := range v.Changes {
		names = append(names, c.Name)
	}
	return strings.Join(names, ", ")
}

func progressInWords(v client.Version) string {
	switch {
	case len(v.Steps) == 0:
		return "nothing"
	case v.Done:
		return "done"
	}
	return fmt.Sprintf("%.0f %%", v.Progress()*100)
}

func (a *app) oneVersion(ctx context.Context, c *cli.Command, text string) error {
	n, err := versionIn(text)
	if err != nil {
		return err
	}
	v, err := a.client(c).Version(ctx, n)
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return a.json(v)
	}
	by := ""
	if v.Author != "" {
		by = " by " + v.Author
	}
	a.say("Version %d, put in force %s%s from %s.", v.Version, v.Applied.Local().Format(time.DateTime), by, v.File)
	if len(v.Changes) > 0 {
		var rows []table.Row
		for _, change := range v.Changes {
			rows = append(rows, table.Row{change.Kind, change.Name, howInWords(change.How, change.Was, change.What)})
		}
		fmt.Fprintln(a.out)
		a.table(table.Row{"", "name", "change"}, rows)
	}
	if len(v.Steps) == 0 {
		a.say("\nIt asked for nothing to be done to what was stored.")
		return nil
	}
	var rows []table.Row
	for _, s := range v.Steps {
		rows = append(rows, table.Row{s.Does, s.Name, s.Aspect, s.State, count(s.Rows), count(s.Total),
			count(s.Written),
			fmt.Sprintf("%.1f s", s.Seconds)})
	}
	fmt.Fprintln(a.out)
	a.table(table.Row{"step", "of", "", "state", "gone over", "of", "changed", "took"}, rows, 5, 6, 7, 8)
	for _, s := range v.Steps {
		if s.Error != "" {
			a.say("\n%s %s does not get on, and is tried again and again: %s", s.Does, s.Name, s.Error)
		}
	}
	return nil
}

func (a *app) misfits() *cli.Command {
	return &cli.Command{
		Name: "misfits", Category: "design", ArgsUsage: "[COLLECTION.FIELD]",
		Usage:       "list facts that do not fit the design in force; of one field, all of them",
		Description: example("yalvo misfits\n   yalvo misfits members.name"),
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := arguments(c, 0, 1)
			if err != nil {
				return err
			}
			all, err := a.client(c).Misfits(ctx)
			if err != nil {
				return err
			}
			if len(args) == 1 {
				if all, err = a.misfitsOf(ctx, c, args[0], all); err != nil {
					return err
				}
			}
			if c.Bool("json") {
				return a.json(all)
			}
			if len(all) == 0 {
				a.say("Everything fits.")
				return nil
			}
			var rows []table.Row
			for _, m := range all {
				for i, x := range m.Examples {
					name, n, code := m.Of+"."+m.Field, count(m.Many), m.Code
					if i > 0 {
						name, n, code = "", "", ""
					}
					rows = append(rows, table.Row{name, n, code, x.Path, x.Detail})
				}
			}
			a.table(table.Row{"field", "many", "reason", "document", "why"}, rows, 2)
			return nil
		},
	}
}

// misfitsOf are all those of one field.
func (a *app) misfitsOf(ctx context.Context, c *cli.Command, name string,
	all []client.Misfits) ([]client.Misfits, error) {
	of, field, dotted := strings.Cut(name, ".")
	if !dotted {
		return nil, usage("%q names no field: write it as in members.name", name)
	}
	found := []client.Misfits{}
	for _, m := range all {
		if m.Of != of || m.Field != field {
			continue
		}
		m.Examples = nil
		for after, more := int64(0), true; more; more = after > 0 {
			page, err := a.client(c).MisfitsOf(ctx, m, after)
			if err != nil {
				return nil, err
			}
			m.Examples = append(m.Examples, page.Examples...)
			after = page.Next
		}
		found = append(found, m)
	}
	return found, nil
}

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
				return a.json(map[string]any{"version": Release, "tables": service.Tables})
			}
			a.say("yalvo %s, tables of version %d (those of versions 1 to %d are brought along)", Release,
				service.Tables, service.Tables-1)
			return nil
		},
	}
}
