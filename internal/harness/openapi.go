package harness

import (
	"bytes"
	"io"
	"net/http"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/getkin/kin-openapi/routers/legacy"
)

// checked is a transport that holds every answer against the service's own
// OpenAPI document, and fails the test if it is not as described.
func (a *App) checked() http.RoundTripper {
	a.T.Helper()
	resp, err := http.Get(a.URL + "/v1/openapi.json")
	if err != nil {
		a.T.Fatal(err)
	}
	defer resp.Body.Close()
	raw, err := io.ReadAll(resp.Body)
	if err != nil {
		a.T.Fatal(err)
	}
	doc, err := openapi3.NewLoader().LoadFromData(raw)
	if err != nil {
		a.T.Fatalf("the OpenAPI document cannot be read: %v", err)
	}
	if err := doc.Validate(a.T.Context()); err != nil {
		a.T.Fatalf("the OpenAPI document is not valid: %v", err)
	}
	doc.Servers = openapi3.Servers{{URL: a.URL}}
	router, err := legacy.NewRouter(doc)
	if err != nil {
		a.T.Fatal(err)
	}
	transport := http.DefaultTransport.(*http.Transport).Clone()
	transport.MaxIdleConnsPerHost = 64
	a.T.Cleanup(transport.CloseIdleConnections)
	return &checkedTransport{a, router, transport}
}

type checkedTransport struct {
	app    *App
	router routers.Router
	next   http.RoundTripper
}

// RoundTrip sends the request and checks the answer.
func (c *checkedTransport) RoundTrip(req *http.Request) (*http.Response, error) {
	resp, err := c.next.RoundTrip(req)
	if err != nil || strings.HasPrefix(resp.Header.Get("Content-Type"), "text/event-stream") {
		return resp, err
	}
	body, err := io.ReadAll(resp.Body)
	if err != nil {
		return nil, err
	}
	resp.Body.Close()
	resp.Body = io.NopCloser(bytes.NewReader(body))
	route, params, err := c.router.FindRoute(req)
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
