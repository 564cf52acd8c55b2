package proofs

import (
	"fmt"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"

	"yalvo/client"
	"yalvo/internal/command/terminal"
)

// bar is a step of a cascade along time.
type bar struct {
	says     string
	from, to int64 // milliseconds from the change
	rows     int64
	open     bool // it is not done
	changes  bool
}

// barsOf are the steps that had something to do, each under what caused it.
func barsOf(steps []client.Step, took int64, depth int) []bar {
	var all []bar
	for _, s := range steps {
		if !s.Changes && s.Rows == 0 && s.Left == 0 && s.Parked == 0 && len(s.Follows) == 0 {
			continue
		}
		b := bar{strings.Repeat("  ", depth) + s.Says, s.AfterMS, s.AfterMS, s.Rows, s.Left > 0 || s.Parked > 0,
			s.Changes}
		switch {
		case s.DoneMS != nil:
			b.to = max(*s.DoneMS, b.from)
		case s.Left > 0:
			b.to = max(took, b.from)
		}
		all = append(append(all, b), barsOf(s.Follows, took, depth+1)...)
	}
	return all
}

// The parts of a line of the waterfall, in characters.
const (
	leastTrack = 16
	mostTrack  = 60
	mostSays   = 64
	figures    = 26 // the end, and the rows
)

// waterfall draws a cascade along time: from when each step became due to when
// the last of it was done.
func (a *app) waterfall(c client.Cascade) {
	bars := barsOf(c.Follows, c.TookMS, 0)
	whole, says := max(c.TookMS, 1), 0
	for _, b := range bars {
		whole, says = max(whole, b.to), max(says, text.StringWidth(b.says))
	}
	says = min(says, mostSays, max(a.Width()-leastTrack-figures, 12))
	track := min(a.Width()-says-figures, mostTrack)
	if track < leastTrack {
		return // too narrow: the tree has said it
	}
	fmt.Fprintln(a.Out)
	for _, b := range bars {
		from := int(b.from * int64(track) / whole)
		long := max(1, int(b.to*int64(track)/whole)-from)
		from = min(from, track-long)
		mark := "█"
		switch {
		case b.open:
			mark = "░"
		case b.changes:
			mark = "▪"
		}
		line := text.Pad(text.Snip(b.says, says, "…"), says, ' ') + " │" + strings.Repeat(" ", from) +
			strings.Repeat(mark, long) + strings.Repeat(" ", track-from-long) + "│ " +
			text.AlignRight.Apply(milliseconds(b.to), 8)
		if !b.changes {
			line += "  " + terminal.Many(int(b.rows), "row")
		}
		fmt.Fprintln(a.Out, strings.TrimRight(line, " "))
	}
}
