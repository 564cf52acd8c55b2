package keys

import (
	"context"
	"crypto/rand"
	"time"

	"yalvo/internal/engine/store/keysql"
)

// How long a session of the console lasts, and a link that begins one.
const (
	SessionTime = 30 * 24 * time.Hour
	LinkTime    = time.Hour
)

// Link makes the code of a link that begins a session for a key, once.
func (r *Ring) Link(ctx context.Context, key string) (code string, err error) {
	code = rand.Text()
	return code, keysql.AddKeySession(ctx, r.store, hash(code), key, true, LinkTime)
}

// Enter begins a session, with the code of a link or the text of a key.
func (r *Ring) Enter(ctx context.Context, codeOrKey string) (session string, key Key, err error) {
	if IsKey(codeOrKey) {
		key, err = r.Check(ctx, codeOrKey)
	} else {
		var id string
		if id, err = keysql.TakeLink(ctx, r.store, hash(codeOrKey)); err == nil {
			key, err = r.held(ctx, id, anyKey)
		}
	}
	if err != nil {
		return "", Key{}, err
	}
	session = rand.Text()
	return session, key, keysql.AddKeySession(ctx, r.store, hash(session), key.ID, false, SessionTime)
}

// Session is the key that a session stands for.
func (r *Ring) Session(ctx context.Context, session string) (Key, error) {
	id, err := keysql.KeySession(ctx, r.store, hash(session))
	if err != nil {
		return Key{}, err
	}
	return r.held(ctx, id, anyKey)
}

// Leave ends a session.
func (r *Ring) Leave(ctx context.Context, session string) error {
	return keysql.EndKeySession(ctx, r.store, hash(session))
}

func anyKey(keysql.OperatorKey) bool { return true }
