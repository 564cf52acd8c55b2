package tests

import (
	"bytes"
	"crypto/sha256"
	"fmt"
	"image"
	"image/png"
	"math/rand/v2"
	"slices"
	"strings"
)

// imagineRules makes up the design of two worlds. What is a draft is its author's, whatever else the rules say.
func imagineRules(r *rand.Rand) string {
	one := func(of ...string) string { return of[r.IntN(len(of))] }
	people := one("doc == me || !doc.shut", "!paired('block', doc, me)", "doc == me || !doc.shut && !paired('block', doc, me)")
	posts := "(!doc.draft || doc.author == me)" + one("", " && !paired('block', doc.author, me)", " && !apart(me, doc.author)", " && (!doc.author.shut || doc.author == me)")
	ties := one("pair.open", "false", "pair.open && from == me")
	return strings.NewReplacer("PEOPLE", people, "POSTS", posts,
		"NOTES", one("true", "!paired('block', doc.author, me)", "!apart(me, doc.author) || doc.author == me", "!apart(me, doc.author)", "!doc.hushed"),
		"NOTEAUTHOR", one("required: true, default: me, fixed: true", "required: true, default: me", "required: true, default: me, fixed: true"),
		"EDITPERSON", one("doc == me", "me != null"),
		"EDITPOST", one("me != null", "me != null && doc.author == me", "me != null && (!has(new.about) || new.about.size < 50)"),
		"CREATEPOST", one("new.author == me", "new.author == me && (!has(new.about) || new.about.size < 50)",
			"new.author == me && (!has(new.about) || !paired('block', new.about.author, me))"),
		"SECRETWRITE", one("", `, write: "me != null"`, `, write: "new.author == me"`, ", write: false"),
		"SCOREWRITE", one("", `, write: "new == me"`),
		"FOLLOWSET", one("from == me", "from == me && !paired('block', to, me)", "from == me && has(to.name)"),
		"FOLLOWUNSET", one("from == me", "from == me || to == me", "from == me && has(to.name)"),
		"LIKEREAD", one("true", "from == me", "from == me || to.author == me", "pair.value > 0"),
		"TIEREAD", ties, ", tying]}", map[bool]string{true: "]}", false: ", tying]}"}[ties == "false"],
		", ties: {leads: tied}", map[bool]string{false: ", ties: {leads: tied}"}[ties == "false"], // what nobody may read is on no screen
		"LENGTH", one("6", "12", "40"), "DELIVER", one("push", "pull", "push"),
		"WHERE", one("", `where: "!doc.draft", `),
	).Replace(`
yalvo: 1
app: twin
accounts: people
collections:
  people:
    fields:
      name:   {type: string, required: true, max: 60}
      handle: {type: string, unique: true, max: 40}
      mail:   {type: string, max: 60}
      score:  {type: integer}
      tags:   {type: list, of: {type: string}, max: 20}
      shut:   {type: boolean, default: false}
      friend: {type: reference, to: people, inverse: befriended, when_gone: clear}
      pinned: {type: reference, to: posts, inverse: pinned_by, when_gone: clear}
      face:   {type: media}
    kept:
      newest: {latest: posts.author, how_many: 2, fields: [text, byline, last_notes]}
  posts:
    fields:
      text:   {type: string, max: 600}
      size:   {type: integer, min: 0, max: 1000}
      secret: {type: string, max: 60}
      draft:  {type: boolean, default: false}
      shot:   {type: media}
      author: {type: reference, to: people, required: true, default: me, fixed: true, inverse: posts, when_gone: remove}
      about:  {type: reference, to: posts, inverse: echoes, when_gone: clear}
    kept:
      byline:     {copy: author, fields: [name, handle]}
      card:       {copy: about, fields: [text, byline, last_notes]}
      last_notes: {latest: notes, how_many: 2, fields: [text, byline]}
      fans:       {gather: like.to, how_many: 3}
      last_fans:  {latest: like.to, how_many: 2, fields: [name]}
      echoers:    {gather: posts.about, how_many: 3}
  notes:
    under: posts
    fields:
      text:   {type: string, required: true, max: 400}
      hushed: {type: boolean, default: false}
      author: {type: reference, to: people, NOTEAUTHOR, inverse: notes, when_gone: remove}
    kept:
      byline: {copy: author, fields: [name]}
pairs:
  follow: {from: people, to: people, from_calls: following, to_calls: followers}
  block:  {from: people, to: people, from_calls: blocking, to_calls: blockers}
  like:   {from: people, to: posts, from_calls: liked, to_calls: likers, fields: {value: {type: integer, required: true, one_of: [-1, 1]}}}
  tie:    {from: people, to: people, from_calls: tying, to_calls: tied, fields: {open: {type: boolean, required: true}}}
timelines:
  home: {owner: people, entries: posts, by: author, through: follow, own: true, WHEREunless: {paired: block, either_way: true}, length: LENGTH, deliver: DELIVER}
lists:
  everyone:   {entries: posts, unless: {paired: block, either_way: true, with: author}}
  page:       {entries: posts, of: author, top: pinned}
  notes_of:   {entries: notes, of: parent}
  liked_by:   {entries: posts, through: like}
  fans_of:    {entries: people, through: like}
  mails:      {entries: people, starts: mail}
  scores:     {entries: people, order: score}
  friends_of: {entries: people, of: friend}
  secrets:    {entries: posts, words: [secret]}
  scored:     {entries: people, params: {least: {type: integer}}, where: "doc.score >= least"}
  texts:      {entries: posts, words: [text]}
  large:      {entries: posts, order: [size, created]}
  latest:     {entries: people, order: updated}
screens:
  feed:   {timeline: home, page: 5, shows: [text, card.text, byline.name], marks: [liked]}
  person: {of: people, by: handle, parts: {who: {document: of, with: [friend], marks: [following, tying]}, posts: {list: page, page: 3, live: true}, ties: {leads: tied}}}
  post:   {of: posts, parts: {it: {document: of, with: [author]}, notes: {list: notes_of}, echoes: {leads: echoes, page: 2}}}
  mine:   {parts: {me: {document: me}, all: {list: everyone, page: 3, live: true}, liked: {list: liked_by}, friends: {list: friends_of}}}
  found:  {parts: {scored: {list: scored}, secrets: {list: secrets}, mails: {list: mails, given: {starts: h}}}}
access:
  rules:
    apart(a, b): "paired('block', a, b) || paired('block', b, a)"
  collections:
    people:
      read:   "PEOPLE"
      create: "me != null"
      edit:   "EDITPERSON"
      remove: "doc == me"
      fields:
        mail:   {read: "doc == me"}
        score:  {read: "doc == me || doc.friend == me"SCOREWRITE}
        tags:   {read: "doc == me"}
        friend: {read: "doc == me"}
        face:   {read: "doc == me"}
        shut:   {read: "doc == me", write: "doc == me"}
    posts:
      read:   "POSTS"
      create: "CREATEPOST"
      edit:   "EDITPOST"
      remove: "doc.author == me"
      fields:
        secret: {read: "doc.author == me"SECRETWRITE}
        draft:  {write: "new.author == me"}
        author: {write: "new.author == me"}
    notes:
      read:   "NOTES"
      create: "me != null && (!has(new.author) || new.author == me)"
      edit:   "doc.author == me"
      remove: "doc.author == me || parent.author == me"
  pairs:
    follow: {read: true, set: "FOLLOWSET", unset: "FOLLOWUNSET"}
    block:  {read: "from == me", set: "from == me", unset: "from == me"}
    like:   {read: "LIKEREAD", set: "from == me", unset: "from == me"}
    tie:    {read: "TIEREAD", set: "from == me", unset: "from == me"}
  timelines: {home: {read: "owner == me"}}
  lists:
    everyone: {read: true}
    page: {read: true}
    notes_of: {read: true}
    liked_by: {read: true}
    fans_of: {read: true}
    mails: {read: true}
    scores: {read: true}
    friends_of: {read: true}
    secrets: {read: true}
    scored: {read: true}
    texts: {read: true}
    large: {read: true}
    latest: {read: true}
`)
}

// pictureCalled is how documents refer to one of some pictures, whether it was uploaded or not.
func pictureCalled(n int) string { return fmt.Sprintf("pictures/%x", sha256.Sum256(somePicture(n))) }

func somePicture(n int) []byte {
	img := image.NewGray(image.Rect(0, 0, 8, 8))
	img.Pix[0] = uint8(40 * n)
	var out bytes.Buffer
	_ = png.Encode(&out, img) // a buffer takes all
	return out.Bytes()
}

const (
	somePictures = 6

	madePeople = 8
	madePosts  = 40
)

func imaginePerson(r *rand.Rand) string {
	if n := r.IntN(madePeople + 2); n > 0 {
		return fmt.Sprint("p", n-1) // the last of them is nobody
	}
	return "ada"
}

func imaginePost(r *rand.Rand) string { return fmt.Sprint("s", r.IntN(madePosts+2)) }

var someWords = []string{"heron", "teal", "bittern", "reed", "coot"}

func imagineWord(r *rand.Rand) string { return someWords[r.IntN(len(someWords))] }

// imagineValue is a value for a field in JSON.
func imagineValue(r *rand.Rand, name string) string {
	switch name {
	case "score", "size":
		return fmt.Sprint(r.IntN(100))
	case "tags":
		return []string{"[]", `["a"]`, `["a","b","c"]`, `["b","c","d","e","f"]`}[r.IntN(4)]
	case "friend":
		return fmt.Sprintf("%q", fmt.Sprint("p", r.IntN(madePeople)))
	case "about":
		return fmt.Sprintf("%q", imaginePost(r))
	case "face", "shot":
		return fmt.Sprintf("%q", pictureCalled(r.IntN(somePictures)))
	case "author":
		return fmt.Sprintf("%q", imaginePerson(r))
	case "shut", "draft", "hushed":
		return fmt.Sprint(r.IntN(2) == 0)
	}
	return fmt.Sprintf("%q", imagineWord(r)+" "+imagineWord(r))
}

// imagineFacts is what both worlds begin with.
func imagineFacts(r *rand.Rand) []call {
	var all []call
	create := func(in, id, facts string) {
		all = append(all, call{method: "POST", path: "/collections/" + in, body: fmt.Sprintf(`{"id":%q,"facts":{%s}}`, id, facts)})
	}
	set := func(pair, from, to, facts string) {
		all = append(all, call{method: "PUT", path: "/pairs/" + pair + "/" + from + "/" + to, body: facts})
	}
	create("people", "ada", `"name":"ada","handle":"ada","mail":"ada@fen","score":5`)
	for i := range madePeople {
		id := fmt.Sprint("p", i)
		create("people", id, fmt.Sprintf(`"name":%q,"handle":%q,"mail":%s,"score":%s,"tags":%s,"shut":%t`, "name of "+id, id,
			imagineValue(r, "mail"), imagineValue(r, "score"), imagineValue(r, "tags"), i%4 == 1))
		set("follow", "ada", id, "")
		if i%4 == 2 || i%4 == 1 {
			set("block", id, "ada", "")
		}
	}
	somebody := func() string {
		if r.IntN(6) == 0 {
			return "ada"
		}
		return fmt.Sprint("p", r.IntN(madePeople))
	}
	for i := range madePosts {
		more := ""
		if i > 0 && r.IntN(3) == 0 {
			more = fmt.Sprintf(`,"about":"s%d"`, r.IntN(i))
		}
		create("posts", fmt.Sprint("s", i), fmt.Sprintf(`"text":%s,"size":%s,"secret":%s,"draft":%t,"author":%q`, imagineValue(r, "text"),
			imagineValue(r, "size"), imagineValue(r, "secret"), r.IntN(4) == 0, somebody())+more)
		for n := range r.IntN(5) {
			create(fmt.Sprintf("posts/s%d/notes", i), fmt.Sprint("n", n), fmt.Sprintf(`"text":%s,"hushed":%t,"author":%q`, imagineValue(r, "text"),
				r.IntN(3) == 0, somebody()))
		}
		for range r.IntN(6) {
			set("like", somebody(), fmt.Sprint("s", i), fmt.Sprintf(`{"facts":{"value":%d}}`, 1-2*r.IntN(2)))
		}
	}
	for i := range madePeople {
		all = append(all, call{method: "PATCH", path: fmt.Sprint("/collections/people/p", i),
			body: fmt.Sprintf(`{"facts":{"friend":%s,"pinned":"s%d"}}`, imagineValue(r, "friend"), r.IntN(madePosts))})
		set("follow", somebody(), fmt.Sprint("p", i), "")
		if i != 0 {
			set("tie", "ada", fmt.Sprint("p", i), fmt.Sprintf(`{"facts":{"open":%t}}`, i%2 == 0))
		}
	}
	return slices.DeleteFunc(all, func(c call) bool { // nobody follows themselves
		ends := strings.Split(c.path, "/")
		return len(ends) == 5 && ends[2] == "follow" && ends[3] == ends[4]
	})
}

// imagineCall makes up a call of ada's.
func imagineCall(r *rand.Rand) call {
	one := func(of ...string) string { return of[r.IntN(len(of))] }
	person, post := imaginePerson(r), imaginePost(r)
	note := fmt.Sprint("posts/", post, "/notes/n", r.IntN(5))
	document := one("people/"+person, "posts/"+post, "posts/"+post, note)
	switch r.IntN(30) {
	case 0:
		return call{method: "POST", path: "/pictures", body: string(somePicture(r.IntN(somePictures))), media: "image/png"}
	case 1:
		return call{method: "GET", path: "/" + pictureCalled(r.IntN(somePictures))}
	case 2:
		return call{method: "POST", path: "/sign-up", body: fmt.Sprintf(`{"facts":{"name":"ada",%s}}`, imagineFields(r, "people"))}
	}
	if r.IntN(5) < 3 {
		return imagineRead(r, one, person, post, document)
	}
	if r.IntN(6) == 0 {
		var items []string
		for range 1 + r.IntN(4) {
			items = append(items, imagineItem(r, one))
		}
		return call{method: "POST", path: "/writes", body: `{"writes":[` + strings.Join(items, ",") + "]}"}
	}
	return imagineWrite(r, one, person, post, document)
}

func imagineRead(r *rand.Rand, one func(...string) string, person, post, document string) call {
	path := one("/collections/"+document, "/collections/"+document,
		"/collections/people", "/collections/posts", "/collections/posts/"+post+"/notes", "/collections/people?handle="+person,
		"/collections/people/"+person+"/"+one("posts", "notes", "following", "followers", "blocking", "blockers", "liked", "tying", "tied", "befriended"),
		"/collections/posts/"+post+"/"+one("likers", "echoes", "pinned_by"),
		"/timelines/home/"+one("ada", "ada", person),
		"/lists/everyone", "/lists/page/"+person, "/lists/notes_of/"+post, "/lists/liked_by/"+person, "/lists/fans_of/"+post,
		"/lists/mails?starts="+one("h", "t", "b", "ada"), "/lists/scores", "/lists/friends_of/"+person, "/lists/secrets?words="+imagineWord(r),
		fmt.Sprint("/lists/scored?least=", r.IntN(100)), "/lists/texts?words="+imagineWord(r), "/lists/large", "/lists/latest",
		"/pairs/"+one("follow", "tie", "block")+"/"+one("ada", person)+"/"+imaginePerson(r), "/pairs/like/"+one("ada", person)+"/"+post)
	if r.IntN(6) == 0 {
		return imagineScreen(r, one, person, post)
	}
	var query []string
	ask := func(q string) { query = append(query, q) }
	if !strings.HasPrefix(path, "/pairs/") {
		if path != "/collections/"+document {
			if r.IntN(2) == 0 {
				ask(fmt.Sprint("limit=", 1+r.IntN(8)))
			}
			if r.IntN(3) == 0 && !strings.Contains(path, "handle=") {
				ask("cursor=NEXT")
			}
		}
		if r.IntN(4) == 0 {
			ask("marks=" + one("liked", "following", "tying", "following,blocking,followers", "blockers"))
		}
		if r.IntN(4) == 0 {
			ask("with=" + one("author", "about", "friend", "pinned", "author,about"))
		}
		if r.IntN(5) == 0 {
			ask("fields=" + one("text,card", "name,mail", "last_notes,fans", "score,secret,newest"))
		}
	}
	if len(query) > 0 {
		separator := "?"
		if strings.Contains(path, "?") {
			separator = "&"
		}
		path += separator + strings.Join(query, "&")
	}
	if r.IntN(12) == 0 && !strings.Contains(path, "NEXT") {
		return call{method: "POST", path: "/reads", body: fmt.Sprintf(`{"reads":[%q,%q]}`, path, "/collections/"+document)}
	}
	c := call{method: "GET", path: path}
	live := strings.HasPrefix(path, "/timelines/") || strings.HasPrefix(path, "/lists/") || path == "/collections/"+document
	if live && r.IntN(6) == 0 && !strings.Contains(path, "NEXT") {
		return call{method: "GET", path: "/live" + path}
	}
	if r.IntN(8) == 0 {
		c.headers = []string{"If-None-Match", "SEEN"}
	}
	return c
}

// imagineScreen makes up a look at a screen.
func imagineScreen(r *rand.Rand, one func(...string) string, person, post string) call {
	path := one("/screens/feed", "/screens/mine", "/screens/person/"+person, "/screens/post/"+post,
		fmt.Sprintf("/screens/found?least=%d&words=%s", r.IntN(100), imagineWord(r)))
	switch {
	case r.IntN(5) == 0 && path == "/screens/mine":
		path += "?part=" + one("me", "all", "liked", "friends", "none")
	case r.IntN(4) == 0 && (path == "/screens/mine" || strings.HasPrefix(path, "/screens/person/")):
		path = "/live" + path
	}
	return call{method: "GET", path: path}
}

// imagineFields makes up facts, or a merge patch, of a document at a path.
func imagineFields(r *rand.Rand, path string) string {
	names := []string{"text", "hushed", "author"}
	switch {
	case strings.HasPrefix(path, "people"):
		names = []string{"name", "mail", "score", "tags", "shut", "friend", "handle", "face"}
	case !strings.Contains(path, "/notes"):
		names = []string{"text", "size", "secret", "draft", "about", "author", "shot"}
	}
	var facts []string
	for range 1 + r.IntN(2) {
		name := names[r.IntN(len(names))]
		value := imagineValue(r, name)
		switch {
		case r.IntN(8) == 0:
			value = "null"
		case r.IntN(12) == 0:
			value = "{}" // of the wrong type
		case name == "handle":
			value = fmt.Sprintf("%q", imaginePerson(r))
		}
		facts = append(facts, fmt.Sprintf("%q:%s", name, value))
	}
	return strings.Join(facts, ",")
}

func imagineWrite(r *rand.Rand, one func(...string) string, person, post, document string) call {
	c := call{}
	switch r.IntN(10) {
	case 0, 1:
		in := one("posts", "posts", "posts/"+post+"/notes", "people")
		id := one("", fmt.Sprintf(`"id":"a%d",`, r.IntN(8)))
		c = call{method: "POST", path: "/collections/" + in, body: fmt.Sprintf(`{%s"facts":{"text":"by ada",%s}}`, id, imagineFields(r, in))}
		if in == "people" {
			c.body = fmt.Sprintf(`{%s"facts":{"name":"new"}}`, id)
		}
	case 2, 3:
		c = call{method: "PATCH", path: "/collections/" + document, body: fmt.Sprintf(`{"facts":{%s}}`, imagineFields(r, document))}
	case 4, 5:
		c = call{method: "PATCH", path: "/collections/" + document, body: imagineOperations(r, one), media: "application/json-patch+json"}
	case 6:
		if document == "people/ada" {
			document = "people/p0"
		}
		c = call{method: "DELETE", path: "/collections/" + document}
	case 7:
		c = call{method: "PUT", path: "/pairs/" + one("follow", "follow", "tie") + "/" + one("ada", "ada", person) + "/" + imaginePerson(r)}
		if strings.Contains(c.path, "tie") && r.IntN(2) == 0 {
			c.body = fmt.Sprintf(`{"facts":{"open":%t}}`, r.IntN(2) == 0)
		}
	case 8:
		c = call{method: "PUT", path: "/pairs/like/" + one("ada", "ada", person) + "/" + post, body: one("", `{"facts":{"value":1}}`, `{"facts":{"value":3}}`)}
	case 9:
		c = call{method: "DELETE", path: "/pairs/" + one("follow/"+one("ada", "ada", person)+"/"+person, "tie/ada/"+person, "like/"+one("ada", person)+"/"+post,
			"follow/"+person+"/ada")}
	}
	if r.IntN(6) == 0 {
		c.headers = append(c.headers, "Idempotency-Key", fmt.Sprint("key", r.IntN(6)))
	}
	if r.IntN(6) == 0 && (c.method == "PATCH" || c.method == "DELETE") && strings.HasPrefix(c.path, "/collections") {
		c.headers = append(c.headers, "If-Match", one("SEEN", `"1"`))
	}
	return c
}

func imagineOperations(r *rand.Rand, one func(...string) string) string {
	place := func() string {
		return one("", "/facts", "/kept", "/facts/secret", "/facts/mail", "/facts/tags", "/facts/tags/0", "/facts/tags/2", "/facts/tags/-",
			"/facts/text", "/facts/name", "/facts/score", "/kept/fans", "/kept/last_notes/0", "/kept/card", "/version", "/updated")
	}
	var all []string
	for range 1 + r.IntN(2) {
		switch op := one("test", "copy", "move", "add", "replace", "remove"); op {
		case "copy", "move":
			all = append(all, fmt.Sprintf(`{"op":%q,"from":%q,"path":%q}`, op, place(), one("/facts/text", "/facts/name", place())))
		case "remove":
			all = append(all, fmt.Sprintf(`{"op":"remove","path":%q}`, place()))
		default:
			all = append(all, fmt.Sprintf(`{"op":%q,"path":%q,"value":%s}`, op, place(), one(`"heron teal"`, "5", `["a"]`, "null", `"ada"`)))
		}
	}
	return "[" + strings.Join(all, ",") + "]"
}

func imagineItem(r *rand.Rand, one func(...string) string) string {
	post, person := imaginePost(r), imaginePerson(r)
	document := one("people/"+person, "posts/"+post, "posts/"+post+"/notes/n"+fmt.Sprint(r.IntN(5)))
	switch r.IntN(5) {
	case 0:
		in := one("posts", "posts/"+post+"/notes")
		return fmt.Sprintf(`{"create":%q,"id":"a%d","facts":{"text":"by ada",%s}}`, in, r.IntN(8), imagineFields(r, in))
	case 1, 2:
		return fmt.Sprintf(`{"edit":%q,"facts":{%s}}`, document, imagineFields(r, document))
	case 3:
		return fmt.Sprintf(`{"set":"follow","from":%q,"to":%q}`, one("ada", "ada", person), imaginePerson(r))
	}
	return fmt.Sprintf(`{"unset":%q,"from":%q,"to":%q}`, one("follow", "tie"), one("ada", "ada", person), imaginePerson(r))
}
