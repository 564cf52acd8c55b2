package api

import (
	"encoding/json"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"yalvo/internal/design"
	"yalvo/internal/doors/openapi"
	"yalvo/internal/doors/problem"
	"yalvo/internal/doors/request"
	"yalvo/internal/engine/documents"
	"yalvo/internal/engine/metering"
	"yalvo/internal/engine/timelines"
)

// getTimeline answers /timelines/{timeline}/{owner}.
func (s *API) getTimeline(c *echo.Context) error {
	timeline, owner, err := timelineIn(c)
	if err != nil {
		return err
	}
	params := append([]string{"settled", "patience", "limit", "cursor"}, showParams...)
	if err := request.OnlyAsks(c, params...); err != nil {
		return err
	}
	if err := s.settle(c); err != nil {
		return err
	}
	asked, err := showingAsked(c)
	if err != nil {
		return err
	}
	page, err := s.Cursors.Page(c)
	if err != nil {
		return err
	}
	got, err := s.timelinePage(c, timeline, owner, page, asked)
	if err != nil {
		return err
	}
	request.Cost(c, len(got.Entries)+got.along, 0)
	countAs(c, metering.Read, "timeline "+timeline)
	return s.answerPageText(c, func(text []byte) ([]byte, error) { return got.appendTo(text), nil })
}

// timelineIn is the timeline and the owner that a path names.
func timelineIn(c *echo.Context) (timeline, owner string, err error) {
	parts, err := request.Segments(c, "/timelines")
	if err != nil {
		return "", "", err
	}
	if len(parts) != 2 {
		return "", "", unknown("a timeline is at %s/timelines/{timeline}/{owner}", openapi.Prefix)
	}
	if wrong := design.CheckID(parts[1]); wrong != "" {
		return "", "", problem.BadRequest("in the path: " + wrong)
	}
	return parts[0], parts[1], nil
}

type timelinePage struct {
	Entries []*timelines.Entry `json:"entries"`
	Marks   []json.RawMessage  `json:"-"` // of each entry, in their order; none if none were asked for
	Next    string             `json:"next,omitempty"`
	with    json.RawMessage    // what is brought along, nil for nothing
	along   int                // how many documents
	read    timelines.Entries  // what it was made of
}

// text is the page in JSON. A general encoder would look through what the
// documents hold once more, which costs the hottest read a tenth of its time.
// Ids, paths and cursors have no characters that JSON escapes.
func (p timelinePage) text() []byte { return p.appendTo(nil) }

func (p timelinePage) appendTo(text []byte) []byte {
	size := 128 + len(p.Next) + len(p.with)
	for i, e := range p.Entries {
		size += 192 + len(e.ID) + len(e.Path) + len(e.Author) + len(e.Facts) + len(e.Kept)
		if len(p.Marks) > 0 {
			size += len(p.Marks[i])
		}
	}
	text = append(slices.Grow(text, size), `{"entries":[`...)
	for i := range p.Entries {
		if i > 0 {
			text = append(text, ',')
		}
		text = p.appendEntry(text, i)
	}
	text = append(text, ']')
	if p.Next != "" {
		text = append(append(append(text, `,"next":"`...), p.Next...), '"')
	}
	if p.with != nil {
		text = append(append(text, `,"with":`...), p.with...)
	}
	return append(text, '}')
}

func (p timelinePage) appendEntry(text []byte, i int) []byte {
	e := p.Entries[i]
	text = append(append(text, `{"id":"`...), e.ID...)
	text = append(append(text, `","path":"`...), e.Path...)
	text = e.At.AppendFormat(append(text, `","at":"`...), time.RFC3339Nano)
	text = append(append(text, `","author":"`...), e.Author...)
	text = append(append(text, `","facts":`...), e.Facts...)
	text = append(append(text, `,"kept":`...), e.Kept...)
	if len(e.Building) > 0 {
		text = append(text, `,"building":["`+strings.Join(e.Building, `","`)+`"]`...)
	}
	if len(p.Marks) > 0 {
		text = append(append(text, `,"marks":`...), p.Marks[i]...)
	}
	return append(text, '}')
}

func (s *API) timelinePage(c *echo.Context, timeline, owner string, page documents.Page,
	asked showing) (timelinePage, error) {
	who := request.Viewer(c)
	got, err := s.Timelines.Timeline(c.Request().Context(), who, timelines.Request{Name: timeline, Owner: owner,
		Marks: asked.names}, page)
	if err != nil {
		return timelinePage{}, err
	}
	out := timelinePage{Entries: got.Entries, read: got}
	if out.Marks, err = s.marked(c, asked.marks, got.Markable); err != nil {
		return timelinePage{}, err
	}
	if err := s.alongEntries(c, asked, got, &out); err != nil {
		return timelinePage{}, err
	}
	if out.Entries, err = asked.chosenEntries(got.Of, got.Entries); err != nil {
		return timelinePage{}, err
	}
	out.Next, err = s.Cursors.Write(c, got.Next)
	return out, err
}

// alongEntries brings along what references of entries lead to. The author is known though
// the entries do not carry that.
func (s *API) alongEntries(c *echo.Context, asked showing, got timelines.Entries, out *timelinePage) error {
	if len(asked.with) == 0 {
		return nil
	}
	facts := make([]json.RawMessage, len(got.Entries))
	for i, e := range got.Entries {
		var err error
		if facts[i], err = json.Marshal(map[string]string{got.By: e.Author}); err != nil {
			return err
		}
	}
	others := slices.DeleteFunc(slices.Clone(asked.with), func(name string) bool { return name == got.By })
	by := asked
	by.with = slices.DeleteFunc(slices.Clone(asked.with), func(name string) bool { return name != got.By })
	with, err := s.along(c, by, got.Of, facts)
	if err != nil {
		return err
	}
	for i, e := range got.Entries {
		facts[i] = e.Facts
	}
	by.with = others
	more, err := s.along(c, by, got.Of, facts)
	if err != nil {
		return err
	}
	if with == nil {
		with = more
	}
	maps.Copy(with, more)
	out.along = len(with)
	out.with, err = json.Marshal(with)
	return err
}
