package harness

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net/http"
	"strings"
	"sync"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/getkin/kin-openapi/routers/legacy"
)

// checked is a transport that holds answers against the service's own
// OpenAPI document, and fails the test if it is not as described.
func (a *App) checked() http.RoundTripper {
	a.T.Helper()
	transport := http.DefaultTransport.(*http.Transport).Clone()
	transport.DisableCompression = true // packing takes a race detector long
	transport.MaxIdleConnsPerHost = 64
	a.T.Cleanup(transport.CloseIdleConnections)
	return &checkedTransport{app: a, next: transport}
}

// described reads the OpenAPI document.
func (a *App) described() *description {
	a.T.Helper()
	resp, err := http.DefaultClient.Do(a.Request("GET", "/v1/openapi.json", ""))
	if err != nil {
		a.T.Fatal(err)
	}
	defer resp.Body.Close()
	raw, err := io.ReadAll(resp.Body)
	if err != nil {
		a.T.Fatal(err)
	}
	d, err := descriptionIn(raw)
	if err != nil {
		a.T.Fatalf("the OpenAPI document: %v", err)
	}
	return d
}

// anyService stands for the address of the service in a document that several have.
const anyService = "service.test"

// description is an OpenAPI document.
type description struct {
	routers.Router // finds the operation of a request

	mu   sync.Mutex
	seen map[string]int // how many answers there were of each kind
}

// descriptions are those that have been read, by their text: many tests have the same design.
var descriptions = struct {
	mu  sync.Mutex
	all map[string]*description
}{all: map[string]*description{}}

func descriptionIn(raw []byte) (*description, error) {
	descriptions.mu.Lock()
	defer descriptions.mu.Unlock()
	if d := descriptions.all[string(raw)]; d != nil {
		return d, nil
	}
	doc, err := openapi3.NewLoader().LoadFromData(raw)
	if err == nil {
		err = doc.Validate(context.Background())
	}
	if err != nil {
		return nil, err
	}
	doc.Servers = openapi3.Servers{{URL: "http://" + anyService}}
	router, err := legacy.NewRouter(doc)
	if err != nil {
		return nil, err
	}
	d := &description{Router: router, seen: map[string]int{}}
	descriptions.all[string(raw)] = d
	return d, nil
}

type checkedTransport struct {
	app  *App
	next http.RoundTripper

	mu sync.Mutex
	by *description // nil: the design in force has changed since
}

// Of each kind of answer the first so many are checked, and then one in some: tests read thousands that are alike,
// and a check takes ten times as long as the answer.
const (
	checkedFirst = 3
	checkedOneIn = 100
)

// checks tells whether an answer is to be checked.
func (d *description) checks(req *http.Request, resp *http.Response) bool {
	parts := strings.SplitN(req.URL.Path, "/", 5) // "", "v1", "collections", "posts", ...
	kind := fmt.Sprint(req.Method, parts[:min(4, len(parts))], strings.Count(req.URL.Path, "/"), resp.StatusCode)
	d.mu.Lock()
	defer d.mu.Unlock()
	d.seen[kind]++
	return d.seen[kind] <= checkedFirst || d.seen[kind]%checkedOneIn == 0
}

// describes is the document that answers are held against now.
func (c *checkedTransport) describes() *description {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.by == nil {
		c.by = c.app.described()
	}
	return c.by
}

// RoundTrip sends the request and checks the answer.
func (c *checkedTransport) RoundTrip(req *http.Request) (*http.Response, error) {
	resp, err := c.next.RoundTrip(req)
	if err == nil && req.Method == http.MethodPut && req.URL.Path == "/v1/design" && resp.StatusCode == http.StatusOK {
		c.mu.Lock()
		c.by = nil // another design, another document
		c.mu.Unlock()
	}
	if err != nil || strings.HasPrefix(resp.Header.Get("Content-Type"), "text/event-stream") ||
		resp.Header.Get("Content-Type") == "application/x-ndjson" ||
		c.app.Evolving.Load() || req.URL.Query().Has("fields") {
		return resp, err
	}
	by := c.describes()
	if !by.checks(req, resp) {
		return resp, nil
	}
	body, err := io.ReadAll(resp.Body)
	if err != nil {
		return nil, err
	}
	resp.Body.Close()
	resp.Body = io.NopCloser(bytes.NewReader(body))
	to := *req.URL
	to.Host = anyService
	route, params, err := by.FindRoute(&http.Request{Method: req.Method, URL: &to, Header: req.Header})
	if err != nil {
		if resp.StatusCode != http.StatusNotFound && resp.StatusCode != http.StatusBadRequest {
			c.app.T.Errorf("%s %s answered %d and is not in the OpenAPI document: %v", req.Method, req.URL.Path,
				resp.StatusCode, err)
		}
		return resp, nil
	}
	input := &openapi3filter.ResponseValidationInput{
		RequestValidationInput: &openapi3filter.RequestValidationInput{Request: req, PathParams: params, Route: route},
		Status:                 resp.StatusCode, Header: resp.Header,
		Options: &openapi3filter.Options{IncludeResponseStatus: true},
	}
	input.SetBodyBytes(body)
	if err := openapi3filter.ValidateResponse(req.Context(), input); err != nil {
		c.app.T.Errorf("the answer to %s %s is not as described: %v\n%s", req.Method, req.URL.Path, err, body)
	}
	return resp, nil
}
