package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"regexp"
	"strings"

	"github.com/urfave/cli/v3"

	"yalvo/client"
	"yalvo/internal/command/terminal"
	"yalvo/internal/design"
)

// Exit codes.
const (
	ExitOK          = 0
	ExitRefused     = 1 // the request or the design is wrong, or something failed
	ExitUsage       = 2 // the command line is wrong
	ExitUnreachable = 3 // no service answers
	ExitDrift       = 4 // an audit found drift that is not mended
	ExitBadLines    = 5 // some lines of a file were not loaded
)

// DefaultListen is where a service listens, and where the other commands look for one.
const DefaultListen = "127.0.0.1:7480"

// app is what the commands share.
type app struct {
	terminal.Printer
	err io.Writer
}

// Run runs the command and returns its exit code.
func Run(ctx context.Context, args []string, out, errOut io.Writer) int {
	a := &app{terminal.New(out), errOut}
	err := a.root().Run(ctx, args)
	if err == nil {
		return ExitOK
	}
	if text := err.Error(); text != "" {
		fmt.Fprintln(terminal.Visible(errOut), "yalvo: "+text)
	}
	var usage usageError
	var refused *client.Problem
	if errors.As(err, &refused) && refused.Status == http.StatusUnauthorized {
		fmt.Fprintln(
			errOut,
			"Give a key with --key or as YALVO_KEY. `yalvo up` remembers one for whoever has started it.",
		)
	}
	switch {
	case errors.As(err, &usage):
		return ExitUsage
	case errors.Is(err, errDrift):
		return ExitDrift
	case errors.Is(err, errBadLines):
		return ExitBadLines
	case errors.Is(err, client.ErrUnreachable):
		fmt.Fprintln(errOut, "Start one with `yalvo up`, or name another with --service.")
		return ExitUnreachable
	}
	return ExitRefused
}

// usageError is a mistake on the command line.
type usageError struct{ text string }

func (u usageError) Error() string { return u.text }

func usage(format string, args ...any) error { return usageError{fmt.Sprintf(format, args...)} }

// wrongOption says what is wrong with an option, and of one that there is not which may be meant.
func wrongOption(c *cli.Command, err error) string {
	name, unknown := strings.CutPrefix(err.Error(), "flag provided but not defined: -")
	if !unknown {
		return withoutParser(err.Error())
	}
	var known []string
	for _, in := range c.Lineage() {
		for _, f := range in.Flags {
			known = append(known, f.Names()...)
		}
	}
	if near := design.Nearest(name, known); near != "" {
		return fmt.Sprintf("there is no option --%s, did you mean --%s?", name, near)
	}
	return "there is no option --" + name
}

var parserWords = regexp.MustCompile(`: strconv\.Parse\w+: parsing .*`)

// withoutParser says of a value that is no number that it is none, and nothing of
// who found that out.
func withoutParser(s string) string { return parserWords.ReplaceAllString(s, ": it takes a number") }

func (a *app) root() *cli.Command {
	root := a.commands()
	inheritUsage(root)
	return root
}

// inheritUsage gives every command the root's answer to a wrong command line.
func inheritUsage(c *cli.Command) {
	for _, sub := range c.Commands {
		sub.OnUsageError = c.OnUsageError
		inheritUsage(sub)
	}
}

func (a *app) commands() *cli.Command {
	return &cli.Command{
		Name:                  "yalvo",
		Usage:                 "a document store whose duplicates are kept true",
		EnableShellCompletion: true,
		Suggest:               true,
		Writer:                a.Out,
		ErrWriter:             a.err,
		ExitErrHandler:        func(context.Context, *cli.Command, error) {},
		OnUsageError: func(_ context.Context, c *cli.Command, err error, _ bool) error {
			return usage("%s; see `%s --help`", wrongOption(c, err), c.FullName())
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			if word := c.Args().First(); c.Args().Present() {
				if near := design.Nearest(word, commandNames(c)); near != "" {
					return usage("there is no command %q, did you mean %q? See `yalvo --help`", word, near)
				}
				return usage("there is no command %q; see `yalvo --help`", word)
			}
			return cli.ShowAppHelp(c)
		},
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "service", Usage: "the service to call", Value: "http://" + DefaultListen,
				Sources: cli.EnvVars("YALVO_SERVICE")},
			&cli.StringFlag{
				Name: "key",
				Usage: "an operator's key, or an account's access token (default: the key that " +
					"yalvo up has remembered for the service)",
				Sources:     cli.EnvVars("YALVO_KEY"),
				HideDefault: true,
			},
			&cli.StringFlag{Name: "as", Usage: "the account to act as, ~ for a stranger",
				Sources: cli.EnvVars("YALVO_AS")},
			&cli.BoolFlag{Name: "json", Usage: "answer in JSON"},
			&cli.BoolFlag{Name: "settled", Usage: "wait until everything due is settled: before a read, after a write"},
		},
		Commands: []*cli.Command{
			a.up(), a.link(), a.keys(), a.password(), a.version(),
			a.check(), a.design(), a.diff(), a.apply(), a.versions(), a.back(), a.misfits(), a.types(),
			a.list(), a.lists(), a.show(), a.add(), a.edit(), a.remove(),
			a.pair(), a.unpair(), a.dump(), a.load(), a.bring(),
			a.timeline(), a.status(), a.changes(), a.parked(),
			a.may(), a.why(), a.places(), a.trace(), a.audit(), a.replay(), a.forget(),
		},
	}
}

func commandNames(c *cli.Command) []string {
	var names []string
	for _, one := range c.Root().Commands {
		names = append(names, one.Name)
	}
	return names
}

// client is the client that the flags ask for.
func (a *app) client(c *cli.Command) *client.Client {
	cl := client.New(c.String("service")).With(a.key(c)).As(c.String("as"))
	if c.Bool("settled") {
		cl = cl.AfterAll()
	}
	return cl
}

// written reports a write, and waits for what follows from it if --settled asks for that.
func (a *app) written(ctx context.Context, c *cli.Command, position client.Position, answer any, words string) error {
	if c.Bool("settled") {
		if err := a.client(c).After(position).Settle(ctx); err != nil {
			return err
		}
	}
	if c.Bool("json") {
		return a.JSON(answer)
	}
	fmt.Fprintf(a.Out, "%s (position %s)\n", words, position)
	return nil
}

// arguments sees that a command got as many arguments as it takes.
func arguments(c *cli.Command, least, most int) ([]string, error) {
	args := c.Args().Slice()
	if len(args) < least || most >= 0 && len(args) > most {
		return nil, usage("usage: %s %s", c.FullName(), c.ArgsUsage)
	}
	return args, nil
}

func example(text string) string { return "Example:\n   " + text }
