package api

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"yalvo/internal/doors/openapi"
	"yalvo/internal/doors/problem"
	"yalvo/internal/doors/request"
	"yalvo/internal/engine/documents"
	"yalvo/internal/engine/running"
)

// mostMarks is how many kinds of marks a read may ask for.
const mostMarks = 10

// marks are those that a read asks for: how the caller is paired with what it gets.
type marks struct {
	who   running.Viewer
	names []string
}

// marksAsked reads the query's marks: names, separated by commas.
func marksAsked(c *echo.Context) (marks, error) {
	text := c.QueryParam("marks")
	if text == "" {
		return marks{}, nil
	}
	asked := marks{request.Viewer(c), strings.Split(text, ",")}
	if len(asked.names) > mostMarks {
		return asked, problem.BadRequest(fmt.Sprintf("%d marks are asked for, %d are allowed", len(asked.names),
			mostMarks))
	}
	slices.Sort(asked.names)
	asked.names = slices.Compact(asked.names)
	if asked.who.Me == "" {
		return asked, problem.BadRequest("marks say how the caller is paired with what is read: sign in " +
			"as an account, or as an operator name one in the header " + openapi.HeaderAs)
	}
	return asked, nil
}

// marked are the marks of some documents in JSON, in their order; nil if none are asked
// for.
func (s *API) marked(c *echo.Context, asked marks, docs documents.Markable) ([]json.RawMessage, error) {
	if len(asked.names) == 0 {
		return nil, nil
	}
	got, err := s.Documents.Marks(c.Request().Context(), asked.who, asked.names, docs)
	if err != nil {
		return nil, err
	}
	return asked.texts(got), nil
}

func (asked marks) texts(got []documents.Marked) []json.RawMessage {
	out := make([]json.RawMessage, len(got))
	none := asked.text(nil)
	for i, marked := range got {
		if out[i] = none; len(marked) > 0 {
			out[i] = asked.text(marked)
		}
	}
	return out
}

// text is the marks of a document in JSON. A general encoder would take as long as reading
// them does. Their names have no characters that JSON escapes.
func (asked marks) text(marked documents.Marked) json.RawMessage {
	text := []byte{'{'}
	for i, name := range asked.names {
		if i > 0 {
			text = append(text, ',')
		}
		text = append(append(append(text, '"'), name...), `":`...)
		m := marked[name]
		if m == nil {
			text = append(text, "null"...)
			continue
		}
		text = m.Since.AppendFormat(append(text, `{"since":"`...), time.RFC3339Nano)
		text = append(text, '"')
		if len(m.Facts) > 0 {
			text = append(append(text, `,"facts":`...), m.Facts...)
		}
		text = append(text, '}')
	}
	return append(text, '}')
}
