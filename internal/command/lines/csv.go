package lines

import (
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"yalvo/client"
	"yalvo/internal/design"
)

// CSV reads a CSV file (RFC 4180) as lines of documents of a collection.
func CSV(in io.Reader, o client.Outline, into string) (Next, error) {
	types := map[string]string{}
	var known []string
	for _, c := range o.Collections {
		known = append(known, c.Name)
		if c.Name == into {
			for _, f := range c.Fields {
				types[f.Name] = f.Type
			}
		}
	}
	if len(types) == 0 {
		return nil, fmt.Errorf("the design has no collection %q: %s", into, design.Meant(into, known))
	}
	r := csv.NewReader(in)
	r.ReuseRecord = true
	header, err := r.Read()
	if err != nil {
		return nil, fmt.Errorf("the CSV file has no first line with the names of its columns: %w", err)
	}
	names := append([]string{}, header...)
	names[0] = strings.TrimPrefix(names[0], "\uFEFF")
	hasID := false
	for _, name := range names {
		hasID = hasID || name == "id"
		if _, is := types[name]; !is && name != "id" && name != "created" && name != "updated" {
			return nil, fmt.Errorf("the CSV file has a column %q, and %s has no such field", name, into)
		}
	}
	if !hasID {
		return nil, errors.New("the CSV file has no column id: without it the file could not be loaded twice " +
			"with one effect")
	}
	return func() (Numbered, error) {
		record, err := r.Read()
		if err != nil {
			return Numbered{}, err
		}
		nth, _ := r.FieldPos(0)
		return Numbered{nth, documentOf(into, names, types, record)}, nil
	}, nil
}

// documentOf is a line for a record of a CSV file. What is no value of its field's
// type is sent as a text: the service tells what is wrong.
func documentOf(into string, names []string, types map[string]string, record []string) []byte {
	facts, line := map[string]any{}, map[string]any{}
	texts := []string{"string", "reference", "media", "timestamp"}
	for i, text := range record {
		name := names[i]
		switch {
		case name == "id":
			line["document"] = into + "/" + text
		case text == "":
		case name == "created" || name == "updated":
			line[name] = text
		case slices.Contains(texts, types[name]):
			facts[name] = text
		default:
			var v any = text
			if json.Valid([]byte(text)) {
				v = json.RawMessage(text)
			}
			facts[name] = v
		}
	}
	line["facts"] = facts
	out, err := json.Marshal(line)
	if err != nil {
		return []byte(err.Error())
	}
	return out
}
