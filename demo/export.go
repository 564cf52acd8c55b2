package demo

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"
)

// An export of Fenwatch as it might have been before: kept by hand in a document
// store, with counts, copies and both sides of each follow written into the documents,
// and drifted.

// Planted is something that is wrong in an export, as it is to be found: the kind and
// the place, and what it is about.
type Planted struct{ Kind, Where, What string }

// ExportSize is the size of the export that is kept beside the demo.
var ExportSize = Size{Members: 150, Follows: 1200, Sightings: 400, Remarks: 200, Likes: 600, MostFollowers: 90}

// drifted is an export with what is wrong in it.
type drifted struct {
	*rand.Rand
	users   map[string]map[string]any
	posts   []map[string]any
	planted []Planted
}

// Export writes the export of a world that has drifted, users.json, an object of
// objects by id, and posts.json, an object a line, and returns what is wrong in it.
func Export(w World, seed uint64, folder string) ([]Planted, error) {
	d := &drifted{Rand: rand.New(rand.NewPCG(seed, 22)), users: map[string]map[string]any{}}
	d.truth(w, seed)
	d.drift()
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return nil, err
	}
	users, err := json.MarshalIndent(d.users, "", " ")
	if err != nil {
		return nil, err
	}
	var posts []byte
	for _, p := range d.posts {
		line, err := json.Marshal(p)
		if err != nil {
			return nil, err
		}
		posts = append(append(posts, line...), '\n')
	}
	if err := os.WriteFile(filepath.Join(folder, "users.json"), append(users, '\n'), 0o644); err != nil {
		return nil, err
	}
	return d.planted, os.WriteFile(filepath.Join(folder, "posts.json"), posts, 0o644)
}

// truth is the export as it should be.
func (d *drifted) truth(w World, seed uint64) {
	c := newCalendar(seed, time.Date(2031, 6, 1, 0, 0, 0, 0, time.UTC))
	joined := c.moments(len(w.Members), time.Time{})
	for i, m := range w.Members {
		u := map[string]any{"username": m.Fields["handle"], "displayName": m.Fields["name"], "bio": m.Fields["about"],
			"joined": joined[i].UnixMilli(), "following": []string{}, "followers": []string{}, "followerCount": 0,
			"followingCount": 0, "postCount": 0}
		if photo := m.Fields["portrait"]; photo != nil {
			u["avatar"] = map[string]any{"url": photo}
		}
		d.users[m.ID] = u
	}
	for _, f := range w.Follows {
		d.append(d.users[f[0]], "following", f[1], "followingCount")
		d.append(d.users[f[1]], "followers", f[0], "followerCount")
	}
	byID := map[string]map[string]any{}
	for _, s := range w.Sightings {
		author := d.users[s.As]
		p := map[string]any{"id": s.ID, "body": s.Fields["text"], "authorId": s.As, "authorName": author["displayName"],
			"tags": s.Fields["species"], "many": s.Fields["birds"],
			"postedAt": c.moment(time.Time{}).Format(time.RFC3339),
			"likedBy":  []string{}, "likeCount": 0, "comments": []any{}, "commentCount": 0}
		author["postCount"] = author["postCount"].(int) + 1
		byID[s.ID] = p
		d.posts = append(d.posts, p)
	}
	for _, l := range w.Likes {
		if p := byID[l[1]]; !slices.Contains(p["likedBy"].([]string), l[0]) {
			d.append(p, "likedBy", l[0], "likeCount")
		}
	}
	for _, r := range w.Remarks {
		p := byID[r.In]
		p["comments"] = append(p["comments"].([]any), map[string]any{"cid": r.ID, "text": r.Fields["text"], "uid": r.As,
			"name": d.users[r.As]["displayName"]})
		p["commentCount"] = p["commentCount"].(int) + 1
	}
}

func (d *drifted) append(to map[string]any, list, id, count string) {
	to[list] = append(to[list].([]string), id)
	to[count] = to[count].(int) + 1
}

func (d *drifted) plant(kind, where, what string) {
	d.planted = append(d.planted, Planted{kind, where, what})
}

// user picks one that nothing else has been planted in.
func (d *drifted) user(used map[string]bool, fits func(map[string]any) bool) string {
	ids := make([]string, 0, len(d.users))
	for id := range d.users {
		ids = append(ids, id)
	}
	slices.Sort(ids)
	d.Shuffle(len(ids), func(i, j int) { ids[i], ids[j] = ids[j], ids[i] })
	for _, id := range ids {
		if !used[id] && fits(d.users[id]) {
			used[id] = true
			return id
		}
	}
	return ""
}

// faults is how often each kind of fault is planted.
const faults = 6

// drift plants what goes wrong when triggers are written by hand. No fault hides
// another: each is in documents of its own.
func (d *drifted) drift() {
	users, posts := map[string]bool{}, map[int]bool{}
	anyone := func(map[string]any) bool { return true }
	has := func(list string) func(map[string]any) bool {
		return func(x map[string]any) bool {
			switch l := x[list].(type) {
			case []string:
				return len(l) > 0
			case []any:
				return len(l) > 0
			}
			return false
		}
	}
	post := func(fits func(map[string]any) bool) map[string]any {
		for {
			if i := d.IntN(len(d.posts)); !posts[i] && fits(d.posts[i]) {
				posts[i] = true
				return d.posts[i]
			}
		}
	}
	path := func(p map[string]any) string { return "sightings/" + p["id"].(string) }
	for range faults {
		id := d.user(users, anyone) // a count that missed an update
		d.users[id]["followerCount"] = d.users[id]["followerCount"].(int) + 1 + d.IntN(5)
		d.plant("count that lies", "members.followerCount", "members/"+id)

		p := post(anyone)
		p["likeCount"] = p["likeCount"].(int) - 1
		d.plant("count that lies", "sightings.likeCount", path(p))

		p = post(anyone) // a name that was changed since
		p["authorName"] = "Formerly " + p["authorName"].(string)
		d.plant("stale copy", "sightings.authorName", path(p))

		p = post(has("comments"))
		comment := p["comments"].([]any)[0].(map[string]any)
		comment["name"] = "Formerly " + comment["name"].(string)
		d.plant("stale copy", "remarks.name", path(p)+"/remarks/"+comment["cid"].(string))

		p = post(anyone) // somebody who is gone likes it still
		p["likedBy"] = append(p["likedBy"].([]string), fmt.Sprint("gone_", d.IntN(1000)))
		likes := p["likedBy"].([]string)
		d.plant("points at what is gone", "like", "members/"+likes[len(likes)-1]+" → "+path(p))

		p = post(has("comments")) // a double tap
		p["comments"] = append(p["comments"].([]any), p["comments"].([]any)[0])
		d.plant("there twice", "remarks", path(p)+"/remarks/"+p["comments"].([]any)[0].(map[string]any)["cid"].(string))

		p = post(has("likedBy"))
		likes = p["likedBy"].([]string)
		p["likedBy"] = append(likes, likes[0])
		d.plant("there twice", "like", "members/"+likes[0]+" → "+path(p))
	}
	for range faults { // a follow of which the second write never came
		from := d.user(users, has("following"))
		to := d.users[from]["following"].([]string)[0]
		d.users[to]["followers"] = slices.DeleteFunc(slices.Clone(d.users[to]["followers"].([]string)),
			func(id string) bool { return id == from })
		d.plant("one side only", "follow", "members/"+from+" → members/"+to)
	}
	d.orphan()
	slices.SortFunc(d.planted, func(a, b Planted) int {
		return strings.Compare(a.Kind+a.Where+a.What, b.Kind+b.Where+b.What)
	})
}

// orphan plants a sighting whose author is gone.
func (d *drifted) orphan() {
	d.posts = append(d.posts, map[string]any{"id": "s99999", "body": "One bittern, and nobody to tell of it.",
		"authorId": "nobody", "authorName": "Nobody", "tags": []string{"Bittern"}, "many": 1,
		"postedAt": "2031-03-04T05:06:07Z", "likedBy": []string{}, "likeCount": 0, "comments": []any{},
		"commentCount": 0})
	d.plant("points at what is gone", "sightings.author", "sightings/s99999")
}
