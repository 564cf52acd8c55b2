package measuring

import (
	"fmt"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store/measuresql"
)

// nearlyAll is the share from which on all are meant.
const nearlyAll = 0.9999

// readSizes measures how large ids and fields are where they are, in which share of documents that is, and how many
// sources kept values are made of.
func (m *measure) readSizes() error {
	for _, c := range m.v.Plan.Collections {
		if m.totals[c.Name] == 0 {
			continue
		}
		bytes, err := measuresql.IDs(m.tx, c)
		if err != nil {
			return err
		}
		if c.Collection.Field("id") == nil {
			m.sizes = append(m.sizes, fmt.Sprintf("%s.id: %s", c.Name, short(bytes)))
		}
		sizes, err := measuresql.Sizes(m.tx, c)
		if err != nil {
			return err
		}
		there := map[string]bool{}
		for _, s := range sizes {
			if c.Collection.Field(s.Name) != nil {
				there[s.Name] = true
				m.sizes = append(m.sizes, fmt.Sprintf("%s.%s: %s", c.Name, s.Name, short(s.Bytes)))
				m.notePresent(c.Name+"."+s.Name, s.Part)
			}
		}
		for _, f := range c.Collection.Fields {
			if !there[f.Name] {
				m.notePresent(c.Name+"."+f.Name, 0)
			}
		}
		for _, s := range c.Summaries {
			if s.Of.Kept != nil {
				continue // how many have it now says nothing of how often it changes
			}
			if err := m.readContributing(s); err != nil {
				return err
			}
		}
	}
	return nil
}

func (m *measure) notePresent(name string, share float64) {
	if share < nearlyAll {
		m.present = append(m.present, fmt.Sprintf("%s: %s", name, short(share)))
	}
}

func (m *measure) readContributing(s *plan.Summary) error {
	sources, err := 0.0, error(nil)
	if s.Pair != nil {
		sources, err = measuresql.Pairs(m.tx, s.Pair)
	} else {
		sources = m.totals[s.Sources.Name]
	}
	if err != nil || sources == 0 {
		return err
	}
	many, err := measuresql.Contributing(m.tx, s)
	m.notePresent(s.In.Name+"."+s.Name, many/sources)
	return err
}
