package designs

import (
	"context"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"yalvo/client"
	"yalvo/internal/command/flags"
	"yalvo/internal/command/terminal"
)

// sayMisfits says that there are facts which do not fit the design.
func (a *app) sayMisfits(ctx context.Context, c *cli.Command) error {
	all, err := a.Client(c).Misfits(ctx)
	if err != nil {
		return err
	}
	var many int64
	for _, m := range all {
		many += m.Many
	}
	if many > 0 {
		a.Say("Not all facts fit it: `yalvo misfits` lists %s that do not.", terminal.Count(many))
	}
	return nil
}

func (a *app) misfits() *cli.Command {
	return &cli.Command{
		Name: "misfits", Category: "design", ArgsUsage: "[COLLECTION.FIELD]",
		Usage:       "list facts that do not fit the design in force; of one field, all of them",
		Description: flags.Example("yalvo misfits\n   yalvo misfits members.name"),
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := flags.Arguments(c, 0, 1)
			if err != nil {
				return err
			}
			all, err := a.Client(c).Misfits(ctx)
			if err != nil {
				return err
			}
			if len(args) == 1 {
				if all, err = a.misfitsOf(ctx, c, args[0], all); err != nil {
					return err
				}
			}
			if c.Bool("json") {
				return a.JSON(all)
			}
			if len(all) == 0 {
				a.Say("Everything fits.")
				return nil
			}
			var rows []table.Row
			for _, m := range all {
				for i, x := range m.Examples {
					name, n, code := m.Of+"."+m.Field, terminal.Count(m.Many), m.Code
					if i > 0 {
						name, n, code = "", "", ""
					}
					rows = append(rows, table.Row{name, n, code, x.Path, x.Detail})
				}
			}
			a.Table(table.Row{"field", "many", "reason", "document", "why"}, rows, 2)
			return nil
		},
	}
}

// misfitsOf are all those of one field.
func (a *app) misfitsOf(ctx context.Context, c *cli.Command, name string,
	all []client.Misfits) ([]client.Misfits, error) {
	of, field, dotted := strings.Cut(name, ".")
	if !dotted {
		return nil, flags.Usage("%q names no field: write it as in members.name", name)
	}
	found := []client.Misfits{}
	for _, m := range all {
		if m.Of != of || m.Field != field {
			continue
		}
		m.Examples = nil
		for after, more := int64(0), true; more; more = after > 0 {
			page, err := a.Client(c).MisfitsOf(ctx, m, after)
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
