package operations

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"
	"time"

	"github.com/schollz/progressbar/v3"
	"github.com/urfave/cli/v3"

	"yalvo/client"
	"yalvo/internal/command/designs"
	"yalvo/internal/command/flags"
	"yalvo/internal/command/lines"
	"yalvo/internal/command/terminal"
	"yalvo/internal/design"
)

func (a *app) dump() *cli.Command {
	return &cli.Command{
		Name: "dump", Category: "data", ArgsUsage: "[FILE]",
		Usage: "write all facts as of one moment, a document or pair a line; to standard output without FILE",
		Flags: []cli.Flag{
			&cli.BoolFlag{Name: "sign-ins",
				Usage: "take passwords, sign-ins and operators' keys along, sealed with a passphrase"},
			passphraseFlag(),
		},
		Description: flags.Example("yalvo dump fenwatch.ndjson\n   yalvo dump --sign-ins fenwatch.ndjson\n" +
			"   yalvo dump | gzip > fenwatch.ndjson.gz"),
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := flags.Arguments(c, 0, 1)
			if err != nil {
				return err
			}
			dump, err := a.dumping(c)
			if err != nil {
				return err
			}
			if len(args) == 0 {
				w := &frame{w: a.Terminal}
				return errors.Join(dump(ctx, w), a.sayWithout(w))
			}
			return a.dumpTo(ctx, dump, args[0])
		},
	}
}

// dumpTo writes a dump beside its file, and puts it in the file's place when it is
// whole.
func (a *app) dumpTo(ctx context.Context, dump func(context.Context, io.Writer) error, file string) error {
	part, err := os.OpenFile(file+".part", os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
	if err != nil {
		return fmt.Errorf("the dump cannot be written: %w", err)
	}
	w := &frame{w: part}
	err = errors.Join(dump(ctx, w), part.Sync(), part.Close())
	var tail struct {
		End              bool
		Documents, Pairs int64
	}
	if err == nil && (json.Unmarshal(w.last, &tail) != nil || !tail.End) {
		err = errors.New("the dump broke off")
	}
	if err != nil {
		return errors.Join(err, os.Remove(part.Name()))
	}
	if err := os.Rename(part.Name(), file); err != nil {
		return err
	}
	a.Say("%s: %s documents, %s pairs.", file, terminal.Count(tail.Documents), terminal.Count(tail.Pairs))
	return a.sayWithout(w)
}

// dumping writes a dump, with what is asked for.
func (a *app) dumping(c *cli.Command) (func(context.Context, io.Writer) error, error) {
	if !c.Bool("sign-ins") {
		if c.String(passphraseFile) != "" {
			return nil, flags.Usage("--%s is for what is sealed: say --sign-ins too", passphraseFile)
		}
		return a.Client(c).Dump, nil
	}
	passphrase, err := a.passphrase(c, true)
	if err != nil {
		return nil, err
	}
	recipient, seal, err := lines.Seal(passphrase)
	if err != nil {
		return nil, err
	}
	return func(ctx context.Context, w io.Writer) error {
		return a.Client(c).SealedDump(ctx, w, recipient, seal)
	}, nil
}

// sayWithout says what a dump does not hold, to whoever may take it for a whole backup.
func (a *app) sayWithout(w *frame) error {
	var head struct {
		Secrets struct {
			client.Secrets
			Seal string
		}
	}
	if err := json.Unmarshal(w.first, &head); err != nil {
		return fmt.Errorf("the first line of the dump cannot be read: %w", err)
	}
	if s := head.Secrets; s.Seal == "" && s.Passwords+s.SignIns > 0 {
		fmt.Fprintf(a.Err, "NOT in it: %s. Where it is loaded nobody can sign in with what they have:\n"+
			"`yalvo dump --sign-ins` takes them along, sealed with a passphrase.\n", secretsInWords(s.Secrets))
	}
	return nil
}

// secretsInWords is how much accounts and operators sign in with.
func secretsInWords(s client.Secrets) string {
	return fmt.Sprintf("the passwords of %s, %s, %s of operators", terminal.Many(int(s.Passwords), "account"),
		terminal.Many(int(s.SignIns), "sign-in"), terminal.Many(int(s.Keys), "key"))
}

// frame remembers the first and the last line that were written.
type frame struct {
	w           io.Writer
	first, last []byte
	begun, full bool
}

// Write writes text.
func (f *frame) Write(p []byte) (int, error) {
	for line := range bytes.Lines(p) {
		if f.full {
			f.last = f.last[:0]
		}
		f.last = append(f.last, line...)
		if f.full = bytes.HasSuffix(line, []byte("\n")); f.full && !f.begun {
			f.first, f.begun = bytes.Clone(f.last), true
		}
	}
	return f.w.Write(p)
}

func (a *app) load() *cli.Command {
	return &cli.Command{
		Name: "load", Category: "data", ArgsUsage: "FILE",
		Usage: "load documents and pairs, a line of JSON each as `dump` writes them, or a CSV file into one collection",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "into", Usage: "the collection that a CSV file goes into; " +
				"its first line names fields, and id, created, updated"},
			&cli.StringFlag{Name: "bad",
				Usage: "where lines go that cannot be loaded, with the reasons (default: FILE.bad)"},
			passphraseFlag(),
			&cli.BoolFlag{Name: "without-sign-ins",
				Usage: "leave passwords, sign-ins and operators' keys out that the dump holds, sealed"},
			&cli.BoolFlag{Name: "no-wait", Usage: "do not wait until everything derived has followed"},
		},
		Description: flags.Example("yalvo load fenwatch.ndjson\n   yalvo load --into members members.csv\n"+
			"   gunzip < fenwatch.ndjson.gz | yalvo load -") +
			"\n\nWhat is there already, just so, is passed over: run it again after an interruption. Bad lines do\n" +
			"not stop it. Exits with 5 if there were any.",
		Action: func(ctx context.Context, c *cli.Command) error {
			args, err := flags.Arguments(c, 1, 1)
			if err != nil {
				return err
			}
			l, err := a.loadLines(ctx, c, args[0], "")
			if err != nil {
				return err
			}
			if c.Bool("json") {
				return errors.Join(a.JSON(loadedOf(l)), badLines(l))
			}
			return a.sayLoaded(l)
		},
	}
}

// ErrBadLines ends a load of which some lines were not loaded.
var ErrBadLines = errors.New("some lines were not loaded")

// loadLines loads a file's lines; bad ones go to a file that may be said.
func (a *app) loadLines(ctx context.Context, c *cli.Command, file, badFile string) (*lines.Loader, error) {
	in, size, err := a.openInput(c, file)
	if err != nil {
		return nil, err
	}
	defer in.Close()
	client := a.Client(c)
	next := lines.Read(in)
	if into := c.String("into"); into != "" {
		outline, err := client.Outline(ctx)
		if err != nil {
			return nil, err
		}
		if next, err = lines.CSV(in, outline, into); err != nil {
			return nil, err
		}
	}
	l := &lines.Loader{Service: client, BadFile: c.String("bad"), Open: a.opening(c)}
	if l.BadFile == "" {
		l.BadFile = cmp.Or(badFile, strings.TrimSuffix(file, "-")+".bad")
	}
	bar := a.Bar()
	if bar != nil {
		began := time.Now()
		l.Progress = func() { showLoading(bar, l, time.Since(began)) }
		if size > 0 {
			bar.ChangeMax64(size)
		}
	}
	version, err := client.BeginLoad(ctx)
	if err != nil {
		return nil, err
	}
	if err := l.Load(ctx, next); err != nil {
		return nil, fmt.Errorf("%w\nThe load is still open: run it again, it goes on where it stopped", err)
	}
	if _, l.Loose, err = client.EndLoad(ctx); err != nil {
		return nil, err
	}
	if bar != nil {
		_ = bar.Clear()
	}
	if !c.Bool("no-wait") {
		err = designs.AwaitVersion(ctx, a.App, c, version)
	}
	return l, err
}

// showLoading draws how far a load is. A bar that cannot be drawn is no reason to stop.
func showLoading(bar *progressbar.ProgressBar, l *lines.Loader, took time.Duration) {
	many := int64(l.Total.Documents + l.Total.Pairs)
	bar.Describe(fmt.Sprintf("%s loaded, %s a second, %s bad", terminal.Count(many),
		terminal.Count(int64(float64(many)/took.Seconds())), terminal.Count(int64(l.Bad))))
	_ = bar.Set64(l.Read)
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

// loaded is what a load came to.
type loaded struct {
	Documents int `json:"documents"`
	Pairs     int `json:"pairs"`
	Passed    int `json:"passed"` // lines of what was there already
	Bad       int `json:"bad"`

	WithoutPictures int `json:"without_pictures"` // documents that refer to pictures which are not there

	Loose []client.Loose `json:"loose"` // documents that point at what is not there

	Secrets client.LoadedSecrets `json:"secrets"` // what accounts and operators sign in with
	Without client.Secrets       `json:"without"` // and what of it was not loaded
}

func loadedOf(l *lines.Loader) loaded {
	return loaded{l.Total.Documents, l.Total.Pairs, l.Total.Passed, l.Bad, l.Total.WithoutPictures,
		append([]client.Loose{}, l.Loose...), l.Secrets, l.Without}
}

func badLines(l *lines.Loader) error {
	if l.Bad > 0 {
		return ErrBadLines
	}
	return nil
}

func (a *app) sayLoaded(l *lines.Loader) error {
	a.Say("Loaded %s and %s; %s passed over, as they were there already.", terminal.Many(l.Total.Documents,
		"document"), terminal.Many(l.Total.Pairs, "pair"), terminal.Many(l.Total.Passed, "line"))
	if l.Bad > 0 {
		a.Say("%s could not be loaded: %s says why.", terminal.Many(l.Bad, "line"), l.BadFile)
	}
	if l.Total.WithoutPictures > 0 {
		a.Say("Without their pictures: %s. Copy the folder of pictures of where the lines come from into this\n"+
			"service's, and load them again.", terminal.Many(l.Total.WithoutPictures, "document"))
	}
	if s := l.Secrets; s.Passwords+s.SignIns+s.Keys+s.Missing > 0 {
		a.Say("Of those who sign in: %s; %s not there.", secretsInWords(s.Secrets),
			terminal.Many(int(s.Missing), "account"))
	}
	if l.Without.Passwords+l.Without.SignIns > 0 {
		fmt.Fprintf(a.Err, "WITHOUT %s:\nnobody can sign in with what they have. `yalvo dump --sign-ins` takes them "+
			"along.\n", secretsInWords(l.Without))
	}
	for _, loose := range l.Loose {
		a.Say("Pointing by %s at what is not there: %s, %s.", loose.Reference,
			terminal.Many(loose.Documents, "document"), becomesOf(loose))
	}
	return badLines(l)
}

// becomesOf says what becomes of documents that point at nothing.
func becomesOf(l client.Loose) string {
	switch design.WhenGone(l.WhenGone) {
	case design.GoneRemove:
		return "removed as its `when_gone` says"
	case design.GoneClear:
		return "emptied as its `when_gone` says"
	}
	return "listed by `yalvo misfits`"
}
