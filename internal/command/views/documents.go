package views

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"yalvo/client"
	"yalvo/internal/command/flags"
	"yalvo/internal/command/terminal"
)

func pageFlags() []cli.Flag {
	return []cli.Flag{
		&cli.IntFlag{Name: "limit", Usage: "elements on the page", Value: 20},
		&cli.StringFlag{Name: "cursor", Usage: "where the page before ended"},
		marksFlag(),
	}
}

func marksFlag() cli.Flag {
	return &cli.StringSliceFlag{Name: "marks",
		Usage: "say whether the account of --as is paired with it, by what it calls such pairs: liked,saved"}
}

func page(c *cli.Command) client.Page {
	return client.Page{Limit: c.Int("limit"), Cursor: c.String("cursor"), Marks: c.StringSlice("marks")}
}

// marksInWords are the marks that are set: since when, or the pair's own facts.
func marksInWords(marks map[string]*client.Mark) string {
	var all []string
	for _, name := range slices.Sorted(maps.Keys(marks)) {
		switch m := marks[name]; {
		case m == nil:
		case len(m.Facts) > 0:
			all = append(all, name+" ("+terminal.Values(m.Facts)+")")
		default:
			all = append(all, name)
		}
	}
	return strings.Join(all, ", ")
}

func (a *app) more(next string) {
	if next != "" {
		fmt.Fprintf(a.Out, "\nThere is more: --cursor\n%s\n", next)
	}
}

func (a *app) list() *cli.Command {
	return &cli.Command{
		Name: "list", Category: "documents", ArgsUsage: "PATH", Flags: pageFlags(),
		Usage: "list a collection, or what a name after a document leads to",
		Description: flags.Example("yalvo list members\n   yalvo list members/arno_marshwood/followers --limit 5\n   " +
			"yalvo list " +
			"sightings/s00001/remarks"),
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := flags.Arguments(c, 1, 1)
			if err != nil {
				return err
			}
			path, err := a.SeveralAt(ctx, c, args[0])
			if err != nil {
				return err
			}
			docs, err := a.Client(c).List(ctx, path, page(c))
			if err != nil {
				return err
			}
			if c.Bool("json") {
				return a.JSON(docs)
			}
			return a.showDocuments(c, docs, "Nothing is in "+path+".")
		},
	}
}

// showDocuments shows a page of documents, with what there is of pairs and marks.
func (a *app) showDocuments(c *cli.Command, docs client.Documents, none string) error {
	if len(docs.Documents) == 0 {
		a.Say("%s", none)
		return nil
	}
	header := table.Row{"path", "facts", "kept"}
	var rows []table.Row
	pairs, marks := false, false
	for _, d := range docs.Documents {
		path := d.Path
		if d.Top {
			path += " (on top)"
		}
		pairs, marks = pairs || len(d.Pair) > 0, marks || len(d.Marks) > 0
		rows = append(rows, table.Row{path, terminal.Clip(terminal.Values(d.Facts), 70),
			terminal.Clip(terminal.Values(d.Kept), 60)})
	}
	add := func(name string, of func(client.Document) any) {
		header = append(header, name)
		for i, d := range docs.Documents {
			rows[i] = append(rows[i], of(d))
		}
	}
	if pairs {
		add("pair", func(d client.Document) any { return terminal.Values(d.Pair) })
	}
	if marks {
		add("marks", func(d client.Document) any { return marksInWords(d.Marks) })
	}
	a.Table(header, rows)
	a.more(docs.Next)
	return nil
}

func (a *app) show() *cli.Command {
	return &cli.Command{
		Name: "show", Category: "documents", ArgsUsage: "PATH", Flags: []cli.Flag{marksFlag()},
		Usage:       "show a document: its facts, and what is kept for it",
		Description: flags.Example("yalvo show members/keeper"),
		Action: func(ctx context.Context, c *cli.Command) error {
			path, err := a.OnePath(ctx, c)
			if err != nil {
				return err
			}
			if !flags.LeadsToOne(path) {
				return flags.Usage("%s is no document but leads to several: see `yalvo list %s`", path, path)
			}
			doc, err := a.Client(c).Get(ctx, path, c.StringSlice("marks")...)
			if err != nil {
				return err
			}
			if c.Bool("json") {
				return a.JSON(doc)
			}
			a.Say("%s, version %d, created %s, updated %s\n", doc.Path, doc.Version, terminal.Clock(doc.Created),
				terminal.Clock(doc.Updated))
			var rows []table.Row
			for _, part := range []struct {
				kind   string
				values map[string]any
			}{{"fact", doc.Facts}, {"kept", doc.Kept}} {
				for _, name := range sorted(part.values) {
					rows = append(rows, table.Row{part.kind, name, terminal.Value(part.values[name])})
				}
			}
			for _, name := range slices.Sorted(maps.Keys(doc.Marks)) {
				state := "no"
				if m := doc.Marks[name]; m != nil {
					state = strings.TrimSpace("since " + terminal.Clock(m.Since) + " " + terminal.Values(m.Facts))
				}
				rows = append(rows, table.Row{"mark", name, state})
			}
			a.Table(table.Row{"", "name", "value"}, rows)
			return nil
		},
	}
}

func (a *app) add() *cli.Command {
	return &cli.Command{
		Name: "add", Category: "documents", ArgsUsage: "COLLECTION NAME=VALUE ...",
		Usage: "create a document; values are JSON, or text where they are not",
		Flags: []cli.Flag{&cli.StringFlag{Name: "id",
			Usage: "an id of your own: adding twice is the same as once"}},
		Description: flags.Example("yalvo add members --id ada handle=ada_fen name='Ada Fen'\n   yalvo --as " +
			"keeper add " +
			"sightings text='Two bitterns at Reed Hollow' birds=2 species='[\"bittern\"]'"),
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := flags.Arguments(c, 1, -1)
			if err != nil {
				return err
			}
			fields, err := flags.Assignments(args[1:])
			if err != nil {
				return err
			}
			if in, id := path.Split(args[0]); strings.Count(in, "/")%2 == 1 {
				return flags.Usage("%s is a document. To make it with that id: yalvo add %s --id %s ...", args[0],
					strings.TrimSuffix(in, "/"), id)
			}
			doc, position, err := a.Client(c).Create(ctx, args[0], c.String("id"), fields)
			if err != nil {
				return err
			}
			return a.Written(ctx, c, position, wrote{doc, position}, "created "+doc.Path)
		},
	}
}

func (a *app) edit() *cli.Command {
	return &cli.Command{
		Name: "edit", Category: "documents", ArgsUsage: "PATH NAME=VALUE ...",
		Usage: "change fields of a document; null takes one away",
		Flags: []cli.Flag{versionFlag(), &cli.StringFlag{Name: "operations", TakesFile: true,
			Usage: "a JSON Patch (RFC 6902) in `FILE` (- for standard input) instead of values"}},
		Description: flags.Example("yalvo edit members/keeper name='Keeper of the Fen' portrait=null") + "\n" +
			flags.Example(`echo '[{"op": "test", "path": "/facts/birds", "value": 5}, `+
				`{"op": "remove", "path": "/facts/photo"}]' | yalvo edit sightings/s00001 --operations -`),
		Action: func(ctx context.Context, c *cli.Command) error {
			least := 2
			if c.IsSet("operations") {
				least = 1
			}
			args, err := flags.Arguments(c, least, -1)
			if err != nil {
				return err
			}
			doc, position, err := a.edited(ctx, c, args)
			if err != nil {
				return err
			}
			return a.Written(ctx, c, position, wrote{doc, position}, fmt.Sprintf("%s is at version %d", doc.Path,
				doc.Version))
		},
	}
}

func (a *app) edited(ctx context.Context, c *cli.Command, args []string) (client.Document, client.Position, error) {
	path, err := a.PathOf(ctx, c, args[0])
	if err != nil {
		return client.Document{}, "", err
	}
	to := a.Client(c).If(c.Int64("version-is"))
	file := c.String("operations")
	if file == "" {
		fields, err := flags.Assignments(args[1:])
		if err != nil {
			return client.Document{}, "", err
		}
		return to.Patch(ctx, path, fields)
	}
	if len(args) > 1 {
		return client.Document{}, "", flags.Usage("an edit has values or --operations, not both")
	}
	raw, err := flags.Contents(c, file)
	if err != nil {
		return client.Document{}, "", err
	}
	var operations []client.Operation
	if err := json.Unmarshal(raw, &operations); err != nil {
		return client.Document{}, "", flags.Usage("%s holds no JSON Patch, which is a list of operations: %v",
			file, err)
	}
	return to.Operate(ctx, path, operations...)
}

// contents reads a file, or the standard input.
func (a *app) remove() *cli.Command {
	return &cli.Command{
		Name: "remove", Category: "documents", ArgsUsage: "PATH",
		Usage:       "remove a document and what hangs on it",
		Flags:       append(flags.AnnounceFlags(), versionFlag()),
		Description: flags.Example("yalvo remove sightings/s00001 --dry-run\n   yalvo remove sightings/s00001 --yes"),
		Action: func(ctx context.Context, c *cli.Command) error {
			path, err := a.OnePath(ctx, c)
			if err != nil {
				return err
			}
			if goOn, err := a.Announce(ctx, c, path, "remove"); err != nil || !goOn {
				return err
			}
			doc, position, err := a.Client(c).If(c.Int64("version-is")).Remove(ctx, path)
			if err != nil {
				return err
			}
			return a.Written(ctx, c, position, wrote{doc, position}, "removed "+doc.Path)
		},
	}
}

// wrote is a written document with the position of the write, in JSON.
type wrote struct {
	Document client.Document `json:"document"`
	Position client.Position `json:"position"`
}

func versionFlag() cli.Flag {
	return &cli.Int64Flag{Name: "version-is", Usage: "do it only if the document is at this version"}
}

func (a *app) pair() *cli.Command {
	return a.pairCommand("pair", "set a pair; twice is the same as once",
		"yalvo pair follow keeper arno_marshwood\n   yalvo pair verdict keeper s00001 value=-1", -1,
		func(ctx context.Context, cl *client.Client, args []string) (client.Position, error) {
			if len(args) == 3 {
				return cl.Set(ctx, args[0], args[1], args[2])
			}
			fields, err := flags.Assignments(args[3:])
			if err != nil {
				return "", err
			}
			return cl.SetWith(ctx, args[0], args[1], args[2], fields)
		})
}

func (a *app) unpair() *cli.Command {
	return a.pairCommand("unpair", "unset a pair; twice is the same as once", "yalvo unpair follow keeper "+
		"arno_marshwood", 3,
		func(ctx context.Context, cl *client.Client, args []string) (client.Position, error) {
			return cl.Unset(ctx, args[0], args[1], args[2])
		})
}

func (a *app) pairCommand(name, what, shown string, most int,
	act func(ctx context.Context, cl *client.Client, args []string) (client.Position, error)) *cli.Command {
	takes, done := "PAIR FROM TO", "not set"
	if most < 0 {
		takes, done = takes+" [NAME=VALUE ...]", "set"
	}
	return &cli.Command{
		Name: name, Category: "documents", ArgsUsage: takes, Usage: what, Description: flags.Example(shown),
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := flags.Arguments(c, 3, most)
			if err == nil {
				err = a.EndsOf(ctx, c, args)
			}
			if err != nil {
				return err
			}
			position, err := act(ctx, a.Client(c), args)
			if err != nil {
				return err
			}
			words := fmt.Sprintf("%s: %s → %s is %s", args[0], args[1], args[2], done)
			return a.Written(ctx, c, position,
				map[string]any{"pair": args[0], "from": args[1], "to": args[2], "position": position}, words)
		},
	}
}
