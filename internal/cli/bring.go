package cli

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

	"yalvo/internal/bring"
	"yalvo/internal/design"
)

func (a *app) bring() *cli.Command {
	return &cli.Command{
		Name: "bring", Category: "data", ArgsUsage: "MAPPING",
		Usage: "bring an app along that kept its duplicates by hand: take the facts of its export, and say what was wrong with the rest",
		Flags: []cli.Flag{
			&cli.BoolFlag{Name: "dry-run", Usage: "only report"},
			&cli.StringFlag{Name: "lines", Usage: "write the facts as lines to this file too"},
			&cli.StringFlag{Name: "report", Usage: "write every finding to this file, a line of JSON each"},
			&cli.StringFlag{Name: "bad", Usage: "where lines go that cannot be loaded (default: MAPPING.bad)"},
			&cli.BoolFlag{Name: "no-wait", Usage: "do not wait until everything derived has followed"},
		},
		Description: example("yalvo bring demo/export/mapping.yaml --dry-run\n   yalvo bring demo/export/mapping.yaml --report findings.ndjson") +
			"\n\nThe files of the export are named in the mapping, beside it. They are plain JSON: a list of objects, an object of\nobjects by id, or an object a line.",
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := arguments(c, 1, 1)
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
	if err := a.tellReport(c, r); err != nil || c.Bool("dry-run") {
		return err
	}
	if !c.Bool("json") {
		fmt.Fprintln(a.out)
	}
	return a.loadLines(ctx, c, lines.Name(), file+".bad")
}

// designInForce reads the design that the service runs.
func (a *app) designInForce(ctx context.Context, c *cli.Command) (*design.Design, error) {
	source, err := a.client(c).Design(ctx)
	if err != nil {
		return nil, err
	}
	return design.Read("design.yaml", source)
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

// findingsShown is how many examples are printed of what is wrong in one place.
const findingsShown = 2

func (a *app) tellReport(c *cli.Command, r *bring.Report) error {
	if name := c.String("report"); name != "" {
		if err := writeFindings(name, r.Findings); err != nil {
			return err
		}
	}
	if c.Bool("json") {
		return a.json(r)
	}
	a.say("%s and %s are taken along. %s compared with them: %s.", many(r.Documents, "document"),
		many(r.Pairs, "pair"), many(r.Checked, "old duplicate"), many(len(r.Findings), "finding"))
	type place struct {
		kind  bring.Kind
		where string
	}
	of := map[place][]bring.Finding{}
	var places []place
	for _, f := range r.Findings {
		p := place{f.Kind, f.Where}
		if of[p] == nil {
			places = append(places, p)
		}
		of[p] = append(of[p], f)
	}
	var rows []table.Row
	for _, p := range places {
		for i, f := range of[p][:min(len(of[p]), findingsShown)] {
			kind, n, where := string(p.kind), count(int64(len(of[p]))), p.where
			if i > 0 {
				kind, n, where = "", "", ""
			}
			rows = append(rows, table.Row{kind, n, where, f.What, f.Had, f.Is})
		}
	}
	if len(rows) > 0 {
		fmt.Fprintln(a.out)
		a.table(table.Row{"what", "many", "of", "for example", "was", "is"}, rows, 2)
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
