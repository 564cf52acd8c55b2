package operating

import (
	"encoding/json"
	"net/http"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"yalvo/internal/design"
	"yalvo/internal/design/access"
	"yalvo/internal/doors/request"
)

// triable are the operations that can be tried.
var triable = []design.Op{design.OpRead, design.OpCreate, design.OpEdit, design.OpRemove, design.OpSet, design.OpUnset}

// tryAccess answers whether an account may do something, by which rules. Nothing is done.
func (s *API) tryAccess(c *echo.Context) error {
	raw, err := request.Body(c, echo.MIMEApplicationJSON)
	if err != nil {
		return err
	}
	given, err := request.Members(raw, "as", "do", "document", "field", "facts", "pair", "from", "to", "timeline",
		"owner", "list", "of")
	if err != nil {
		return err
	}
	account, trial, err := trialIn(given)
	if err != nil {
		return err
	}
	out, err := s.Proof.Try(c.Request().Context(), account, trial)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, out)
}

func trialIn(given map[string]json.RawMessage) (account string, t access.Trial, err error) {
	var do string
	for name, into := range map[string]*string{"as": &account, "do": &do, "document": &t.Document, "field": &t.Field,
		"pair": &t.Pair, "from": &t.From, "to": &t.To, "timeline": &t.Timeline, "owner": &t.Owner, "list": &t.List,
		"of": &t.Of} {
		text, is := given[name]
		if is && (json.Unmarshal(text, into) != nil || string(text) == "null" && name != "as") {
			return "", t, request.Wrong("/"+name, design.MistakeType, "this must be a text")
		}
	}
	if account != "" {
		if wrong := design.CheckID(account); wrong != "" {
			return "", t, request.Wrong("/as", design.MistakeType,
				"as is the id of an account, or null for a stranger: "+wrong)
		}
	}
	if t.Op = design.Op(do); !slices.Contains(triable, t.Op) {
		var known []string
		for _, op := range triable {
			known = append(known, string(op))
		}
		return "", t, request.Wrong("/do", design.MistakeChoice, "do is one of "+strings.Join(known, ", "))
	}
	about := 0
	for _, name := range []string{"document", "pair", "timeline", "list"} {
		if given[name] != nil {
			about++
		}
	}
	if about != 1 {
		return "", t, request.Wrong("", design.MistakeMissing,
			"what is tried is about one thing: a document, a pair, a timeline or a list")
	}
	if said, is := given["facts"]; is {
		t.Facts, err = request.Object("/facts", said)
	}
	return account, t, err
}
