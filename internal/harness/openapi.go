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
	return &checkedTransport{app: a, router: a.described(), next: transport, seen: map[string]int{}}
}

// described reads the OpenAPI document and finds the operation of a request in it.
func (a *App) described() routers.Router {
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
	router, err := routerOf(raw)
	if err != nil {
		a.T.Fatalf("the OpenAPI document: %v", err)
	}
	return router
}

// anyService stands for the address of the service in a document that several have.
const anyService = "service.test"

// described are the routers of the documents that have been read: many tests have the same
// design.
var described struct {
	mu      sync.Mutex
	routers map[string]routers.Router
}

func routerOf(raw []byte) (routers.Router, error) {
	described.mu.Lock()
	defer described.mu.Unlock()
	if r := described.routers[string(raw)]; r != nil {
		return r, nil
	}
	doc, err := openapi3.NewLoader().LoadFromData(raw)
	if err == nil {
		err = doc.Validate(context.Background())
	}
	if err != nil {
		return nil, err
	}
	doc.Servers = openapi3.Servers{{URL: "http://" + anyService}}
	r, err := legacy.NewRouter(doc)
	if err == nil {
		if described.routers == nil {
			described.routers = map[string]routers.Router{}
		}
		described.routers[string(raw)] = r
	}
	return r, err
}

type checkedTransport struct {
	app    *App
	router routers.Router
	next   http.RoundTripper

	mu   sync.Mutex
	seen map[string]int // how many answers there were of each kind
}

// Of each kind of answer the first so many are checked, and then one in some:
// tests with random operations read thousands that are alike.
const (
	checkedFirst = 4
	checkedOneIn = 100
)

// checks tells whether an answer is to be checked.
func (c *checkedTransport) checks(req *http.Request, resp *http.Response) bool {
	parts := strings.SplitN(req.URL.Path, "/", 4) // "", "v1", "collections", ...
	kind := fmt.Sprint(req.Method, parts[:min(3, len(parts))], strings.Count(req.URL.Path, "/"), resp.StatusCode)
	c.mu.Lock()
	defer c.mu.Unlock()
	c.seen[kind]++
	return c.seen[kind] <= checkedFirst || c.seen[kind]%checkedOneIn == 0
}

// RoundTrip sends the request and checks the answer.
func (c *checkedTransport) RoundTrip(req *http.Request) (*http.Response, error) {
	resp, err := c.next.RoundTrip(req)
	if err == nil && req.Method == http.MethodPut && req.URL.Path == "/v1/design" && resp.StatusCode == http.StatusOK {
		router := c.app.described() // another design, another document
		c.mu.Lock()
		c.router = router
		c.mu.Unlock()
	}
	if err != nil || strings.HasPrefix(resp.Header.Get("Content-Type"), "text/event-stream") ||
		resp.Header.Get("Content-Type") == "application/x-ndjson" ||
		c.app.Evolving.Load() || req.URL.Query().Has("fields") || !c.checks(req, resp) {
		return resp, err
	}
	body, err := io.ReadAll(resp.Body)
	if err != nil {
		return nil, err
	}
	resp.Body.Close()
	resp.Body = io.NopCloser(bytes.NewReader(body))
	c.mu.Lock()
	router := c.router
	c.mu.Unlock()
	to := *req.URL
	to.Host = anyService
	route, params, err := router.FindRoute(&http.Request{Method: req.Method, URL: &to, Header: req.Header})
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
