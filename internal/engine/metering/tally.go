package metering

// Tally is what one transaction writes. It counts once that has committed: see [Meter.Heard].
type Tally struct{ all []tallied }

type tallied struct {
	of     Of
	counts Counts
}

// Add notes what was written. A nil tally notes nothing.
func (t *Tally) Add(of Of, c Counts) {
	if t == nil || c == (Counts{}) {
		return
	}
	for i := range t.all { // there are few
		if t.all[i].of == of {
			t.all[i].counts = t.all[i].counts.Plus(c)
			return
		}
	}
	t.all = append(t.all, tallied{of, c})
}
