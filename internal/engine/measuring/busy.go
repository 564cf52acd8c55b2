package measuring

import (
	"fmt"
	"math"

	"yalvo/internal/engine/store/measuresql"
)

// readBusy tells whether those whom many follow make more of what is shown to their followers. A forecast knows two
// answers: they make as many as others, so that something new meets as many followers as anybody has on average; or the
// more the more they are followed. The one is taken that what is stored is nearer to.
func (m *measure) readBusy() error {
	said := map[string]bool{}
	for _, t := range m.v.Plan.Timelines {
		if said[t.Entries.Name] {
			continue
		}
		met, err := measuresql.Followers(m.tx, t.By, t.Through, m.totals[t.By.To.Name])
		if err != nil {
			return err
		}
		if met.Mean > 0 && met.ByEntries > math.Sqrt(met.Mean*met.Biased) {
			said[t.Entries.Name] = true
			m.busy = append(m.busy, fmt.Sprintf("%s: %s.to", t.Entries.Name, t.Through.Name))
		}
	}
	return nil
}
