package designs

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"os"
	"os/user"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"yalvo/client"
	"yalvo/internal/command/flags"
	"yalvo/internal/command/terminal"
)

func applyFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringSliceFlag{Name: "drop", Usage: "a name whose facts may be lost; may be given several times"},
		&cli.BoolFlag{Name: "yes", Usage: "do not ask, whatever it does to what is stored"},
		&cli.StringFlag{Name: "by", Usage: "who asks for it, for the record", Value: loginName(),
			DefaultText: "who is logged in"},
		&cli.BoolFlag{Name: "no-wait", Usage: "do not wait until what it asks for is done in the background"},
	}
}

func loginName() string {
	if u, err := user.Current(); err == nil {
		return u.Username
	}
	return os.Getenv("USER")
}

// applying asks, on a terminal, whether a difference shall be put in force, and
// tells what to send. Without one it goes on unless facts would be lost that nobody
// has named: then the service refuses it.
func (a *app) applying(c *cli.Command, d client.Difference) (client.Applying, error) {
	how := client.Applying{Base: d.Base, Drop: c.StringSlice("drop"), By: c.String("by")}
	touches := false
	for _, change := range d.Changes {
		touches = touches || len(change.Effects) > 0
	}
	if d.Base == 0 || !touches || c.Bool("yes") || !a.Interactive(c) {
		return how, nil
	}
	a.printDifference(d)
	fmt.Fprintf(a.Out, "\nPut it in force? [y/N] ")
	answer, err := bufio.NewReader(c.Root().Reader).ReadString('\n')
	if yes := strings.ToLower(strings.TrimSpace(answer)); err != nil || yes != "y" && yes != "yes" {
		return how, fmt.Errorf("version %d stays in force", d.Base)
	}
	return how, nil
}

func (a *app) apply() *cli.Command {
	return &cli.Command{
		Name: "apply", Category: "design", ArgsUsage: "FILE",
		Usage: "check a design file and put it in force, while the app runs",
		Flags: applyFlags(),
		Description: flags.Example("yalvo apply demo/fenwatch.yaml\n   " +
			"yalvo apply demo/fenwatch.yaml --by keeper --no-wait"),
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := flags.Arguments(c, 1, 1)
			if err != nil {
				return err
			}
			_, source, err := a.readDesign(c, args[0])
			if err != nil {
				return err
			}
			name := filepath.Base(args[0])
			d, err := a.Client(c).Diff(ctx, name, source)
			if err != nil {
				return err
			}
			how, err := a.applying(c, d)
			if err != nil {
				return err
			}
			got, err := a.Client(c).Apply(ctx, name, source, how)
			if err != nil {
				return err
			}
			return a.applied(ctx, c, got)
		},
	}
}

func (a *app) back() *cli.Command {
	return &cli.Command{
		Name: "back", Category: "design", ArgsUsage: "[VERSION]",
		Usage: "put an earlier version of the design in force once more: the one before, unless another is named",
		Flags: append(applyFlags(), &cli.BoolFlag{Name: "dry-run", Usage: "only say what it would change"}),
		Description: flags.Example("yalvo back 1 --dry-run\n   yalvo back 1") +
			"\n\nNames go back too, with what is stored under them. What was added since is lost: it has to be named.",
		Action: func(ctx context.Context, c *cli.Command) error {
			version, err := a.versionBack(ctx, c)
			if err != nil {
				return err
			}
			d, err := a.Client(c).DiffBack(ctx, version)
			if err != nil {
				return err
			}
			if c.Bool("dry-run") {
				if c.Bool("json") {
					return a.JSON(d)
				}
				a.printDifference(d)
				return nil
			}
			how, err := a.applying(c, d)
			if err != nil {
				return err
			}
			got, err := a.Client(c).Back(ctx, version, how)
			if err != nil {
				return err
			}
			return a.applied(ctx, c, got)
		},
	}
}

func (a *app) versionBack(ctx context.Context, c *cli.Command) (int, error) {
	args, err := flags.Arguments(c, 0, 1)
	if err != nil {
		return 0, err
	}
	if len(args) == 1 {
		return versionIn(args[0])
	}
	about, err := a.Client(c).About(ctx)
	if err == nil && about.Design < 2 {
		err = errors.New("there is no version before the one in force")
	}
	return about.Design - 1, err
}

func versionIn(text string) (int, error) {
	n, err := strconv.Atoi(text)
	if err != nil || n < 1 {
		return 0, flags.Usage("%q is no version of the design: give its number, see `yalvo versions`", text)
	}
	return n, nil
}

// applied says what putting a design in force came to, and waits until what it
// asks for is done.
func (a *app) applied(ctx context.Context, c *cli.Command, got client.Applied) error {
	if !c.Bool("no-wait") && got.Steps > 0 {
		if err := AwaitVersion(ctx, a.App, c, got.Version); err != nil {
			return err
		}
	}
	if c.Bool("json") {
		return a.JSON(got)
	}
	for _, service := range got.Without {
		fmt.Fprintf(a.Out, "Not taken up yet by %s: it works by the design before until it can.\n", service)
	}
	about, err := a.Client(c).About(ctx)
	if err != nil {
		return err
	}
	if !got.Changed {
		fmt.Fprintf(a.Out, "%s runs this design already, as version %d.\n", about.App, got.Version)
		return nil
	}
	fmt.Fprintf(a.Out, "%s now runs version %d: %s derived, none written by hand.\n", about.App, got.Version,
		terminal.Many(len(got.Rules), "trigger"))
	if c.Bool("no-wait") && got.Steps > 0 {
		a.Say("What it asks for is done in the background: `yalvo versions %d` says how far it is.", got.Version)
		return nil
	}
	return a.sayMisfits(ctx, c)
}

// AwaitVersion shows progress until all that a version asks for has been done, and says what
// does not get on.
func AwaitVersion(ctx context.Context, a *flags.App, c *cli.Command, version int) error {
	bar := a.Bar()
	told := map[string]bool{}
	_, err := a.Client(c).AwaitVersion(ctx, version, func(v client.Version) {
		for _, s := range v.Steps {
			if why := fmt.Sprintf("%s %s does not get on: %s", s.Does, s.Name, s.Error); s.Error != "" && !told[why] {
				told[why] = true
				fmt.Fprintf(terminal.Visible(a.Err), "%s. It is tried again; Ctrl-C leaves it to go on by itself\n",
					why)
			}
			if bar != nil && s.State == "running" {
				bar.Describe(fmt.Sprintf("%s %s: %s of %s", s.Does, s.Name, terminal.Count(s.Rows),
					terminal.Count(max(s.Total, s.Rows))))
				_ = bar.Set(int(v.Progress() * 100)) // a bar that cannot be drawn is no reason to stop
			}
		}
	})
	if bar != nil {
		_ = bar.Clear()
	}
	if errors.Is(err, context.Canceled) {
		return fmt.Errorf("version %d is in force, and what it asks for goes on: `yalvo versions %d` "+
			"says how far it is",
			version, version)
	}
	return err
}

// SayUnfinished says that what a version of the design asks for is not done yet.
func SayUnfinished(ctx context.Context, a *flags.App, c *cli.Command) error {
	all, err := a.Client(c).Versions(ctx, 1)
	if err == nil && len(all) > 0 && !all[0].Done {
		a.Say("\nWhat version %d of the design asks for is being done: %s. `yalvo versions %d` says more.",
			all[0].Version,
			progressInWords(all[0]), all[0].Version)
	}
	return err
}
