package measuring

import (
	"fmt"
	"strings"
	"time"

	"yalvo/internal/engine/metering"
	"yalvo/internal/engine/store/metersql"
)

// opened adds up how often each screen was opened, and since when that is known.
func (m *measure) opened() (screens map[string]metersql.Counts, since time.Time) {
	screens, since = map[string]metersql.Counts{}, m.now
	for _, one := range m.metered {
		if one.Hour.Before(since) {
			since = *one.Hour
		}
		if one.Kind == string(metering.Screen) {
			screens[one.Name] = screens[one.Name].Plus(one.Counts)
		}
	}
	return screens, since
}

// writeOpened writes how often screens are opened, and how often they have not changed since.
func (m *measure) writeOpened(b *strings.Builder) {
	screens, since := m.opened()
	days := max(m.now.Sub(since).Hours()/24, 1.0/24)
	accounts := max(1, m.totals[m.v.Plan.Design.Accounts.Name])
	var opened, unchanged []string
	for _, s := range m.v.Plan.Design.Screens {
		c := screens[s.Name]
		if c.Times == 0 {
			continue
		}
		opened = append(opened, s.Name+": "+short(float64(c.Times)/days/accounts))
		if c.Unchanged > 0 {
			unchanged = append(unchanged, s.Name+": "+short(float64(c.Unchanged)/float64(c.Times)))
		}
	}
	if len(opened) > 0 {
		fmt.Fprintf(b, "# Since %s.\nopened: {%s}\n", since.UTC().Format(time.RFC3339), strings.Join(opened, ", "))
	}
	if len(unchanged) > 0 {
		fmt.Fprintf(b, "unchanged: {%s}\n", strings.Join(unchanged, ", "))
	}
}
