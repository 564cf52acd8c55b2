package cli

import (
	"bufio"
	"bytes"
	"cmp"
	"context"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/schollz/progressbar/v3"
	"github.com/urfave/cli/v3"

	"yalvo/client"
)

func (a *app) dump() *cli.Command {
	return &cli.Command{
		Name: "dump", Category: "data", ArgsUsage: "[FILE]",
		Usage:       "write all facts as of one moment, a document or pair a line; to standard output without FILE",
		Description: example("yalvo dump fenwatch.ndjson\n   yalvo dump | gzip > fenwatch.ndjson.gz"),
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := arguments(c, 0, 1)
			if err != nil {
				return err
			}
			if len(args) == 0 {
				return a.client(c).Dump(ctx, a.terminal)
			}
			return a.dumpTo(ctx, c, args[0])
		},
	}
}

// dumpTo writes a dump beside its file, and puts it in the file's place when it is
// whole.
func (a *app) dumpTo(ctx context.Context, c *cli.Command, file string) error {
	part, err := os.OpenFile(file+".part", os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
	if err != nil {
		return fmt.Errorf("the dump cannot be written: %w", err)
	}
	w := &lastLine{w: part}
	err = errors.Join(a.client(c).Dump(ctx, w), part.Sync(), part.Close())
	var tail struct {
		End              bool
		Documents, Pairs int64
	}
	if err == nil && (json.Unmarshal(w.line, &tail) != nil || !tail.End) {
		err = errors.New("the dump broke off")
	}
	if err != nil {
		return errors.Join(err, os.Remove(part.Name()))
	}
	if err := os.Rename(part.Name(), file); err != nil {
		return err
	}
	a.say("%s: %s documents, %s pairs.", file, count(tail.Documents), count(tail.Pairs))
	return nil
}

// lastLine remembers the last line that was written.
type lastLine struct {
	w    io.Writer
	line []byte
	full bool
}

// Write writes text.
func (l *lastLine) Write(p []byte) (int, error) {
	for line := range bytes.Lines(p) {
		if l.full {
			l.line = l.line[:0]
		}
		l.line = append(l.line, line...)
		l.full = bytes.HasSuffix(line, []byte("\n"))
	}
	return l.w.Write(p)
}

func (a *app) load() *cli.Command {
	return &cli.Command{
		Name: "load", Category: "data", ArgsUsage: "FILE",
		Usage: "load documents and pairs, a line of JSON each as `dump` writes them, or a CSV file into one collection",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "into", Usage: "the collection that a CSV file goes into; its first line names fields, and id, created, updated"},
			&cli.StringFlag{Name: "bad", Usage: "where lines go that cannot be loaded, with the reasons (default: FILE.bad)"},
			&cli.BoolFlag{Name: "no-wait", Usage: "do not wait until everything derived has followed"},
		},
		Description: example("yalvo load fenwatch.ndjson\n   yalvo load --into members members.csv\n   gunzip < fenwatch.ndjson.gz | yalvo load -") +
			"\n\nWhat is there already, just so, is passed over: run it again after an interruption. Bad lines do not stop it.\nExits with 5 if there were any.",
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := arguments(c, 1, 1)
			if err != nil {
				return err
			}
			return a.loadLines(ctx, c, args[0], "")
		},
	}
}

// errBadLines ends a load of which some lines were not loaded.
var errBadLines = errors.New("some lines were not loaded")

// How much is sent at a time.
const (
	linesAtOnce = 5000
	bytesAtOnce = 4 << 20
)

// loader sends a file's lines.
type loader struct {
	ctx     context.Context
	client  *client.Client
	bar     *progressbar.ProgressBar
	badFile string
	bad     *bufio.Writer
	file    *os.File
	waiting []byte // lines that wait for documents which may come later
	numbers []int  // of these, in the file

	total client.Loaded
	many  int // bad lines
	read  int64
}

// loadLines loads a file's lines; bad ones go to a file that may be said.
func (a *app) loadLines(ctx context.Context, c *cli.Command, file, badFile string) error {
	in, size, err := a.openInput(c, file)
	if err != nil {
		return err
	}
	defer in.Close()
	l := &loader{ctx: ctx, client: a.client(c), badFile: c.String("bad")}
	if l.badFile == "" {
		l.badFile = cmp.Or(badFile, strings.TrimSuffix(file, "-")+".bad")
	}
	if l.bar = a.bar(); l.bar != nil && size > 0 {
		l.bar.ChangeMax64(size)
	}
	lines := lineReader(bufio.NewReaderSize(in, 1<<20))
	if into := c.String("into"); into != "" {
		outline, err := a.client(c).Outline(ctx)
		if err != nil {
			return err
		}
		if lines, err = csvLines(in, outline, into); err != nil {
			return err
		}
	}
	version, err := l.client.BeginLoad(ctx)
	if err != nil {
		return err
	}
	if err := l.all(lines); err != nil {
		return fmt.Errorf("%w\nThe load is still open: run it again, it goes on where it stopped", err)
	}
	if _, err := l.client.EndLoad(ctx); err != nil {
		return err
	}
	if l.bar != nil {
		_ = l.bar.Clear()
	}
	if !c.Bool("no-wait") {
		if err := a.awaitVersion(ctx, c, version); err != nil {
			return err
		}
	}
	return a.sayLoaded(c, l)
}

func (a *app) openInput(c *cli.Command, file string) (io.ReadCloser, int64, error) {
	if file == "-" {
		return io.NopCloser(c.Root().Reader), 0, nil
	}
	f, err := os.Open(file)
	if err != nil {
		return nil, 0, fmt.Errorf("the file cannot be read: %w", err)
	}
	info, err := f.Stat()
	if err != nil {
		return nil, 0, err
	}
	return f, info.Size(), nil
}

func (a *app) sayLoaded(c *cli.Command, l *loader) error {
	if c.Bool("json") {
		if err := a.json(map[string]any{"documents": l.total.Documents, "pairs": l.total.Pairs, "passed": l.total.Passed,
			"bad": l.many}); err != nil {
			return err
		}
	} else {
		a.say("Loaded %s and %s; %s passed over, as they were there already.", many(l.total.Documents, "document"),
			many(l.total.Pairs, "pair"), many(l.total.Passed, "line"))
	}
	if l.many == 0 {
		return nil
	}
	if !c.Bool("json") {
		a.say("%s could not be loaded: %s says why.", many(l.many, "line"), l.badFile)
	}
	return errBadLines
}

// numbered is a line with its number in the file.
type numberedLine struct {
	nth  int
	text []byte
}

// lines yields lines one by one; io.EOF after the last.
type lines func() (numberedLine, error)

// longestLine is how long a line may be that is sent at all.
const longestLine = 1 << 20

// lineReader reads lines of JSON. Of lines that are too long only the beginning is
// kept; the service tells why they are bad.
func lineReader(in *bufio.Reader) lines {
	nth := 0
	return func() (numberedLine, error) {
		var text []byte
		for {
			part, err := in.ReadSlice('\n')
			if len(text) < longestLine {
				text = append(text, part...)
			}
			if errors.Is(err, bufio.ErrBufferFull) {
				continue
			}
			if err != nil && (len(text) == 0 || !errors.Is(err, io.EOF)) {
				return numberedLine{}, err
			}
			nth++
			return numberedLine{nth, bytes.ReplaceAll(bytes.TrimRight(text, "\r\n"), []byte("\r"), nil)}, nil
		}
	}
}

// csvLines reads a CSV file (RFC 4180) as lines of documents of a collection.
func csvLines(in io.Reader, o client.Outline, into string) (lines, error) {
	types := map[string]string{}
	for _, c := range o.Collections {
		if c.Name == into {
			for _, f := range c.Fields {
				types[f.Name] = f.Type
			}
		}
	}
	if len(types) == 0 {
		return nil, fmt.Errorf("the design has no collection %q", into)
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
		return nil, errors.New("the CSV file has no column id: without it the file could not be loaded twice with one effect")
	}
	return func() (numberedLine, error) {
		record, err := r.Read()
		if err != nil {
			return numberedLine{}, err
		}
		nth, _ := r.FieldPos(0)
		return numberedLine{nth, documentOf(into, names, types, record)}, nil
	}, nil
}

// documentOf is a line for a record of a CSV file. What is no value of its field's
// type is sent as a text: the service tells what is wrong.
func documentOf(into string, names []string, types map[string]string, record []string) []byte {
	facts, line := map[string]any{}, map[string]any{}
	for i, text := range record {
		name := names[i]
		switch {
		case name == "id":
			line["document"] = into + "/" + text
		case text == "":
		case name == "created" || name == "updated":
			line[name] = text
		case types[name] == "string" || types[name] == "reference" || types[name] == "media" || types[name] == "timestamp":
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

// all sends every line, and in the end once more those that waited for others.
func (l *loader) all(next lines) error {
	var batch []byte
	var numbers []int
	flush := func() error {
		err := l.send(batch, numbers, true)
		batch, numbers = batch[:0], numbers[:0]
		return err
	}
	ended := true
	for {
		line, err := next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return fmt.Errorf("the file cannot be read on: %w", err)
		}
		if l.read += int64(len(line.text)) + 1; len(bytes.TrimSpace(line.text)) == 0 {
			continue
		}
		if frame, isEnd := isFrame(line.text); frame {
			ended = isEnd
			continue
		}
		if len(batch)+len(line.text) > bytesAtOnce || len(numbers) == linesAtOnce {
			if err := flush(); err != nil {
				return err
			}
		}
		batch = append(append(batch, line.text...), '\n')
		numbers = append(numbers, line.nth)
	}
	if err := flush(); err != nil {
		return err
	}
	waiting, waited := l.waiting, l.numbers
	l.waiting, l.numbers = nil, nil
	if err := l.again(waiting, waited); err != nil {
		return err
	}
	if !ended {
		if err := l.note(0, []string{"the file ends without its last line: it was cut off"}, nil); err != nil {
			return err
		}
	}
	return l.close()
}

// isFrame tells whether a line is the first or the last one of a dump.
func isFrame(text []byte) (frame, end bool) {
	var line struct {
		Yalvo *int
		End   *bool
	}
	if !bytes.HasPrefix(text, []byte(`{"yalvo"`)) && !bytes.HasPrefix(text, []byte(`{"end"`)) ||
		json.Unmarshal(text, &line) != nil {
		return false, false
	}
	return true, line.End != nil
}

// again sends lines that waited, until no more of them can be loaded.
func (l *loader) again(text []byte, numbers []int) error {
	for len(numbers) > 0 {
		before := l.total.Documents + l.total.Pairs
		for len(numbers) > 0 {
			n, size := 0, 0
			for n < min(len(numbers), linesAtOnce) {
				end := bytes.IndexByte(text[size:], '\n') + 1
				if n > 0 && size+end > bytesAtOnce {
					break
				}
				size += end
				n++
			}
			if err := l.send(text[:size], numbers[:n], true); err != nil {
				return err
			}
			text, numbers = text[size:], numbers[n:]
		}
		text, numbers = l.waiting, l.numbers
		l.waiting, l.numbers = nil, nil
		if l.total.Documents+l.total.Pairs == before {
			return l.give(text, numbers)
		}
	}
	return nil
}

// give sends lines for the last time: what they wait for does not come.
func (l *loader) give(text []byte, numbers []int) error {
	for len(numbers) > 0 {
		end := bytes.IndexByte(text, '\n') + 1
		n, size := 1, end
		for n < min(len(numbers), linesAtOnce) && size < bytesAtOnce {
			size += bytes.IndexByte(text[size:], '\n') + 1
			n++
		}
		if err := l.send(text[:size], numbers[:n], false); err != nil {
			return err
		}
		text, numbers = text[size:], numbers[n:]
	}
	return nil
}

// send loads a batch. Lines that wait for others are kept for later, if they may.
func (l *loader) send(text []byte, numbers []int, later bool) error {
	if len(numbers) == 0 {
		return nil
	}
	got, err := l.client.LoadLines(l.ctx, text)
	if err != nil {
		return err
	}
	l.total.Documents += got.Documents
	l.total.Pairs += got.Pairs
	l.total.Passed += got.Passed
	all := bytes.SplitAfter(text, []byte("\n"))
	for _, b := range got.Bad {
		line := all[b.Line-1]
		if b.Waits && later {
			l.waiting, l.numbers = append(l.waiting, line...), append(l.numbers, numbers[b.Line-1])
			continue
		}
		if err := l.note(numbers[b.Line-1], b.Why, line); err != nil {
			return err
		}
	}
	if l.bar != nil {
		l.bar.Describe(fmt.Sprintf("%s loaded, %s bad", count(int64(l.total.Documents+l.total.Pairs)), count(int64(l.many))))
		_ = l.bar.Set64(l.read) // a bar that cannot be drawn is no reason to stop
	}
	return nil
}

// note writes down a line that was not loaded, with its number and the reasons.
func (l *loader) note(nth int, why []string, text []byte) error {
	if l.bad == nil {
		f, err := os.OpenFile(l.badFile, os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
		if err != nil {
			return fmt.Errorf("bad lines cannot be written down: %w", err)
		}
		l.file, l.bad = f, bufio.NewWriter(f)
	}
	l.many++
	line, err := json.Marshal(struct {
		Line int      `json:"line,omitempty"`
		Why  []string `json:"why"`
		Text string   `json:"text,omitempty"`
	}{nth, why, strings.TrimRight(string(text), "\n")})
	if err != nil {
		return err
	}
	_, err = l.bad.Write(append(line, '\n'))
	return err
}

func (l *loader) close() error {
	if l.bad == nil {
		return nil
	}
	return errors.Join(l.bad.Flush(), l.file.Close())
}
