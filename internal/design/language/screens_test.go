package language_test

import (
	"strings"
	"testing"

	"yalvo/internal/design"
	"yalvo/internal/design/language"
)

// fen is a design with all that a screen can show.
const fen = `yalvo: 1
app: fen
accounts: people
collections:
  people:
    fields:
      handle: {type: string, required: true, unique: true}
      name: {type: string}
      secret: {type: string}
      box: {type: object, fields: {no: {type: integer}}}
  posts:
    fields:
      text: {type: string, max: 100}
      author: {type: reference, to: people, when_gone: remove, inverse: posts}
      place: {type: reference, to: people, when_gone: clear}
    kept:
      byline: {copy: author, fields: [name]}
      last_notes: {latest: notes, how_many: 2, fields: [text]}
  notes:
    under: posts
    fields: {text: {type: string}}
pairs:
  follow: {from: people, to: people, from_calls: following, to_calls: followers}
  like: {from: people, to: posts, from_calls: liked, to_calls: likers, fields: {warmth: {type: integer}}}
  save: {from: people, to: posts, from_calls: saved, to_calls: savers}
timelines:
  home: {owner: people, entries: posts, by: author, through: follow, carry: [text, byline]}
lists:
  all: {entries: posts, params: {least: {type: integer, default: 1}}, where: "doc.created > now - duration('1h') || least > 2"}
  some: {entries: posts, params: {least: {type: string, default: x}}, where: "doc.text != least"}
  by: {entries: posts, of: author}
  likes: {entries: posts, through: like}
  names: {entries: people, starts: name}
  closed: {entries: posts}
access:
  collections:
    people: {read: true, fields: {secret: {read: false}}}
    posts: {read: true}
    notes: {read: true}
  pairs: {follow: {read: true}, like: {read: true}}
  timelines: {home: {read: true}}
  lists: {all: {read: true}, some: {read: true}, by: {read: true}, likes: {read: true}, names: {read: true}}
screens:
`

func TestAScreenSaysWhatIsShown(t *testing.T) {
	d, err := language.Read("fen.yaml", []byte(fen+`
  home: {timeline: home, shows: [text, byline.name], marks: [liked], live: true}
  person:
    of: people
    by: handle
    parts:
      who: {document: of, marks: [following]}
      posts: {list: by, page: 5, with: [author], shows: [text, author.name, last_notes.text, last_notes.id, created]}
      liked: {list: likes, for: me, shows: [pair.warmth, text]}
      fans: {leads: followers, shows: [name, box.no]}
  find: {list: names}
  new: {list: all, given: {least: 3}}
`))
	if err != nil {
		t.Fatal(err)
	}
	home, person := d.Screen("home"), d.Screen("person")
	if p := home.Part("home"); p == nil || p.For != design.Mine || p.Page != 30 || !p.Live || p.Shows.Name != "posts" {
		t.Errorf("home: %+v", p)
	}
	if person.Of.Name != "people" || person.By.Name != "handle" {
		t.Errorf("asked for %+v by %+v", person.Of, person.By)
	}
	for part, want := range map[string]design.Whose{"who": design.OfOne, "posts": design.OfOne, "liked": design.Mine,
		"fans": design.OfOne} {
		if got := person.Part(part).For; got != want {
			t.Errorf("%s is for %q, want %q", part, got, want)
		}
	}
	if got := strings.Join(person.Part("posts").Fields(), " "); got != "author last_notes text" {
		t.Errorf("answered with %s", got)
	}
	if _, looks := d.Screen("find").Params(); len(looks) != 1 || looks[0] != design.ParamStarts {
		t.Errorf("looks for %v", looks)
	}
	if own, _ := d.Screen("new").Params(); len(own) != 0 || d.Screen("new").Part("all").Given["least"] != "3" {
		t.Errorf("takes %v", own)
	}
}

func TestWhatAScreenCannotShowIsTold(t *testing.T) {
	for _, c := range []struct{ screen, want string }{
		{"x: {}", `a part of screen "x" reads one thing, this reads nothing; write one of timeline`},
		{"x: {list: all, timeline: home}", "this reads timeline and list"},
		{"x: {list: al}", `unknown-name: there is no list "al"; did you mean "all"?`},
		{"x: {timeline: hom}", `there is no timeline "hom"; did you mean "home"?`},
		{"x: {leads: folowers, for: me}",
			`nothing that "people" has is called "folowers" and leads to others; did you mean "followers"?`},
		{"x: {of: peple, document: of}", `there is no collection "peple"`},
		{"x: {document: of}", `screen "x" is asked for no document; say for one of which collection`},
		{"x: {of: posts, timeline: home, for: of}", `"home" is asked for one of "people", not of "posts"`},
		{"x: {list: all, for: me}", `"all" is asked for no document; leave`},
		{"x: {of: people, by: name, document: of}", "people.name does not lead to one document"},
		{"x: {by: handle, list: all}", `screen "x" is asked for no document`},
		{"x: {list: all, page: 201}", "page must be a whole number from 1 to 200, not 201"},
		{"x: {document: me, page: 2}", "one document has no pages"},
		{"x: {list: all, shows: [txt]}", `"posts" has no value "txt"; did you mean "text"?`},
		{"x: {list: all, shows: [text, text]}", `"text" stands in shows twice`},
		{"x: {list: all, shows: [text..x]}", `is no name of a value`},
		{"x: {list: all, shows: [like_count]}", "have it kept, in the kept values of \"posts\": `like_count: " +
			"{count: like.to}`"},
		{"x: {list: all, shows: [note_count]}", "`note_count: {count: notes}`"},
		{"x: {list: names, shows: [post_count]}", "`post_count: {count: posts.author}`"},
		{"x: {list: all, shows: [notes]}", "`last_notes: {latest: notes, how_many: 3, fields: [text]}`; or read " +
			"them as a part of their own, `leads: notes`"},
		{"x: {list: all, shows: [author.name]}", "\"posts\" has a copy of it; write `byline.name`, or look it up " +
			"with each, `with: [author]`"},
		{"x: {list: all, shows: [author.handle]}", "copy it too, `byline: {copy: author, fields: [name, handle]}`, " +
			"and write `byline.handle`"},
		{"x: {list: all, shows: [place.name]}", "keep a copy in \"posts\", `place_card: {copy: place, fields: " +
			"[name]}`"},
		{"x: {list: all, with: [author], shows: [author.nme]}", `"people" has no value "nme"; did you mean "name"?`},
		{"x: {list: all, shows: [byline.handle]}", "posts.byline does not show \"handle\"; add it to posts.byline: " +
			"`fields: [name, handle]`"},
		{"x: {list: all, shows: [byline.nose]}", `nothing in posts.byline is called "nose"`},
		{"x: {document: me, shows: [box.none]}", `nothing in "box" is called "none"`},
		{"x: {list: all, shows: [pair.warmth]}", `no pairs with a value "pair.warmth" are shown`},
		{"x: {timeline: home, shows: [last_notes]}", "entries of timeline \"home\" do not carry \"last_notes\"; " +
			"add it to timelines.home: `carry: [text, byline, last_notes]`"},
		{"x: {timeline: home, with: [place]}", `do not carry "place"`},
		{"x: {list: all, marks: [likd]}",
			`whoever asks has no pair with "posts" that they call "likd"; did you mean "liked"?`},
		{"x: {of: posts, leads: notes, marks: [seen]}", "no pair joins accounts and \"notes\": there is no mark " +
			"\"seen\"; add a pair"},
		{"x: {list: all, marks: [saved]}", "never-read: screen \"x\" shows pairs of save, and nobody may read " +
			"that; say who may in `access.pairs.save`"},
		{"x: {document: me, shows: [secret]}", "shows people.secret, and nobody may read that; say who may in " +
			"`access.collections.people.fields.secret`"},
		{"x: {list: closed}", "never-read: screen \"x\" shows closed"},
		{"x: {list: all, given: {least: many}}", "bad-value"},
		{"x: {list: all, given: {lest: 2}}", `given has no key "lest"; did you mean "least"?`},
		{"x: {list: names, given: {starts: ''}}", "starts must be a text"},
		{"x: {timeline: home, given: {least: 1}}", "parameters are given to lists alone"},
		{"x: {leads: followers, for: me, live: true}", "what a name leads to is not read live"},
		{"x: {list: all, with: [author], live: true}", "what is live brings nothing along"},
		{"x: {parts: {a: {list: all}, b: {list: some}}}",
			`the parameter "least" is of type integer in part "a", and of type string in "b"`},
		{"x: {parts: {}}", `screen "x" has no parts`},
		{"x: {parts: {a: {list: all}}, list: some}", `screen "x" has no key "list"`},
		{"x: {parts: {A: {list: all}}}", `"A" cannot be a name`},
		{"x: yes", `shape: screen "x" must be a mapping`},
		{"x: {list: [all]}", "list must be a name, this is a list"},
		{"x: {list: all, shows: text}", "shows must be a list of names"},
	} {
		if got := problemsIn(t, fen+"  "+c.screen+"\n"); !strings.Contains(got.Error(), c.want) {
			t.Errorf("%s:\n got %v\nwant %s", c.screen, got, c.want)
		}
	}
}
