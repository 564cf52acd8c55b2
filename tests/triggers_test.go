package tests

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"regexp"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"yalvo/client"
)

// alarm is a design with triggers of the developer's own.
const alarm = `yalvo: 1
app: alarm
accounts: people
collections:
  people:
    fields: {name: {type: string, required: true}, loud: {type: boolean, default: false}, greeted: {type: integer}}
    kept: {news_n: {count: news.about}}
  posts:
    fields: {text: {type: string}, author: {type: reference, to: people, when_gone: remove}, length: {type: integer}}
  news:
    fields: {text: {type: string}, about: {type: reference, to: people, when_gone: clear}}
pairs:
  follow: {from: people, to: people, from_calls: following, to_calls: followers}
  mutual: {from: people, to: people, from_calls: mutuals, to_calls: mutual_of, fields: {since: {type: string}}}
triggers:
  measure:  {on: {created: posts}, do: [{edit: {length: "doc.text.size()"}}]}
  remember: {on: {changed: posts}, when: "has(old.text) && doc.text != old.text", do: [{edit: {length: "doc.text.size()"}}]}
  shout:
    on: {created: posts}
    when: "doc.text.contains('!')"
    do:
      - {create: news, id: "'shout-' + key", fields: {text: "'loud: ' + doc.text", about: "doc.author"}}
      - {pair: mutual, from: "doc.author", to: "doc.author == 'ada' ? 'ben' : 'ada'", fields: {since: "'a shout'"}}
  farewell: {on: {removed: people}, do: [{create: news, id: "'gone-' + key", fields: {text: "doc.name + ' has left'"}}]}
  quiet:    {on: {unset: follow}, do: [{unpair: mutual, from: from, to: to}, {remove: news, id: "'shout-p1'"}]}
`

func alarmed(t *testing.T, more string) world {
	t.Helper()
	w := start(t, alarm+more)
	w.person("ada")
	w.person("ben")
	return w
}

func TestTriggersActOnFacts(t *testing.T) {
	t.Parallel()
	w := alarmed(t, "")
	w.follow("ada", "ben")
	created := func(id, text string) client.Position {
		t.Helper()
		_, position, err := w.As("ada").Create(t.Context(), "posts", id, map[string]any{"text": text, "author": "ada"})
		if err != nil {
			t.Fatal(err)
		}
		return position
	}
	quiet := created("p0", "a heron")
	same(t, "the length", must(w.After(quiet).Get(t.Context(), "posts/p0"))(t).Facts["length"], 7)
	position := created("p1", "an eagle!")
	news := must(w.After(position).Get(t.Context(), "news/shout-p1"))(t)
	same(t, "the news", news.Facts, map[string]any{"text": "loud: an eagle!", "about": "ada"})
	same(t, "the count of it", must(w.After(position).Get(t.Context(), "people/ada"))(t).Kept["news_n"], 1)
	same(t, "the pair", must(w.Pair(t.Context(), "mutual", "ada", "ben"))(t).Facts, map[string]any{"since": "a shout"})

	_, edited, err := w.Patch(t.Context(), "posts/p1", map[string]any{"text": "gull"})
	if err != nil {
		t.Fatal(err)
	}
	same(t, "the length after an edit", must(w.After(edited).Get(t.Context(), "posts/p1"))(t).Facts["length"], 4)

	tree := must(w.After(position).Cascade(t.Context(), exact(position)))(t)
	var says []string
	for _, s := range tree.Follows {
		says = append(says, s.Says)
	}
	if all := strings.Join(says, "|"); !strings.Contains(all, "set off trigger shout") || !strings.Contains(all, "created news") {
		t.Errorf("the cascade does not tell of the trigger: %s", all)
	}

	ended := w.unfollow("ada", "ben")
	same(t, "the pair", must(w.After(ended).IsSet(t.Context(), "mutual", "ada", "ben"))(t), false)
	if _, err := w.After(ended).Get(t.Context(), "news/shout-p1"); err == nil {
		t.Error("the news is still there")
	}
	w.follow("ada", "ben")
	w.follow("ben", "ada")
	_, removed, err := w.Remove(t.Context(), "people/ben")
	if err != nil {
		t.Fatal(err)
	}
	same(t, "the farewell", must(w.After(removed).Get(t.Context(), "news/gone-ben"))(t).Facts["text"], "BEN has left")
	w.auditFindsNothing()
	var along []string // the pairs that went with ben, by both their ends
	for _, c := range must(w.Changes(t.Context(), 20))(t) {
		if c.Kind == "unset" && c.Cause == exact(removed) {
			along = append(along, c.Subject+" "+c.Detail)
		}
	}
	slices.Sort(along)
	same(t, "along with ben", along, []string{"follow people/ada → people/ben", "follow people/ben → people/ada"})
}

// What set off a trigger has gone, and what it points at, by the time the
// trigger comes to it: there is nothing to do. If it is there still, somebody
// is to know what is missing.
func TestATriggerThatComesTooLate(t *testing.T) {
	t.Parallel()
	w := alarmed(t, "")
	release := w.hold(19)
	shout := func(id, author string) {
		t.Helper()
		if _, _, err := w.Create(t.Context(), "posts", id, map[string]any{"text": "hush!", "author": author}); err != nil {
			t.Fatal(err)
		}
	}
	shout("gone", "ben")
	if _, _, err := w.Remove(t.Context(), "people/ben"); err != nil { // and his post with him
		t.Fatal(err)
	}
	shout("stays", "ada") // she is to be paired with ben
	w.until("the post is gone", func() bool { return w.Number("SELECT count(*) FROM documents WHERE key = 'gone'") == 0 })
	release()
	w.until("it is parked", func() bool {
		w.SQL("UPDATE due SET not_before = NULL WHERE not_before > clock_timestamp()") // the pauses are long; what is being tried is left alone
		return w.Number("SELECT count(*) FROM parked") == 1
	})
	w.until("the rest is done", func() bool { return w.Number("SELECT count(*) FROM due") == 0 })
	if p := must(w.ParkedWork(t.Context()))(t); len(p) != 1 || !strings.Contains(p[0].Error, "trigger shout, for posts/stays: there is no document people/ben") {
		t.Errorf("parked: %+v", p)
	}
}

// receiver is a web server that takes what is sent to it.
type receiver struct {
	*httptest.Server
	mu     sync.Mutex
	got    []event
	answer func(w http.ResponseWriter, nth int) // nil: 204
}

type event struct {
	header http.Header
	body   []byte
	id     string
	kind   string
	data   map[string]any
}

func receive(t *testing.T, answer func(w http.ResponseWriter, nth int)) *receiver {
	r := &receiver{answer: answer}
	r.Server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, req *http.Request) {
		body, err := io.ReadAll(req.Body)
		if err != nil {
			t.Error(err)
		}
		var e struct {
			SpecVersion, ID, Source, Type, Subject, DataContentType string
			Data                                                    map[string]any
		}
		if err := json.Unmarshal(body, &e); err != nil || e.SpecVersion != "1.0" || e.ID == "" || !strings.HasPrefix(e.Source, "/apps/") || e.DataContentType != "application/json" {
			t.Errorf("no CloudEvent 1.0: %s (%v)", body, err)
		}
		r.mu.Lock()
		defer r.mu.Unlock()
		r.got = append(r.got, event{req.Header, body, e.ID, e.Type, e.Data})
		if r.answer != nil {
			r.answer(w, len(r.got))
			return
		}
		w.WriteHeader(http.StatusNoContent)
	}))
	t.Cleanup(r.Close)
	return r
}

// after waits until so many events have come: what is sent is not waited for by
// readers.
func (r *receiver) after(w world, many int) []event {
	w.t.Helper()
	w.until(fmt.Sprintf("%d events have come", many), func() bool { return len(r.all()) >= many })
	return r.all()
}

func (r *receiver) all() []event {
	r.mu.Lock()
	defer r.mu.Unlock()
	return append([]event(nil), r.got...)
}

func TestAChangeIsSentSignedAndSentAgainOnRequest(t *testing.T) {
	t.Setenv("ALARM_KEY", "a key of the test")
	r := receive(t, nil)
	w := alarmed(t, fmt.Sprintf("  tell: {on: {created: posts}, when: \"me == 'ada'\", do: [{send: %s/hook, key: ALARM_KEY}]}\n", r.URL))
	_, first, err := w.As("ada").Create(t.Context(), "posts", "p1", map[string]any{"text": "hush", "author": "ada"})
	if err != nil {
		t.Fatal(err)
	}
	if _, _, err := w.As("ben").Create(t.Context(), "posts", "p2", map[string]any{"text": "not mine"}); err != nil {
		t.Fatal(err)
	}
	got := r.after(w, 1)
	e := got[0]
	same(t, "the type", e.kind, "app.alarm.posts.created")
	same(t, "the media type", e.header.Get("Content-Type"), "application/cloudevents+json")
	same(t, "the text", e.data["doc"].(map[string]any)["text"], "hush")
	sum := sha256.Sum256(e.body)
	digest := "sha-256=:" + base64.StdEncoding.EncodeToString(sum[:]) + ":"
	same(t, "the digest", e.header.Get("Content-Digest"), digest)
	params, _ := strings.CutPrefix(e.header.Get("Signature-Input"), "yalvo=")
	if !regexp.MustCompile(`^\("@method" "@target-uri" "content-digest"\);created=\d+;keyid="ALARM_KEY";alg="hmac-sha256"$`).MatchString(params) {
		t.Errorf("the signature's parameters: %s", params)
	}
	mac := hmac.New(sha256.New, []byte("a key of the test"))
	fmt.Fprintf(mac, "\"@method\": POST\n\"@target-uri\": %s/hook\n\"content-digest\": %s\n\"@signature-params\": %s", r.URL, digest, params)
	same(t, "the signature", e.header.Get("Signature"), "yalvo=:"+base64.StdEncoding.EncodeToString(mac.Sum(nil))+":")

	same(t, "replayed", must(w.Replay(t.Context(), "tell", exact(first)))(t), 1)
	if again := r.after(w, 2); len(again) != 2 || again[1].id != e.id {
		t.Errorf("sent again: %d events, ids %s and %s", len(again), e.id, again[len(again)-1].id)
	}
	if _, err := w.Replay(t.Context(), "tel", 0); err == nil || !strings.Contains(err.Error(), `no trigger "tel"`) {
		t.Errorf("replaying an unknown trigger: %v", err)
	}
}

func TestAReceiverThatFailsIsTriedAgainAndThenWaitsForAPerson(t *testing.T) {
	t.Parallel()
	flaky := receive(t, func(w http.ResponseWriter, nth int) {
		if nth < 3 {
			http.Error(w, "not now", http.StatusInternalServerError)
		}
	})
	moved := receive(t, func(w http.ResponseWriter, nth int) {
		w.Header().Set("Location", "http://elsewhere.example/")
		w.WriteHeader(http.StatusMovedPermanently)
	})
	w := alarmed(t, fmt.Sprintf("  flaky: {on: {created: posts}, do: [{send: %s}]}\n  moved: {on: {created: posts}, do: [{send: %s}]}\n", flaky.URL, moved.URL))
	_, position, err := w.Create(t.Context(), "posts", "p1", map[string]any{"text": "hush"})
	if err != nil {
		t.Fatal(err)
	}
	w.until("the one that moved is given up", func() bool { return w.Number("SELECT count(*) FROM parked") == 1 })
	w.until("the flaky one has got it", func() bool { return len(flaky.all()) == 3 })
	ids := map[string]bool{}
	for _, e := range append(flaky.all(), moved.all()...) {
		ids[e.id] = true
	}
	same(t, "ids, one for each trigger", len(ids), 2)
	same(t, "attempts at the one that moved", len(moved.all()), 8)
	parked := must(w.ParkedWork(t.Context()))(t)
	if len(parked) != 1 || parked[0].Step != "send" || !strings.Contains(parked[0].Error, "redirects are not followed") {
		t.Errorf("parked: %+v", parked)
	}
	tree := must(w.Cascade(t.Context(), exact(position)))(t)
	if tree.Settled {
		t.Error("the cascade is settled, and a part of it is parked")
	}
	same(t, "what else followed is done", must(w.Get(t.Context(), "posts/p1"))(t).Facts["length"], 4)

	moved.mu.Lock()
	moved.answer = nil
	moved.mu.Unlock()
	same(t, "tried again", must(w.Retry(t.Context()))(t), 1)
	same(t, "it arrived", len(moved.after(w, 9)), 9)
}

// Parked work holds up nobody else: not a reader of everything, nor one who
// repeats what was done. It can be dropped.
func TestParkedWorkHoldsUpNobodyElse(t *testing.T) {
	t.Parallel()
	dead := receive(t, func(w http.ResponseWriter, nth int) { w.WriteHeader(http.StatusMovedPermanently) })
	w := alarmed(t, fmt.Sprintf("  dead: {on: {created: posts}, do: [{send: %s}]}\n", dead.URL))
	_, position, err := w.Create(t.Context(), "posts", "p1", map[string]any{"text": "hush"})
	if err != nil {
		t.Fatal(err)
	}
	w.until("the dead receiver is given up", func() bool { return w.Number("SELECT count(*) FROM parked") == 1 })
	w.Settle()
	if err := w.After(position).Settle(t.Context()); err != nil {
		t.Errorf("what is sent elsewhere holds up the reader of that change: %v", err)
	}
	if s := must(w.Status(t.Context()))(t); !s.Settled || s.Parked != 1 {
		t.Errorf("settled %v, parked %d: a request that was not answered is nobody's duplicate", s.Settled, s.Parked)
	}
	parked := must(w.ParkedWork(t.Context()))(t)
	same(t, "what it is for", parked[0].About, "dead")

	w.SQL("INSERT INTO parked SELECT 1000, 1, 1, 0, 0, 1, 0, 0, 0, 0, $1::bigint, 0, 0, now(), 8, now(), 'broken'", exact(position))
	w.Settle()
	for range 2 {
		again, err := w.Set(t.Context(), "mutual", "ada", "ben")
		if err == nil {
			err = w.After(again).Settle(t.Context())
		}
		if err != nil {
			t.Errorf("a repeated pair: %v", err)
		}
	}
	var p *client.Problem
	if err := w.After(position).Settle(t.Context()); !errors.As(err, &p) || p.Code != "not-yet" {
		t.Errorf("the reader of the change whose own work is parked is told %v", err)
	}
	if err := w.DropParked(t.Context(), 1000); err != nil {
		t.Fatal(err)
	}
	if err := w.After(position).Settle(t.Context()); err != nil {
		t.Errorf("after the drop: %v", err)
	}
	if err := w.DropParked(t.Context(), 1000); !errors.As(err, &p) || p.Code != "not-found" {
		t.Errorf("dropped twice: %v", err)
	}
	same(t, "the rest stays parked", w.Number("SELECT count(*) FROM parked"), 1)
}

// A receiver that hangs is given up after a while and tried again, and what
// goes to another one does not wait for it.
func TestAReceiverThatHangsHoldsUpNobodyElse(t *testing.T) {
	t.Parallel()
	release := make(chan struct{})
	var hung atomic.Int64
	hanging := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, req *http.Request) {
		hung.Add(1)
		select {
		case <-release:
		case <-time.After(time.Minute):
			t.Error("nobody gave up")
		}
	}))
	t.Cleanup(hanging.Close)
	prompt := receive(t, nil)
	w := alarmed(t, fmt.Sprintf("  hang:   {on: {created: posts}, do: [{send: %s}]}\n  prompt: {on: {created: posts}, do: [{send: %s}]}\n", hanging.URL, prompt.URL))
	const posts = 20
	for i := range posts {
		if _, _, err := w.Create(t.Context(), "posts", fmt.Sprint("p", i), map[string]any{"text": "hush"}); err != nil {
			t.Fatal(err)
		}
	}
	w.until("the prompt one has got everything", func() bool { return len(prompt.all()) == posts })
	if hung.Load() == 0 {
		t.Error("nothing was tried at the one that hangs")
	}
	w.until("what hangs is given up and tried again", func() bool { return w.sendsGivenUp() > 0 })
	close(release)
	w.Settle()
	same(t, "parked", w.Number("SELECT count(*) FROM parked"), 0)
}

func TestTriggersThatSetOneAnotherOffAreStopped(t *testing.T) {
	t.Parallel()
	source := strings.Replace(alarm, "  farewell:", "  echo: {on: {created: news}, when: \"doc.text.startsWith('loud')\", do: [{create: news, fields: {text: doc.text}}]}\n  farewell:", 1)
	w := start(t, source)
	w.person("ada")
	if _, _, err := w.Create(t.Context(), "news", "n1", map[string]any{"text": "loud and clear"}); err != nil {
		t.Fatal(err)
	}
	w.until("the loop is stopped", func() bool { return w.Number("SELECT count(*) FROM parked") == 1 })
	same(t, "news", w.Number("SELECT count(*) FROM documents WHERE collection = "+num("collection", "news")), 8)
	if p := must(w.ParkedWork(t.Context()))(t); !strings.Contains(p[0].Error, `trigger "echo" was set off by triggers 8 times in a row`) {
		t.Errorf("parked: %+v", p)
	}
}
