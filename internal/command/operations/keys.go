package operations

import (
	"context"
	"crypto/rand"
	"fmt"
	"io"
	"log/slog"
	"slices"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"yalvo/client"
	"yalvo/internal/command/flags"
	"yalvo/internal/command/terminal"
	"yalvo/internal/doors/keys"
	"yalvo/internal/machine/service"
)

func (a *app) keys() *cli.Command {
	return &cli.Command{
		Name: "keys", Category: "service",
		Usage: "list the keys of operators",
		Description: flags.Example("yalvo keys\n   yalvo keys make \"the backup at night\" --scope read\n" +
			"   yalvo keys revoke k3v0x2m1aa"),
		Commands: []*cli.Command{a.makeKey(), a.revokeKey()},
		Action: func(ctx context.Context, c *cli.Command) error {
			if _, err := flags.Arguments(c, 0, 0); err != nil {
				return err
			}
			all, err := a.Client(c).Keys(ctx)
			if err != nil {
				return err
			}
			if c.Bool("json") {
				return a.JSON(all)
			}
			rows := make([]table.Row, len(all))
			for i, k := range all {
				rows[i] = table.Row{
					k.ID,
					terminal.Clip(k.Name, 40),
					k.Scope,
					terminal.Clock(k.Made),
					clockOr(k.Used, "never"),
					clockOr(k.Revoked, ""),
				}
			}
			a.Table(table.Row{"key", "name", "may", "made", "used last", "revoked"}, rows)
			return nil
		},
	}
}

func clockOr(t *time.Time, otherwise string) string {
	if t == nil {
		return otherwise
	}
	return terminal.Clock(*t)
}

func (a *app) makeKey() *cli.Command {
	return &cli.Command{
		Name: "make", ArgsUsage: "NAME",
		Usage: "make a key; it is shown once",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "scope", Usage: "what it may: read, write facts too, or operate, which is everything",
				Value: string(keys.Operate)},
			&cli.StringFlag{Name: "data", Usage: "for a service that does not run: its folder"},
			&cli.StringFlag{Name: "database", Usage: "for a service that does not run: its database"},
		},
		Description: flags.Example("yalvo keys make \"the backup at night\" --scope read\n" +
			"   yalvo keys make ops --data ./data"),
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := flags.Arguments(c, 1, 1)
			if err != nil {
				return err
			}
			scope := keys.Scope(c.String("scope"))
			if !slices.Contains(keys.Scopes, scope) {
				return flags.Usage("--scope takes read, write or operate, not %q", scope)
			}
			if wrong := keys.CheckName(args[0]); wrong != "" {
				return flags.Usage("%s", wrong)
			}
			var made madeKey
			if c.IsSet("data") || c.IsSet("database") {
				made.Text, err = service.MakeKey(ctx, service.Options{Data: c.String("data"),
					Database: c.String("database"), Log: slog.New(slog.NewTextHandler(io.Discard, nil))},
					args[0], scope)
				made.Key = client.Key{Name: args[0], Scope: string(scope)}
			} else {
				made.Text, made.Key, err = a.Client(c).MakeKey(ctx, args[0], string(scope))
			}
			if err != nil {
				return err
			}
			if c.Bool("json") {
				return a.JSON(made)
			}
			fmt.Fprintf(
				a.Out,
				"%s\n\nThis key may %s. It is shown this once: keep it where secrets are kept, and give it to "+
					"commands as YALVO_KEY.\n",
				made.Text,
				inWords(scope),
			)
			return nil
		},
	}
}

type madeKey struct {
	Key  client.Key `json:"key"`
	Text string     `json:"text"`
}

func inWords(scope keys.Scope) string {
	switch scope {
	case keys.Read:
		return "read everything and change nothing"
	case keys.Write:
		return "read everything and write facts"
	}
	return "do everything"
}

func (a *app) revokeKey() *cli.Command {
	return &cli.Command{
		Name: "revoke", ArgsUsage: "KEY",
		Usage:       "end a key, and the sessions of the console that it has begun",
		Description: flags.Example("yalvo keys revoke k3v0x2m1aa"),
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := flags.Arguments(c, 1, 1)
			if err != nil {
				return err
			}
			if err := a.Client(c).RevokeKey(ctx, args[0]); err != nil {
				return err
			}
			if c.Bool("json") {
				return a.JSON(map[string]string{"revoked": args[0]})
			}
			a.Say("%s holds no more: this service refuses it at once, others within two seconds.", args[0])
			return nil
		},
	}
}

func (a *app) link() *cli.Command {
	return &cli.Command{
		Name: "link", Category: "service",
		Usage:       "print an address that signs in to the console, once",
		Description: flags.Example("yalvo link"),
		Action: func(ctx context.Context, c *cli.Command) error {
			if _, err := flags.Arguments(c, 0, 0); err != nil {
				return err
			}
			address, until, err := a.Client(c).Link(ctx)
			if err != nil {
				return err
			}
			if c.Bool("json") {
				return a.JSON(map[string]any{"address": address, "until": until})
			}
			fmt.Fprintf(a.Out, "%s\n\nIt works once, until %s.\n", address, until.Local().Format(time.TimeOnly))
			return nil
		},
	}
}

func (a *app) password() *cli.Command {
	return &cli.Command{
		Name: "password", Category: "service", ArgsUsage: "ACCOUNT",
		Usage:       "give an account a new password; it is shown once",
		Description: flags.Example("yalvo password keeper"),
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := flags.Arguments(c, 1, 1)
			if err != nil {
				return err
			}
			chosen := strings.ToLower(rand.Text()[:16])
			if err := a.Client(c).GivePassword(ctx, args[0], chosen); err != nil {
				return err
			}
			if c.Bool("json") {
				return a.JSON(map[string]string{"account": args[0], "password": chosen})
			}
			fmt.Fprintf(
				a.Out,
				"%s\n\nThis is %s's password now. Whoever was signed in with the one before is signed out.\n",
				chosen,
				args[0],
			)
			return nil
		},
	}
}
