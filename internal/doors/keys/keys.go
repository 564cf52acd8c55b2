package keys

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"errors"
	"fmt"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"yalvo/internal/design"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/keysql"
)

// Scope is what a key may: each may do what those before it may.
type Scope string

// The scopes.
const (
	Read    Scope = "read"    // look at everything
	Write   Scope = "write"   // and write facts
	Operate Scope = "operate" // and everything else: designs, audits, forgetting, keys
)

// Scopes are all of them, the smallest first.
var Scopes = []Scope{Read, Write, Operate}

// Covers tells whether whoever has this scope may do what needs another.
func (s Scope) Covers(needed Scope) bool { return s.rank() >= needed.rank() && s.rank() > 0 }

func (s Scope) rank() int {
	for i, one := range Scopes {
		if s == one {
			return i + 1
		}
	}
	return 0
}

// Key is a key without its secret.
type Key struct {
	ID      string     `json:"id"`
	Name    string     `json:"name"`
	Scope   Scope      `json:"scope"`
	Made    time.Time  `json:"made"`
	Used    *time.Time `json:"used,omitempty"`    // the minute in which it was used last
	Revoked *time.Time `json:"revoked,omitempty"` // it holds no more
}

// Errors that callers tell apart.
var (
	// ErrUnknown is the error of a text that stands for no key that holds.
	ErrUnknown = errors.New("it stands for no key that holds")
	// ErrTooMany is the error of one key more than there may be.
	ErrTooMany = fmt.Errorf("there are %d keys, which is as many as there may be: revoke some", Most)
)

const (
	// Most is how many keys may hold.
	Most        = 1000
	mostRevoked = 50                     // that are shown
	mostName    = 60                     // characters of a key's name
	refresh     = 2 * time.Second        // keys are read again after
	longestRead = 2 * time.Second        // that may take
	retry       = 200 * time.Millisecond // for the sake of one that is not known
)

// prefix begins every key: who finds one in a file knows what it is.
const prefix = "yalvo-"

// IsKey tells whether a text has the form of a key.
func IsKey(text string) bool { return strings.HasPrefix(text, prefix) }

// Ring knows the keys. It reads them again every two seconds while it is asked, so that a key
// which another service has revoked soon holds no more.
type Ring struct {
	store *store.Store

	mu   sync.Mutex
	keys map[string]keysql.OperatorKey // those that hold, by id; never changed, only replaced
	read time.Time
	used map[string]time.Time // the minute that was noted last, by id

	reading   chan struct{} // closed when the keys have been read again; nil: nobody does
	wrong     error         // why they could not be
	forgotten int           // how often what was read has come not to hold
}

// New makes a ring and reads the keys.
func New(ctx context.Context, s *store.Store) (*Ring, error) {
	r := &Ring{store: s, used: map[string]time.Time{}}
	_, err := r.known(ctx, refresh)
	return r, err
}

// Make makes a key and returns it with its text, which is shown once.
func (r *Ring) Make(ctx context.Context, name string, scope Scope) (text string, key Key, err error) {
	secret := rand.Text()
	k := keysql.OperatorKey{ID: strings.ToLower(rand.Text()[:10]), Name: name, Scope: string(scope), Hash: hash(secret)}
	fits, err := keysql.AddOperatorKey(ctx, r.store, k, Most)
	if err == nil && !fits {
		err = ErrTooMany
	}
	if err != nil {
		return "", Key{}, err
	}
	r.forget()
	return prefix + k.ID + "-" + secret, Key{ID: k.ID, Name: name, Scope: scope, Made: time.Now().UTC()}, nil
}

// Wrong says what is wrong with a key that is loaded, empty for nothing.
func Wrong(k keysql.OperatorKey) string {
	if len(k.Hash) != sha256.Size || !Scope(k.Scope).Covers(Read) || design.CheckID(k.ID) != "" {
		return "this is no key of an operator"
	}
	return CheckName(k.Name)
}

// CheckName says what is wrong with a name for a key, empty for nothing.
func CheckName(name string) string {
	if n := utf8.RuneCountInString(name); n == 0 || n > mostName || strings.ContainsFunc(name, isControl) {
		return fmt.Sprintf("a key has a name of 1 to %d characters that says who has it", mostName)
	}
	return ""
}

func isControl(r rune) bool { return r < ' ' || r == 0x7F || r == utf8.RuneError }

// Check is the key of a text.
func (r *Ring) Check(ctx context.Context, text string) (Key, error) {
	id, secret, is := strings.Cut(strings.TrimPrefix(text, prefix), "-")
	if !is || !IsKey(text) {
		return Key{}, ErrUnknown
	}
	return r.held(ctx, id, func(k keysql.OperatorKey) bool {
		return subtle.ConstantTimeCompare(hash(secret), k.Hash) == 1
	})
}

// held is a key that holds and passes a check.
func (r *Ring) held(ctx context.Context, id string, passes func(keysql.OperatorKey) bool) (Key, error) {
	all, err := r.known(ctx, refresh)
	if _, is := all[id]; err == nil && !is { // it may be new
		all, err = r.known(ctx, retry)
	}
	if err != nil {
		return Key{}, err
	}
	k, is := all[id]
	if !is || !passes(k) {
		return Key{}, ErrUnknown
	}
	r.note(k)
	return shown(k), nil
}

// known are the keys that hold, as of an age ago at most. While the database is away they are
// those that did.
func (r *Ring) known(ctx context.Context, age time.Duration) (map[string]keysql.OperatorKey, error) {
	r.mu.Lock()
	if r.keys != nil && time.Since(r.read) < age {
		defer r.mu.Unlock()
		return r.keys, nil
	}
	if r.reading == nil {
		r.reading = make(chan struct{})
		go r.readAgain(r.forgotten)
	}
	read := r.reading
	r.mu.Unlock()
	select {
	case <-read:
	case <-ctx.Done():
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	switch {
	case r.keys != nil:
		return r.keys, nil
	case r.wrong != nil:
		return nil, r.wrong
	}
	return nil, ctx.Err()
}

// readAgain reads the keys for all who wait for that, whatever becomes of them.
func (r *Ring) readAgain(forgotten int) {
	ctx, cancel := context.WithTimeout(context.Background(), longestRead)
	defer cancel()
	all, err := keysql.OperatorKeys(ctx, r.store, 0)
	r.mu.Lock()
	defer r.mu.Unlock()
	close(r.reading)
	if r.reading, r.wrong = nil, err; err != nil {
		return
	}
	r.keys = map[string]keysql.OperatorKey{}
	for _, k := range all {
		r.keys[k.ID] = k
	}
	if r.forgotten == forgotten { // else one was made or revoked meanwhile
		r.read = time.Now()
	}
}

// note notes that a key is used, once a minute. Whether that can be noted is nothing to refuse
// a request for, nor to keep it waiting.
func (r *Ring) note(k keysql.OperatorKey) {
	minute := time.Now().UTC().Truncate(time.Minute)
	r.mu.Lock()
	noted := !r.used[k.ID].Before(minute)
	r.used[k.ID] = minute
	r.mu.Unlock()
	if noted {
		return
	}
	go func() {
		ctx, cancel := context.WithTimeout(context.Background(), longestRead)
		defer cancel()
		_ = keysql.NoteKeyUse(ctx, r.store, k.ID)
	}()
}

func (r *Ring) forget() {
	r.mu.Lock()
	r.read, r.forgotten = time.Time{}, r.forgotten+1
	r.mu.Unlock()
}

// Any tells whether there is a key that holds.
func (r *Ring) Any(ctx context.Context) (bool, error) {
	all, err := r.known(ctx, retry)
	return len(all) > 0, err
}

// List are the keys, the newest first, with some that were revoked lately.
func (r *Ring) List(ctx context.Context) ([]Key, error) {
	all, err := keysql.OperatorKeys(ctx, r.store, mostRevoked)
	keys := make([]Key, len(all))
	for i, k := range all {
		keys[i] = shown(k)
	}
	return keys, err
}

// Revoke ends a key and the sessions that stand for it, false if there is none.
func (r *Ring) Revoke(ctx context.Context, id string) (bool, error) {
	found, err := keysql.RevokeOperatorKey(ctx, r.store, id)
	r.forget()
	return found, err
}

func shown(k keysql.OperatorKey) Key {
	return Key{ID: k.ID, Name: k.Name, Scope: Scope(k.Scope), Made: k.Made.UTC(), Used: k.Used, Revoked: k.Revoked}
}

// hash is what is stored of a secret. It is random and long: none that is quick to compute
// can be guessed from it.
func hash(secret string) []byte {
	sum := sha256.Sum256([]byte(secret))
	return sum[:]
}
