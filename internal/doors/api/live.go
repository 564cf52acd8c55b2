package api

import (
	"bytes"
	"context"
	"errors"
	"net/http"
	"net/url"
	"reflect"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"yalvo/internal/design/access"
	"yalvo/internal/doors/gate"
	"yalvo/internal/doors/openapi"
	"yalvo/internal/doors/problem"
	"yalvo/internal/doors/request"
	"yalvo/internal/engine/documents"
	"yalvo/internal/engine/live"
	"yalvo/internal/engine/running"
)

// LivePrefix is where reads are that go on: /v1/live, and then the path of the read.
const LivePrefix = openapi.Prefix + "/live/"

// heartbeat keeps proxies from closing a quiet stream, and is how often it is looked whether
// its reader still may read.
const heartbeat = 15 * time.Second

// getLive answers a read with server-sent events (HTML Living Standard): the page, and then
// what happens to it.
func (s *API) getLive(c *echo.Context) error {
	r := c.Request()
	to, err := url.Parse(openapi.Prefix + "/" + strings.TrimPrefix(r.URL.EscapedPath(), LivePrefix))
	if err != nil {
		return problem.BadRequest("the path cannot be read")
	}
	to.RawQuery = r.URL.RawQuery
	plain := r.WithContext(r.Context())
	plain.URL = to
	c.SetRequest(plain) // so that it is read as the read that it is
	defer c.SetRequest(r)
	for prefix, begin := range map[string]func(*echo.Context) (*follow, error){"/timelines/": s.followTimeline,
		"/lists/": s.followList, "/collections/": s.followDocument} {
		if strings.HasPrefix(to.Path, openapi.Prefix+prefix) {
			f, err := begin(c)
			if err != nil {
				return err
			}
			name := strings.Join(strings.Split(to.Path, "/")[2:4], " ")
			return s.stream(c, &following{name: name, parts: []*follow{f}, event: "page",
				all: func(shown []shown) ([]byte, error) { return shown[0].text, nil }})
		}
	}
	if strings.HasPrefix(to.Path, openapi.Prefix+"/screens/") {
		f, err := s.followScreen(c)
		if err != nil {
			return err
		}
		return s.stream(c, f)
	}
	return unknown("live is a timeline, a list, a document or a screen: %stimelines/…, %slists/…, %scollections/…, "+
		"%sscreens/…", LivePrefix, LivePrefix, LivePrefix, LivePrefix)
}

// liveParams are the parameters of what is read live, besides those of a list.
var liveParams = []string{"settled", "patience", "limit", "marks", "fields"}

// follow is a read that goes on.
type follow struct {
	part  string // of a screen
	watch *live.Watch
	read  func() (shown, error)
}

// following is what a stream is about: a read by itself, or the parts of a screen that go on.
type following struct {
	name  string // that it is counted under
	parts []*follow
	event string                        // with which it begins
	all   func([]shown) ([]byte, error) // what that holds
	is    []shown                       // what each part shows
	was   []live.Shown                  // and what was sent of it
}

// id stands for all that is shown.
func (f *following) id() string {
	ids := make([]string, len(f.was))
	for i, was := range f.was {
		ids[i] = was.ID()
	}
	return live.JointID(ids...)
}

// readAll reads all parts.
func (f *following) readAll() error {
	f.is, f.was = make([]shown, len(f.parts)), make([]live.Shown, len(f.parts))
	for i, part := range f.parts {
		var err error
		if f.is[i], err = part.read(); err != nil {
			return err
		}
		f.was[i] = live.Remember(f.is[i].Page)
	}
	return nil
}

// tell says how what a part shows became what it shows now; nil if nothing has happened.
func (f *following) tell(nth int, is shown) ([]byte, error) {
	now := live.Remember(is.Page)
	if now.ID() == f.was[nth].ID() {
		return nil, nil
	}
	text, err := live.Told(f.parts[nth].part, live.Since(f.was[nth], is.Page))
	f.was[nth] = now
	return live.Current(text, f.id()), err
}

// shown is what a read answers, and its items.
type shown struct {
	live.Page
	text []byte
}

func (s *API) followTimeline(c *echo.Context) (*follow, error) {
	timeline, owner, err := timelineIn(c)
	if err != nil {
		return nil, err
	}
	asked, page, err := s.liveAsked(c)
	if err != nil {
		return nil, err
	}
	watch, err := s.Live.WatchTimeline(c.Request().Context(), request.Viewer(c), timeline, owner, page,
		asked.names != nil)
	return &follow{"", watch, func() (shown, error) {
		got, err := s.timelinePage(c, timeline, owner, page, asked)
		if err == nil {
			watch.ShowsEntries(got.read)
		}
		out := shown{Page: live.Page{More: got.Next != ""}, text: got.text()}
		for i, e := range got.Entries {
			out.Items = append(out.Items, live.Item{Path: e.Path, Text: got.appendEntry(nil, i), Kept: e.Kept})
		}
		return out, err
	}}, err
}

// liveAsked reads how a live read is to be shown, once what it waits for has been done.
func (s *API) liveAsked(c *echo.Context, more ...string) (asked showing, page documents.Page, err error) {
	if err = request.OnlyAsks(c, append(more, liveParams...)...); err != nil {
		return asked, page, err
	}
	if err = s.settle(c); err != nil {
		return asked, page, err
	}
	if asked, err = showingAsked(c); err == nil {
		page, err = s.Cursors.Page(c)
	}
	return asked, page, err
}

func (s *API) followList(c *echo.Context) (*follow, error) {
	ask, own, err := s.listIn(c)
	if err != nil {
		return nil, err
	}
	asked, page, err := s.liveAsked(c, own...)
	if err != nil {
		return nil, err
	}
	ask.Marks = asked.names
	watch, err := s.Live.WatchList(c.Request().Context(), request.Viewer(c), ask, asked.names != nil)
	begun := false
	return &follow{"", watch, func() (shown, error) {
		got, err := s.listPage(c, ask, page)
		if begun && running.IsMissing(err) { // what it is of went, or is none of its reader's any more
			watch.Shows(nil)
			return shown{text: []byte(`{"documents":[]}`)}, nil
		}
		if err != nil {
			return shown{}, err
		}
		begun = true
		watch.Shows(got.Rows)
		answer, err := s.pageOf(c, got, asked, got.Linked)
		if err != nil {
			return shown{}, err
		}
		out := shown{Page: live.Page{More: answer.Next != ""}}
		for _, d := range answer.Documents {
			out.Items = append(out.Items, live.Item{Path: d.Path, Text: d.appendTo(nil), Kept: d.Kept})
		}
		out.text, err = answer.text()
		return out, err
	}}, err
}

func (s *API) followDocument(c *echo.Context) (*follow, error) {
	where, err := s.spotOf(c)
	if err != nil {
		return nil, err
	}
	if !where.document || where.name != "" {
		return nil, unknown(
			"of collections a document can be read live, and what a name leads to is a list of the design",
		)
	}
	if c.QueryParams().Has("limit") {
		return nil, problem.BadRequest("this path leads to one document, and only pages take limit")
	}
	asked, _, err := s.liveAsked(c)
	if err != nil {
		return nil, err
	}
	watch, err := s.Live.WatchDocument(c.Request().Context(), request.Viewer(c), where.collection, where.key,
		asked.names != nil)
	begun := false
	return &follow{"", watch, func() (shown, error) {
		one, err := s.oneDocument(c, where, asked)
		if begun && running.IsMissing(err) { // it went, or is none of its reader's any more
			return shown{text: []byte("null")}, nil
		}
		if err != nil {
			return shown{}, err
		}
		begun = true
		text := one.appendTo(nil)
		return shown{live.Page{Items: []live.Item{{Path: one.Path, Text: text, Kept: one.Kept}}}, text}, nil
	}}, err
}

// stream sends what is shown, and then whatever makes out of it what is shown later. The id of
// `current` stands for all that is shown: who takes the stream up again with it (Last-Event-ID)
// and has missed nothing gets nothing again; else all comes anew.
func (s *API) stream(c *echo.Context, f *following) error {
	end, fits := s.Gate.Streams.Add(1)
	if !fits {
		return problem.Busy("too many live reads are open")
	}
	defer end()
	giveUp, fits := s.Gate.Follows.Add(gate.SharerOf(c))
	if !fits {
		return problem.New(http.StatusTooManyRequests, running.CodeTooMany,
			"as many live reads as one account, or one address of strangers, may have are open: end some")
	}
	defer giveUp()
	quiet := time.NewTicker(heartbeat)
	defer quiet.Stop()
	lasting := c.Request().Context()
	if err := s.asOfOneVersion(c, lasting, f.readAll); err != nil {
		return err
	}
	if going, err := s.begin(c, f); !going {
		return err
	}
	for {
		nth, done := s.waitForChange(c, f, quiet)
		if done == nil {
			return nil
		}
		var is shown
		err := s.asOfOneVersion(c, lasting, func() (err error) {
			is, err = f.parts[nth].read()
			return err
		})
		done()
		if err != nil { // a block, a design that has it no more: who asks again is told
			return nil
		}
		text, err := f.tell(nth, is)
		s.meterLive(f, 0, len(text), is)
		if err != nil || text != nil && s.sendEvent(c, text) != nil {
			return nil // the reader has gone, or wants no more
		}
	}
}

// asOfOneVersion reads by one version of the design, again if that is not in force any more. Each time it has its own
// time for rules, as a read that is asked for.
func (s *API) asOfOneVersion(c *echo.Context, lasting context.Context, read func() error) error {
	for {
		reading := running.OneVersion(access.WithBudget(lasting, access.RuleTime))
		c.SetRequest(c.Request().WithContext(reading))
		if err := read(); err != nil {
			return err
		}
		if err := s.App.Stands(reading); !errors.Is(err, running.ErrMoved) {
			return err
		}
	}
}

// begin sends all that is shown, unless its reader has it already, and tells whether the stream goes on.
func (s *API) begin(c *echo.Context, f *following) (going bool, err error) {
	all, err := f.all(f.is)
	is := f.is
	f.is = nil
	if err != nil {
		return false, err
	}
	if err := openStream(c); err != nil || c.Request().Method == http.MethodHead {
		return false, err
	}
	var text []byte
	if c.Request().Header.Get("Last-Event-ID") != f.id() {
		text = live.Begun(f.event, all)
	}
	s.meterLive(f, 1, len(text), is...)
	return s.sendEvent(c, live.Current(text, f.id())) == nil, nil
}

// What a stream waits for besides its parts.
const (
	onQuiet = iota
	onGone
	onEnd
	onParts // the first of them
)

// waitForChange waits until what a part shows may have changed, and answers which it is and what to call when it has
// been read again; nil if the stream has ended.
func (s *API) waitForChange(c *echo.Context, f *following, quiet *time.Ticker) (nth int, done func()) {
	on := func(channel any) reflect.SelectCase {
		return reflect.SelectCase{Dir: reflect.SelectRecv, Chan: reflect.ValueOf(channel)}
	}
	cases := []reflect.SelectCase{onQuiet: on(quiet.C), onGone: on(c.Request().Context().Done()), onEnd: on(s.Ends)}
	for _, part := range f.parts {
		cases = append(cases, on(part.watch.Changed()))
	}
	for {
		chosen, received, _ := reflect.Select(cases)
		switch chosen {
		case onGone, onEnd:
			return 0, nil
		case onQuiet:
			if s.Callers.BelievedNoMore(c) || send(c, []byte(": still here\n\n")) != nil {
				return 0, nil
			}
			for i, part := range f.parts {
				if part.watch.Ages() {
					return i, func() {}
				}
			}
		default:
			read := received.Interface().(func())
			if s.Callers.BelievedNoMore(c) {
				read()
				return 0, nil
			}
			return chosen - onParts, read
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
func (s *API) sendEvent(c *echo.Context, event []byte) error {
	sent, err := s.Gate.Answer(event)
	if err != nil {
		return err
	}
	defer sent()
	return send(c, event)
}

func send(c *echo.Context, event []byte) error {
	control := http.NewResponseController(c.Response())
	if err := control.SetWriteDeadline(time.Now().Add(gate.EventTime)); err != nil {
		return err
	}
	if _, err := bytes.NewReader(event).WriteTo(c.Response()); err != nil {
		return err
	}
	return control.Flush()
}
