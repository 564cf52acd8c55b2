package tests

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"yalvo/client"
	"yalvo/internal/design/language"
	"yalvo/internal/machine/service"
)

// likes are told to the post's author: who it is, what they are called and what it was
// about, none of which the pair itself says.
func likesTold(t *testing.T, url string) string {
	t.Helper()
	return changed(t, ponds, "pairs:\n", `  notices:
    fields:
      to:   {type: reference, to: people, required: true, when_gone: remove, inverse: notices}
      text: {type: string, required: true}
      post: {type: reference, to: posts, when_gone: clear, inverse: told_of}
pairs:
  block:  {from: people, to: people, from_calls: blocking, to_calls: blockers}
`) + fmt.Sprintf(`triggers:
  liked:
    on: {set: like}
    when: "has(to.author) && to.author != from && !paired('block', to.author, from)"
    do:
      - {create: notices, id: "'like-' + from.id + '-' + to.id", fields: {to: to.author, post: to, text: "from.name + ' likes “' + to.text + '”'"}}
      - {send: "%s", data: {to: to.author, who: from.name, what: to.text, likes: to.likes_n, fans: to.author.followers_n}}
  crowded:
    on: {changed: posts}
    when: "doc.likes_n > 1 && doc.author.name != '' && !has(doc.about)"
    do: [{edit: {rating: doc.likes_n}}]
  welcomed:
    on: {created: notes}
    when: "doc.author == me && me.name.startsWith('A')"
    do: [{send: "%s", data: {note: doc, by: me, under: key}}]
`, url, url)
}

func TestSomebodyLikedYourPost(t *testing.T) {
	t.Parallel()
	r := receive(t, nil)
	w := start(t, likesTold(t, r.URL), func(o *service.Options) { o.Patience.Pause = 1 })
	for _, p := range []string{"ada", "ben", "cleo"} {
		w.person(p)
	}
	w.follow("ben", "ada")
	w.post("ada", "p1", "a heron")
	w.Settle()
	for _, like := range []string{"ben", "ada", "cleo"} { // ada's own is no news, and of cleo she wants none
		if like == "cleo" {
			must(w.Set(t.Context(), "block", "ada", "cleo"))(t)
		}
		must(w.As(like).Set(t.Context(), "like", like, "p1"))(t)
	}
	w.Settle()
	notices := must(w.List(t.Context(), "people/ada/notices", client.Page{}))(t).Documents
	if len(notices) != 1 || notices[0].ID != "like-ben-p1" || notices[0].Facts["text"] != "BEN likes “a heron”" || notices[0].Facts["post"] != "p1" {
		t.Errorf("ada has %+v", notices)
	}
	told := r.after(w, 1)[0]
	delete(told.data, "likes") // it is counted beside
	same(t, "what is sent", told.data, map[string]any{"to": "ada", "who": "BEN", "what": "a heron", "fans": 1.0})
	same(t, "of which change", told.kind, "app.ponds.like.set")

	must(w.amend("posts/p1", map[string]any{"text": "two herons"}))(t)
	w.Settle()
	same(t, "a rating made of a count", w.get("posts/p1").Facts["rating"], any(3.0))
	if _, _, err := w.As("ada").Create(t.Context(), "posts/p1/notes", "n1", map[string]any{"text": "mine"}); err != nil {
		t.Fatal(err)
	}
	note := r.after(w, 2)[1]
	same(t, "what it says of itself", note.data, map[string]any{"note": map[string]any{"text": "mine", "author": "ada"}, "by": "ada",
		"under": "p1/n1"})
	w.auditFindsNothing()
}

// What a trigger would see may have gone: then it has nothing to say, and holds up nobody.
func TestATriggerThatSeesNobody(t *testing.T) {
	t.Parallel()
	r := receive(t, nil)
	w := start(t, likesTold(t, r.URL))
	w.person("ada")
	w.person("ben")
	w.post("ada", "p1", "a heron")
	w.Settle()
	w.SQL(`CREATE FUNCTION yalvo.late() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN NEW.not_before := now() + interval '1 hour'; RETURN NEW; END $$;
		CREATE TRIGGER late BEFORE INSERT ON yalvo.due FOR EACH ROW WHEN (NEW.lane IN (6, 7)) EXECUTE FUNCTION yalvo.late()`)
	must(w.Set(t.Context(), "like", "ben", "p1"))(t)
	if _, _, err := w.Remove(t.Context(), "people/ada"); err != nil {
		t.Fatal(err)
	}
	w.SQL(`DROP FUNCTION yalvo.late CASCADE; UPDATE yalvo.due SET not_before = NULL`)
	w.Settle()
	w.until("nothing is left to send", func() bool { return w.Number("SELECT count(*) FROM due") == 0 })
	same(t, "parked", w.Number("SELECT count(*) FROM parked"), 0)
	same(t, "sent", len(r.all()), 0)
	w.auditFindsNothing()
}

func TestMistakesInWhatATriggerSees(t *testing.T) {
	t.Parallel()
	for _, c := range []struct{ old, new, says string }{
		{"from.name + ' likes", "from.nmae + ' likes", "undefined field 'nmae'"},
		{"to.author != from", "to.author != to", "found no matching overload for '_!=_'"},
		{"text: \"from.name", "text: \"to.author + from.name", "found no matching overload"},
		{"who: from.name", "who: from.name.size", "does not support field selection"},
		{"paired('block', to.author, from)", "paired('blok', to.author, from)", `there is no pair "blok"`},
		{"fans: to.author.followers_n", "fans: to.about.about.about.text", "follows 3 references, 2 are allowed"},
	} {
		_, err := language.Read("ponds.yaml", []byte(changed(t, likesTold(t, "http://pond.example/"), c.old, c.new)))
		if err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: got %v, want %s", c.new, err, c.says)
		}
	}
	d := must(language.Read("ponds.yaml", []byte(likesTold(t, "http://pond.example/"))))(t)
	if sees := d.Triggers[0].Sees(); len(sees) < 6 || slices.Contains(sees, nil) {
		t.Errorf("it sees %v", sees)
	}
}
