package driving

import (
	"fmt"
	"math/rand/v2"
	"time"

	"yalvo/internal/design"
)

// maker makes up values of fields.
type maker struct {
	k    *known
	w    *design.Workload
	r    *rand.Rand
	made int // so that unique values differ
}

// usualBytes is how long a text is of which nobody says so.
const usualBytes = 40

// facts makes up the facts of a document of a collection, or of a pair, for an account; bare, only what is required.
// It is false if something that is required cannot be made up.
func (m *maker) facts(fields []*design.Field, me string, bare bool) (map[string]any, bool) {
	all := map[string]any{}
	for _, f := range fields {
		if f.Default != nil && !f.Default.Me {
			continue
		}
		if !f.Required && (bare || f.Type == design.Reference || f.In != nil && m.r.Float64() >= m.w.Share(f.In,
			f.Name)) {
			continue
		}
		v, can := m.value(f, me)
		if can {
			all[f.Name] = v
		} else if f.Required {
			return nil, false
		}
	}
	return all, true
}

// value makes up a value that a field takes, false if that cannot be done.
func (m *maker) value(f *design.Field, me string) (any, bool) {
	if len(f.OneOf) > 0 {
		return f.OneOf[m.r.IntN(len(f.OneOf))], true
	}
	switch f.Type {
	case design.String:
		return m.text(f)
	case design.Integer, design.Number:
		return m.number(f), true
	case design.Boolean:
		return m.r.IntN(2) == 0, true
	case design.Timestamp:
		return time.Now().UTC().Format(time.RFC3339), true
	case design.Reference:
		if f.To == m.k.d.Accounts {
			return me, me != ""
		}
		doc, is := m.k.any(m.r, f.To)
		return doc.key, is
	case design.List, design.Set:
		v, can := m.value(f.Of, me)
		return []any{v}, can
	case design.Object:
		return m.facts(f.Fields, me, false)
	}
	return nil, false // pictures are uploaded, not made up
}

func (m *maker) text(f *design.Field) (any, bool) {
	m.made++
	bytes, most := usualBytes, 0
	if f.In != nil && m.w.Sizes[f.In.Name+"."+f.Name] > 0 {
		bytes = int(m.w.Sizes[f.In.Name+"."+f.Name]) - 2 // quotes
	}
	if f.Min != nil {
		bytes = max(bytes, int(*f.Min))
	}
	if f.Max != nil {
		most = int(*f.Max)
	}
	if f.Pattern == nil && !f.Unique {
		return textOf(m.r, bytes, most), true
	}
	unlike := fmt.Sprintf("%x%x", m.r.Uint32(), m.made)
	candidates := []string{"d" + unlike, unlike, "d" + unlike + "@wetland.example"}
	if !f.Unique {
		candidates = append(candidates, textOf(m.r, bytes, most), fmt.Sprint(m.r.IntN(1e6)))
	}
	for _, text := range candidates {
		if (most == 0 || len(text) <= most) && (f.Pattern == nil || f.Pattern.Matches(text)) {
			return text, true
		}
	}
	return nil, false
}

func (m *maker) number(f *design.Field) float64 {
	low, high := 1.0, 100.0
	if f.Min != nil {
		low, high = *f.Min, *f.Min+99
	}
	if f.Max != nil {
		low, high = min(low, *f.Max), min(high, *f.Max)
	}
	return low + float64(m.r.IntN(int(high-low)+1))
}
