package server

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"yalvo/internal/design"
	"yalvo/internal/reading"
)

// getTimeline answers /timelines/{timeline}/{owner} and, followed by /live, a
// stream of the same page as it changes.
func (s *Server) getTimeline(c *echo.Context) error {
	parts, err := segments(c, "/timelines")
	if err != nil {
		return err
	}
	live := len(parts) == 3 && parts[2] == "live"
	if len(parts) != 2 && !live {
		return unknown("a timeline is at %s/timelines/{timeline}/{owner}", Prefix)
	}
	if wrong := design.CheckID(parts[1]); wrong != "" {
		return badRequest("in the path: " + wrong)
	}
	params := []string{"settled", "patience", "limit"}
	if !live {
		params = append(append(params, "cursor"), showParams...)
	}
	if err := onlyAsks(c, params...); err != nil {
		return err
	}
	if err := s.settle(c); err != nil {
		return err
	}
	if live {
		return s.stream(c, parts[0], parts[1])
	}
	asked, err := showingAsked(c)
	if err != nil {
		return err
	}
	page, err := s.cursors.page(c)
	if err != nil {
		return err
	}
	got, err := s.timelinePage(c, parts[0], parts[1], page, asked)
	if err != nil {
		return err
	}
	cost(c, len(got.Entries)+got.along, 0)
	text := got.text()
	return s.answerTagged(c, tagOf(text), text)
}

type timelinePage struct {
	Entries []*reading.Entry  `json:"entries"`
	Marks   []json.RawMessage `json:"-"` // of each entry, in their order; none if none were asked for
	Next    string            `json:"next,omitempty"`
	with    json.RawMessage   // what is brought along, nil for nothing
	along   int               // how many documents
}

// text is the page in JSON. A general encoder would look through what the
// documents hold once more, which costs the hottest read a tenth of its time.
// Ids, paths and cursors have no characters that JSON escapes.
func (p timelinePage) text() []byte {
	text := []byte(`{"entries":[`)
	for i, e := range p.Entries {
		if i > 0 {
			text = append(text, ',')
		}
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
		text = append(text, '}')
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

func (s *Server) timelinePage(c *echo.Context, timeline, owner string, page reading.Page,
	asked showing) (timelinePage, error) {
	who, err := viewer(c)
	if err != nil {
		return timelinePage{}, err
	}
	got, err := s.Reading.Timeline(c.Request().Context(), who, timeline, owner, page)
	if err != nil {
		return timelinePage{}, err
	}
	out := timelinePage{Entries: got.Entries}
	if out.Marks, err = s.marked(c, asked.marks, got.Of, got.Rows, got.Keys); err != nil {
		return timelinePage{}, err
	}
	if err := s.alongEntries(c, asked, got, &out); err != nil {
		return timelinePage{}, err
	}
	if out.Entries, err = asked.chosenEntries(got.Of, got.Entries); err != nil {
		return timelinePage{}, err
	}
	out.Next, err = s.cursors.write(c, got.Next)
	return out, err
}

// alongEntries brings along what references of entries lead to. The author is known though
// the entries do not carry that.
func (s *Server) alongEntries(c *echo.Context, asked showing, got reading.Entries, out *timelinePage) error {
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

// heartbeat keeps proxies from closing a quiet stream.
const heartbeat = 15 * time.Second

// stream sends the first page of a timeline whenever it differs from the one
// sent last (HTML Living Standard, server-sent events). The event's id stands
// for the page's content: who reconnects with Last-Event-ID gets the page
// again only if it changed meanwhile, so nothing is missed.
func (s *Server) stream(c *echo.Context, timeline, owner string) error {
	page, err := s.cursors.page(c)
	if err != nil {
		return err
	}
	if !add(&s.gate.streams, 1, mostStreams) {
		return busy("too many live reads are open")
	}
	defer s.gate.streams.Add(-1)
	who, err := viewer(c)
	if err != nil {
		return err
	}
	watch, err := s.Reading.Watch(c.Request().Context(), who, timeline, owner, page)
	if err != nil {
		return err
	}
	sent := c.Request().Header.Get("Last-Event-ID")
	var begun bool
	quiet := time.NewTicker(heartbeat)
	defer quiet.Stop()
	read := func() {}
	for {
		got, err := s.timelinePage(c, timeline, owner, page, showing{})
		read()
		if err != nil {
			return err
		}
		if !begun {
			begun = true
			if err := openStream(c); err != nil || c.Request().Method == http.MethodHead {
				return nil // the reader has gone, or wanted no more
			}
		}
		text := got.text()
		if id := fingerprint(text); id != sent {
			if err := s.sendEvent(c, fmt.Appendf(nil, "event: page\nid: %s\ndata: %s\n\n", id, text)); err != nil {
				return nil // the reader has gone, or takes the stream up again
			}
			sent = id
		}
		if read = s.waitForChange(c, watch, quiet); read == nil {
			return nil
		}
	}
}

// waitForChange waits until the page may have changed, and answers what to call
// when it has been read again; nil if the stream has ended.
func (s *Server) waitForChange(c *echo.Context, watch *reading.Watch, quiet *time.Ticker) func() {
	for {
		select {
		case read := <-watch.Changed():
			return read
		case <-quiet.C:
			if err := send(c, []byte(": still here\n\n")); err != nil {
				return nil
			}
		case <-c.Request().Context().Done():
			return nil
		case <-s.closing:
			return nil
		}
	}
}

// openStream sends the header at once: who takes a stream up again may get
// nothing else for long.
func openStream(c *echo.Context) error {
	h := c.Response().Header()
	h.Set(echo.HeaderContentType, "text/event-stream")
	h.Set("Cache-Control", "no-store")
	c.Response().WriteHeader(http.StatusOK)
	return http.NewResponseController(c.Response()).Flush()
}

// sendEvent sends an event that may be large, if not too much waits for slow
// readers already.
func (s *Server) sendEvent(c *echo.Context, event []byte) error {
	if n := int64(len(event)); n > largeText {
		if !add(&s.gate.unsent, n, mostUnsent) {
			return busy("too many large answers are under way")
		}
		defer s.gate.unsent.Add(-n)
	}
	return send(c, event)
}

func send(c *echo.Context, event []byte) error {
	control := http.NewResponseController(c.Response())
	if err := control.SetWriteDeadline(time.Now().Add(eventTime)); err != nil {
		return err
	}
	if _, err := bytes.NewReader(event).WriteTo(c.Response()); err != nil {
		return err
	}
	return control.Flush()
}

func fingerprint(text []byte) string {
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:8])
}
