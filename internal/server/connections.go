package server

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"strconv"
)

// plainListener is a listener whose connections answer with problem details also
// what net/http refuses by itself, before any handler: a request it cannot read,
// a header that is too large.
type plainListener struct{ net.Listener }

// Accept waits for the next connection.
func (l plainListener) Accept() (net.Conn, error) {
	c, err := l.Listener.Accept()
	if err != nil {
		return nil, err
	}
	return plainConn{c}, nil
}

type plainConn struct{ net.Conn }

// ownHeader is how the refusals of net/http go on after their first line. An
// answer of a handler begins with other headers.
var ownHeader = []byte("\r\nContent-Type: text/plain; charset=utf-8\r\nConnection: close\r\n\r\n")

// Write writes an answer, or the problem that stands for a refusal.
func (c plainConn) Write(text []byte) (int, error) {
	line, _, found := bytes.Cut(text, ownHeader)
	if !found || !bytes.HasPrefix(line, []byte("HTTP/1.1 4")) && !bytes.HasPrefix(line, []byte("HTTP/1.1 5")) {
		return c.Conn.Write(text)
	}
	status, err := strconv.Atoi(string(line[9:12]))
	if err != nil {
		return c.Conn.Write(text)
	}
	problem, err := json.Marshal(refusedBelow(status))
	if err != nil {
		return c.Conn.Write(text)
	}
	if _, err := fmt.Fprintf(c.Conn, "HTTP/1.1 %d %s\r\nContent-Type: application/problem+json\r\n"+
		"Content-Length: %d\r\nConnection: close\r\n\r\n%s", status, http.StatusText(status), len(problem),
		problem); err != nil {
		return 0, err
	}
	return len(text), nil
}

// refusedBelow says why a request never reached a handler.
func refusedBelow(status int) *problem {
	switch status {
	case http.StatusRequestHeaderFieldsTooLarge:
		return newProblem(status, codeTooBig, fmt.Sprintf("the request's header is larger than %d bytes", maxHeader))
	case http.StatusRequestTimeout:
		return newProblem(status, codeTooSlow, fmt.Sprintf("the request's header was not there after %v", headerTime))
	}
	return newProblem(status, codeBadRequest, "the request is not HTTP as it should be: see RFC 9110 and 9112")
}
