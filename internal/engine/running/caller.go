package running

import (
	"strconv"
)

// Caller is who asks for a write.
type Caller struct {
	Viewer
	Key     string // the request's Idempotency-Key, empty if it has none
	Request []byte // digest of the request, to tell a repetition from a reuse of the key
}

// Owner is whose the Idempotency-Key is. No account has the id that stands for strangers.
func (c Caller) Owner() string {
	if c.Judged && c.Me == "" {
		return "~"
	}
	return c.Me
}

// Position is a place in the journal that a read can wait for: "7" is the
// change 7 alone, "..7" is every change up to it. "=7" is the change 7 too: a
// write that changed nothing is answered with it, for 7 has made it so.
type Position string

// At is the position of one change.
func At(seq int64) Position { return Position(strconv.FormatInt(seq, 10)) }

// MadeSoAt is the position of a write that found everything as it was to be, for
// an earlier change.
func MadeSoAt(seq int64) Position { return "=" + At(seq) }

// UpTo is the position of every change up to one.
func UpTo(seq int64) Position { return Position(".." + strconv.FormatInt(seq, 10)) }

// Exactly is the change that a position stands for.
func (p Position) Exactly() (int64, error) { return strconv.ParseInt(string(p), 10, 64) }
