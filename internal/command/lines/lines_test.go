package lines

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"yalvo/client"
)

// shelf is a service that takes a line once all that it needs is there: "b<a" needs a.
type shelf struct {
	has     map[string]bool
	sent    int
	secrets []string
	dies    int // before this batch, 0: never
}

func (s *shelf) LoadLines(_ context.Context, text []byte) (client.Loaded, error) {
	if s.sent++; s.sent == s.dies {
		return client.Loaded{}, errors.New("the service is gone")
	}
	var got client.Loaded
	nth := 0
	for line := range bytes.Lines(text) {
		nth++
		name, needs, _ := strings.Cut(strings.TrimSpace(string(line)), "<")
		switch {
		case name == "bad":
			got.Bad = append(got.Bad, client.BadLine{Line: nth, Why: []string{"it is bad"}})
		case needs != "" && !s.has[needs]:
			got.Bad = append(got.Bad, client.BadLine{Line: nth, Why: []string{"there is no " + needs}, Waits: true})
		default:
			s.has[name] = true
			got.Documents++
		}
	}
	return got, nil
}

func (s *shelf) LoadSecrets(_ context.Context, lines []byte) (client.LoadedSecrets, error) {
	s.secrets = append(s.secrets, string(lines))
	return client.LoadedSecrets{}, nil
}

func loaded(t *testing.T, s *shelf, text string) (*Loader, string, error) {
	t.Helper()
	l := &Loader{Service: s, BadFile: filepath.Join(t.TempDir(), "bad")}
	err := l.Load(t.Context(), Read(strings.NewReader(text)))
	bad, readErr := os.ReadFile(l.BadFile)
	if readErr != nil && !errors.Is(readErr, os.ErrNotExist) {
		t.Fatal(readErr)
	}
	return l, string(bad), err
}

func TestLinesThatComeBeforeWhatTheyNeedAreSentAgain(t *testing.T) {
	s := &shelf{has: map[string]bool{}}
	l, bad, err := loaded(t, s, "c<b\nb<a\n\nbad\r\na\nx<nobody\n")
	if err != nil || l.Total.Documents != 3 || l.Bad != 2 {
		t.Errorf("got %d, %d bad, %v", l.Total.Documents, l.Bad, err)
	}
	want := `{"line":4,"why":["it is bad"],"text":"bad"}` + "\n" +
		`{"line":6,"why":["there is no nobody"],"text":"x\u003cnobody"}` + "\n"
	if bad != want {
		t.Errorf("bad lines:\n%s\nwant\n%s", bad, want)
	}
}

func TestManyLinesGoInBatches(t *testing.T) {
	s := &shelf{has: map[string]bool{}}
	l, _, err := loaded(t, s, strings.Repeat("one<last\n", 2*linesAtOnce+1)+"last")
	if err != nil || l.Total.Documents != 2*linesAtOnce+2 || s.sent != 6 {
		t.Errorf("got %d in %d batches, %v", l.Total.Documents, s.sent, err)
	}
}

func TestADumpThatWasCutOffIsToldOf(t *testing.T) {
	begin, end := `{"yalvo":1}`+"\n", `{"end":true}`+"\n"
	if l, bad, err := loaded(t, &shelf{has: map[string]bool{}}, begin+"a\n"+end); err != nil || l.Bad != 0 {
		t.Error("a whole dump:", bad, err)
	}
	_, bad, err := loaded(t, &shelf{has: map[string]bool{}}, begin+"a\n")
	if err != nil || !strings.Contains(bad, "it was cut off") {
		t.Error("a dump without its end:", bad, err)
	}
}

// What is known of bad lines is there also when the rest could not be sent.
func TestBadLinesAreWrittenDownBeforeTheServiceDies(t *testing.T) {
	s := &shelf{has: map[string]bool{}, dies: 2}
	_, bad, err := loaded(t, s, "bad\n"+strings.Repeat("a\n", 2*linesAtOnce))
	if err == nil || !strings.Contains(bad, `"line":1`) {
		t.Error(bad, err)
	}
}

func TestCSV(t *testing.T) {
	var o client.Outline
	outline := `{"collections":[{"name":"members",` +
		`"fields":[{"name":"name","type":"string"},{"name":"age","type":"integer"}]}]}`
	if err := json.Unmarshal([]byte(outline), &o); err != nil {
		t.Fatal(err)
	}
	next, err := CSV(strings.NewReader("\uFEFFid,name,age,created\na,\"Ada,\nof the Fen\",7,\nb,12,old,2031-01-01\n"),
		o, "members")
	if err != nil {
		t.Fatal(err)
	}
	for _, want := range []Numbered{
		{2, []byte(`{"document":"members/a","facts":{"age":7,"name":"Ada,\nof the Fen"}}`)},
		{4, []byte(`{"created":"2031-01-01","document":"members/b","facts":{"age":"old","name":"12"}}`)}} {
		if got, err := next(); err != nil || got.Nth != want.Nth || string(got.Text) != string(want.Text) {
			t.Errorf("got %d %s %v", got.Nth, got.Text, err)
		}
	}
	for text, says := range map[string]string{"": "no first line", "id,shoe\n": `a column "shoe"`,
		"name\n": "no column id"} {
		if _, err := CSV(strings.NewReader(text), o, "members"); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v", text, err)
		}
	}
	if _, err := CSV(strings.NewReader("id\n"), o, "hides"); err == nil {
		t.Error("there is no such collection")
	}
}
