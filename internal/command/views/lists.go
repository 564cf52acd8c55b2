package views

import (
	"context"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"yalvo/client"
	"yalvo/internal/command/designs"
	"yalvo/internal/command/flags"
)

func (a *app) lists() *cli.Command {
	return &cli.Command{
		Name: "lists", Category: "views", ArgsUsage: "[LIST [OF] [NAME=VALUE ...]]",
		Usage: "show a list of the design, or which there are",
		Flags: append(pageFlags(), liveFlag()),
		Description: flags.Example("yalvo lists\n   yalvo --as keeper lists everyone --marks liked,saved\n   " +
			"yalvo --as keeper lists saves keeper\n   yalvo lists flocks least=200"),
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
				return a.listLists(c, o.Lists)
			}
			of, rest := "", args[1:]
			if len(rest) > 0 && !strings.Contains(rest[0], "=") {
				if of, err = ofList(o, args[0], rest[0]); err != nil {
					return err
				}
				rest = rest[1:]
			}
			params, err := paramsIn(rest)
			if err != nil {
				return err
			}
			if c.Bool("live") {
				return watching(
					ctx,
					a.Client(c).FollowList(ctx, args[0], of, params, page(c), func(docs client.Documents) error {
						a.apart(c)
						return a.showList(c, args[0], docs)
					}),
				)
			}
			docs, err := a.Client(c).Named(ctx, args[0], of, params, page(c))
			if err != nil {
				return err
			}
			return a.showList(c, args[0], docs)
		},
	}
}

func (a *app) showList(c *cli.Command, name string, docs client.Documents) error {
	if c.Bool("json") {
		return a.JSON(docs)
	}
	return a.showDocuments(c, docs, "Nothing is in "+name+".")
}

// ofList is the key of the document that a list is asked for.
func ofList(o client.Outline, list, text string) (string, error) {
	for _, l := range o.Lists {
		if l.Name == list && l.Of != "" {
			return flags.KeyOf(o, l.Of, text)
		}
	}
	return text, nil
}

func (a *app) listLists(c *cli.Command, lists []client.ListOutline) error {
	if c.Bool("json") {
		return a.JSON(map[string]any{"lists": lists})
	}
	if len(lists) == 0 {
		a.Say("The design in force has no lists.")
		return nil
	}
	var rows []table.Row
	for _, l := range lists {
		rows = append(rows, table.Row{l.Name, l.Entries, l.Of, strings.Join(l.Order, ", "),
			strings.Join(l.Takes(), ", "), l.Serving.Index, l.Serving.Reads})
	}
	a.Table(designs.ListsHeader, rows)
	return nil
}
