package store

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"
)

// Quiet are the edits of a document that have touched nothing but values which the design in force then
// narrowed, by those they touched together: how many, and when the last was. A document's version counts
// all edits, and its time those that are not quiet: who may not read what a quiet edit has touched is to
// be told of neither.
type Quiet map[string]QuietEdits

// QuietEdits are those of the same values.
type QuietEdits struct {
	Many int64
	Last time.Time
}

// GormDataType is what GORM wants to know of every type.
func (Quiet) GormDataType() string { return "jsonb" }

// Scan reads them out of the database.
func (q *Quiet) Scan(stored any) error {
	switch text := stored.(type) {
	case []byte:
		return json.Unmarshal(text, q)
	case string:
		return json.Unmarshal([]byte(text), q)
	}
	*q = nil
	return nil
}

// UnmarshalJSON reads them as they are stored: [many, last].
func (q *QuietEdits) UnmarshalJSON(text []byte) error {
	var last string
	err := json.Unmarshal(text, &[]any{&q.Many, &last})
	if err == nil {
		q.Last, err = time.Parse(time.RFC3339Nano, last)
	}
	if err != nil {
		return fmt.Errorf("quiet edits cannot be read: %w", err)
	}
	return nil
}

// MarshalJSON writes them as they are stored.
func (q QuietEdits) MarshalJSON() ([]byte, error) {
	return json.Marshal([]any{q.Many, q.Last.Format(time.RFC3339Nano)})
}

// QuietKey is by what the quiet edits of some values are stored; empty: the edit is not quiet.
func QuietKey(touched, narrowed []string) string {
	for _, name := range touched {
		if !slices.Contains(narrowed, name) {
			return ""
		}
	}
	return strings.Join(slices.Sorted(slices.Values(touched)), " ")
}

// As is the version of a document, and when it was edited last, for whom some of its values are hidden.
func (d Document) As(hidden []string) (version int64, updated time.Time) {
	version, updated = d.Version, d.Updated
	isSeen := func(name string) bool { return !slices.Contains(hidden, name) }
	for key, edits := range d.Quiet {
		switch {
		case !slices.ContainsFunc(strings.Fields(key), isSeen):
			version -= edits.Many
		case edits.Last.After(updated):
			updated = edits.Last
		}
	}
	return version, updated
}
