package client

import (
	"context"
	"encoding/json"
	"net/http"
)

// Trial is an operation to be tried: on a document or one value of it, on a pair, or a
// look at a timeline or a list.
type Trial struct {
	As       *string        `json:"as"` // the id of an account, nil for a stranger
	Do       string         `json:"do"` // read, create, edit, remove, set or unset
	Document string         `json:"document,omitempty"`
	Field    string         `json:"field,omitempty"` // read: one value of it
	Facts    map[string]any `json:"facts,omitempty"` // of a creation, an edit or a pair
	Pair     string         `json:"pair,omitempty"`
	From     string         `json:"from,omitempty"`
	To       string         `json:"to,omitempty"`
	Timeline string         `json:"timeline,omitempty"`
	Owner    string         `json:"owner,omitempty"`
	List     string         `json:"list,omitempty"`
	Of       string         `json:"of,omitempty"` // of a list that is asked for a document: its key
}

// Outcome is what a trial came to.
type Outcome struct {
	Allowed bool         `json:"allowed"`
	Missing bool         `json:"missing"`         // refused as if what it is about were not there
	Refused string       `json:"refused"`         // the rule that refused it
	Words   []string     `json:"words,omitempty"` // what the account is told
	Steps   []AccessStep `json:"steps"`
}

// AccessStep is one of the conditions that have to hold.
type AccessStep struct {
	Rule      string       `json:"rule"` // as in "members.edit"
	Line      int          `json:"line,omitempty"`
	Condition string       `json:"condition,omitempty"` // empty: the design has no such rule
	About     string       `json:"about,omitempty"`
	Value     string       `json:"value"` // true, false, or unknown where something is absent
	Parts     []AccessPart `json:"parts,omitempty"`
}

// AccessPart is a part of a condition with what it came to.
type AccessPart struct {
	Text  string       `json:"text"`
	Value string       `json:"value"`
	Words string       `json:"words,omitempty"`
	Parts []AccessPart `json:"parts,omitempty"`
}

// Try asks whether somebody may do something, and why. Nothing is done.
func (c *Client) Try(ctx context.Context, t Trial) (Outcome, error) {
	raw, err := json.Marshal(t)
	if err != nil {
		return Outcome{}, err
	}
	var out Outcome
	_, err = c.call(ctx, http.MethodPost, "/access/try", nil, "application/json", raw, &out)
	return out, err
}
