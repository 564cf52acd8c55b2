package keysql

import (
	"encoding/json"
	"time"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// Secrets are how much there is that a dump of facts is without.
type Secrets struct {
	Passwords int64 `json:"passwords"` // of accounts
	SignIns   int64 `json:"sign_ins"`  // accounts that are signed in, each place counted
	Keys      int64 `json:"keys"`      // of operators
}

// ReadSecrets counts them.
func ReadSecrets(tx *store.Tx) (Secrets, error) {
	var s Secrets
	err := tx.DB.Raw(`
		SELECT (SELECT count(*) FROM passwords p JOIN documents d ON d.n = p.account) AS passwords,
			(SELECT count(*) FROM sign_ins s JOIN documents d ON d.n = s.account WHERE expires > now()) AS sign_ins,
			(SELECT count(*) FROM operator_keys WHERE revoked IS NULL) AS keys`).Scan(&s).Error
	return s, err
}

// SignsIn is what an account signs in with.
type SignsIn struct {
	N          int64
	Collection plan.Number
	Key        string
	Hash       string // of its password, empty if it has none
	Changed    *time.Time
	SignIns    json.RawMessage // as [LoadSignsIn] takes them
}

// EachSignsIn hands over what each account signs in with, in a view. Indexes: passwords (account), sign_ins_of.
func EachSignsIn(tx *store.Tx, each func(SignsIn) error) error {
	return store.EachRow(tx, tx.DB.Raw(`
		SELECT d.n, d.collection, d.key, coalesce(p.hash, '') AS hash, p.changed,
			coalesce((
				SELECT jsonb_agg(jsonb_build_object('id', s.id, 'token', encode(s.token, 'hex'),
					'before', encode(s.before, 'hex'), 'rotated', s.rotated, 'made', s.made, 'expires', s.expires))
				FROM sign_ins s WHERE s.account = d.n AND s.expires > now()), '[]') AS sign_ins
		FROM documents d LEFT JOIN passwords p ON p.account = d.n
		WHERE d.n IN (SELECT account FROM passwords UNION SELECT account FROM sign_ins)
		ORDER BY d.n`), each)
}

// LoadSignsIn gives accounts of a collection what they sign in with. What they have already stays. Accounts counts
// those that are there. Keys: documents (collection, key), passwords (account), sign_ins (id).
func LoadSignsIn(tx *store.Tx, c *plan.Collection, all []SignsIn) (made Secrets, accounts int64, err error) {
	var keys, hashes, changed, signIns store.Texts
	for _, s := range all {
		at := ""
		if s.Changed != nil {
			at = store.TimeText(*s.Changed)
		}
		keys, hashes, changed = append(keys, s.Key), append(hashes, s.Hash), append(changed, at)
		signIns = append(signIns, string(s.SignIns))
	}
	var row struct {
		Secrets
		Accounts int64
	}
	err = tx.DB.Raw(`
		WITH given AS MATERIALIZED (
			SELECT d.n, g.hash, coalesce(nullif(g.changed, '')::timestamptz, now()) AS changed, g.sign_ins
			FROM unnest(?::text[], ?::text[], ?::text[], ?::jsonb[]) AS g (key, hash, changed, sign_ins)
			JOIN documents d ON d.collection = ? AND d.key = g.key),
		gave AS (
			INSERT INTO passwords (account, hash, changed) SELECT n, hash, changed FROM given WHERE hash <> ''
			ON CONFLICT DO NOTHING RETURNING account),
		signed AS (
			INSERT INTO sign_ins (id, account, token, before, rotated, made, expires)
			SELECT s.id, g.n, decode(s.token, 'hex'), decode(s.before, 'hex'), s.rotated, s.made, s.expires
			FROM given g CROSS JOIN LATERAL jsonb_to_recordset(g.sign_ins) AS s (id text, token text, before text,
				rotated timestamptz, made timestamptz, expires timestamptz)
			ON CONFLICT DO NOTHING RETURNING id)
		SELECT (SELECT count(*) FROM gave) AS passwords, (SELECT count(*) FROM signed) AS sign_ins,
			(SELECT count(*) FROM given) AS accounts`, keys, hashes, changed, signIns, c.Number).Scan(&row).Error
	return row.Secrets, row.Accounts, err
}

// HeldKeys are the keys of operators that hold.
func HeldKeys(tx *store.Tx) ([]OperatorKey, error) {
	var all []OperatorKey
	err := tx.DB.Raw("SELECT id, name, scope, hash, made FROM operator_keys WHERE revoked IS NULL ORDER BY made, id").
		Scan(&all).Error
	return all, err
}

// LoadKey keeps a key that is not there, unless there are as many that hold as there may be.
func LoadKey(tx *store.Tx, k OperatorKey, most int) (made bool, err error) {
	got := tx.DB.Exec(`
		INSERT INTO operator_keys (id, name, scope, hash, made)
		SELECT ?, ?, ?, ?, ?::timestamptz
		WHERE (SELECT count(*) FROM operator_keys WHERE revoked IS NULL) < ?
		ON CONFLICT DO NOTHING`, k.ID, k.Name, k.Scope, k.Hash, store.TimeText(k.Made), most)
	return got.RowsAffected > 0, got.Error
}
