package tests

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"yalvo/client"
	"yalvo/demo"
	"yalvo/internal/command/lines"
	"yalvo/internal/machine/service"
)

// lines are those of a dump without the first, which says when it was taken.
func (w world) dump() []string {
	w.t.Helper()
	var out bytes.Buffer
	if err := w.Dump(w.t.Context(), &out); err != nil {
		w.t.Fatal(err)
	}
	all := strings.Split(strings.TrimSpace(out.String()), "\n")[1:]
	for i, line := range all { // the members of an object have no order
		var v any
		if err := json.Unmarshal([]byte(line), &v); err != nil {
			w.t.Fatal(err)
		}
		all[i] = string(must(json.Marshal(v))(w.t))
	}
	slices.Sort(all)
	return all
}

// shown is what readers see of an app: every document with its kept values, and
// every timeline.
func (w world) shown(paths ...string) string {
	w.t.Helper()
	var all []string
	for _, path := range paths {
		d := w.get(path)
		d.Version = 0
		all = append(all, string(must(json.Marshal(d))(w.t)))
	}
	for _, owner := range []string{"ada", "ben", "cy"} {
		all = append(all, strings.Join(w.home(owner), " "))
	}
	return strings.Join(all, "\n")
}

// A dump of a running app, loaded elsewhere, is that app: the same ids, times and
// versions, and everything derived is as it was, what was frozen included.
func TestADumpLoadedElsewhereIsTheSameApp(t *testing.T) {
	t.Parallel()
	source := changed(t, ponds, "byline:  {copy: author, fields: [name]}\n      likes_n", "byline:  {copy: author, fields: [name]}\n      signed:  {copy: author, fields: [name, mail], frozen: true}\n      likes_n",
		"to_calls: likers}", "to_calls: likers, fields: {stars: {type: integer, default: 1}}}", "timelines:", "# mixed\ntimelines:", "length: 800,", "length: 800, deliver: mixed, above: 1,")
	w := start(t, source)
	for _, p := range []string{"ada", "ben", "cy"} {
		w.person(p)
	}
	for _, f := range [][2]string{{"ben", "ada"}, {"cy", "ada"}, {"ada", "ben"}} {
		must(w.Set(t.Context(), "follow", f[0], f[1]))(t)
	}
	w.post("ada", "p1", "a \"heron\" \\ with ünïcödé\u2028 and a\nline")
	w.post("ben", "p2", "a bittern")
	must(w.amend("posts/p2", map[string]any{"rating": 7, "about": "p1", "spot": map[string]any{"name": "North"}}))(t)
	must(w.SetWith(t.Context(), "like", "cy", "p1", map[string]any{"stars": 3}))(t)
	if _, _, err := w.As("cy").Create(t.Context(), "posts/p1/notes", "n1", map[string]any{"text": "yes"}); err != nil {
		t.Fatal(err)
	}
	must(w.amend("people/ada", map[string]any{"name": "Ada Fen", "mail": "ada@fen.example"}))(t)
	w.Settle()
	before := w.dump()

	file := filepath.Join(t.TempDir(), "ponds.ndjson")
	w.yalvo("dump", file).says(t, 0, "6 documents, 4 pairs")
	other := start(t, source)
	other.Evolving.Store(true)
	other.yalvo("load", file).says(t, 0, "Loaded 6 documents and 4 pairs; 0 lines passed over")
	other.Evolving.Store(false)
	same(t, "what is dumped", strings.Join(other.dump(), "\n"), strings.Join(before, "\n"))
	paths := []string{"people/ada", "people/ben", "people/cy", "posts/p1", "posts/p2", "posts/p1/notes/n1"}
	same(t, "what is shown", other.shown(paths...), w.shown(paths...))
	// Her mail came later than the post: it was not there to be frozen.
	same(t, "what was frozen", other.get("posts/p1").Kept["signed"], map[string]any{"name": "ADA"})
	other.auditFindsNothing()
	other.yalvo("load", file).says(t, 0, "Loaded 0 documents and 0 pairs; 10 lines passed over")
	other.auditFindsNothing()
	same(t, "the changes that were told", len(must(other.Changes(t.Context(), 50))(t)), 10)
}

// What does not fit is dumped too, and loaded where a line says that it may not fit:
// elsewhere it is listed as it was. So it is while a design is being carried out, when
// some of it is stored in the form before, and nothing is listed yet.
func TestADumpHoldsWhatDoesNotFit(t *testing.T) {
	t.Parallel()
	source := changed(t, ponds, "to_calls: followers}",
		"to_calls: followers, self: true, fields: {since: {type: integer}}}",
		"posts_n:     {count: posts.author}",
		"posts_n:     {count: posts.author}\n      best: {max: posts.author, of: seen}\n      total: {sum: posts.author, of: rating}",
		"length: 800,", "length: 800, order: seen,")
	w := start(t, source)
	for _, p := range []string{"ada", "ben", "cy"} {
		w.person(p)
	}
	must(w.amend("people/ada", map[string]any{"mail": "a@reed.example"}))(t)
	must(w.SetWith(t.Context(), "follow", "ben", "ada", map[string]any{"since": 7}))(t)
	must(w.SetWith(t.Context(), "follow", "ada", "ada", map[string]any{"since": 2031}))(t)
	for i := range 3 {
		id := fmt.Sprint("p", i)
		w.post("ada", id, "a heron "+id)
		must(w.amend("posts/"+id, map[string]any{"rating": 7 + i, "kind": nil, "tags": []string{"wet"},
			"spot": map[string]any{"name": "Nine Posts"}}))(t) // without the kind that is its default
	}
	w.Evolving.Store(true)
	next := changed(t, source, "name: {type: string, required: true, max: 40}",
		"name: {type: string, required: true, max: 2}",
		"mail: {type: string, unique: true}", "mail: {type: string, unique: true, required: true}", ", self: true", "",
		"since: {type: integer}", "since: {type: integer, max: 99}", "max: 10}\n      weight",
		"max: 7, was: rate}\n      weight",
		"name: {type: string, required: true}, lat", "title: {was: name, type: string, required: true, max: 3}, lat",
		"text:   {type: string, required: true, max: 200}",
		"words:  {was: text, type: string, required: true, max: 200}",
		"carry: [text,", "carry: [words,")
	_, goOn := w.held(next)
	dir := t.TempDir()
	w.yalvo("dump", filepath.Join(dir, "meanwhile")).says(t, 0, "6 documents, 2 pairs")
	goOn()
	w.Settle()
	w.yalvo("dump", filepath.Join(dir, "afterwards")).says(t, 0, "6 documents, 2 pairs")
	want := "people.mail required 2, people.name too-large 2, posts.rating too-large 2, posts.spot too-large 3, follow.since too-large 1, follow.to self 1"
	same(t, "what does not fit", w.misfits(), want)
	for _, when := range []string{"meanwhile", "afterwards"} {
		other := start(t, next)
		other.Evolving.Store(true)
		other.yalvo("load", filepath.Join(dir, when)).says(t, 0, "Loaded 6 documents and 2 pairs")
		same(t, "what does not fit, dumped "+when, other.misfits(), want)
		same(t, "what is dumped "+when, strings.Join(other.dump(), "\n"), strings.Join(w.dump(), "\n"))
		same(t, "what is shown, dumped "+when, other.shown("people/ada", "posts/p0", "posts/p1", "posts/p2"),
			w.shown("people/ada", "posts/p0", "posts/p1", "posts/p2"))
		other.auditFindsNothing()
		other.yalvo("load", filepath.Join(dir, when)).says(t, 0, "8 lines passed over")
	}
	w.auditFindsNothing()
}

// Lines that cannot be are written down with their reasons, and the rest goes on.
func TestBadLinesDoNotStopALoad(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.Evolving.Store(true)
	w.person("zoe")
	must(w.amend("people/zoe", map[string]any{"mail": "z@reed.example"}))(t)
	long := strings.Repeat("x", 600_000)
	cases := []struct{ line, why string }{
		{`{"pair":"follow","from":"ada","to":"ben","at":"2031-04-05T06:07:08Z"}`, ""}, // before its documents
		{`{"document":"people/ada","facts":{"name":"Ada"},"created":"2031-04-05T06:07:08Z","updated":"2031-05-05T06:07:08Z","version":4}`, ""},
		{`{"document":"people/ben","facts":{"name":"Ben"}}`, ""},
		{`{"document":"posts/p1/notes/n1","facts":{"text":"first"}}`, ""}, // before its parent
		{`{"document":"posts/p1","facts":{"text":"a heron","author":"ada"}}`, ""},
		{`{"document":"people/ben","facts":{"name":"Benno"}}`, "stands in line 3 already, otherwise"},
		{`{"document":"people/zoe","facts":{"name":"Zoë"}}`, "people/zoe is there already, otherwise"},
		{`{"document":"people/cy","facts":{"name":"Cy","mail":"z@reed.example"}}`, "another document has z@reed.example"},
		{`{"document":"people/dora","facts":{"nmae":"Dora"}}`, `there is no field "nmae", did you mean "name"?`},
		{`{"document":"people/a b","facts":{"name":"A"}}`, "there is no document people/a b"},
		{`{"document":"pools/x/deep/y","facts":{}}`, "no collection"},
		{`{"document":"people/eve","facts":{"name":"Eve"},"created":"2031-04-05T06:07:08Z","updated":"2030-04-05T06:07:08Z"}`, "updated lies before created"},
		{`{"document":"people/fay","facts":{"name":"Fay"},"version":-1}`, "version is -1"},
		{`{"document":"people/gus","facts":{"name":"Gus"},"created":"yesterday"}`, "another form"},
		{`{"document":"people/hal","facts":{"name":"Hal"},"kept":{}}`, "it has no member"},
		{`{"pair":"follow","from":"ada","to":"ada"}`, "cannot be paired with itself"},
		{`{"pair":"follow","from":"ada","to":"nobody"}`, "there is no document people/nobody"},
		{`{"document":"posts/p9/notes/n1","facts":{"text":"lost"}}`, "there is no parent posts/p9"},
		{`{"document":"people/ida","facts":{"name":"` + long + `"}}`, "bytes, 524288 are allowed"},
		{"{\"document\":\"people/jo\",\"facts\":{\"name\":\"\xff\"}}", "not UTF-8"},
		{`[1,2]`, "another form"},
		{`{"document":"people/kim","facts":{"name":"Ki`, "cut off"}, // and so the file ends
	}
	var sent []string
	for _, c := range cases {
		sent = append(sent, c.line)
	}
	file := filepath.Join(t.TempDir(), "lines.ndjson")
	if err := os.WriteFile(file, []byte(strings.Join(sent, "\n")), 0o600); err != nil {
		t.Fatal(err)
	}
	w.yalvo("load", file).says(t, 5, "could not be loaded: "+file+".bad says why")
	bad := map[int]string{}
	for line := range strings.Lines(string(must(os.ReadFile(file + ".bad"))(t))) {
		var b struct {
			Line int
			Why  []string
		}
		if err := json.Unmarshal([]byte(line), &b); err != nil {
			t.Fatal(err)
		}
		bad[b.Line] = strings.Join(b.Why, "; ")
	}
	for i, c := range cases {
		if why, is := bad[i+1]; is != (c.why != "") || !strings.Contains(why, c.why) {
			t.Errorf("line %d, %.60s: got %q, want %q", i+1, c.line, why, c.why)
		}
	}
	w.Evolving.Store(false)
	ada := w.get("people/ada")
	same(t, "times and version", []any{ada.Created.Format("2006-01"), ada.Updated.Format("2006-01"), ada.Version}, []any{"2031-04", "2031-05", 4})
	same(t, "a pair that came before its documents", ada.Kept["following_n"], 1)
	same(t, "a note that came before its post", w.get("posts/p1").Kept["notes_n"], 1)
	w.auditFindsNothing()
}

func TestACSVFileGoesIntoACollection(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.Evolving.Store(true)
	w.person("ada")
	file := filepath.Join(t.TempDir(), "posts.csv")
	if err := os.WriteFile(file, []byte("\uFEFFid,text,rating,tags,author,created\np1,\"a heron, grey\",7,\"[\"\"wet\"\"]\",ada,2031-04-05T06:07:08Z\np2,a bittern,many,,ada,\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	w.yalvo("load", "--into", "posts", file).says(t, 5, "Loaded 1 document and 0 pairs", "1 line could not be loaded")
	same(t, "the reason", strings.Contains(string(must(os.ReadFile(file+".bad"))(t)), `"line":3,"why":["/facts/rating: this must be a whole number, not a string"]`), true)
	same(t, "the facts", w.get("posts/p1").Facts["tags"], []any{"wet"})
	same(t, "a count", w.get("people/ada").Kept["posts_n"], 1)
	w.yalvo("load", "--into", "ponds", file).says(t, 1, `no collection "ponds"`)
	w.yalvo("load", "--into", "people", file).says(t, 1, `has a column "text", and people has no such field`)
}

// A load that was broken off goes on when it is run again; nothing else may change
// what is stored meanwhile but clients.
func TestALoadThatWasBrokenOffGoesOn(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.Evolving.Store(true)
	_, err := w.LoadLines(t.Context(), []byte(`{"document":"people/ada","facts":{"name":"Ada"}}`))
	refused(t, err, "conflict", "no load is under way")
	must(w.BeginLoad(t.Context()))(t)
	must(w.LoadLines(t.Context(), []byte(`{"document":"people/ada","facts":{"name":"Ada"}}`)))(t)
	_, err = w.Apply(t.Context(), "ponds.yaml", []byte(ponds+"# again\n"))
	refused(t, err, "conflict", "load facts")
	_, err = w.BeginAudit(t.Context(), client.Scope{})
	refused(t, err, "being-built")
	w.post("ada", "p1", "while it is loaded")
	must(w.BeginLoad(t.Context()))(t)
	must(w.LoadLines(t.Context(), []byte(`{"document":"people/ada","facts":{"name":"Ada"}}`+"\n"+`{"document":"posts/p2","facts":{"text":"two","author":"ada"}}`)))(t)
	version, _, err := w.EndLoad(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	must(w.AwaitVersion(t.Context(), version, nil))(t)
	w.Evolving.Store(false)
	same(t, "a count", w.get("people/ada").Kept["posts_n"], 2)
	same(t, "a timeline", len(w.home("ada")), 2)
	w.auditFindsNothing()
}

// An app that was kept by hand is brought along: its facts are taken, the rest is
// derived, and what was wrong is told.
func TestAnAppThatHasDriftedIsBroughtAlong(t *testing.T) {
	t.Parallel()
	w := start(t, string(demo.Design))
	w.Evolving.Store(true)
	report := filepath.Join(t.TempDir(), "found.ndjson")
	w.yalvo("bring", "../demo/export/mapping.yaml", "--dry-run", "--report", report).says(t, 0, "750 documents and 1,790 pairs are taken along", "49 findings",
		"count that lies", "members.followerCount", "Formerly", "on the from side only", "it is believed")
	same(t, "findings that were written down", strings.Count(string(must(os.ReadFile(report))(t)), "\n"), 49)
	same(t, "nothing was loaded", len(must(w.List(t.Context(), "members", client.Page{}))(t).Documents), 0)
	w.yalvo("bring", "../demo/export/mapping.yaml").says(t, 0, "Loaded 750 documents and 1,790 pairs")
	w.Evolving.Store(false)
	w.auditFindsNothing()
	told := must(w.Brought(t.Context()))(t)[0]
	same(t, "the report that is remembered", []any{told.Documents, told.Pairs, told.Wrong[0].Kind, told.Wrong[0].Many, len(told.Wrong[0].Examples)},
		[]any{750, 1790, "count that lies", 6, 5})
	w.yalvo("bring", "../demo/export/nowhere.yaml").says(t, 1, "the mapping cannot be read")
}

// A drill: where a dump that takes sign-ins along is loaded, the same people sign in, stay signed in and see their
// pictures, and the same operators operate. Without, both ends say loudly what is missing.
func TestTheSamePeopleSignInAfterAMove(t *testing.T) {
	t.Parallel()
	lines.SealWork = 10 // nobody else seals
	source := changed(t, signingPonds(t), "muted: {type: boolean, default: false}", "muted: {type: boolean, default: false}\n      face: {type: media}")
	pictures := t.TempDir()
	w := start(t, source, func(o *service.Options) { o.Pictures = pictures })
	ctx := t.Context()
	up, doc, _, err := w.stranger().SignUp(ctx, map[string]any{"name": "Ada"}, password)
	if err != nil {
		t.Fatal(err)
	}
	ada := w.stranger().With(up.Access)
	face := must(ada.Upload(ctx, aPicture(t, 7)))(t)
	if _, _, err := ada.Patch(ctx, doc.Path, map[string]any{"face": face.Picture}); err != nil {
		t.Fatal(err)
	}
	if _, _, err := ada.Patch(ctx, doc.Path, map[string]any{"mail": "ada@fen.example"}); err != nil { // which strangers are not told of
		t.Fatal(err)
	}
	key, _, err := w.MakeKey(ctx, "the night watch", "operate")
	if err != nil {
		t.Fatal(err)
	}
	w.Settle()

	dir := t.TempDir()
	plain, sealed, phrase := filepath.Join(dir, "plain"), filepath.Join(dir, "sealed"), filepath.Join(dir, "phrase")
	if err := os.WriteFile(phrase, []byte("reeds, rushes and rails\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	w.yalvo("dump", plain).says(t, 0, "1 documents", "NOT in it: the passwords of 1 account, 1 sign-in, ", "--sign-ins")
	w.yalvo("dump", "--sign-ins", sealed).says(t, 2, "--passphrase-file")
	w.yalvo("dump", "--sign-ins", "--passphrase-file", phrase, sealed).says(t, 0, "1 documents")
	text := string(must(os.ReadFile(sealed))(t))
	if strings.Contains(text, "argon2id") || strings.Contains(text, "night watch") {
		t.Error("what people sign in with can be read in the dump")
	}

	folder := t.TempDir()
	if err := os.CopyFS(folder, os.DirFS(pictures)); err != nil {
		t.Fatal(err)
	}
	other := start(t, source, func(o *service.Options) { o.Pictures = folder })
	other.yalvo("load", plain).says(t, 0, "WITHOUT the passwords of 1 account, 1 sign-in, ", "--sign-ins")
	_, err = other.stranger().SignIn(ctx, "name", "Ada", password)
	refused(t, err, "wrong-password")
	other.yalvo("load", sealed).says(t, 2, "--passphrase-file", "--without-sign-ins")
	other.yalvo("load", "--passphrase-file", plain, sealed).says(t, 1, "the passphrase does not open")
	other.yalvo("load", "--passphrase-file", phrase, sealed).
		says(t, 0, "Of those who sign in: the passwords of 1 account, 1 sign-in, ", "0 accounts not there")
	other.Settle()
	in := must(other.stranger().SignIn(ctx, "name", "Ada", password))(t)
	same(t, "who it is", in.Account, up.Account)
	next := must(other.stranger().Refresh(ctx, up.Refresh))(t)
	same(t, "whoever was signed in", next.Account, up.Account)
	same(t, "versions", other.get(doc.Path).Version, w.get(doc.Path).Version)
	seen, moved := must(w.stranger().Get(ctx, doc.Path))(t), must(other.stranger().Get(ctx, doc.Path))(t)
	same(t, "what a stranger is told", []any{moved.Version, moved.Updated}, []any{seen.Version, seen.Updated})
	same(t, "which is without an edit", seen.Version, int64(2))
	if _, _, err := other.stranger().With(next.Access).Download(ctx, face.Picture, ""); err != nil {
		t.Error("the picture:", err)
	}
	if _, err := other.stranger().With(key).Status(ctx); err != nil {
		t.Error("a key of an operator:", err)
	}
	other.auditFindsNothing()
	other.yalvo("load", "--passphrase-file", phrase, sealed).says(t, 0, "1 line passed over")
}
