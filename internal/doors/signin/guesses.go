package signin

import (
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/binary"
	"time"

	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/signinsql"
)

// Guessing costs time: after so many wrong passwords in a row each further one is waited for,
// twice as long every time.
const (
	freeTogether = 5   // of one name from one address
	freeName     = 50  // of one name from anywhere
	freeAddress  = 50  // from one address, of any name
	freeSignUps  = 100 // accounts from one address
	mostWait     = 5 * time.Minute
	guessAge     = time.Hour // after which what was wrong is forgotten
	buckets      = 1 << 20   // that are told apart: so many rows at most, whatever is sent
)

// TooSoon is the refusal of a try that comes too soon.
type TooSoon struct {
	*running.Refusal
	Wait time.Duration
}

// Unwrap is the refusal.
func (t TooSoon) Unwrap() error { return t.Refusal }

// signingIn counts tries of a name from an address. From where its account has signed in lately what others try
// elsewhere does not count: they cannot keep it out.
func (d *Server) signingIn(from, name string, familiar bool) []signinsql.Try {
	tries := []signinsql.Try{{Bucket: d.bucket("both", from+"\x00"+name), Free: freeTogether},
		{Bucket: d.bucket("from", from), Free: freeAddress}}
	if !familiar {
		tries = append(tries, signinsql.Try{Bucket: d.bucket("name", name), Free: freeName})
	}
	return tries
}

// Familiar tells whether somebody who says they are an account does so from where it has signed in lately.
func (d *Server) Familiar(ctx context.Context, from, name string) (bool, error) {
	_, _, field, err := d.by(ctx)
	if err != nil {
		return false, err
	}
	return signinsql.IsFamiliar(ctx, d.Store, field, name, d.place(from))
}

// place is what is kept of an address, keyed with the secret.
func (d *Server) place(from string) int64 {
	return int64(binary.BigEndian.Uint64(d.keyed("place", from)))
}

func (d *Server) signingUp(from string) []signinsql.Try {
	return []signinsql.Try{{Bucket: d.bucket("up", from), Free: freeSignUps}}
}

// bucket is keyed with a secret, the same for all services: nobody can find names that share one with somebody
// whom they want to keep from signing in.
func (d *Server) bucket(kind, of string) int64 {
	return int64(binary.BigEndian.Uint32(d.keyed(kind, of)) % buckets)
}

func (d *Server) keyed(kind, of string) []byte {
	h := hmac.New(sha256.New, d.issuer.Key)
	h.Write([]byte("guesses\x00" + kind + "\x00" + of)) // never fails
	return h.Sum(nil)
}

// count counts a try before it is made, and refuses one that comes too soon.
func (d *Server) count(ctx context.Context, tries []signinsql.Try) error {
	wait, err := signinsql.CountTry(ctx, d.Store, tries, mostWait, guessAge)
	if err != nil || wait <= 0 {
		return err
	}
	seconds := int(wait/time.Second) + 1
	return TooSoon{running.Refuse(running.CodeTooMany, "there have been too many tries: wait %d seconds", seconds),
		time.Duration(seconds) * time.Second}
}

// Tidy forgets what nobody will ask for again: sign-ins that have ended, passwords of accounts
// that are gone, wrong passwords of long ago.
func (d *Server) Tidy(ctx context.Context, every time.Duration) {
	tick := time.NewTicker(every)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		err := d.Store.Upkeep(ctx, func(tx *store.Tx) error {
			return signinsql.DropSignIns(tx, guessAge, signInTime, tidied)
		})
		if err != nil && ctx.Err() == nil {
			d.Trouble("forgetting sign-ins", err)
		}
	}
}

// tidied is how many rows of a table go in one transaction.
const tidied = 10_000
