package lines

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"filippo.io/age"

	"yalvo/client"
)

// How much is sent at a time.
const (
	linesAtOnce = 5000
	bytesAtOnce = 4 << 20
)

// Service loads lines: a [client.Client].
type Service interface {
	LoadLines(ctx context.Context, lines []byte) (client.Loaded, error)
	LoadSecrets(ctx context.Context, lines []byte) (client.LoadedSecrets, error)
}

// Loader sends lines to a service. Lines that wait for documents which may come
// later are held in memory until all others are sent.
type Loader struct {
	Service  Service
	BadFile  string // where lines are written that cannot be loaded; made when there is one
	Progress func() // called after each batch, nil for nothing

	// Open has what opens sealed lines, by what the first line of a dump says of it. If it is nil, or has nothing,
	// they are left out.
	Open func(seal string) (age.Identity, error)

	Total client.Loaded  // without its bad lines
	Bad   int            // lines that could not be loaded
	Read  int64          // bytes
	Loose []client.Loose // what points at nothing when all is loaded

	Secrets client.LoadedSecrets // what accounts and operators sign in with
	Without client.Secrets       // of it, what the dump has and was not loaded, or has not

	opens   age.Identity
	waiting pile
	file    *os.File
	out     *bufio.Writer
}

// pile are lines with their numbers in the file.
type pile struct {
	text    []byte // each line with its end
	numbers []int
}

func (p *pile) add(text []byte, nth int) {
	p.text = append(append(p.text, bytes.TrimSuffix(text, []byte("\n"))...), '\n')
	p.numbers = append(p.numbers, nth)
}

// take takes off as many lines as are sent at a time, one at least.
func (p *pile) take() pile {
	n, size := 0, 0
	for n < min(len(p.numbers), linesAtOnce) {
		end := bytes.IndexByte(p.text[size:], '\n') + 1
		if n > 0 && size+end > bytesAtOnce {
			break
		}
		n, size = n+1, size+end
	}
	first := pile{p.text[:size], p.numbers[:n]}
	p.text, p.numbers = p.text[size:], p.numbers[n:]
	return first
}

// Load sends every line, and in the end once more those that waited for others.
// It returns an error if the service or a file cannot be used; of lines that cannot
// be loaded it only takes note.
func (l *Loader) Load(ctx context.Context, next Next) (err error) {
	defer func() { err = errors.Join(err, l.close()) }()
	whole, err := l.sendAll(ctx, next)
	if err != nil {
		return err
	}
	if err := l.sendWaiting(ctx); err != nil {
		return err
	}
	if !whole {
		return l.note(0, []string{"the file ends without its last line: it was cut off"}, nil)
	}
	return nil
}

// sendAll sends every line once. It tells whether a dump among them was whole.
func (l *Loader) sendAll(ctx context.Context, next Next) (whole bool, err error) {
	var batch pile
	whole = true
	for {
		line, err := next()
		if errors.Is(err, io.EOF) {
			return whole, l.send(ctx, batch, true)
		}
		if err != nil {
			return false, fmt.Errorf("the file cannot be read on: %w", err)
		}
		if l.Read += int64(len(line.Text)) + 1; len(bytes.TrimSpace(line.Text)) == 0 {
			continue
		}
		if frame, isEnd := isFrame(line.Text); frame {
			if whole = isEnd; !isEnd {
				if err := l.begins(line.Text); err != nil {
					return false, err
				}
			}
			continue
		}
		if isSealed(line.Text) {
			if batch, err = l.sealed(ctx, batch, line.Text); err != nil {
				return false, err
			}
			continue
		}
		if len(batch.text)+len(line.Text) > bytesAtOnce || len(batch.numbers) == linesAtOnce {
			if err := l.send(ctx, batch, true); err != nil {
				return false, err
			}
			batch = pile{batch.text[:0], batch.numbers[:0]}
		}
		batch.add(line.Text, line.Nth)
	}
}

// sendWaiting sends lines that waited, until no more of them can be loaded; then
// for the last time: what they wait for does not come.
func (l *Loader) sendWaiting(ctx context.Context) error {
	for later := true; later; {
		before := l.Total.Documents + l.Total.Pairs
		if err := l.sendOnce(ctx, true); err != nil {
			return err
		}
		later = len(l.waiting.numbers) > 0 && l.Total.Documents+l.Total.Pairs > before
	}
	return l.sendOnce(ctx, false)
}

func (l *Loader) sendOnce(ctx context.Context, later bool) error {
	left := l.waiting
	l.waiting = pile{}
	for len(left.numbers) > 0 {
		if err := l.send(ctx, left.take(), later); err != nil {
			return err
		}
	}
	return nil
}

// send loads a batch. Lines that wait for others are kept for later, if they may.
func (l *Loader) send(ctx context.Context, batch pile, later bool) error {
	if len(batch.numbers) == 0 {
		return nil
	}
	got, err := l.Service.LoadLines(ctx, batch.text)
	if err != nil {
		return err
	}
	l.Total.Documents += got.Documents
	l.Total.Pairs += got.Pairs
	l.Total.Passed += got.Passed
	l.Total.WithoutPictures += got.WithoutPictures
	all := bytes.SplitAfter(batch.text, []byte("\n"))
	for _, b := range got.Bad {
		line, nth := all[b.Line-1], batch.numbers[b.Line-1]
		if b.Waits && later {
			l.waiting.add(line, nth)
			continue
		}
		if err := l.note(nth, b.Why, line); err != nil {
			return err
		}
	}
	if l.Progress != nil {
		l.Progress()
	}
	return nil
}

// note writes down a line that was not loaded, with its number and the reasons.
func (l *Loader) note(nth int, why []string, text []byte) error {
	if l.out == nil {
		f, err := os.OpenFile(l.BadFile, os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
		if err != nil {
			return fmt.Errorf("bad lines cannot be written down: %w", err)
		}
		l.file, l.out = f, bufio.NewWriter(f)
	}
	l.Bad++
	line, err := json.Marshal(struct {
		Line int      `json:"line,omitempty"`
		Why  []string `json:"why"`
		Text string   `json:"text,omitempty"`
	}{nth, why, strings.TrimRight(string(text), "\n")})
	if err != nil {
		return err
	}
	_, err = l.out.Write(append(line, '\n'))
	return err
}

func (l *Loader) close() error {
	if l.out == nil {
		return nil
	}
	return errors.Join(l.out.Flush(), l.file.Close())
}
