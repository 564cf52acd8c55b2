// Package tests tells the product's stories through its real interfaces: a
// service on loopback with a real PostgreSQL, the Go client, raw HTTP, the
// command, and the console in a browser.
package tests

import (
	"context"
	"os"
	"os/exec"
	"os/signal"
	"syscall"
	"testing"

	"yalvo/internal/command/cli"
	"yalvo/tests/scratch"
)

func TestMain(m *testing.M) {
	asCommand()
	asRun()
	scratch.Main(m, func() {
		if chrome.stop != nil {
			chrome.stop()
		}
	})
}

// commandKey is set for a process of the test's own program that is to be the yalvo command.
const commandKey = "YALVO_TESTS_ARE_THE_COMMAND"

// asCommand is the yalvo command if this process is one. So services that tests kill have the race
// detector too, and nothing is compiled twice.
func asCommand() {
	if os.Getenv(commandKey) == "" {
		return
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	code := cli.Run(ctx, os.Args, os.Stdout, os.Stderr)
	stop()
	os.Exit(code)
}

// command is the yalvo command as a process of its own.
func command(t *testing.T, args ...string) *exec.Cmd {
	t.Helper()
	c := exec.Command(must(os.Executable())(t), args...)
	c.Env = append(os.Environ(), commandKey+"=yes")
	return c
}

// ponds is a small app: people, posts that carry their author's name, notes
// nested under posts, follows and likes, and a home timeline.
const ponds = `
yalvo: 1
app: ponds
accounts: people
collections:
  people:
    fields:
      name: {type: string, required: true, max: 40}
      mail: {type: string, unique: true}
    kept:
      followers_n: {count: follow.to}
      following_n: {count: follow.from}
      posts_n:     {count: posts.author}
  posts:
    fields:
      text:   {type: string, required: true, max: 200}
      rating: {type: integer, min: 0, max: 10}
      weight: {type: number}
      hidden: {type: boolean, default: false}
      seen:   {type: timestamp, default: now}
      photo:  {type: media}
      spot:   {type: object, fields: {name: {type: string, required: true}, lat: {type: number}}}
      tags:   {type: set, of: {type: string, max: 10}, max: 3}
      steps:  {type: list, of: {type: integer}, max: 4}
      kind:   {type: string, one_of: [bird, frog], default: bird}
      author: {type: reference, to: people, required: true, default: me, inverse: posts, when_gone: remove}
      about:  {type: reference, to: posts, inverse: answers, when_gone: clear}
    kept:
      byline:  {copy: author, fields: [name]}
      likes_n: {count: like.to}
      notes_n: {count: notes}
  notes:
    under: posts
    fields:
      text:   {type: string, required: true}
      author: {type: reference, to: people, default: me, inverse: notes, when_gone: remove}
    kept: {byline: {copy: author, fields: [name]}}
  pins:
    fields:
      post: {type: reference, to: pools, required: true, when_gone: refuse}
      link: {type: reference, to: pools, when_gone: leave, inverse: links}
    kept: {pool: {copy: link, fields: [name]}}
  pools:
    fields: {name: {type: string, required: true}}
pairs:
  follow: {from: people, to: people, from_calls: following, to_calls: followers}
  like:   {from: people, to: posts, from_calls: liked, to_calls: likers}
timelines:
  home: {owner: people, entries: posts, by: author, through: follow, own: true, length: 800, carry: [text, byline, likes_n]}
`
