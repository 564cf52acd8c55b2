package flags

import (
	"context"
	"fmt"
	"io"
	"os"

	"github.com/urfave/cli/v3"
	"golang.org/x/term"

	"yalvo/client"
	"yalvo/internal/command/keyring"
	"yalvo/internal/command/terminal"
)

// DefaultListen is where a service listens, and where the other commands look for one.
const DefaultListen = "127.0.0.1:7480"

// App is what the commands of one run share.
type App struct {
	terminal.Printer
	Err io.Writer // for what is no answer: mistakes, and how far something is
}

// Common are the flags of every command.
func Common() []cli.Flag {
	return []cli.Flag{
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
	}
}

// Client is the client that the flags ask for.
func (a *App) Client(c *cli.Command) *client.Client {
	cl := client.New(c.String("service")).With(a.Key(c)).As(c.String("as"))
	if c.Bool("settled") {
		cl = cl.AfterAll()
	}
	return cl
}

// Key is the key that a command brings: the one it is given, or the one that is remembered
// for the service.
func (a *App) Key(c *cli.Command) string {
	if given := c.String("key"); given != "" {
		return given
	}
	remembered, err := keyring.Of(c.String("service"))
	if err != nil {
		fmt.Fprintln(a.Err, "yalvo: "+err.Error())
	}
	return remembered
}

// Written reports a write, and waits for what follows from it if --settled asks for that.
func (a *App) Written(ctx context.Context, c *cli.Command, position client.Position, answer any, words string) error {
	if c.Bool("settled") {
		if err := a.Client(c).After(position).Settle(ctx); err != nil {
			return err
		}
	}
	if c.Bool("json") {
		return a.JSON(answer)
	}
	fmt.Fprintf(a.Out, "%s (position %s)\n", words, position)
	return nil
}

// IsTerminal tells whether somebody sits at what is read from or written to.
func IsTerminal(w any) bool {
	f, ok := w.(*os.File)
	return ok && term.IsTerminal(int(f.Fd()))
}
