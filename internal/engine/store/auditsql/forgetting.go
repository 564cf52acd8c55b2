package auditsql

import (
	"context"
	"encoding/json"
	"time"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
)

// Forgotten is a document that is being forgotten, or was.
type Forgotten struct {
	ID      int64
	Path    string
	Change  int64
	Places  json.RawMessage // where it was duplicated to
	Answers int64           // kept answers that were dropped
	Events  int64           // and events
	Report  json.RawMessage // null: not finished
	Started time.Time
	Ended   *time.Time
}

// AddForgotten begins to forget a document and returns the number of that.
func AddForgotten(tx *store.Tx, path string, places json.RawMessage) (int64, error) {
	var id int64
	err := tx.DB.Raw("INSERT INTO forgotten (path, places) VALUES (?, ?::jsonb) RETURNING id", path,
		string(places)).Scan(&id).Error
	return id, err
}

// ForgottenPlaces reads where something that is forgotten was duplicated to, and
// locks it until the transaction ends.
func ForgottenPlaces(tx *store.Tx, id int64) (json.RawMessage, error) {
	var row struct{ Places json.RawMessage }
	err := tx.DB.Raw("SELECT places FROM forgotten WHERE id = ? FOR UPDATE", id).Scan(&row).Error
	return row.Places, err
}

// SetForgottenPlaces notes more of them.
func SetForgottenPlaces(tx *store.Tx, id int64, places json.RawMessage) error {
	return tx.DB.Exec("UPDATE forgotten SET places = ?::jsonb WHERE id = ?", string(places), id).Error
}

// SetForgottenChange notes the change that removes it.
func SetForgottenChange(tx *store.Tx, id, change int64) error {
	return tx.DB.Exec("UPDATE forgotten SET change = ? WHERE id = ?", change, id).Error
}

// NoteForgotten notes documents that go along, with their paths.
func NoteForgotten(tx *store.Tx, id int64, docs []store.Document, path func(key string) string) error {
	ns, created, paths := make(store.Bigints, len(docs)), make(store.Texts, len(docs)), make(store.Texts, len(docs))
	for i, d := range docs {
		ns[i], created[i], paths[i] = d.N, d.Created.Format(time.RFC3339Nano), path(d.Key)
	}
	return tx.DB.Exec(`
		INSERT INTO forgotten_documents (forgotten, n, created, path)
		SELECT ?, new.n, new.created, new.path
		FROM unnest(?::bigint[], ?::timestamptz[], ?::text[]) AS new (n, created, path) ON CONFLICT DO NOTHING`, id,
		ns, created, paths).Error
}

const forgottenColumns = "id, path, coalesce(change, 0) AS change, places, answers, events, coalesce(report, 'null') " +
	"AS report, started, ended"

// FindForgotten reads one, false if there is none of that number.
func FindForgotten(ctx context.Context, s *store.Store, id int64) (Forgotten, bool, error) {
	var f Forgotten
	got := s.DB.WithContext(ctx).Raw("SELECT "+forgottenColumns+" FROM forgotten WHERE id = ?", id).Scan(&f)
	return f, got.RowsAffected > 0, got.Error
}

// Forgetting are those that are not finished, the oldest first.
func Forgetting(ctx context.Context, s *store.Store) ([]Forgotten, error) {
	var all []Forgotten
	err := s.DB.WithContext(ctx).Raw("SELECT " + forgottenColumns +
		" FROM forgotten WHERE report IS NULL AND change IS NOT NULL ORDER BY id").Scan(&all).Error
	return all, err
}

// FinishForgotten writes what was found, once.
func FinishForgotten(tx *store.Tx, id int64, report json.RawMessage) error {
	return tx.DB.Exec("UPDATE forgotten SET report = ?::jsonb, ended = clock_timestamp() WHERE id = ? AND report IS "+
		"NULL", string(report), id).Error
}

// answersHolding are the kept answers to requests that hold a document of f, with its
// path and creation: not another one of the same path. The answer to a batch holds one
// for each of its writes.
const answersHolding = `
	SELECT a.account, a.key
	FROM answered a
	CROSS JOIN LATERAL jsonb_array_elements(coalesce(a.answer::jsonb -> 'all', jsonb_build_array(a.answer::jsonb))) r
	JOIN f ON f.path = r -> 'document' ->> 'path' AND f.created = (r -> 'document' ->> 'created')::timestamptz
	WHERE a.answer IS NOT NULL`

// ForgetAnswers drops kept answers to requests that hold a document that is
// forgotten, and events that triggers were set off by, and notes how many; the
// keys that were remembered while its pairs ended go too.
func ForgetAnswers(tx *store.Tx, id int64) error {
	answers := tx.DB.Exec(`
		WITH f AS MATERIALIZED (SELECT path, created FROM forgotten_documents WHERE forgotten = ?)
		DELETE FROM answered WHERE (account, key) IN (`+answersHolding+`)`, id)
	if answers.Error != nil {
		return answers.Error
	}
	var events int64
	err := tx.DB.Raw(`
		WITH gone AS (
			DELETE FROM events
			WHERE doc IN (SELECT n FROM forgotten_documents WHERE forgotten = ?)
				OR other IN (SELECT n FROM forgotten_documents WHERE forgotten = ?)
			RETURNING n),
		-- its error may say what was written, and without its event it cannot be tried again
		waits AS (DELETE FROM parked WHERE step IN (?, ?) AND doc IN (SELECT n FROM gone))
		SELECT count(*) FROM gone`, id, id, plan.React, plan.Send).Scan(&events).Error
	if err != nil {
		return err
	}
	// What copies were given of it by lines of a load that is under way.
	err = tx.DB.Exec(`
		WITH gone AS (
			DELETE FROM given_later g USING departed d JOIN forgotten_documents f ON f.n = d.n
			WHERE f.forgotten = ? AND d.collection = g.of AND d.key = g.key
			RETURNING g.source, g.copy)
		UPDATE origins o SET value = 'null' FROM gone WHERE o.source = gone.source AND o.copy = gone.copy`, id).Error
	if err != nil {
		return err
	}
	if err := tx.DB.Exec("DELETE FROM departed d USING forgotten_documents f WHERE f.forgotten = ? AND d.n = f.n",
		id).Error; err != nil {
		return err
	}
	for _, sql := range []string{
		"DELETE FROM passwords WHERE account IN (SELECT n FROM forgotten_documents WHERE forgotten = ?)",
		"DELETE FROM sign_ins WHERE account IN (SELECT n FROM forgotten_documents WHERE forgotten = ?)",
	} {
		if err := tx.DB.Exec(sql, id).Error; err != nil {
			return err
		}
	}
	return tx.DB.Exec("UPDATE forgotten SET answers = answers + ?, events = events + ? WHERE id = ?",
		answers.RowsAffected, events, id).Error
}

// CountIn is how much of what is forgotten was found somewhere.
type CountIn struct {
	Where string `json:"where"`
	Many  int64  `json:"many"`
}

// Removed counts the documents that went, by the collection in their paths.
func Removed(tx *store.Tx, id int64) ([]CountIn, error) {
	var went []CountIn
	err := tx.DB.Raw(`
		SELECT (string_to_array(path, '/'))[cardinality(string_to_array(path, '/')) - 1] AS "where", count(*) AS many
		FROM forgotten_documents WHERE forgotten = ? GROUP BY 1 ORDER BY 1`, id).Scan(&went).Error
	return went, err
}

// Remains looks for what is forgotten in every table that could hold it. It
// reads whole tables, which nobody waits for.
func Remains(tx *store.Tx, id int64) ([]CountIn, error) {
	var found []CountIn
	err := tx.DB.Raw(`
		WITH f AS MATERIALIZED (SELECT * FROM forgotten_documents WHERE forgotten = ?)
		SELECT * FROM (
			SELECT 'documents' AS "where", count(*) AS many FROM documents WHERE n IN (SELECT n FROM f)
				OR parent IN (SELECT n FROM f)
			UNION ALL SELECT 'kept values', count(*) FROM kept WHERE doc IN (SELECT n FROM f)
			UNION ALL SELECT 'references', count(*) FROM refs WHERE source IN (SELECT n FROM f)
				OR target IN (SELECT n FROM f)
			UNION ALL SELECT 'unique values', count(*) FROM uniques WHERE doc IN (SELECT n FROM f)
			UNION ALL SELECT 'pairs', count(*) FROM pairs WHERE a IN (SELECT n FROM f) OR b IN (SELECT n FROM f)
			UNION ALL SELECT 'posts', count(*) FROM posted WHERE author IN (SELECT n FROM f) OR doc IN (SELECT n FROM f)
			UNION ALL SELECT 'timeline entries', count(*) FROM entries WHERE owner IN (SELECT n FROM f)
				OR author IN (SELECT n FROM f) OR doc IN (SELECT n FROM f)
			UNION ALL SELECT 'contributions', count(*) FROM contributions WHERE source IN (SELECT n FROM f)
				OR target IN (SELECT n FROM f)
			UNION ALL SELECT 'frozen copies', count(*) FROM origins WHERE target IN (SELECT n FROM f)
			UNION ALL SELECT 'remembered keys', count(*) FROM departed WHERE n IN (SELECT n FROM f)
			UNION ALL SELECT 'passwords', count(*) FROM passwords WHERE account IN (SELECT n FROM f)
			UNION ALL SELECT 'sign-ins', count(*) FROM sign_ins WHERE account IN (SELECT n FROM f)
			UNION ALL SELECT 'pictures', count(*) FROM picture_refs WHERE doc IN (SELECT n FROM f)
			UNION ALL SELECT 'uploaded pictures', count(*) FROM picture_uploads
				WHERE account <> '' AND account IN (SELECT split_part(path, '/', 2) FROM f)
			UNION ALL SELECT 'kept answers', count(*) FROM (SELECT DISTINCT * FROM (`+answersHolding+`) a) held
			UNION ALL SELECT 'events', count(*) FROM events WHERE doc IN (SELECT n FROM f) OR other IN (SELECT n FROM f)
		) w WHERE many > 0`, id).Scan(&found).Error
	return found, err
}

// JournalNames counts the lines of the journal that name what is forgotten, by
// its path, alone or as an end of a pair: the journal holds no values. It reads
// the whole journal.
func JournalNames(tx *store.Tx, id int64) (int64, error) {
	var many int64
	err := tx.DB.Raw(`
		WITH f AS MATERIALIZED (SELECT path FROM forgotten_documents WHERE forgotten = ?)
		SELECT count(*) FROM journal
		WHERE subject IN (SELECT path FROM f)
		   OR `+factsql.EndOf(1)+` IN (SELECT path FROM f)
		   OR `+factsql.EndOf(2)+` IN (SELECT path FROM f)`, id).Scan(&many).Error
	return many, err
}
