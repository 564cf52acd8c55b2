package gate

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"strconv"

	"yalvo/internal/doors/problem"
)

// Listener is a listener whose connections answer with problem details also
// what net/http refuses by itself, before any handler: a request it cannot read,
// a header that is too large.
type Listener struct{ net.Listener }

// Accept waits for the next connection.
func (l Listener) Accept() (net.Conn, error) {
	c, err := l.Listener.Accept()
	if err != nil {
		return nil, err
	}
	return conn{c}, nil
}

type conn struct{ net.Conn }

// ownHeader is how the refusals of net/http go on after their first line. An
// answer of a handler begins with other headers.
var ownHeader = []byte("\r\nContent-Type: text/plain; charset=utf-8\r\nConnection: close\r\n\r\n")

// Write writes an answer, or the problem that stands for a refusal.
func (c conn) Write(text []byte) (int, error) {
	if !bytes.HasPrefix(text, []byte("HTTP/1.1 4")) && !bytes.HasPrefix(text, []byte("HTTP/1.1 5")) {
		return c.Conn.Write(text) // as most are: of these no more is looked at
	}
	line, _, found := bytes.Cut(text, ownHeader)
	if !found {
		return c.Conn.Write(text)
	}
	status, err := strconv.Atoi(string(line[9:12]))
	if err != nil {
		return c.Conn.Write(text)
	}
	told, err := json.Marshal(refusedBelow(status))
	if err != nil {
		return c.Conn.Write(text)
	}
	const answer = "HTTP/1.1 %d %s\r\nContent-Type: application/problem+json\r\nContent-Length: %d\r\n" +
		"Connection: close\r\n\r\n%s"
	if _, err := fmt.Fprintf(c.Conn, answer, status, http.StatusText(status), len(told), told); err != nil {
		return 0, err
	}
	return len(text), nil
}

// refusedBelow says why a request never reached a handler.
func refusedBelow(status int) *problem.Problem {
	switch status {
	case http.StatusRequestHeaderFieldsTooLarge:
		return problem.New(status, problem.CodeTooBig, fmt.Sprintf("the request's header is larger than %d bytes",
			MaxHeader))
	case http.StatusRequestTimeout:
		return problem.New(status, problem.CodeTooSlow, fmt.Sprintf("the request's header was not there after %v",
			HeaderTime))
	}
	return problem.New(status, problem.CodeBadRequest, "the request is not HTTP as it should be: see RFC 9110 and 9112")
}
