// Package problem is how a request that is not answered as it was meant is answered:
// problem details (RFC 9457) with a stable code.
//
// In go a status, a code and what to do; out comes an error that is JSON. Not done here:
// which refusal of the rooms has which status (package server).
package problem

import (
	"net/http"
	"unicode/utf8"
)

// Problem is a problem detail (RFC 9457) with a stable code and, for bad
// input, each offending place as a JSON Pointer (RFC 6901) into the body.
type Problem struct {
	Type   string    `json:"type"`
	Title  string    `json:"title"`
	Status int       `json:"status"`
	Detail string    `json:"detail"`
	Code   string    `json:"code"`
	Errors []Mistake `json:"errors,omitempty"`

	Rule any `json:"rule,omitempty"` // the rule that has refused the request
}

// Mistake is one offending place, by its pointer into the body.
type Mistake struct {
	Pointer string `json:"pointer"`
	Code    string `json:"code"`
	Detail  string `json:"detail"`
}

// At is a mistake in one place.
func At(pointer, code, detail string) Mistake { return Mistake{pointer, code, detail} }

// Error is the problem's detail.
func (p *Problem) Error() string { return p.Detail }

// The codes of problems that no refusal of the app stands for.
const (
	CodeBadRequest = "bad-request"
	CodeNotJSON    = "not-json"
	CodeTooBig     = "too-big"
	CodeMediaType  = "media-type"
	CodeBadCursor  = "bad-cursor"
	CodeNoRoute    = "no-route"
	CodeNoDatabase = "no-database"
	CodeNoRoom     = "no-room"
	CodeInternal   = "internal"
	CodeTooSlow    = "too-slow"
	CodeForeign    = "foreign"
	CodeTooFast    = "too-fast"
	CodeNoMethod   = "no-such-method"
	CodeBusy       = "busy"

	CodeNotSignedIn = "not-signed-in" // nobody is known to have sent it
	CodeNotBelieved = "not-believed"  // whoever has sent it is not who they say
)

// New makes a problem.
func New(status int, code, detail string) *Problem {
	return &Problem{Type: "urn:yalvo:problem:" + code, Title: http.StatusText(status), Status: status, Detail: detail,
		Code: code}
}

// BadRequest is the problem with a request that cannot be read.
func BadRequest(detail string) *Problem {
	return New(http.StatusBadRequest, CodeBadRequest, detail)
}

// Busy is the problem of a service that has no room for a request just now.
func Busy(detail string) error {
	return New(http.StatusServiceUnavailable, CodeBusy, detail+": try again")
}

// Clip keeps a client's long text from filling a message.
func Clip(s string) string {
	const most = 100
	if utf8.RuneCountInString(s) <= most {
		return s
	}
	return string([]rune(s)[:most]) + "…"
}
