package operations

import (
	"bytes"
	"errors"
	"fmt"
	"os"

	"filippo.io/age"
	"github.com/urfave/cli/v3"
	"golang.org/x/term"

	"yalvo/internal/command/flags"
	"yalvo/internal/command/lines"
)

const passphraseFile = "passphrase-file"

func passphraseFlag() *cli.StringFlag {
	return &cli.StringFlag{Name: passphraseFile,
		Usage: "a file whose first line is the passphrase (default: it is asked for)"}
}

// leastPassphrase is how long a passphrase must be, in bytes: a dump can be tried for as long as somebody likes.
const leastPassphrase = 12

// passphrase is the one that is said, or asked for; a new one twice.
func (a *app) passphrase(c *cli.Command, isNew bool) (string, error) {
	said, err := a.saidPassphrase(c, isNew)
	if err == nil && isNew && len(said) < leastPassphrase {
		err = fmt.Errorf("the passphrase has %d characters at least: whoever has the dump can try for as "+
			"long as they like",
			leastPassphrase)
	}
	return said, err
}

func (a *app) saidPassphrase(c *cli.Command, isNew bool) (string, error) {
	if file := c.String(passphraseFile); file != "" {
		text, err := os.ReadFile(file)
		if err != nil {
			return "", fmt.Errorf("the passphrase cannot be read: %w", err)
		}
		line, _, _ := bytes.Cut(text, []byte("\n"))
		return string(bytes.TrimRight(line, "\r")), nil
	}
	if !flags.IsTerminal(c.Root().Reader) {
		return "", flags.Usage("say the passphrase with --%s FILE: there is no terminal to ask on", passphraseFile)
	}
	said, err := a.ask("Passphrase: ")
	if err != nil || !isNew {
		return said, err
	}
	again, err := a.ask("The same again: ")
	if err == nil && again != said {
		err = errors.New("the two differ")
	}
	return said, err
}

func (a *app) ask(what string) (string, error) {
	fmt.Fprint(a.Err, what)
	text, err := term.ReadPassword(int(os.Stdin.Fd()))
	fmt.Fprintln(a.Err)
	return string(text), err
}

// opening opens what a dump holds of sign-ins, unless it is to be left out.
func (a *app) opening(c *cli.Command) func(seal string) (age.Identity, error) {
	if c.Bool("without-sign-ins") {
		return nil
	}
	return func(seal string) (age.Identity, error) {
		passphrase, err := a.passphrase(c, false)
		if err != nil {
			return nil, fmt.Errorf("the dump holds what people sign in with, sealed: %w, or leave it out with "+
				"--without-sign-ins", err)
		}
		return lines.Unseal(seal, passphrase)
	}
}
