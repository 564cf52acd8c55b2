package client

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"
)

// Follow calls show with the first page of a timeline, and again whenever it
// has changed, until the context ends or show returns an error. A stream that breaks off is
// taken up again, several times.
func (c *Client) Follow(ctx context.Context, timeline, owner string, page Page, show func(Timeline) error) error {
	return c.follow(ctx, timelinePath(timeline, owner), page.query(), func(items []json.RawMessage) error {
		t := Timeline{Entries: make([]Entry, len(items))}
		for i, item := range items {
			if err := json.Unmarshal(item, &t.Entries[i]); err != nil {
				return err
			}
		}
		return show(t)
	})
}

// FollowList does the same with the first page of a list: see [Client.Named].
func (c *Client) FollowList(ctx context.Context, list, of string, params map[string]string, page Page,
	show func(Documents) error) error {
	path, query := listPath(list, of, params, page)
	return c.follow(ctx, path, query, func(items []json.RawMessage) error {
		docs := Documents{Documents: make([]Document, len(items))}
		for i, item := range items {
			if err := json.Unmarshal(item, &docs.Documents[i]); err != nil {
				return err
			}
		}
		return show(docs)
	})
}

// FollowDocument does the same with a document, which is nil once it has gone, or may not be
// read any more.
func (c *Client) FollowDocument(ctx context.Context, path string, page Page, show func(*Document) error) error {
	return c.follow(ctx, "/collections/"+path, page.query(), func(items []json.RawMessage) error {
		if len(items) == 0 {
			return show(nil)
		}
		var d Document
		if err := json.Unmarshal(items[0], &d); err != nil {
			return err
		}
		return show(&d)
	})
}

// How often a stream that breaks off is taken up again without getting anything, and when: the
// second time after twice the pause of the first, and so on.
const (
	takeUps   = 7
	takeUpGap = 50 * time.Millisecond
)

// errStopped wraps the error with which show ended the following.
type errStopped struct{ error }

func (c *Client) follow(ctx context.Context, path string, query url.Values, show func([]json.RawMessage) error) error {
	query.Del("cursor") // what is live is the first page
	return c.followEvents(ctx, path, query, &following{show: show})
}

// followed is what a stream shows.
type followed interface {
	event(name, id string, data []byte) error // does what an event says
	again()                                   // goes back to what was shown when all was there that belongs together
	shown() string                            // stands for that, empty if there was nothing yet
}

// stoppedIf marks an error as that of who is shown something.
func stoppedIf(err error) error {
	if err != nil {
		return errStopped{err}
	}
	return nil
}

func (c *Client) followEvents(ctx context.Context, path string, query url.Values, f followed) error {
	for failed := 0; ; failed++ {
		before := f.shown()
		err := c.followOnce(ctx, path, query, f)
		var stopped errStopped
		var problem *Problem
		switch {
		case ctx.Err() != nil:
			return ctx.Err()
		case errors.As(err, &stopped):
			return stopped.error
		case errors.As(err, &problem) && problem.Status < 500, f.shown() == "":
			return err // the first time it must work
		case f.shown() != before:
			failed = -1
			continue
		case failed == takeUps:
			return fmt.Errorf("the stream of %s breaks off again and again: %w", path, err)
		}
		select {
		case <-time.After(takeUpGap << failed):
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

// errEnded is the error of a stream that ended without one.
var errEnded = errors.New("it was ended")

func (c *Client) followOnce(ctx context.Context, path string, query url.Values, f followed) error {
	resp, err := c.resuming(f.shown()).send(ctx, http.MethodGet, "/live"+path, query, "", nil)
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	lines := bufio.NewScanner(resp.Body)
	lines.Buffer(nil, 16<<20)
	f.again()
	var name, id, data string
	for lines.Scan() {
		field, value, _ := strings.Cut(lines.Text(), ": ")
		switch field {
		case "event":
			name = value
		case "id":
			id = value
		case "data":
			data = value
		case "": // an event ends with an empty line: one that was cut off is none
			if data != "" {
				if err := f.event(name, id, []byte(data)); err != nil {
					return err
				}
			}
			name, data = "", ""
		}
	}
	return errors.Join(errEnded, lines.Err())
}

// following is what a stream has shown so far.
type following struct {
	show  func([]json.RawMessage) error
	items []json.RawMessage
	paths []string

	id         string // of what was shown when all was there that belongs together
	whole      []json.RawMessage
	wholePaths []string
}

func (f *following) shown() string { return f.id }

func (f *following) again() { f.items, f.paths = slices.Clone(f.whole), slices.Clone(f.wholePaths) }

// event does what an event says. The last of those that belong together is `current`.
func (f *following) event(name, id string, data []byte) error {
	if name == "current" {
		f.id, f.whole, f.wholePaths = id, slices.Clone(f.items), slices.Clone(f.paths)
		return stoppedIf(f.show(f.items))
	}
	if name == "page" {
		return f.page(data)
	}
	var e struct {
		Path, After string
		Item, Kept  json.RawMessage
	}
	if err := json.Unmarshal(data, &e); err != nil {
		return err
	}
	if e.Item != nil {
		var err error
		if e.Path, err = pathIn(e.Item); err != nil {
			return err
		}
	}
	at := slices.Index(f.paths, e.Path)
	if at < 0 && name != "added" || at >= 0 && name == "added" {
		return fmt.Errorf("an event %q is about %q, which is at %d", name, e.Path, at)
	}
	switch name {
	case "removed":
		f.take(at)
	case "moved":
		f.put(e.After, e.Path, f.take(at))
	case "added":
		f.put(e.After, e.Path, e.Item)
	case "changed":
		f.items[at] = e.Item
	case "counts":
		var err error
		f.items[at], err = withKept(f.items[at], e.Kept)
		return err
	}
	return nil // what a later release may add is passed over
}

// page begins afresh.
func (f *following) page(data []byte) error {
	var page struct {
		Entries, Documents []json.RawMessage
		Path               string
	}
	if err := json.Unmarshal(data, &page); err != nil {
		return err
	}
	f.items, f.paths = slices.Concat(page.Entries, page.Documents), nil
	if page.Path != "" {
		f.items = []json.RawMessage{data}
	}
	for _, item := range f.items {
		path, err := pathIn(item)
		if err != nil {
			return err
		}
		f.paths = append(f.paths, path)
	}
	return nil
}

func pathIn(item json.RawMessage) (string, error) {
	var of struct{ Path string }
	err := json.Unmarshal(item, &of)
	return of.Path, err
}

func (f *following) take(at int) json.RawMessage {
	item := f.items[at]
	f.items, f.paths = slices.Delete(f.items, at, at+1), slices.Delete(f.paths, at, at+1)
	return item
}

// put puts an item behind another, or first.
func (f *following) put(after, path string, item json.RawMessage) {
	at := slices.Index(f.paths, after) + 1 // that of nothing is -1
	f.items, f.paths = slices.Insert(f.items, at, item), slices.Insert(f.paths, at, path)
}

// withKept is an item with other kept values.
func withKept(item, kept json.RawMessage) (json.RawMessage, error) {
	var members map[string]json.RawMessage
	if err := json.Unmarshal(item, &members); err != nil {
		return nil, err
	}
	members["kept"] = kept
	return json.Marshal(members)
}
