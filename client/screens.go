package client

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"slices"
)

// Screen is what a screen of the design is answered: each of its parts, or why that is refused.
type Screen struct {
	Parts   map[string]json.RawMessage `json:"parts"`
	Refused map[string]*Problem        `json:"refused,omitempty"`
}

// Part decodes a part into v, such as a [Document], [Documents] or a [Timeline]. One that was refused is a [*Problem].
func (s Screen) Part(name string, v any) error {
	if p := s.Refused[name]; p != nil {
		return p
	}
	if s.Parts[name] == nil {
		return fmt.Errorf("the screen has no part %q", name)
	}
	return json.Unmarshal(s.Parts[name], v)
}

// Show reads a screen. of is what it is asked for, empty for nothing; params are its parameters as a query has them,
// with part and cursor among them for more of one part.
func (c *Client) Show(ctx context.Context, screen, of string, params map[string]string) (Screen, error) {
	path, query := screenPath(screen, of, params)
	var s Screen
	_, err := c.call(ctx, http.MethodGet, path, query, "", nil, &s)
	return s, err
}

func screenPath(screen, of string, params map[string]string) (string, url.Values) {
	path := "/screens/" + url.PathEscape(screen)
	if of != "" {
		path += "/" + url.PathEscape(of)
	}
	query := url.Values{}
	for name, value := range params {
		query.Set(name, value)
	}
	return path, query
}

// FollowScreen calls show with a screen, and again whenever one of its live parts has changed, until the context ends
// or show returns an error. A stream that breaks off is taken up again, several times.
func (c *Client) FollowScreen(ctx context.Context, screen, of string, params map[string]string,
	show func(Screen) error) error {
	path, query := screenPath(screen, of, params)
	return c.followEvents(ctx, path, query, &followingScreen{show: show})
}

// followingScreen is what a stream has shown of a screen so far.
type followingScreen struct {
	show  func(Screen) error
	is    Screen
	parts map[string]*following
	id    string
	whole Screen
	kept  map[string]*following // as the parts were when all was there that belongs together
}

func (f *followingScreen) shown() string { return f.id }

// again goes back to what was whole.
func (f *followingScreen) again() {
	f.is, f.parts = f.whole, map[string]*following{}
	for name, part := range f.kept {
		f.parts[name] = part.copied()
	}
}

// event does what an event says. The last of those that belong together is `current`.
func (f *followingScreen) event(name, id string, data []byte) error {
	switch name {
	case "screen":
		f.is, f.parts = Screen{}, map[string]*following{}
		return json.Unmarshal(data, &f.is)
	case "current":
		f.id, f.whole, f.kept = id, f.is, map[string]*following{}
		for part, is := range f.parts {
			f.kept[part] = is.copied()
		}
		return stoppedIf(f.show(f.is))
	}
	var about struct{ Part string }
	if err := json.Unmarshal(data, &about); err != nil {
		return err
	}
	part := f.parts[about.Part]
	if part == nil {
		part = &following{}
		if err := part.page(f.is.Parts[about.Part]); err != nil {
			return err
		}
		f.parts[about.Part] = part
	}
	if err := part.event(name, id, data); err != nil {
		return err
	}
	return f.put(about.Part, part.items)
}

// put writes what a part shows.
func (f *followingScreen) put(name string, items []json.RawMessage) error {
	var page map[string]json.RawMessage
	if err := json.Unmarshal(f.is.Parts[name], &page); err != nil {
		return err
	}
	text := json.RawMessage("null") // a document that has gone
	for _, member := range []string{"entries", "documents"} {
		if page[member] == nil {
			continue
		}
		all, err := json.Marshal(append([]json.RawMessage{}, items...))
		if err != nil {
			return err
		}
		page[member] = all
		if text, err = json.Marshal(page); err != nil {
			return err
		}
	}
	if page["entries"] == nil && page["documents"] == nil && len(items) > 0 {
		text = items[0]
	}
	parts := map[string]json.RawMessage{}
	for part, is := range f.is.Parts {
		parts[part] = is
	}
	parts[name] = text
	f.is.Parts = parts
	return nil
}

func (f *following) copied() *following {
	return &following{items: slices.Clone(f.items), paths: slices.Clone(f.paths)}
}
