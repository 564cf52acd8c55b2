package api

import (
	"bytes"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"

	"github.com/labstack/echo/v5"

	"yalvo/internal/doors/gate"
	"yalvo/internal/doors/request"
	"yalvo/tests/bounds"

	"yalvo/internal/engine/running"
)

// problemAtMost is how large a problem may be that answers to made-up input.
const problemAtMost = 32 << 10

// told sees that an error is one that a stranger is told in short.
func told(t *testing.T, c *echo.Context, err error) {
	t.Helper()
	if err == nil {
		return
	}
	telling := &request.Telling{App: &running.App{}, Log: slog.New(slog.DiscardHandler)}
	rec := httptest.NewRecorder()
	telling.Answer(echo.New().NewContext(c.Request(), rec), err)
	if rec.Code >= http.StatusInternalServerError || rec.Body.Len() > problemAtMost {
		t.Errorf("%v is answered with %d, %d bytes", err, rec.Code, rec.Body.Len())
	}
}

func FuzzBody(f *testing.F) {
	for _, seed := range []string{`{"id":"ada","facts":{"name":"Ada","tags":["a"]}}`, `{"facts":null}`, "\uFEFF{}",
		`{"a":1,"a":2}`,
		`{"writes":[{"create":"posts","id":"p","facts":{"a":1}},` +
			`{"set":"like","from":"a","to":"b"},{"edit":"posts/p","version":1}]}`,
		`[{"op":"add","path":"/facts/a","value":[[[]]]}]`, `{"facts":{"é":"\ud800"}}`, strings.Repeat(`{"a":[`, 40)} {
		f.Add([]byte(seed))
	}
	f.Fuzz(func(t *testing.T, text []byte) {
		bounds.Hold(t, func() {
			req := httptest.NewRequest("POST", "/v1/collections/people", bytes.NewReader(text))
			req.Header.Set("Content-Type", "application/json")
			c := echo.New().NewContext(req, httptest.NewRecorder())
			raw, err := request.Body(c, echo.MIMEApplicationJSON)
			told(t, c, err)
			if err != nil {
				return
			}
			given, err := request.Members(raw, "id", "facts")
			told(t, c, err)
			if said, there := given["facts"]; err == nil && there {
				_, err = request.Object("/facts", said)
				told(t, c, err)
			}
			_, err = readBatch(raw)
			told(t, c, err)
			patch, err := patchIn(c, raw)
			if told(t, c, err); err == nil && patch == nil {
				t.Error("no patch and no error")
			}
		})
	})
}

func FuzzQuery(f *testing.F) {
	for _, seed := range []string{"limit=5&cursor=abc", "settled=..17&patience=3", "settled=all", "limit=1&limit=2",
		"a;b", "%zz", "%00=%ff",
		"limit=99999999999999999999", strings.Repeat("x=1&", 100)} {
		f.Add(seed)
	}
	cs := request.NewCursors([]byte("a key"))
	f.Fuzz(func(t *testing.T, query string) {
		bounds.Hold(t, func() {
			req := httptest.NewRequest("GET", "/v1/collections/people", nil)
			req.URL = &url.URL{Path: "/v1/collections/people", RawQuery: query}
			c := echo.New().NewContext(req, httptest.NewRecorder())
			err := gate.CheckAddress(req)
			if err == nil {
				err = request.OnlyAsks(c, "limit", "cursor", "settled", "patience")
			}
			if err == nil {
				_, err = cs.Page(c)
			}
			if err == nil {
				_, err = request.Patience(c)
			}
			told(t, c, err)
		})
	})
}
