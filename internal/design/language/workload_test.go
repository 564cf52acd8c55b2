package language_test

import (
	"errors"
	"strings"
	"testing"

	"yalvo/internal/design"
	"yalvo/internal/design/language"
)

const used = fen + `
  home: {timeline: home}
workload:
  accounts: 100
  documents: {posts: 200}
  spread: {follow.to: {mean: 3, most: 40}, posts.author: {mean: 2, most: 20}}
  opened: {home: 3}
`

func TestAWorkloadIsRead(t *testing.T) {
	d, err := language.Read("fen.yaml", []byte(used+`
  done: {posts: {create: 0.5, edit: {text: 0.1}}, like: {set: 2, unset: 0.1}}
  busy: {posts: follow.to}
  hours: [0, 0, 0, 0, 0, 0, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 3, 0, 0]
  sizes: {posts.text: 60}
  unchanged: {home: 0.5}
  prices: {read: 0.3, write: 0.9, stored: 0.2}
`))
	if err != nil {
		t.Fatal(err)
	}
	w := d.Workload
	if w.Accounts != 100 || w.Spreads["follow.to"].Most != 40 || w.Done["posts"].Edit["text"] != 0.1 ||
		w.Done["like"].Unset != 0.1 ||
		w.Busy["posts"] != "follow.to" || w.HourShare() != 3.0/18 || w.Prices.Write != 0.9 ||
		w.Unchanged["home"] != 0.5 {
		t.Errorf("%+v", w)
	}
	beside, err := language.ReadWorkload("w.yaml", []byte("accounts: {now: 7, later: 70}"), d)
	if err != nil || beside.Accounts != 7 || beside.Later != 70 {
		t.Errorf("beside: %+v, %v", beside, err)
	}
	if _, err = language.ReadWorkload("w.yaml", []byte("acounts: 7"), d); err == nil ||
		!strings.Contains(err.Error(), `w.yaml:1:1: unknown-key: workload has no key "acounts"`) {
		t.Errorf("beside, mistyped: %v", err)
	}
}

func TestNonsenseInAWorkloadIsTold(t *testing.T) {
	for _, c := range []struct{ old, new, want string }{
		{"accounts: 100", "accounts: -1", "accounts must be from 1 to 1e+12, not -1"},
		{"accounts: 100", "accounts: 0", "not 0"},
		{"accounts: 100", "accounts: .inf", "accounts must be a number"},
		{"accounts: 100", "accounts: {now: 100, later: 50}", "there are 100 accounts now, and 50 later"},
		{"accounts: 100", "acounts: 100", `workload has no key "acounts"; did you mean "accounts"?`},
		{"most: 40", "most: 400", `one has up to 400, and there are 100 of "people"`},
		{"mean: 3, most: 40", "most: 40", "the spread of follow.to needs a mean and the most that one has"},
		{"mean: 3, most: 40", "mean: 50, most: 40", "the mean is 50, and the most that one has 40"},
		{"mean: 3, most: 40", "shares: [[0, 0.5], [9, 0.4]]", "the shares come to 0.9, not to 1"},
		{"mean: 3, most: 40", "shares: [[0, 0.5], 9]", "this must be a pair"},
		{"mean: 3, most: 40", "shares: []", "shares must be a list of up to 100 pairs"},
		{"mean: 3, most: 40", "mean: 3, shares: [[3, 1]]", "a spread has a mean and the most, or shares"},
		{"follow.to:", "folow.to:", `there is no relation "folow.to"; did you mean "follow.to"?`},
		{"follow.to: {mean: 3, most: 40}", "follow.to: {mean: 3, most: 40}, follow.from: {mean: 5, most: 40}",
			"there are 300 in all, and by follow.from 500"},
		{"posts: 200", "posts: 100", "by the spread of posts.author there are 200 in all, and by documents 100"},
		{"posts: 200", "people: 5", `there is no collection besides accounts "people"`},
		{"home: 3}", "hom: 3}", `there is no screen "hom"; did you mean "home"?`},
		{"home: 3}", "home: -3}", "home must be from 0 to 100000, not -3"},
		{"home: 3}", "home: 3}\n  hours: [1, 2]", "hours must be a list of 24 numbers, this is a list of 2"},
		{"home: 3}", "home: 3}\n  hours: [0,0,0,0,0,0,0,0,0,0,0,0,0,0,0,0,0,0,0,0,0,0,0,0]",
			"nothing is done at any hour"},
		{"home: 3}", "home: 3}\n  unchanged: {home: 1.5}", "home must be from 0 to 1, not 1.5"},
		{"home: 3}", "home: 3}\n  done: {post: {create: 1}}", `there is no collection or pair "post"`},
		{"home: 3}", "home: 3}\n  done: {posts: {set: 1}}", `posts has no key "set"`},
		{"home: 3}", "home: 3}\n  done: {posts: {edit: {txt: 1}}}",
			`there is no field of posts "txt"; did you mean "text"?`},
		{"home: 3}", "home: 3}\n  done: {posts: {create: 1000000}}", "create must be from 0 to 100000"},
		{"home: 3}", "home: 3}\n  busy: {posts: like.to}", `like.to is what one of "posts" has, not an account`},
		{"home: 3}", "home: 3}\n  prices: {read: free}", "read must be a number"},
		{"home: 3}", "home: 3}\n  present: {posts.text: 1.1}", "posts.text must be from 0 to 1, not 1.1"},
		{"home: 3}", "home: 3}\n  present: {posts.txt: 1}", `did you mean "posts.text"?`},
		{"home: 3}", "home: 3}\n  sizes: {posts.txt: 3}", `there is no field "posts.txt"; did you mean "posts.text"?`},
	} {
		source := strings.Replace(used, c.old, c.new, 1)
		if source == used && c.old != c.new {
			t.Fatalf("nothing is %q", c.old)
		}
		if i := strings.LastIndex(used, c.old); strings.Count(used, c.old) > 1 {
			source = used[:i] + c.new + used[i+len(c.old):]
		}
		if got := problemsIn(t, source); !strings.Contains(got.Error(), c.want) {
			t.Errorf("%s:\n got %v\nwant %s", c.new, got, c.want)
		}
	}
}

// A workload in a file of its own is read with the same bounds as a design, and what it lacks is told.
func TestAWorkloadBesideIsBounded(t *testing.T) {
	d, err := language.Read("used.yaml", []byte(used))
	if err != nil {
		t.Fatal(err)
	}
	for name, c := range map[string]struct{ source, want string }{
		"ten megabytes":          {strings.Repeat("# more\n", 1_500_000), "262144 are allowed"},
		"anchors":                {"a: &a [1]\nb: *a", "no anchors, aliases"},
		"one key twice":          {"accounts: 3\naccounts: 4", "accounts"},
		"tabs":                   {"accounts:\n\tnow: 3", "syntax"},
		"no text":                {"accounts: \xff", "no UTF-8"},
		"nested without end":     {strings.Repeat("{a: ", 40_000), "nested deeper than 64 levels"},
		"nothing":                {"", "accounts"},
		"a list":                 {"[1, 2]", "must be a mapping"},
		"numbers no float holds": {"accounts: 1e400", "accounts"},
	} {
		if _, err := language.ReadWorkload("w.yaml", []byte(c.source), d); err == nil ||
			!strings.Contains(err.Error(), c.want) ||
			!strings.Contains(err.Error(), "w.yaml") {
			t.Errorf("%s: %.300v", name, err)
		}
	}
	w, err := language.ReadWorkload("w.yaml", []byte("\uFEFFaccounts: 1\ndocuments: {posts: 0}\nspread: "+
		"{follow.to: {mean: 0, most: 1}}\n"), d)
	if err != nil || w.Accounts != 1 {
		t.Errorf("one account, and nothing of anything: %v", err)
	}
}

func TestAValueIsSetInPlaceOfTheFiles(t *testing.T) {
	set := func(path, value string) (*design.Design, error) {
		return language.ReadWith("fen.yaml", []byte(used), []language.Setting{{Path: path, Value: value}})
	}
	d, err := set("workload.spread.follow.to", "{mean: 5, most: 60}")
	if err != nil || d.Workload.Spreads["follow.to"].Most != 60 {
		t.Errorf("a key with a dot: %v", err)
	}
	if d, err = set("timelines.home.deliver", "pull"); err != nil || d.Timeline("home").Deliver != design.Pull {
		t.Errorf("a key that was not there: %v", err)
	}
	for path, c := range map[string][2]string{
		"timelines.home.deliver": {"pul", `deliver cannot be "pul"; did you mean "pull"?`},
		"timelines.hom.deliver":  {"pull", `timelines has no key`},
		"app.name":               {"x", `nothing can be set at "app.name": there is "fen" before that`},
		"workload.accounts":      {"[1", "syntax"},
		"":                       {"x", "syntax"},
	} {
		var problems design.Problems
		if _, err := set(path, c[0]); !errors.As(err, &problems) || !strings.Contains(err.Error(), c[1]) &&
			path != "timelines.hom.deliver" {
			t.Errorf("%s: %v, want %s", path, err, c[1])
		}
	}
}
