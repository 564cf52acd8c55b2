package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"

	"github.com/urfave/cli/v3"

	"yalvo/client"
	"yalvo/internal/command/designs"
	"yalvo/internal/command/flags"
	"yalvo/internal/command/operations"
	"yalvo/internal/command/proofs"
	"yalvo/internal/command/starting"
	"yalvo/internal/command/terminal"
	"yalvo/internal/command/views"
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

// Run runs the command and returns its exit code.
func Run(ctx context.Context, args []string, out, errOut io.Writer) int {
	a := &flags.App{Printer: terminal.New(out), Err: errOut}
	root := rootOf(a)
	inheritUsage(root)
	err := root.Run(ctx, args)
	if err == nil {
		return ExitOK
	}
	if text := err.Error(); text != "" {
		fmt.Fprintln(terminal.Visible(errOut), "yalvo: "+text)
	}
	return codeOf(err, errOut)
}

// codeOf is the exit code of an error, and says what there is to do about some.
func codeOf(err error, errOut io.Writer) int {
	var usage flags.UsageError
	var refused *client.Problem
	if errors.As(err, &refused) && refused.Status == http.StatusUnauthorized {
		fmt.Fprintln(errOut, "Give a key with --key or as YALVO_KEY. `yalvo up` remembers one for whoever "+
			"has started it.")
	}
	switch {
	case errors.As(err, &usage):
		return ExitUsage
	case errors.Is(err, proofs.ErrDrift):
		return ExitDrift
	case errors.Is(err, operations.ErrBadLines):
		return ExitBadLines
	case errors.Is(err, client.ErrUnreachable):
		fmt.Fprintln(errOut, "Start one with `yalvo up`, or name another with --service.")
		return ExitUnreachable
	}
	return ExitRefused
}

// inheritUsage gives every command the root's answer to a wrong command line.
func inheritUsage(c *cli.Command) {
	for _, sub := range c.Commands {
		sub.OnUsageError = c.OnUsageError
		inheritUsage(sub)
	}
}

func rootOf(a *flags.App) *cli.Command {
	return &cli.Command{
		Name:                  "yalvo",
		Usage:                 "a document store whose duplicates are kept true",
		EnableShellCompletion: true,
		Suggest:               true,
		Writer:                a.Out,
		ErrWriter:             a.Err,
		ExitErrHandler:        func(context.Context, *cli.Command, error) {},
		OnUsageError: func(_ context.Context, c *cli.Command, err error, _ bool) error {
			return flags.Usage("%s; see `%s --help`", flags.Wrong(c, err), c.FullName())
		},
		Action: noCommand,
		Flags:  flags.Common(),
		Commands: slices.Concat([]*cli.Command{starting.Up(a), starting.Calibrate(a)}, operations.All(a),
			designs.All(a), views.All(a),
			proofs.All(a)),
	}
}

// noCommand answers a command line without a command, or with one that there is not.
func noCommand(_ context.Context, c *cli.Command) error {
	if !c.Args().Present() {
		return cli.ShowAppHelp(c)
	}
	var names []string
	for _, one := range c.Root().Commands {
		names = append(names, one.Name)
	}
	word := c.Args().First()
	if near := design.Nearest(word, names); near != "" {
		return flags.Usage("there is no command %q, did you mean %q? See `yalvo --help`", word, near)
	}
	return flags.Usage("there is no command %q; see `yalvo --help`", word)
}
