package designs

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"yalvo/internal/command/flags"
	"yalvo/internal/design/beginnings"
)

func (a *app) new() *cli.Command {
	return &cli.Command{
		Name: "new", Category: "design", ArgsUsage: "FILE",
		Usage: "begin a design: with rules, screens and a workload, by a few questions or by flags; needs no " +
			"service",
		Description: flags.Example("yalvo new reedbed.yaml\n   yalvo new reedbed.yaml --app reedbed --people "+
			"birders --posts sightings --with feed,comments,saves\n   yalvo apply reedbed.yaml") + "\n\n   " +
			beginningsInWords(),
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "app", Usage: "the app's `NAME`"},
			&cli.StringFlag{Name: "people", Usage: "what accounts are called, several of them: `NAME`"},
			&cli.StringFlag{Name: "posts", Usage: "what they post, several of them: `NAME`"},
			&cli.StringSliceFlag{Name: "with", Usage: "`BEGINNINGS` that the app has"},
		},
		Action: func(_ context.Context, c *cli.Command) error {
			args, err := flags.Arguments(c, 1, 1)
			if err != nil {
				return err
			}
			if _, err := os.Stat(args[0]); err == nil {
				return fmt.Errorf("%s is there already: name another file", args[0])
			}
			wanted, err := a.wanted(c)
			if err != nil {
				return err
			}
			if wrong := wanted.Check(); wrong != "" {
				return errors.New(wrong)
			}
			text, err := wanted.Write()
			if err != nil {
				return err
			}
			if err := writeNew(args[0], text); err != nil {
				return fmt.Errorf("the file cannot be written: %w", err)
			}
			if c.Bool("json") {
				return a.JSON(map[string]any{"file": args[0], "with": wanted.With})
			}
			a.Say("%s is written. Read it; then see what follows from it, what it costs, and put it in force in a "+
				"service:\n", args[0])
			a.Say("  yalvo check %[1]s --words\n  yalvo forecast %[1]s\n  yalvo apply %[1]s", args[0])
			return nil
		},
	}
}

func beginningsInWords() string {
	var all []string
	for _, b := range beginnings.All {
		all = append(all, fmt.Sprintf("%-11s %s", b.Name, b.Has))
	}
	return "Beginnings:\n   " + strings.Join(all, "\n   ")
}

// writeNew writes a file that is not there yet.
func writeNew(name string, text []byte) error {
	f, err := os.OpenFile(name, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
	if err != nil {
		return err
	}
	_, err = f.Write(text)
	return errors.Join(err, f.Close())
}

// wanted is what flags say, and what whoever sits at the terminal answers of the rest.
func (a *app) wanted(c *cli.Command) (beginnings.Wanted, error) {
	w := beginnings.Wanted{App: c.String("app"), People: c.String("people"), Posts: c.String("posts"),
		With: c.StringSlice("with")}
	if c.IsSet("with") || !flags.IsTerminal(c.Root().Reader) {
		if !c.IsSet("with") {
			return w, flags.Usage("say what the app has with --with, as in --with feed,comments")
		}
		w.App, w.People, w.Posts = or(w.App, "app"), or(w.People, "people"), or(w.Posts, "posts")
		return w, nil
	}
	return w, ask(c.Root().Reader, a.Out, &w)
}

func or(said, usual string) string {
	if said == "" {
		return usual
	}
	return said
}

// ask asks what is not known yet; what is not answered is as usual.
func ask(in io.Reader, out io.Writer, w *beginnings.Wanted) error {
	lines, ended := bufio.NewScanner(in), false
	answer := func(question, usual string) string {
		fmt.Fprintf(out, "%s [%s] ", question, usual)
		if ended = !lines.Scan(); ended {
			return usual
		}
		return or(strings.TrimSpace(lines.Text()), usual)
	}
	for _, q := range []struct {
		question, usual string
		into            *string
	}{{"What is the app called?", "app", &w.App}, {"What are those called who use it, several of them?", "people",
		&w.People},
		{"What do they post?", "posts", &w.Posts}} {
		for wrong := wrongName(q.into, w); *q.into == "" || wrong != ""; wrong = wrongName(q.into, w) {
			if *q.into != "" {
				fmt.Fprintln(out, wrong)
			}
			if ended {
				return errors.Join(errors.New("the questions were not answered to their end"), lines.Err())
			}
			*q.into = answer(q.question, q.usual)
		}
	}
	for _, b := range beginnings.All {
		if yes := answer("Shall it have "+b.Has+"?", "no"); slices.Contains([]string{"yes", "y"},
			strings.ToLower(yes)) {
			w.With = append(w.With, b.Name)
		}
	}
	return lines.Err()
}

// wrongName is what is wrong with a name that has been answered, by itself: the others as usual.
func wrongName(said *string, w *beginnings.Wanted) string {
	usual := beginnings.Wanted{App: "app", People: "people", Posts: "posts"}
	switch said {
	case &w.App:
		usual.App = *said
	case &w.People:
		usual.People = *said
		if *said == "posts" {
			usual.Posts = "pictures"
		}
	default:
		usual.People, usual.Posts = or(w.People, "people"), *said
	}
	return usual.Check()
}
