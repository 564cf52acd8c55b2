package calibrating

import (
	"bufio"
	"bytes"
	"cmp"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"slices"
	"sync"
	"sync/atomic"

	"yalvo/internal/doors/openapi"
)

// request is one that is made many times.
type request struct {
	method, path, body, as string

	packed bool // its answer may be
}

func get(path string) func(int) request {
	return func(int) request { return request{method: "GET", path: path} }
}

func getAs(path string, args ...any) func(int) request {
	return func(i int) request {
		return request{method: "GET", path: fmt.Sprintf(path, args...), as: reader(i)}
	}
}

func reader(i int) string { return fmt.Sprint("p", 100+i%readers) }

func timeline(name string) func(int) request {
	return func(i int) request {
		return request{method: "GET", path: "/timelines/" + name + "/" + reader(i) + "?limit=30"}
	}
}

// ownTimeline is a page of a timeline that is read by its owner, who has not read it before.
func ownTimeline(i int) request {
	owner := fmt.Sprint("p", 3000+i)
	return request{method: "GET", path: "/timelines/home/" + owner + "?limit=30", as: owner}
}

func packed(ask func(int) request) func(int) request {
	return func(i int) request {
		r := ask(i)
		r.packed = true
		return r
	}
}

func create(collection, body string) func(int) request {
	return func(int) request { return request{method: "POST", path: "/collections/" + collection, body: body} }
}

// pointing creates a document that points at four others, which are others each time: else they would wait for one
// another.
func pointing(i int) request {
	at := func(nth int) int { return 1000 + (4*i+nth)%8000 }
	return request{method: "POST", path: "/collections/pointing", body: fmt.Sprintf(
		`{"facts":{"text":"a heron","a":"p%d","b":"p%d","c":"p%d","d":"p%d"}}`, at(0), at(1), at(2), at(3))}
}

// pair sets one that is not there yet.
func pair(kind string) func(int) request {
	return func(i int) request {
		return request{method: "PUT", path: fmt.Sprintf("/pairs/%s/p%d/s%d", kind, i%people, i*7%(authors*10))}
	}
}

// load sends requests over a few connections, as cheaply as it goes: a client that is good to use would cost more than
// some of what is measured.
type load struct {
	address, key string
	size         atomic.Int64 // bytes of the last answer, as it was sent
}

type line struct {
	net.Conn
	in  *bufio.Reader
	out bytes.Buffer
}

// run makes so many requests, so many side by side.
func (l *load) run(beside, times int, ask func(i int) request) error {
	var next atomic.Int64
	var group sync.WaitGroup
	failed := make(chan error, beside)
	for range beside {
		group.Go(func() {
			conn, err := net.Dial("tcp", l.address)
			if err != nil {
				failed <- err
				return
			}
			defer conn.Close()
			one := &line{Conn: conn, in: bufio.NewReaderSize(conn, 64<<10)}
			for i := next.Add(1) - 1; i < int64(times); i = next.Add(1) - 1 {
				size, err := one.do(l.key, ask(int(i)))
				l.size.Store(size)
				if err != nil {
					failed <- err
					return
				}
			}
		})
	}
	group.Wait()
	select {
	case err := <-failed:
		return err
	default:
		return nil
	}
}

// do makes a request, and says how many bytes its answer had.
func (l *line) do(key string, r request) (int64, error) {
	l.out.Reset()
	fmt.Fprintf(&l.out, "%s %s%s HTTP/1.1\r\nHost: localhost\r\nAuthorization: Bearer %s\r\n", r.method,
		openapi.Prefix, r.path,
		key)
	if r.as != "" {
		fmt.Fprintf(&l.out, "%s: %s\r\n", openapi.HeaderAs, r.as)
	}
	if r.packed {
		l.out.WriteString("Accept-Encoding: gzip\r\n")
	}
	if r.body != "" {
		fmt.Fprintf(&l.out, "Content-Type: application/json\r\nContent-Length: %d\r\n", len(r.body))
	} else if r.method != "GET" {
		l.out.WriteString("Content-Length: 0\r\n")
	}
	l.out.WriteString("\r\n" + r.body)
	if _, err := l.Write(l.out.Bytes()); err != nil {
		return 0, err
	}
	answer, err := http.ReadResponse(l.in, nil)
	if err != nil {
		return 0, err
	}
	text, err := io.ReadAll(answer.Body)
	if err == nil && answer.StatusCode >= 300 {
		err = fmt.Errorf("%s %s: %s: %.200s", r.method, r.path, answer.Status, text)
	}
	return int64(len(text)), err
}

// prepare puts the design in force and loads people who follow, and posts.
func (c *calibration) prepare() error {
	c.step("preparing")
	if _, err := c.client.Apply(c.ctx, "calibrating.yaml", []byte(plain)); err != nil {
		return err
	}
	if _, err := c.client.BeginLoad(c.ctx); err != nil {
		return err
	}
	var lines []map[string]any
	for i := range people {
		lines = append(lines, map[string]any{"document": fmt.Sprint("people/p", i),
			"facts": map[string]any{"name": "Somebody"}})
	}
	for i := range authors * 10 {
		lines = append(lines, map[string]any{"document": fmt.Sprint("posts/s", i),
			"facts": map[string]any{"text": "a heron in the reeds", "author": fmt.Sprint("p", 200+i%authors)}})
	}
	for i := range passed {
		lines = append(lines, map[string]any{"document": fmt.Sprint("old/o", i),
			"facts": map[string]any{"text": "a heron"}})
	}
	for i := range pageOfAll {
		lines = append(lines, map[string]any{"document": fmt.Sprint("posts/all", i),
			"facts": map[string]any{"text": "a heron in the reeds", "author": "p0"}})
	}
	for i := range people {
		if i > 0 && i != people-1 {
			lines = append(lines, map[string]any{"pair": "follow", "from": fmt.Sprint("p", i), "to": "p0"})
		}
	}
	for i := range readers {
		for j := range authors {
			lines = append(lines, map[string]any{"pair": "follow", "from": reader(i), "to": fmt.Sprint("p", 200+j)})
		}
	}
	for some := range slices.Chunk(lines, 2000) {
		if err := c.loadLines(some); err != nil {
			return err
		}
	}
	version, _, err := c.client.EndLoad(c.ctx)
	if err != nil {
		return err
	}
	if _, err := c.client.AwaitVersion(c.ctx, version, nil); err != nil {
		return err
	}
	return c.client.AfterAll().Settle(c.ctx)
}

func (c *calibration) loadLines(some []map[string]any) error {
	var text bytes.Buffer
	for _, line := range some {
		if err := json.NewEncoder(&text).Encode(line); err != nil {
			return err
		}
	}
	loaded, err := c.client.LoadLines(c.ctx, text.Bytes())
	if err == nil && len(loaded.Bad) > 0 {
		err = fmt.Errorf("line %d cannot be loaded: %v", loaded.Bad[0].Line, loaded.Bad[0].Why)
	}
	return err
}

func median[T cmp.Ordered](all []T) T {
	slices.Sort(all)
	return all[len(all)/2]
}
