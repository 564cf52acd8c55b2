package api

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"yalvo/internal/design/plan"
	"yalvo/internal/doors/problem"
	"yalvo/internal/doors/request"
	"yalvo/internal/engine/documents"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/timelines"
)

// showing is how a read wants to see what it gets: with marks, with some values alone, and
// with what references lead to.
type showing struct {
	marks
	fields []string // facts and kept values; none: all
	with   []string // references
}

// showParams are the parameters that say so.
var showParams = []string{"marks", "fields", "with"}

// How many values a read may choose, and from how many references it may bring documents.
const (
	mostFields = 50
	mostWith   = 5
)

// showingAsked reads them.
func showingAsked(c *echo.Context) (showing, error) {
	asked := showing{}
	var err error
	if asked.marks, err = marksAsked(c); err != nil {
		return asked, err
	}
	if asked.fields, err = namesIn(c, "fields", mostFields); err != nil {
		return asked, err
	}
	asked.with, err = namesIn(c, "with", mostWith)
	return asked, err
}

// namesIn are names in the query, separated by commas.
func namesIn(c *echo.Context, param string, most int) ([]string, error) {
	text := c.QueryParam(param)
	if text == "" {
		return nil, nil
	}
	names := strings.Split(text, ",")
	if len(names) > most {
		return nil, problem.BadRequest(fmt.Sprintf("%s has %d names, %d are allowed", param, len(names), most))
	}
	slices.Sort(names)
	return slices.Compact(names), nil
}

// along are the documents that are brought along, nil if none are asked for.
func (s *API) along(c *echo.Context, asked showing, of *plan.Collection,
	facts []json.RawMessage) (map[string]running.Document, error) {
	if len(asked.with) == 0 {
		return nil, nil
	}
	who := request.Viewer(c)
	return s.Documents.Along(c.Request().Context(), who, of, asked.with, facts)
}

// alongDocuments is the same for documents.
func (s *API) alongDocuments(c *echo.Context, asked showing, got documents.Documents) (map[string]running.Document,
	error) {
	facts := make([]json.RawMessage, len(got.Documents))
	for i, d := range got.Documents {
		facts[i] = d.Facts
	}
	return s.along(c, asked, got.Of, facts)
}

// chosen has documents hold the values alone that are asked for.
func (asked showing) chosen(of *plan.Collection, docs []listed) (err error) {
	if len(asked.fields) == 0 {
		return nil
	}
	if err := documents.CheckChosen(of, asked.fields); err != nil {
		return err
	}
	for i := range docs {
		if docs[i].Facts, err = documents.Chosen(docs[i].Facts, asked.fields); err != nil {
			return err
		}
		if docs[i].Kept, err = documents.Chosen(docs[i].Kept, asked.fields); err != nil {
			return err
		}
	}
	return nil
}

// chosenEntries is the same for entries. Others may hold these too: they stay as they are.
func (asked showing) chosenEntries(of *plan.Collection, entries []*timelines.Entry) ([]*timelines.Entry, error) {
	if len(asked.fields) == 0 {
		return entries, nil
	}
	if err := documents.CheckChosen(of, asked.fields); err != nil {
		return nil, err
	}
	out := make([]*timelines.Entry, len(entries))
	for i, e := range entries {
		own := *e
		var err error
		if own.Facts, err = documents.Chosen(e.Facts, asked.fields); err == nil {
			own.Kept, err = documents.Chosen(e.Kept, asked.fields)
		}
		if err != nil {
			return nil, err
		}
		out[i] = &own
	}
	return out, nil
}
