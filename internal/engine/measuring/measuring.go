// Package measuring makes a workload out of a running app: how many there are of each thing, how they are spread,
// what is done in a day, how large it is, and how often screens are opened.
//
// In go the design in force, what is stored, and what services have counted; out comes the text of a workload, as a
// design has it. Not done here: what it costs (package forecast).
package measuring

import (
	"context"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/measuresql"
	"yalvo/internal/engine/store/metersql"
)

// longest is how long all of it may take.
const longest = 2 * time.Minute

// Workload measures an app as of one moment; what is done in a day by the last days, as far back as the journal goes.
func Workload(ctx context.Context, app *running.App, days float64) (string, error) {
	v, err := app.Now(ctx)
	if err != nil {
		return "", err
	}
	accounts := v.Plan.Design.Accounts
	if accounts == nil {
		return "", running.Refuse(running.CodeInvalid, "a workload is about accounts, and the design in force has none")
	}
	ctx, cancel := context.WithTimeout(ctx, longest)
	defer cancel()
	m := &measure{v: v, now: time.Now(), totals: map[string]float64{}}
	since := m.now.Add(-time.Duration(days * 24 * float64(time.Hour)))
	if m.metered, err = app.Meter.Between(ctx, app.Store, since, m.now, true); err != nil {
		return "", err
	}
	err = app.Store.View(ctx, func(tx *store.Tx) error {
		m.tx = tx
		return m.read(since)
	})
	if err != nil {
		return "", err
	}
	return m.text(), nil
}

// measure is what is being measured.
type measure struct {
	v      *running.Version
	tx     *store.Tx
	now    time.Time
	totals map[string]float64 // by collection

	spreads []string // lines
	done    []string
	sizes   []string
	present []string
	busy    []string
	hours   string
	from    time.Time // since when it is known what was done

	metered []metersql.Metered // by the hour
}

func (m *measure) read(since time.Time) error {
	p := m.v.Plan
	for _, c := range p.Collections {
		many, err := measuresql.Documents(m.tx, c)
		if err != nil {
			return err
		}
		m.totals[c.Name] = float64(many)
	}
	relations := p.Design.Relations()
	for _, name := range slices.Sorted(maps.Keys(relations)) {
		if err := m.spread(relations[name]); err != nil {
			return err
		}
	}
	if err := m.readSizes(); err != nil {
		return err
	}
	if err := m.readBusy(); err != nil {
		return err
	}
	return m.readDone(since)
}

// spread measures how many of a relation one has.
func (m *measure) spread(r design.Relation) error {
	p := m.v.Plan
	var all []measuresql.Many
	var err error
	switch {
	case r.Timeline != nil:
		if r.Timeline.Deliver != design.Push {
			return nil // some are collected when it is read
		}
		all, err = measuresql.OfTimeline(m.tx, p.Timeline(r.Timeline.Name))
	case r.Pair != nil:
		all, err = measuresql.OfPairs(m.tx, p.Pair(r.Pair.Name), r.Side == design.From)
	case r.By != nil:
		for _, ref := range p.Collection(r.By.In.Name).References {
			if ref.Field == r.By {
				all, err = measuresql.OfReference(m.tx, ref)
			}
		}
	default:
		all, err = measuresql.OfNested(m.tx, p.Collection(r.Others.Name))
	}
	if err != nil {
		return err
	}
	if shares := sharesOf(all, m.totals[r.Of.Name]); len(shares) > 0 {
		var text []string
		for _, s := range shares {
			text = append(text, fmt.Sprintf("[%s, %.7g]", short(s.Many), s.Part))
		}
		m.spreads = append(m.spreads, fmt.Sprintf("%s: {shares: [%s]}", r.Name, strings.Join(text, ", ")))
	}
	return nil
}

// mostShares is how many parts a spread is written in: those who have more than a few are put together, each part by
// how many they have on average, and whoever has the most is one by itself.
const mostShares = 40

// sharesOf are the parts of all that have so many, those who have none included.
func sharesOf(all []measuresql.Many, of float64) []design.Share {
	if of == 0 || len(all) == 0 {
		return nil
	}
	var shares []design.Share
	none, width := of, 0.0
	if len(all) > mostShares {
		width = math.Pow(float64(all[len(all)-1].Each), 1.0/mostShares)
	}
	edge := 0.0
	for i, m := range all {
		each, part := float64(m.Each), float64(m.Count)/of
		none -= float64(m.Count)
		if last := len(shares) - 1; width > 0 && last >= 0 && each < edge && i < len(all)-1 {
			s := &shares[last]
			s.Many = (s.Many*s.Part + each*part) / (s.Part + part)
			s.Part += part
			continue
		}
		shares = append(shares, design.Share{Many: each, Part: part})
		edge = max(each*width, each+1)
	}
	if none > 0 {
		shares = append([]design.Share{{Many: 0, Part: none / of}}, shares...)
	}
	return shares
}

// readDone measures what is done in a day by each account.
func (m *measure) readDone(since time.Time) error {
	all, from, err := measuresql.DoneSince(m.tx, since)
	if err != nil {
		return err
	}
	m.from = from
	days := max(m.now.Sub(from).Hours()/24, 1.0/24)
	accounts := max(1, m.totals[m.v.Plan.Design.Accounts.Name])
	deeds := map[string]map[string]float64{}
	note := func(of, what string, times int64) {
		if deeds[of] == nil {
			deeds[of] = map[string]float64{}
		}
		deeds[of][what] += float64(times) / days / accounts
	}
	names := map[string]string{"created": "create", "removed": "remove", "set": "set", "unset": "unset"}
	for _, d := range all {
		c := m.v.Plan.Collection(d.Of)
		switch {
		case c == nil && m.v.Plan.Pair(d.Of) == nil: // of another version
		case d.Kind != "changed":
			note(d.Of, names[d.Kind], d.Times)
		case c != nil:
			for _, field := range strings.Split(d.Fields, ", ") {
				if c.Collection.Field(field) != nil {
					note(d.Of, "edit "+field, d.Times)
				}
			}
		}
	}
	for _, of := range slices.Sorted(maps.Keys(deeds)) {
		m.done = append(m.done, fmt.Sprintf("%s: {%s}", of, deedsInWords(deeds[of])))
	}
	hours, err := measuresql.Hours(m.tx, from)
	if err == nil && m.now.Sub(from) >= 24*time.Hour {
		var text []string
		for _, h := range hours {
			text = append(text, short(h))
		}
		m.hours = "[" + strings.Join(text, ", ") + "]"
	}
	return err
}

func deedsInWords(deeds map[string]float64) string {
	var all, edits []string
	for _, what := range slices.Sorted(maps.Keys(deeds)) {
		if field, is := strings.CutPrefix(what, "edit "); is {
			edits = append(edits, field+": "+short(deeds[what]))
			continue
		}
		all = append(all, what+": "+short(deeds[what]))
	}
	if len(edits) > 0 {
		all = append(all, "edit: {"+strings.Join(edits, ", ")+"}")
	}
	return strings.Join(all, ", ")
}

func short(x float64) string { return fmt.Sprintf("%.6g", x) }

// text writes it as a file beside a design has it.
func (m *measure) text() string {
	var b strings.Builder
	accounts := m.v.Plan.Design.Accounts
	fmt.Fprintf(&b, "# Measured %s; what is done in a day since %s.\n", m.now.UTC().Format(time.RFC3339),
		m.from.UTC().Format(time.RFC3339))
	fmt.Fprintf(&b, "accounts: %s\n", short(max(1, m.totals[accounts.Name])))
	var documents []string
	for _, c := range m.v.Plan.Collections {
		if c.Collection != accounts {
			documents = append(documents, c.Name+": "+short(m.totals[c.Name]))
		}
	}
	if len(documents) > 0 {
		fmt.Fprintf(&b, "documents: {%s}\n", strings.Join(documents, ", "))
	}
	section(&b, "spread", m.spreads)
	section(&b, "done", m.done)
	section(&b, "sizes", m.sizes)
	section(&b, "present", m.present)
	if m.hours != "" {
		fmt.Fprintf(&b, "hours: %s\n", m.hours)
	}
	section(&b, "busy", m.busy)
	m.writeOpened(&b)
	return b.String()
}

func section(b *strings.Builder, name string, lines []string) {
	if len(lines) > 0 {
		fmt.Fprintf(b, "%s:\n  %s\n", name, strings.Join(lines, "\n  "))
	}
}
