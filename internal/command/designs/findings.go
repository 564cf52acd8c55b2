package designs

import (
	"fmt"
	"strings"

	"github.com/urfave/cli/v3"

	"yalvo/internal/command/terminal"
	"yalvo/internal/design"
	"yalvo/internal/design/findings"
	"yalvo/internal/design/language"
)

// findings says what will hurt, and what of it the design takes as it is.
func (a *app) findings(all []findings.Finding) {
	open := findings.Open(all)
	if len(open) > 0 {
		a.Say("\n%s:", terminal.Many(len(open), "finding"))
	}
	for _, f := range open {
		a.Say("\nline %d: %s: %s: %s", f.Line, f.Severity, f.Code, f.Place)
		a.Say("%s", f.Reason)
		fix := ""
		if f.Edit != nil {
			fix = fmt.Sprintf(" (`--fix %s:%s` writes it)", f.Code, f.Place)
		}
		a.Say("To cure it: %s%s.", f.Cure, fix)
	}
	if len(open) > 0 {
		f := open[0]
		fmt.Fprintln(a.Out)
		a.Say("One that is meant so is accepted in the design, as in `accepted: [{finding: %s, at: %s, because: "+
			"\"…\", ground: \"%s\"}]`.",
			f.Code, f.Place, f.Ground)
	}
	for _, f := range all {
		if f.Accepted != "" {
			a.Say("\nAccepted: %s at %s: %s.", f.Code, f.Place, f.Accepted)
		}
	}
}

// fix writes the cure of findings into a file; comments and all else stay as they are.
func (a *app) fix(c *cli.Command, file string, d *design.Design) error {
	code, place, one := strings.Cut(c.String("fix"), ":")
	source, cured, other := d.Source, 0, 0
	for _, f := range findings.Open(findings.Of(d)) {
		if f.Code != code || one && f.Place != place {
			continue
		}
		if f.Edit == nil {
			other++
			continue
		}
		var err error
		if source, err = language.Amend(source, f.Edit.Path, f.Edit.Key, f.Edit.Value); err != nil {
			return fmt.Errorf("%s at %s: %w", f.Code, f.Place, err)
		}
		cured++
	}
	switch {
	case cured == 0 && other > 0:
		return fmt.Errorf("what cures %s is not mechanical: see `yalvo check %s`", code, file)
	case cured == 0:
		return fmt.Errorf("there is no finding %s in %s", c.String("fix"), file)
	}
	return a.edited(c, file, d.Source, source, fmt.Sprintf("%s cured in %s.", terminal.Many(cured, "finding"), file))
}
