package operations

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"yalvo/client"
	"yalvo/internal/command/flags"
	"yalvo/internal/command/terminal"
	"yalvo/internal/design"
	"yalvo/internal/design/language"
	"yalvo/internal/engine/bring"
)

func (a *app) bring() *cli.Command {
	return &cli.Command{
		Name: "bring", Category: "data", ArgsUsage: "MAPPING",
		Usage: "bring an app along that kept its duplicates by hand: take the facts of its export, " +
			"and say what was wrong with the rest",
		Flags: []cli.Flag{
			&cli.BoolFlag{Name: "dry-run", Usage: "only report"},
			&cli.StringFlag{Name: "lines", Usage: "write the facts as lines to this file too"},
			&cli.StringFlag{Name: "report", Usage: "write every finding to this file, a line of JSON each"},
			&cli.StringFlag{Name: "bad", Usage: "where lines go that cannot be loaded (default: MAPPING.bad)"},
			&cli.BoolFlag{Name: "no-wait", Usage: "do not wait until everything derived has followed"},
		},
		Description: flags.Example("yalvo bring demo/export/mapping.yaml --dry-run\n"+
			"   yalvo bring demo/export/mapping.yaml --report findings.ndjson") +
			"\n\nThe files of the export are named in the mapping, beside it. " +
			"They are plain JSON: a list of objects,\n" +
			"an object of objects by id, or an object a line.",
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := flags.Arguments(c, 1, 1)
			if err != nil {
				return err
			}
			return a.bringAlong(ctx, c, args[0])
		},
	}
}

func (a *app) bringAlong(ctx context.Context, c *cli.Command, file string) error {
	d, err := a.designInForce(ctx, c)
	if err != nil {
		return err
	}
	source, err := os.ReadFile(file)
	if err != nil {
		return fmt.Errorf("the mapping cannot be read: %w", err)
	}
	m, err := bring.ReadMapping(filepath.Base(file), source, d)
	if err != nil {
		return err
	}
	lines, keep, err := linesFile(c)
	if err != nil {
		return err
	}
	if !keep {
		defer os.Remove(lines.Name())
	}
	w := bufio.NewWriterSize(lines, 1<<20)
	r, err := bring.Along(m, d, os.DirFS(filepath.Dir(file)), w)
	if err = errors.Join(err, w.Flush(), lines.Close()); err != nil {
		return err
	}
	if err := a.tellReport(c, r); err != nil {
		return err
	}
	both := brought{Report: r}
	if c.Bool("dry-run") && c.Bool("json") {
		return a.JSON(both)
	}
	if c.Bool("dry-run") {
		return nil
	}
	if err := a.Client(c).NoteBrought(ctx, inShort(r)); err != nil {
		return err
	}
	if !c.Bool("json") {
		fmt.Fprintln(a.Out)
	}
	l, err := a.loadLines(ctx, c, lines.Name(), file+".bad")
	if err != nil {
		return err
	}
	if c.Bool("json") {
		now := loadedOf(l)
		both.Loaded = &now
		return errors.Join(a.JSON(both), badLines(l))
	}
	return a.sayLoaded(l)
}

// brought is the report with what was loaded, nothing if it was only tried.
type brought struct {
	*bring.Report
	Loaded *loaded `json:"loaded"`
}

// designInForce reads the design that the service runs.
func (a *app) designInForce(ctx context.Context, c *cli.Command) (*design.Design, error) {
	source, err := a.Client(c).Design(ctx)
	if err != nil {
		return nil, err
	}
	return language.Read("design.yaml", source)
}

// linesFile is where the lines go, and whether they are wanted there.
func linesFile(c *cli.Command) (*os.File, bool, error) {
	if name := c.String("lines"); name != "" {
		f, err := os.OpenFile(name, os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
		return f, true, err
	}
	f, err := os.CreateTemp("", "yalvo-*.ndjson")
	return f, false, err
}

// inShort is a report with a few examples of what was wrong in each place.
func inShort(r *bring.Report) client.Brought {
	b := client.Brought{Documents: r.Documents, Pairs: r.Pairs, Checked: r.Checked, Wrong: []client.Wrong{}}
	for _, f := range r.Findings {
		last := len(b.Wrong) - 1
		if last < 0 || b.Wrong[last].Kind != string(f.Kind) || b.Wrong[last].Where != f.Where {
			b.Wrong = append(b.Wrong, client.Wrong{Kind: string(f.Kind), Where: f.Where})
			last++
		}
		w := &b.Wrong[last]
		if w.Many++; len(w.Examples) < examplesKept {
			w.Examples = append(w.Examples, client.WrongExample{What: f.What, Had: f.Had, Is: f.Is})
		}
	}
	return b
}

// examplesKept is how many examples the service remembers of what was wrong in one
// place.
const examplesKept = 5

// findingsShown is how many examples are printed of what is wrong in one place.
const findingsShown = 2

func (a *app) tellReport(c *cli.Command, r *bring.Report) error {
	if name := c.String("report"); name != "" {
		if err := writeFindings(name, r.Findings); err != nil {
			return err
		}
	}
	if c.Bool("json") {
		return nil
	}
	a.Say("%s and %s are taken along. %s compared with them: %s.", terminal.Many(r.Documents, "document"),
		terminal.Many(r.Pairs, "pair"), terminal.Many(r.Checked, "old duplicate"), terminal.Many(len(r.Findings),
			"finding"))
	var rows []table.Row
	for _, w := range inShort(r).Wrong {
		for i, x := range w.Examples[:min(len(w.Examples), findingsShown)] {
			kind, n, where := w.Kind, terminal.Count(int64(w.Many)), w.Where
			if i > 0 {
				kind, n, where = "", "", ""
			}
			rows = append(rows, table.Row{kind, n, where, x.What, x.Had, x.Is})
		}
	}
	if len(rows) > 0 {
		fmt.Fprintln(a.Out)
		a.Table(table.Row{"what", "many", "of", "for example", "was", "is"}, rows, 2)
	}
	return nil
}

func writeFindings(name string, all []bring.Finding) (err error) {
	f, err := os.OpenFile(name, os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
	if err != nil {
		return fmt.Errorf("the report cannot be written: %w", err)
	}
	defer func() { err = errors.Join(err, f.Close()) }()
	w := bufio.NewWriter(f)
	enc := json.NewEncoder(w)
	enc.SetEscapeHTML(false)
	for _, one := range all {
		if err := enc.Encode(one); err != nil {
			return err
		}
	}
	return w.Flush()
}
