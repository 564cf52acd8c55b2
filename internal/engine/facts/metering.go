package facts

import (
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/metering"
)

// wrote tells what was done: by whoever asked, or because of something else.
func (u Unit) wrote(name string, why Cause, c metering.Counts) {
	kind := metering.Action
	if why.Change != 0 {
		kind = metering.Along
	}
	u.Tally.Add(metering.Of{Kind: kind, Name: name}, c)
}

// editOf is what an edit is called: several fields at once are no edit of one.
func editOf(c *plan.Collection, touched []string) string {
	if len(touched) == 1 {
		return "edit " + c.Name + "." + touched[0]
	}
	return "edit " + c.Name
}
