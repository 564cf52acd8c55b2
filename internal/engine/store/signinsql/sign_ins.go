package signinsql

import (
	"context"
	"time"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// Account is an account that may sign in: its row number, its key, and its password's hash,
// empty if it has none.
type Account struct {
	N    int64
	Key  string
	Hash string
}

// AccountNamed is the account whose unique field has a value, false if there is none. Key:
// uniques (field, value).
func AccountNamed(ctx context.Context, s *store.Store, c *plan.Collection, field *plan.Unique, value string) (Account,
	bool, error) {
	var a Account
	got := s.DB.WithContext(ctx).Raw(`
		SELECT d.n, d.key, coalesce(p.hash, '') AS hash
		FROM uniques u JOIN documents d ON d.n = u.doc LEFT JOIN passwords p ON p.account = d.n
		WHERE u.field = ? AND u.value = ? AND d.collection = ?`, field.Number, value, c.Number).Scan(&a)
	return a, got.RowsAffected > 0, got.Error
}

// AccountAt is the account of a key, false if there is none.
func AccountAt(ctx context.Context, s *store.Store, c *plan.Collection, key string) (Account, bool, error) {
	var a Account
	got := s.DB.WithContext(ctx).Raw(`
		SELECT d.n, d.key, coalesce(p.hash, '') AS hash
		FROM documents d LEFT JOIN passwords p ON p.account = d.n
		WHERE d.collection = ? AND d.key = ?`, c.Number, key).Scan(&a)
	return a, got.RowsAffected > 0, got.Error
}

// SetPassword gives a document, which may have been written in this transaction, a password.
func SetPassword(tx *store.Tx, c *plan.Collection, key, hash string) error {
	return tx.DB.Exec(`
		INSERT INTO passwords (account, hash)
		SELECT n, ? FROM documents WHERE collection = ? AND key = ?
		ON CONFLICT (account) DO UPDATE SET hash = excluded.hash, changed = now()`, hash, c.Number, key).Error
}

// ChangePassword changes a password, unless it has been changed since it was looked at, and
// ends all sign-ins of the account.
func ChangePassword(ctx context.Context, s *store.Store, account int64, was, hash string) (changed bool, err error) {
	err = s.Write(ctx, func(tx *store.Tx) error {
		done := tx.DB.Exec("UPDATE passwords SET hash = ?, changed = now() WHERE account = ? AND hash = ?", hash,
			account, was)
		changed = done.RowsAffected > 0
		if done.Error != nil || !changed {
			return done.Error
		}
		return tx.DB.Exec("DELETE FROM sign_ins WHERE account = ?", account).Error
	})
	return changed, err
}

// GivePassword gives an account a password and ends all its sign-ins, false if it is not there.
func GivePassword(tx *store.Tx, c *plan.Collection, key, hash string) (bool, error) {
	var account int64
	err := tx.DB.Raw("SELECT n FROM documents WHERE collection = ? AND key = ? FOR KEY SHARE", c.Number, key).
		Scan(&account).Error
	if err != nil || account == 0 {
		return false, err
	}
	if err := SetPassword(tx, c, key, hash); err != nil {
		return false, err
	}
	return true, tx.DB.Exec("DELETE FROM sign_ins WHERE account = ?", account).Error
}

// SignIn is an account that is signed in.
type SignIn struct {
	ID      string
	Account int64
	Key     string    // of the account, empty if it is gone
	Token   []byte    // SHA-256 of the refresh token that holds
	Before  []byte    // and of the one it has replaced
	Rotated time.Time // when that was
	Place   int64     // from where it was begun, which is familiar from then on
	Expired bool
}

// IsFamiliar tells whether the account whose unique field has a value has signed in from a place lately. Keys:
// uniques (field, value), familiar.
func IsFamiliar(ctx context.Context, s *store.Store, field *plan.Unique, value string, place int64) (bool, error) {
	var is bool
	err := s.DB.WithContext(ctx).Raw(`
		SELECT EXISTS (
			SELECT FROM uniques u JOIN familiar f ON f.account = u.doc
			WHERE u.field = ? AND u.value = ? AND f.place = ?)`, field.Number, value, place).Scan(&is).Error
	return is, err
}

// AddSignIn signs an account in until its token has not been used for long. Of one account
// the newest so many last.
func AddSignIn(ctx context.Context, s *store.Store, in SignIn, lasts time.Duration, most int) error {
	return s.Write(ctx, func(tx *store.Tx) error {
		err := tx.DB.Exec(`
			DELETE FROM sign_ins WHERE account = ? AND (expires < now() OR id IN (
				SELECT id FROM sign_ins WHERE account = ? ORDER BY rotated DESC OFFSET ?))`, in.Account, in.Account,
			most-1).Error
		if err != nil {
			return err
		}
		err = tx.DB.Exec("INSERT INTO sign_ins (id, account, token, expires) VALUES (?, ?, ?, now() + ?::interval)",
			in.ID, in.Account, in.Token, store.Interval(lasts)).Error
		if err != nil {
			return err
		}
		return tx.DB.Exec(`
			WITH old AS (
				DELETE FROM familiar WHERE account = ? AND place <> ? AND place IN (
					SELECT place FROM familiar WHERE account = ? ORDER BY latest DESC OFFSET ?))
			INSERT INTO familiar (account, place) VALUES (?, ?)
			ON CONFLICT (account, place) DO UPDATE SET latest = now()`, in.Account, in.Place, in.Account, most-1,
			in.Account, in.Place).Error
	})
}

// FindSignIn reads a sign-in and locks it until the transaction ends, false if there is none.
func FindSignIn(tx *store.Tx, id string) (SignIn, bool, error) {
	var in SignIn
	got := tx.DB.Raw(`
		SELECT s.id, s.account, s.token, s.before, s.rotated, s.expires < now() AS expired,
			coalesce((SELECT key FROM documents WHERE n = s.account), '') AS key
		FROM sign_ins s WHERE s.id = ? FOR UPDATE`, id).Scan(&in)
	return in, got.RowsAffected > 0, got.Error
}

// Rotate puts the next refresh token in the place of the one that holds.
func Rotate(tx *store.Tx, id string, next []byte, lasts time.Duration) error {
	return tx.DB.Exec("UPDATE sign_ins SET before = token, token = ?, rotated = now(), expires = now() + ?::interval "+
		"WHERE id = ?", next, store.Interval(lasts), id).Error
}

// SignOut ends a sign-in.
func SignOut(tx *store.Tx, id string) error {
	return tx.DB.Exec("DELETE FROM sign_ins WHERE id = ?", id).Error
}

// DropSignIns forgets sign-ins that have expired, passwords, sign-ins and places of accounts that are
// gone, and wrong passwords and places of long ago.
func DropSignIns(tx *store.Tx, guessAge, placeAge time.Duration, most int) error {
	for _, table := range []string{"passwords", "sign_ins", "familiar"} {
		err := tx.DB.Exec(`
			DELETE FROM `+table+` WHERE account IN (
				SELECT account FROM `+table+` x WHERE NOT EXISTS (SELECT FROM documents d WHERE d.n = x.account)
				LIMIT ?)`, most).Error
		if err != nil {
			return err
		}
	}
	if err := tx.DB.Exec("DELETE FROM sign_ins WHERE expires < now()").Error; err != nil {
		return err
	}
	err := tx.DB.Exec("DELETE FROM familiar WHERE latest < now() - ?::interval", store.Interval(placeAge)).Error
	if err != nil {
		return err
	}
	return tx.DB.Exec("DELETE FROM guesses WHERE latest < now() - ?::interval", store.Interval(guessAge)).Error
}

// Try is a bucket of wrong passwords, and how many in it go unpunished.
type Try struct {
	Bucket int64
	Free   int64
}

// CountTry counts a try in all of its buckets before it is made, so that many at once are as
// many as one after the other. It tells how long to wait instead if one has had too many:
// twice as long with each, at most so long. What is older than an age is forgotten.
// Key: guesses (bucket), taken in order.
func CountTry(ctx context.Context, s *store.Store, tries []Try, most, age time.Duration) (wait time.Duration,
	err error) {
	buckets, free := make(store.Bigints, len(tries)), make(store.Bigints, len(tries))
	for i, t := range tries {
		buckets[i], free[i] = t.Bucket, t.Free
	}
	var seconds float64
	// Who is refused leaves a row as it was: its latest try is not this one.
	err = s.UpkeepDB.WithContext(ctx).Raw(`
		WITH tries AS (SELECT bucket, min(free) AS free FROM unnest(?::bigint[], ?::bigint[]) AS t (bucket, free)
			GROUP BY bucket ORDER BY bucket),
		counted AS (
			INSERT INTO guesses AS g (bucket, wrong) SELECT bucket, 1 FROM tries
			ON CONFLICT (bucket) DO UPDATE SET
				wrong = CASE WHEN g.until > now() THEN g.wrong WHEN g.latest < now() - ?::interval THEN 1
					ELSE g.wrong + 1 END,
				until = CASE WHEN g.until > now() THEN g.until
					WHEN g.latest < now() - ?::interval OR g.wrong < (SELECT free FROM tries WHERE bucket = g.bucket)
					THEN now()
					ELSE now() + least(?::interval, interval '1 second' * power(2, least(20,
						g.wrong - (SELECT free FROM tries WHERE bucket = g.bucket)))) END,
				latest = CASE WHEN g.until > now() THEN g.latest ELSE now() END
			RETURNING until, latest)
		SELECT coalesce(extract(epoch FROM max(until) FILTER (WHERE latest <> now()) - now()), 0) FROM counted`,
		buckets, free, store.Interval(age), store.Interval(age), store.Interval(most)).Scan(&seconds).Error
	return time.Duration(seconds * float64(time.Second)), err
}

// UncountTry takes back a try that was right: nothing wrong is known of the first bucket any
// more, and one less of the others.
func UncountTry(ctx context.Context, s *store.Store, tries []Try) error {
	buckets := make(store.Bigints, len(tries))
	for i, t := range tries {
		buckets[i] = t.Bucket
	}
	return s.UpkeepDB.WithContext(ctx).Exec(`
		UPDATE guesses SET wrong = CASE WHEN bucket = ? THEN 0 ELSE greatest(0, wrong - 1) END, until = now()
		WHERE bucket = ANY(?::bigint[])`, buckets[0], buckets).Error
}
