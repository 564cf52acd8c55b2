package proofs

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"yalvo/client"
	"yalvo/internal/command/flags"
	"yalvo/internal/command/terminal"
)

// ErrDrift ends an audit that found drift which is not mended.
var ErrDrift = errors.New("drift was found")

func (a *app) audit() *cli.Command {
	return &cli.Command{
		Name: "audit", Category: "proof",
		Usage: "compare stored duplicates with the facts, and mend what differs",
		Description: flags.Example(`yalvo audit                                   everything
   yalvo audit --of members.follower_count       one duplicate of the design
   yalvo audit --document members/keeper         what one document holds
   yalvo audit --mend                            repair what is found
   yalvo audit mend 7                            repair what audit 7 has found
   yalvo audit every 6h                          by itself; 0 for never`) +
			"\n\nExits with 4 if drift was found that is not mended.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "of", Usage: "one duplicate, by its name in the design"},
			&cli.StringFlag{Name: "document", Usage: "one document, by its path"},
			&cli.BoolFlag{Name: "mend", Usage: "repair what is found, and look at each again"},
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			if _, err := flags.Arguments(c, 0, 0); err != nil {
				return err
			}
			document := c.String("document")
			if document != "" {
				var err error
				if document, err = a.PathOf(ctx, c, document); err != nil {
					return err
				}
			}
			begun, err := a.Client(c).BeginAudit(ctx,
				client.Scope{Duplicate: c.String("of"), Document: document, Mend: c.Bool("mend")})
			if err != nil {
				return err
			}
			return a.awaitAudit(ctx, c, begun.ID)
		},
		Commands: []*cli.Command{
			a.auditList(),
			a.auditAct("show", "what an audit has found", (*client.Client).Audit),
			a.auditAct("stop", "halt a running audit", (*client.Client).StopAudit),
			a.auditAct("resume", "let a stopped audit go on", (*client.Client).ResumeAudit),
			a.auditAct("mend", "repair what a finished audit has found", (*client.Client).MendAudit),
			a.auditEvery(),
		},
	}
}

// awaitAudit shows progress until an audit no longer runs, and what it found.
func (a *app) awaitAudit(ctx context.Context, c *cli.Command, id int64) error {
	cl := a.Client(c)
	bar := a.Bar()
	got, err := cl.AwaitAudit(ctx, id, func(now client.Audit) {
		if bar != nil {
			bar.Describe(fmt.Sprintf("audit %d: %s checked, %s drifted", id, terminal.Count(now.Checked),
				terminal.Count(now.Drifted)))
			_ = bar.Set(int(now.Progress * 100)) // a bar that cannot be drawn is no reason to stop
		}
	})
	if bar != nil {
		_ = bar.Clear()
	}
	if errors.Is(err, context.Canceled) {
		return fmt.Errorf("audit %d goes on: `yalvo audit show %d` says how it ended", id, id)
	}
	if err != nil {
		return err
	}
	return a.showAudit(ctx, c, got)
}

func (a *app) showAudit(ctx context.Context, c *cli.Command, got client.Audit) error {
	found, err := a.Client(c).Drift(ctx, got.ID)
	if err != nil {
		return err
	}
	left := 0
	for _, d := range found {
		if d.Mended == nil {
			left++
		}
	}
	if c.Bool("json") {
		if err := a.JSON(map[string]any{"audit": got, "drift": found}); err != nil {
			return err
		}
	} else {
		a.printAudit(got, found, left)
	}
	if left > 0 && got.State != "running" {
		return ErrDrift
	}
	return nil
}

func (a *app) printAudit(got client.Audit, found []client.Drift, left int) {
	what := "everything"
	if got.Duplicate != "" || got.Document != "" {
		what = strings.TrimSpace(got.Duplicate + " " + got.Document)
	}
	took := ""
	if got.Ended != nil && !got.Mending { // with mending the end says nothing of the audit's pace
		took = " in " + got.Ended.Sub(got.Started).Round(time.Millisecond).String()
	}
	a.Say("Audit %d of %s %s: %s rows checked%s.", got.ID, what, got.State, terminal.Count(got.Checked), took)
	if got.Error != "" {
		fmt.Fprintln(a.Out, got.Error)
	}
	if len(got.LeftOut) > 0 {
		a.Say("Left out, as it is being derived anew: %s.", strings.Join(got.LeftOut, ", "))
	}
	if len(found) == 0 {
		if got.State == "finished" {
			fmt.Fprintln(a.Out, "No drift: every duplicate is as the facts say.")
		}
		return
	}
	fmt.Fprintf(a.Out, "%s drifted, %s of it mended.\n\n", terminal.Many(len(found), "row"),
		terminal.Count(int64(len(found)-left)))
	var rows []table.Row
	for i, d := range found {
		if i == driftShown {
			rows = append(rows, table.Row{fmt.Sprintf("and %d more", len(found)-i)})
			break
		}
		since, mended := "", ""
		if d.Since != nil {
			since = terminal.Clock(*d.Since)
		}
		if d.Mended != nil {
			mended = "yes"
		}
		rows = append(rows, table.Row{d.Duplicate, d.Kind, terminal.Clip(orGone(d.Document), 26),
			terminal.Clip(d.Other, 24),
			figureOf(d.Stored), figureOf(d.Expected), since, mended})
	}
	a.Table(table.Row{"duplicate", "is", "at", "other", "stored", "should be", "since", "mended"}, rows)
}

// driftShown is how many rows a terminal gets; --json gives all.
const driftShown = 50

func orGone(path string) string {
	if path == "" {
		return "(gone)"
	}
	return path
}

func figureOf(raw json.RawMessage) string {
	if len(raw) == 0 || string(raw) == "null" {
		return "nothing"
	}
	return terminal.Clip(string(raw), 22)
}

func (a *app) auditList() *cli.Command {
	return &cli.Command{
		Name: "list", Usage: "the newest audits, and how often one runs by itself",
		Description: flags.Example("yalvo audit list"),
		Action: func(ctx context.Context, c *cli.Command) error {
			if _, err := flags.Arguments(c, 0, 0); err != nil {
				return err
			}
			all, every, err := a.Client(c).Audits(ctx)
			if err != nil {
				return err
			}
			if c.Bool("json") {
				return a.JSON(map[string]any{"audits": all, "every_seconds": int64(every.Seconds())})
			}
			var rows []table.Row
			for _, one := range all {
				rows = append(rows, table.Row{one.ID, terminal.Clock(one.Started), one.State,
					strings.TrimSpace(one.Duplicate + " " + one.Document),
					terminal.Count(one.Checked), terminal.Count(one.Drifted)})
			}
			a.Table(table.Row{"audit", "started", "state", "of", "checked", "drifted"}, rows, 1, 5, 6)
			fmt.Fprintln(a.Out)
			if every == 0 {
				fmt.Fprintln(a.Out, "None runs by itself.")
				return nil
			}
			fmt.Fprintf(a.Out, "One runs by itself every %s.\n", every)
			return nil
		},
	}
}

func (a *app) auditAct(name, what string, act func(*client.Client, context.Context, int64) (client.Audit,
	error)) *cli.Command {
	return &cli.Command{
		Name: name, ArgsUsage: "AUDIT", Usage: what, Description: flags.Example("yalvo audit " + name + " 7"),
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := flags.Arguments(c, 1, 1)
			if err != nil {
				return err
			}
			id, err := strconv.ParseInt(args[0], 10, 64)
			if err != nil {
				return flags.Usage("%q is no number of an audit: see `yalvo audit list`", args[0])
			}
			got, err := act(a.Client(c), ctx, id)
			if err != nil {
				return err
			}
			if name == "resume" || name == "mend" {
				return a.awaitAudit(ctx, c, id)
			}
			return a.showAudit(ctx, c, got)
		},
	}
}

func (a *app) auditEvery() *cli.Command {
	return &cli.Command{
		Name: "every", ArgsUsage: "DURATION", Usage: "have everything audited by itself; 0 for never",
		Description: flags.Example("yalvo audit every 6h"),
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := flags.Arguments(c, 1, 1)
			if err != nil {
				return err
			}
			every, err := time.ParseDuration(args[0])
			if err != nil {
				return flags.Usage("%q is no duration: write 30m, 6h, or 0 for never", args[0])
			}
			if err := a.Client(c).ScheduleAudit(ctx, every); err != nil {
				return err
			}
			switch {
			case c.Bool("json"):
				return a.JSON(map[string]int64{"every_seconds": int64(every.Seconds())})
			case every == 0:
				a.Say("No audit runs by itself any more.")
			default:
				a.Say("Everything is audited every %s.", every)
			}
			return nil
		},
	}
}
