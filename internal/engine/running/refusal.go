package running

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
)

// Refusal is the answer to a request that cannot be carried out as it stands.
// Nothing was written.
type Refusal struct {
	Code     string // stable
	Detail   string
	Mistakes []design.Mistake // for CodeInvalid: each offending place in the request
	Rule     *RefusedBy       // for CodeNotAllowed: what operators are told
}

// RefusedBy is the rule that has refused a request.
type RefusedBy struct {
	Name      string `json:"name"`                // as in "members.edit"
	Condition string `json:"condition,omitempty"` // empty: the design has no such rule, so nobody may
	Line      int    `json:"line,omitempty"`      // where it stands in the design
}

// The codes of refusals.
const (
	CodeNoDesign    = "no-design"        // no design has been applied yet
	CodeUnknownName = "unknown-name"     // no such collection, pair or timeline
	CodeNotFound    = "not-found"        // no such document
	CodeInvalid     = "invalid"          // the request does not fit the design
	CodeConflict    = "conflict"         // the id is taken by another document
	CodeStale       = "stale"            // the document has changed since the client read it
	CodeTestFailed  = "test-failed"      // a JSON Patch tests for what the document has not
	CodeHeld        = "still-referenced" // other documents refuse to let it go
	CodeNotYet      = "not-yet"          // what the reader waits for is still due
	CodeReused      = "key-reused"       // the Idempotency-Key belongs to another request
	CodeLoop        = "trigger-loop"     // triggers set one another off too often
	CodeTooMany     = "too-many"         // others of the kind are under way already
	CodeNoNumbers   = "too-many-names"   // no further names of designs can be numbered
	CodeWouldDrop   = "would-drop"       // a design would lose facts, and nobody said that it may
	CodeOtherBase   = "other-base"       // another design is in force than the one compared with
	CodeBuilding    = "being-built"      // what an earlier design asked for is not done yet
	CodeCannotTry   = "cannot-try"       // an operation that is to be tried is none of the design's
	CodeNotAllowed  = "not-allowed"      // a rule of the design refuses it to the caller
	CodeNoPicture   = "no-picture"       // what was sent is no picture that is taken
	CodeNoPictures  = "no-pictures"      // the service has no place for pictures
	CodeNoSignIn    = "no-sign-in"       // accounts of the app do not sign in here

	CodeWrongPassword = "wrong-password" // or a wrong name: which is not told
	CodeSignedOut     = "signed-out"     // a refresh token holds no more
)

// Error is the refusal in one line, its mistakes included.
func (r *Refusal) Error() string {
	if len(r.Mistakes) == 0 {
		return r.Detail
	}
	var all []string
	for _, m := range r.Mistakes {
		all = append(all, m.Pointer+": "+m.Detail)
	}
	return r.Detail + ": " + strings.Join(all, "; ")
}

// Refuse makes a refusal.
func Refuse(code, detail string, args ...any) *Refusal {
	return &Refusal{Code: code, Detail: fmt.Sprintf(detail, args...)}
}

// Invalid refuses a request for the mistakes in it.
func Invalid(mistakes []design.Mistake) *Refusal {
	return &Refusal{Code: CodeInvalid, Detail: "the request does not fit the design", Mistakes: mistakes}
}

// Under moves mistakes to where the checked value lies in the request.
func Under(pointer string, mistakes []design.Mistake) []design.Mistake {
	moved := make([]design.Mistake, len(mistakes))
	for i, m := range mistakes {
		m.Pointer = pointer + m.Pointer
		moved[i] = m
	}
	return moved
}

// NotFound refuses what needs a document that is not there.
func NotFound(c *plan.Collection, key string) *Refusal {
	return Refuse(CodeNotFound, "there is no document %s", c.Path(key))
}

// IsMissing tells whether something was refused because a document is not there.
func IsMissing(err error) bool {
	var r *Refusal
	if !errors.As(err, &r) {
		return false
	}
	noTarget := func(m design.Mistake) bool { return m.Code == design.MistakeNoTarget }
	return r.Code == CodeNotFound || slices.ContainsFunc(r.Mistakes, noTarget)
}

// IsHopeless tells whether work that failed would fail again in the same way:
// it was refused, not hindered. What is missing may be about to take along what
// asks for it.
func IsHopeless(err error) bool {
	var r *Refusal
	return errors.As(err, &r) && !IsMissing(err)
}
