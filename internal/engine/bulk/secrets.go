package bulk

import (
	"bytes"
	"cmp"
	"context"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"
	"time"

	"filippo.io/age"
	"github.com/alexedwards/argon2id"

	"yalvo/internal/design"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/keysql"
)

// Sealing has a dump hold what accounts and operators sign in with, so that only one can read it.
type Sealing struct {
	To   age.Recipient
	Seal string // how whoever has the passphrase comes by what opens it, in words of their own
}

// Secrets says in the first line of a dump how much accounts and operators sign in with, and whether it is in it.
type Secrets struct {
	keysql.Secrets
	Seal string `json:"seal,omitempty"` // empty: it is not
}

// SecretLine is what an account signs in with, or a key of an operator: a line of what is sealed.
type SecretLine struct {
	Account  string          `json:"account,omitempty"` // its path
	Password string          `json:"password,omitempty"`
	Changed  *time.Time      `json:"changed,omitempty"`
	SignIns  json.RawMessage `json:"sign_ins,omitempty"`

	Key   string    `json:"key,omitempty"`
	Name  string    `json:"name,omitempty"`
	Scope string    `json:"scope,omitempty"`
	Hash  []byte    `json:"hash,omitempty"`
	Made  time.Time `json:"made,omitzero"`
}

// sealedBytes is about how much is sealed together.
const sealedBytes = 256 << 10

// secrets writes what is sealed, in lines of its own.
func (d dumping) secrets(s *Sealing) error {
	var text bytes.Buffer
	flush := func() error {
		if text.Len() == 0 {
			return nil
		}
		var sealed bytes.Buffer
		w, err := age.Encrypt(&sealed, s.To)
		if err != nil {
			return err
		}
		if _, err := io.Copy(w, &text); err != nil {
			return err
		}
		if err := w.Close(); err != nil {
			return err
		}
		return writeLine(d.out, map[string][]byte{"sealed": sealed.Bytes()})
	}
	add := func(line SecretLine) error {
		if err := writeLine(&text, line); err != nil || text.Len() < sealedBytes {
			return err
		}
		return flush()
	}
	err := keysql.EachSignsIn(d.tx, func(a keysql.SignsIn) error {
		c := d.Plan.CollectionNumbered(a.Collection)
		if c == nil || d.departing.Goes[a.N] {
			return nil
		}
		return add(SecretLine{Account: c.Path(a.Key), Password: a.Hash, Changed: a.Changed, SignIns: a.SignIns})
	})
	if err != nil {
		return err
	}
	held, err := keysql.HeldKeys(d.tx)
	if err != nil {
		return err
	}
	for _, k := range held {
		if err := add(SecretLine{Key: k.ID, Name: k.Name, Scope: k.Scope, Hash: k.Hash, Made: k.Made}); err != nil {
			return err
		}
	}
	return flush()
}

// LoadedSecrets says what became of lines of secrets.
type LoadedSecrets struct {
	keysql.Secrets       // that were made; what is there already stays as it is
	Missing        int64 `json:"missing"` // accounts that are not there
}

// LoadSecrets gives accounts that are there what they sign in with, and keeps keys of operators.
func (m *Mover) LoadSecrets(ctx context.Context, text []byte) (LoadedSecrets, error) {
	v, err := m.Now(ctx)
	if err != nil {
		return LoadedSecrets{}, err
	}
	var accounts []keysql.SignsIn
	var held []keysql.OperatorKey
	nth := 0
	for line := range bytes.Lines(text) {
		nth++
		var s SecretLine
		dec := json.NewDecoder(bytes.NewReader(line))
		dec.DisallowUnknownFields()
		if err := dec.Decode(&s); err != nil {
			return LoadedSecrets{}, running.Refuse(running.CodeInvalid, "line %d is no account and no key: %s",
				nth, inWords(err))
		}
		wrong := ""
		if s.Key != "" {
			k := keysql.OperatorKey{ID: s.Key, Name: s.Name, Scope: s.Scope, Hash: s.Hash, Made: s.Made}
			held, wrong = append(held, k), s.wrongKey(m.keys, k)
		} else {
			wrong = s.wrong(v)
		}
		if wrong != "" {
			return LoadedSecrets{}, running.Refuse(running.CodeInvalid, "line %d: %s", nth, wrong)
		}
		if s.Key != "" {
			continue
		}
		_, key, err := v.Locate(s.Account)
		if err != nil {
			return LoadedSecrets{}, err
		}
		accounts = append(accounts, keysql.SignsIn{Key: key, Hash: s.Password, Changed: s.Changed,
			SignIns: json.RawMessage(cmp.Or(string(s.SignIns), "[]"))})
	}
	var out LoadedSecrets
	err = m.Store.Write(ctx, func(tx *store.Tx) error {
		out = LoadedSecrets{}
		if len(accounts) > 0 {
			in := v.Plan.Collection(v.Plan.Design.Accounts.Name)
			made, there, err := keysql.LoadSignsIn(tx, in, accounts)
			if err != nil {
				return err
			}
			out.Secrets, out.Missing = made, int64(len(accounts))-there
		}
		for _, k := range held {
			made, err := keysql.LoadKey(tx, k, m.keys.Most)
			if err != nil {
				return err
			}
			if made {
				out.Keys++
			}
		}
		return nil
	})
	return out, err
}

// mostCost is the most that a look at a loaded password may take: in kilobytes, and rounds.
const (
	mostMemory = 64 << 10
	mostRounds = 8
)

// wrongKey says what is wrong with a line of a key, empty for nothing.
func (s SecretLine) wrongKey(rules KeyRules, k keysql.OperatorKey) string {
	if s.Account != "" {
		return "this is no key of an operator"
	}
	return rules.Wrong(k)
}

// wrong says what is wrong with a line of an account, empty for nothing.
func (s SecretLine) wrong(v *running.Version) string {
	accounts := v.Plan.Design.Accounts
	if accounts == nil {
		return "the design names no accounts"
	}
	if c, _, err := v.Locate(s.Account); err != nil || c.Name != accounts.Name {
		return fmt.Sprintf("%q is no account: these are of %s", design.Clip(s.Account), accounts.Name)
	}
	if s.Password != "" {
		p, _, _, err := argon2id.DecodeHash(s.Password)
		if err != nil || p.Memory > mostMemory || p.Iterations > mostRounds || strings.ContainsRune(s.Password, 0) {
			return "the password's hash is none of argon2id as it is kept here"
		}
	}
	return wrongSignIns(s.SignIns)
}

func wrongSignIns(raw json.RawMessage) string {
	var all []struct {
		ID, Token, Before      string
		Rotated, Made, Expires time.Time
	}
	if len(raw) > 0 && json.Unmarshal(raw, &all) != nil {
		return "/sign_ins has another form than a dump writes"
	}
	for _, s := range all {
		token, err := hex.DecodeString(s.Token)
		before, beforeErr := hex.DecodeString(s.Before)
		if s.ID == "" || errors.Join(err, beforeErr) != nil || len(token) != 32 || len(before)%32 != 0 ||
			s.Expires.IsZero() {
			return "/sign_ins has another form than a dump writes"
		}
	}
	return ""
}
