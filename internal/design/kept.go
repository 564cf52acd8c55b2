package design

import "slices"

// Numeric is the type of a value that can be compared: integer, number or
// timestamp; empty for everything else.
func (p Part) Numeric() Type {
	if p.Kept == nil {
		if slices.Contains([]Type{Integer, Number, Timestamp}, p.Field.Type) {
			return p.Field.Type
		}
		return ""
	}
	switch p.Kept.Kind {
	case Count:
		return Integer
	case Sum:
		return Number
	case Min, Max:
		if p.Kept.Of.Kept != nil && p.Kept.Of.Kept == p.Kept {
			return "" // a circle, told elsewhere
		}
		if p.Kept.Of.Field != nil {
			return p.Kept.Of.Numeric()
		}
		return Number
	}
	return ""
}

// Timed tells whether a min or max is of timestamps.
func (k *Kept) Timed() bool {
	seen := map[*Kept]bool{}
	for k != nil && !seen[k] && (k.Kind == Min || k.Kind == Max) {
		seen[k] = true
		if k.Of.Field != nil {
			return k.Of.Field.Type == Timestamp
		}
		k = k.Of.Kept
	}
	return false
}

// Source is what a kept value is derived from, as the design file writes it.
func (k *Kept) Source() string {
	switch {
	case k.Pair != nil:
		return k.Pair.Name + "." + string(k.Side)
	case k.Nested != nil:
		return k.Nested.Name
	case k.Kind == Copy:
		return k.Via.Name
	}
	return k.Via.In.Name + "." + k.Via.Name
}

// Followers is the kept count of an author's followers, nil if there is none.
func (t *Timeline) Followers() *Kept {
	for _, k := range t.By.To.Kept {
		if k.Kind == Count && k.Pair == t.Through && k.Side == To && k.Where == nil {
			return k
		}
	}
	return nil
}
