package views

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"yalvo/client"
	"yalvo/internal/command/flags"
	"yalvo/internal/command/terminal"
)

func (a *app) screen() *cli.Command {
	return &cli.Command{
		Name: "screen", Category: "views", ArgsUsage: "[SCREEN [OF] [NAME=VALUE ...]]",
		Usage: "show a screen of the design with all its parts, or which there are",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "part", Usage: "this part alone"},
			&cli.StringFlag{Name: "cursor", Usage: "go on with a part where a page of it ended"},
			liveFlag(),
		},
		Description: flags.Example("yalvo screen\n   yalvo --as keeper screen home\n" +
			"   yalvo --as keeper screen profile arno_marshwood\n   yalvo screen find_member starts=ar"),
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := flags.Arguments(c, 0, -1)
			if err != nil {
				return err
			}
			o, err := a.Client(c).Outline(ctx)
			if err != nil {
				return err
			}
			if len(args) == 0 {
				return a.listScreens(c, o.Screens)
			}
			s, of, rest := screenNamed(o, args[0]), "", args[1:]
			if len(rest) > 0 && (s.Of != "" || !strings.Contains(rest[0], "=")) {
				if of = rest[0]; s.Of != "" && s.By == "" {
					if of, err = flags.KeyOf(o, s.Of, of); err != nil {
						return err
					}
				}
				rest = rest[1:]
			}
			params, err := paramsIn(rest)
			if err != nil {
				return err
			}
			for _, name := range []string{"part", "cursor"} {
				if c.IsSet(name) {
					params[name] = c.String(name)
				}
			}
			if c.Bool("live") {
				return watching(ctx, a.Client(c).FollowScreen(ctx, args[0], of, params, func(is client.Screen) error {
					a.apart(c)
					return a.showScreen(c, s, is)
				}))
			}
			is, err := a.Client(c).Show(ctx, args[0], of, params)
			if err != nil {
				return err
			}
			return a.showScreen(c, s, is)
		},
	}
}

// paramsIn reads NAME=VALUE arguments as a query has them.
func paramsIn(args []string) (map[string]string, error) {
	params := map[string]string{}
	for _, arg := range args {
		name, value, is := strings.Cut(arg, "=")
		if _, twice := params[name]; !is || twice {
			return nil, flags.Usage("%q is no NAME=VALUE, or given twice", arg)
		}
		params[name] = value
	}
	return params, nil
}

func screenNamed(o client.Outline, name string) client.ScreenOutline {
	i := slices.IndexFunc(o.Screens, func(s client.ScreenOutline) bool { return s.Name == name })
	if i < 0 {
		return client.ScreenOutline{} // the service says that there is none
	}
	return o.Screens[i]
}

// showScreen shows the parts of a screen, one below the other, as the design has them.
func (a *app) showScreen(c *cli.Command, s client.ScreenOutline, is client.Screen) error {
	if c.Bool("json") {
		return a.JSON(is)
	}
	first := true
	for _, p := range s.Parts {
		if is.Parts[p.Name] == nil && is.Refused[p.Name] == nil {
			continue
		}
		if !first {
			fmt.Fprintln(a.Out)
		}
		first = false
		if len(s.Parts) > 1 {
			a.Say("%s", p.Name)
		}
		if refused := is.Refused[p.Name]; refused != nil {
			a.Say("refused: %s", refused.Detail)
			continue
		}
		if err := a.showPart(c, p.Name, p.Reads, is); err != nil {
			return err
		}
	}
	return nil
}

func (a *app) showPart(c *cli.Command, name, reads string, is client.Screen) error {
	switch reads {
	case "timeline":
		var t client.Timeline
		if err := is.Part(name, &t); err != nil {
			return err
		}
		return a.showTimeline(c, "Nothing is in "+name+".", t)
	case "document":
		var d *client.Document
		if err := is.Part(name, &d); err != nil {
			return err
		}
		if d == nil {
			a.Say("It is not there any more.")
			return nil
		}
		return a.showDocuments(c, client.Documents{Documents: []client.Document{*d}}, "")
	}
	var docs client.Documents
	if err := is.Part(name, &docs); err != nil {
		return err
	}
	return a.showDocuments(c, docs, "Nothing is in "+name+".")
}

func (a *app) listScreens(c *cli.Command, screens []client.ScreenOutline) error {
	if c.Bool("json") {
		return a.JSON(map[string]any{"screens": screens})
	}
	if len(screens) == 0 {
		a.Say("The design in force has no screens.")
		return nil
	}
	var rows []table.Row
	for _, s := range screens {
		of := s.Of
		if s.By != "" {
			of += " by " + s.By
		}
		for i, p := range s.Parts {
			row := table.Row{"", "", "", p.Name, p.Reads + " " + p.What, p.For, p.Shows, ""}
			if p.Live {
				row[7] = "live"
			}
			if i == 0 {
				row[0], row[1], row[2] = s.Name, of, strings.Join(s.Takes(), ", ")
			}
			rows = append(rows, row)
		}
	}
	a.Table(table.Row{"screen", "asked for one of", "takes", "part", "reads", "for", "shows", ""}, rows)
	a.Say("\n%s, each one request: GET /v1/screens/SCREEN.", terminal.Many(len(screens), "screen"))
	return nil
}
