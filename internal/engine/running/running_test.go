package running

import (
	"errors"
	"testing"

	"yalvo/internal/design/language"
	"yalvo/internal/design/plan"
)

func TestAPathMeansOneDocument(t *testing.T) {
	d, err := language.Read("test.yaml", []byte(`
yalvo: 1
app: pond
accounts: people
collections:
  people: {fields: {name: {type: string}}}
  posts: {fields: {text: {type: string}}}
  notes: {under: posts, fields: {text: {type: string}}}
`))
	if err != nil {
		t.Fatal(err)
	}
	v := &Version{Number: 1, Plan: plan.New(d, func(string, string) plan.Number { return 1 })}
	for path, want := range map[string]string{"people/ada": "ada", "/posts/p1/": "p1", "posts/p1/notes/n1": "p1/n1"} {
		if _, key, err := v.Locate(path); err != nil || key != want {
			t.Errorf("%s: got %q, %v", path, key, err)
		}
	}
	for path, code := range map[string]string{
		"": CodeInvalid, "people": CodeInvalid, "posts/p1/notes": CodeInvalid, "pools/x": CodeUnknownName,
		"notes/n1": CodeNotFound, "people/ada/notes/n1": CodeNotFound, "people/a da": CodeNotFound,
	} {
		var refusal *Refusal
		if _, _, err := v.Locate(path); !errors.As(err, &refusal) || refusal.Code != code {
			t.Errorf("%q: got %v, want %s", path, err, code)
		}
	}
}

// A lane that is woken twice before its worker looks is looked at once more;
// others sleep on.
func TestALaneIsWokenByItsOwnWork(t *testing.T) {
	s := newSignals()
	s.Wake(plan.Counting, plan.Counting)
	woken := func(lane plan.Lane) bool {
		select {
		case <-s.Work(lane):
			return true
		default:
			return false
		}
	}
	if woken(plan.Copying) || !woken(plan.Counting) || woken(plan.Counting) {
		t.Error("counting is to be woken, once, and nothing else")
	}
	next := s.Settled()
	select {
	case <-next:
		t.Error("nothing was settled yet")
	default:
	}
	s.Settle()
	<-next
}

func TestAnOutageIsSaidAtItsBeginningAndAtItsEnd(t *testing.T) {
	var o outage
	if !o.begins() || o.begins() {
		t.Error("an outage begins once")
	}
	if o.ends() <= 0 || o.ends() != 0 {
		t.Error("an outage ends once")
	}
	if !o.begins() {
		t.Error("another one is another one")
	}
}
