package api

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"yalvo/internal/design"
	"yalvo/internal/doors/callers"
	"yalvo/internal/doors/gate"
	"yalvo/internal/doors/openapi"
	"yalvo/internal/doors/request"
)

// How many reads one request may hold, of how long a path, and how many bytes of answers.
const (
	mostReads     = 10
	mostPath      = 8 << 10
	mostReadBytes = 4 << 20
)

// answered is what one of several reads is answered.
type answered struct {
	Status int             `json:"status"`
	ETag   string          `json:"etag,omitempty"`
	Body   json.RawMessage `json:"body"` // what the read alone is answered, a problem too
}

// postReads answers several reads, each as it is answered alone: a screen in one request.
func (s *API) postReads(c *echo.Context) error {
	raw, err := request.Body(c, echo.MIMEApplicationJSON)
	if err != nil {
		return err
	}
	given, err := request.Members(raw, "reads")
	if err != nil {
		return err
	}
	var paths []string
	if json.Unmarshal(given["reads"], &paths) != nil || len(paths) == 0 {
		return request.Wrong("/reads", design.MistakeType, "reads must be a list of paths with at least one, as in "+
			`["/lists/everyone?limit=10", "/collections/members/ada"]`)
	}
	if len(paths) > mostReads {
		return request.Wrong("/reads", design.MistakeLong, fmt.Sprintf("there are %d reads, %d are allowed", len(paths),
			mostReads))
	}
	answers := make([]answered, len(paths))
	read, size := 0, 0
	for i, path := range paths {
		one, docs, err := s.readOne(c, path, i)
		if err != nil {
			return err
		}
		if size += len(one.Body); size > mostReadBytes {
			return request.Wrong(fmt.Sprint("/reads/", i), design.MistakeLong, fmt.Sprintf(
				"the answers have come to more than %d bytes: ask with lower limits, or in several requests",
				mostReadBytes))
		}
		answers[i], read = one, read+docs
	}
	request.Cost(c, read, 0)
	text, err := json.Marshal(map[string]any{"answers": answers})
	if err != nil {
		return err
	}
	c.Response().Header().Set(echo.HeaderContentLength, strconv.Itoa(len(text)))
	return s.send(c, text)
}

// readOne answers one of several reads, and tells how many documents that took.
func (s *API) readOne(c *echo.Context, path string, nth int) (answered, int, error) {
	at := fmt.Sprint("/reads/", nth)
	to, err := url.Parse(openapi.Prefix + path)
	if err != nil || !strings.HasPrefix(path, "/") || to.Fragment != "" || len(path) > mostPath {
		return answered{}, 0, request.Wrong(at, design.MistakeType,
			"this is no path with a query, as in /lists/everyone?limit=10")
	}
	handle := s.readerAt(to.Path)
	if handle == nil {
		return answered{}, 0, request.Wrong(at, design.MistakeChoice,
			"a read is of /collections/…, /lists/…, /timelines/… or /pairs/…")
	}
	if query := to.Query(); query.Has("settled") || query.Has("patience") {
		return answered{}, 0, request.Wrong(at, design.MistakeUnknown,
			"all reads wait together: give settled and patience in the query of this request")
	}
	held, err := s.hold(c, handle, to, false)
	if err != nil {
		return answered{}, 0, err
	}
	return answered{held.status, held.header.Get("ETag"), held.body()}, held.read(), nil
}

// hold has a read answered by what answers it alone, for the one who asks for several, and holds the answer. Those that
// are part of a screen are counted with that.
func (s *API) hold(c *echo.Context, handle echo.HandlerFunc, to *url.URL, part bool) (*heldAnswer, error) {
	req, err := http.NewRequestWithContext(c.Request().Context(), http.MethodGet, to.String(), nil)
	if err != nil {
		return nil, err
	}
	held := &heldAnswer{header: http.Header{}}
	one := c.Echo().NewContext(req, held)
	callers.Same(one, c)
	if part {
		one.Set(partKey, true)
	}
	if err := gate.CheckAddress(req); err != nil {
		s.Telling.Answer(one, err)
	} else if err := handle(one); err != nil {
		s.Telling.Answer(one, err)
	}
	return held, nil
}

// readerAt is what answers a read of a path, nil for a path that cannot be among several.
func (s *API) readerAt(path string) echo.HandlerFunc {
	for prefix, handle := range map[string]echo.HandlerFunc{"/collections/": s.getAt, "/lists/": s.getList,
		"/timelines/": s.getTimeline, "/pairs/": s.getPair} {
		if strings.HasPrefix(path, openapi.Prefix+prefix) {
			return handle
		}
	}
	return nil
}

// heldAnswer is an answer that becomes part of another.
type heldAnswer struct {
	header http.Header
	status int
	text   bytes.Buffer
}

// body is what was answered.
func (h *heldAnswer) body() json.RawMessage { return bytes.TrimSpace(h.text.Bytes()) }

// read is how many documents that took: none if it was refused.
func (h *heldAnswer) read() int {
	docs, _ := strconv.Atoi(h.header.Get(openapi.HeaderRead))
	return docs
}

// Header is part of [http.ResponseWriter].
func (h *heldAnswer) Header() http.Header { return h.header }

// Write is part of [http.ResponseWriter].
func (h *heldAnswer) Write(text []byte) (int, error) {
	if h.status == 0 {
		h.status = http.StatusOK
	}
	return h.text.Write(text)
}

// WriteHeader is part of [http.ResponseWriter].
func (h *heldAnswer) WriteHeader(status int) { h.status = status }
