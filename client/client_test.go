package client_test

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"testing"

	"yalvo/client"
)

// answering is a service that records the request and gives one answer.
func answering(t *testing.T, status int, media, body string) (*client.Client, func() string) {
	t.Helper()
	var got string
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		text, err := io.ReadAll(r.Body)
		if err != nil {
			t.Error(err)
		}
		got = fmt.Sprintf("%s %s as=%q if=%q key=%q type=%q %s", r.Method, r.URL, r.Header.Get("Yalvo-As"),
			r.Header.Get("If-Match"), r.Header.Get("Idempotency-Key"), r.Header.Get("Content-Type"), text)
		w.Header().Set("Content-Type", media)
		w.Header().Set("Yalvo-Position", "17")
		w.WriteHeader(status)
		if _, err := io.WriteString(w, body); err != nil {
			t.Error(err)
		}
	}))
	t.Cleanup(server.Close)
	return client.New(server.URL + "/"), func() string { return got }
}

func TestWhatIsSent(t *testing.T) {
	c, sent := answering(t, 200, "application/json", `{}`)
	ctx := t.Context()
	for _, call := range []struct {
		do   func() error
		want string
	}{
		{func() error {
			_, _, err := c.As("ada").Once("k").Create(ctx, "posts", "p1", map[string]any{"n": 1})
			return err
		},
			`POST /v1/collections/posts as="ada" if="" key="k" type="application/json" {"facts":{"n":1},"id":"p1"}`},
		{func() error { _, _, err := c.If(3).Patch(ctx, "posts/p1", map[string]any{"n": nil}); return err },
			`PATCH /v1/collections/posts/p1 as="" if="\"3\"" key="" type="application/merge-patch+json" ` +
				`{"facts":{"n":null}}`},
		{func() error { _, err := c.Set(ctx, "like", "ada", "p1/r2"); return err },
			`PUT /v1/pairs/like/ada/p1%2Fr2 as="" if="" key="" type="" `},
		{func() error {
			_, err := c.After("4", "..9").Timeline(ctx, "home", "ada", client.Page{Limit: 5, Cursor: "c"})
			return err
		},
			`GET /v1/timelines/home/ada?cursor=c&limit=5&patience=60&settled=4%2C..9 as="" if="" key="" type="" `},
		{func() error { _, err := c.AfterAll().Get(ctx, "posts/p1"); return err },
			`GET /v1/collections/posts/p1?patience=60&settled=all as="" if="" key="" type="" `},
	} {
		if err := call.do(); err != nil {
			t.Error(err)
		}
		if got := sent(); got != call.want {
			t.Errorf("sent %s\nwant %s", got, call.want)
		}
	}
}

func TestAWriteAnswersWithItsPosition(t *testing.T) {
	c, _ := answering(t, 201, "application/json", `{"id":"p1","kept":{"n":2}}`)
	doc, position, err := c.Create(t.Context(), "posts", "", nil)
	if err != nil || position != "17" || doc.ID != "p1" || doc.Kept["n"] != 2.0 {
		t.Errorf("%+v at %q, %v", doc, position, err)
	}
}

func TestAProblemSaysWhereAndWhat(t *testing.T) {
	c, _ := answering(
		t,
		422,
		"application/problem+json",
		`{"status":422,"code":"invalid","detail":"it does not `+
			`fit","errors":[{"pointer":"/facts/a","code":"required","detail":"a is needed"}]}`,
	)
	_, err := c.Get(t.Context(), "posts/p1")
	var p *client.Problem
	if !errors.As(err, &p) || p.Code != "invalid" || p.Errors[0].Code != "required" {
		t.Fatalf("got %#v", err)
	}
	if got, want := p.Error(), "it does not fit\n  /facts/a: a is needed"; got != want {
		t.Errorf("got %q, want %q", got, want)
	}
}

func TestAnErrorThatIsNoProblemIsStillOne(t *testing.T) {
	c, _ := answering(t, 502, "text/html", "bad gateway\n")
	_, err := c.Get(t.Context(), "posts/p1")
	var p *client.Problem
	if !errors.As(err, &p) || p.Status != 502 || p.Detail != "bad gateway" {
		t.Errorf("got %#v", err)
	}
}

func TestNobodyThere(t *testing.T) {
	_, err := client.New("http://127.0.0.1:1").Get(t.Context(), "posts/p1")
	if !errors.Is(err, client.ErrUnreachable) {
		t.Errorf("got %v", err)
	}
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if _, err := client.New("http://127.0.0.1:1").Get(ctx, "posts/p1"); !errors.Is(err, context.Canceled) {
		t.Errorf("given up, it says %v", err)
	}
}
