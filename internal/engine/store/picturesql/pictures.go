package picturesql

import (
	"context"
	"time"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/auditsql"
)

// Picture is what is known of a picture whose files lie elsewhere.
type Picture struct {
	ID            string
	Width, Height int
	Types         string // of its versions, the largest first: jpeg, png
}

// Uploading is that somebody uploads a picture.
type Uploading struct {
	Account string // empty: an operator
	Picture string
	Bytes   int
}

// Uploads is what an account has uploaded within an age and has not used: how many pictures of how many bytes,
// and whether one is among them. Key: picture_uploads (account, picture).
func Uploads(tx *store.Tx, account, picture string, age time.Duration) (many int, bytes int64, there bool, err error) {
	var found struct {
		Many  int
		Bytes int64
		There bool
	}
	err = tx.DB.Raw(`
		SELECT count(*) AS many, coalesce(sum(bytes), 0) AS bytes, coalesce(bool_or(picture = ?), false) AS there
		FROM picture_uploads WHERE account = ? AND uploaded >= now() - ?::interval`, picture, account,
		store.Interval(age)).Scan(&found).Error
	return found.Many, found.Bytes, found.There, err
}

// Uploaded notes that somebody has uploaded a picture that is there: for an age it is theirs to refer to. It is
// false if the picture has gone meanwhile. Key: pictures (id).
func Uploaded(tx *store.Tx, u Uploading) (bool, error) {
	noted := tx.DB.Exec(`
		INSERT INTO picture_uploads (account, picture, bytes)
		SELECT ?, id, ? FROM (SELECT id FROM pictures WHERE id = ? FOR KEY SHARE) there
		ON CONFLICT (account, picture) DO UPDATE SET uploaded = now()`, u.Account, u.Bytes, u.Picture)
	return noted.RowsAffected > 0, noted.Error
}

// UseUploads has an account need its uploads of some pictures no more: a document of theirs refers to these.
// Key: picture_uploads (account, picture).
func UseUploads(tx *store.Tx, account string, pictures []string) error {
	return tx.DB.Exec("DELETE FROM picture_uploads WHERE account = ? AND picture = ANY (?::text[])", account,
		store.Texts(pictures)).Error
}

// FindPicture reads one, false if there is none. Key: pictures (id).
func FindPicture(tx *store.Tx, id string) (Picture, bool, error) {
	var p Picture
	got := tx.DB.Raw("SELECT id, width, height, types FROM pictures WHERE id = ?",
		id).Scan(&p)
	return p, got.RowsAffected > 0, got.Error
}

// KnownPictures are those of some pictures that are known. Key: pictures (id).
func KnownPictures(tx *store.Tx, ids []string) ([]string, error) {
	var known []string
	return known, tx.DB.Raw("SELECT id FROM pictures WHERE id = ANY (?::text[])", store.Texts(ids)).Scan(&known).Error
}

// NotePictures notes which pictures some documents refer to, of those that have come since they were
// written. Keys: documents (n), pictures (id).
func NotePictures(tx *store.Tx, docs []int64) error {
	return tx.DB.Exec(`
		WITH refer AS MATERIALIZED (
			SELECT n, fields FROM documents WHERE n = ANY (?::bigint[]) ORDER BY n FOR SHARE)
		INSERT INTO picture_refs (picture, doc)
		SELECT p.id, d.n FROM refer d, pictures_in(d.fields) named JOIN pictures p ON p.id = named
		ON CONFLICT DO NOTHING`, store.Bigints(docs)).Error
}

// LockPicture has whoever puts the files of a picture in place, or takes them away, wait for
// others who do, until the transaction ends.
func LockPicture(tx *store.Tx, id string) error {
	return tx.DB.Exec("SELECT pg_advisory_xact_lock(hashtextextended(?, 7480))", "picture "+id).Error
}

// AddPicture notes a picture whose files are there.
func AddPicture(tx *store.Tx, p Picture) error {
	return tx.DB.Exec(`
		INSERT INTO pictures (id, width, height, types) VALUES (?, ?, ?, ?)
		ON CONFLICT (id) DO NOTHING`, p.ID, p.Width, p.Height, p.Types).Error
}

// Referring are documents that refer to a picture, those after a row number, in the order of
// these. Keys: picture_refs (picture, doc), documents (n), kept (doc).
func Referring(tx *store.Tx, picture string, after int64, limit int) ([]store.Document, error) {
	var docs []store.Document
	err := tx.DB.Raw(`
		SELECT `+store.DocumentColumns+`
		FROM picture_refs r JOIN documents d ON d.n = r.doc LEFT JOIN kept k ON k.doc = d.n
		WHERE r.picture = ? AND r.doc > ?
		ORDER BY r.doc LIMIT ?`, picture, after, limit).Scan(&docs).Error
	return docs, err
}

// LoosePictures are some that nothing refers to any more, and some that nobody has referred to for an age
// since they uploaded them. Index: picture_uploads_old.
func LoosePictures(ctx context.Context, s *store.Store, age time.Duration, limit int) ([]string, error) {
	db := s.UpkeepDB.WithContext(ctx)
	err := db.Exec(`
		WITH old AS (DELETE FROM picture_uploads WHERE uploaded < now() - ?::interval RETURNING picture)
		INSERT INTO loose_pictures SELECT picture FROM old`, store.Interval(age)).Error
	if err != nil {
		return nil, err
	}
	var ids []string
	err = db.Raw("SELECT DISTINCT picture FROM loose_pictures LIMIT ?", limit).Scan(&ids).Error
	return ids, err
}

// DropPicture forgets a picture unless a document refers to it, or somebody has uploaded it lately and may
// still. It tells whether it is gone. Keys: picture_refs (picture, doc), picture_uploads_of.
func DropPicture(tx *store.Tx, id string) (gone bool, err error) {
	if err := tx.DB.Exec("DELETE FROM loose_pictures WHERE picture = ?", id).Error; err != nil {
		return false, err
	}
	dropped := tx.DB.Exec(`
		DELETE FROM pictures p
		WHERE p.id = ? AND NOT EXISTS (SELECT FROM picture_refs r WHERE r.picture = p.id)
			AND NOT EXISTS (SELECT FROM picture_uploads u WHERE u.picture = p.id)`, id)
	return dropped.RowsAffected > 0, dropped.Error
}

// ForgetUploads has those go that forgotten accounts have uploaded, unless documents refer to them or others
// have uploaded them too. Key: picture_uploads (account, picture).
func ForgetUploads(tx *store.Tx, forgotten int64, accounts *plan.Collection) error {
	return tx.DB.Exec(`
		WITH theirs AS (
			DELETE FROM picture_uploads
			WHERE account IN (
				SELECT substr(path, length(?::text) + 2) FROM forgotten_documents
				WHERE forgotten = ? AND path LIKE ?::text || '/%')
			RETURNING picture)
		INSERT INTO loose_pictures SELECT picture FROM theirs`, accounts.Name, forgotten, accounts.Name).Error
}

// NotedPictures are those that a document refers to and that are there. Keys: documents
// (collection, key), picture_refs_of (doc).
func NotedPictures(tx *store.Tx, c *plan.Collection, key string) ([]string, error) {
	var ids []string
	err := tx.DB.Raw(`
		SELECT r.picture FROM documents d JOIN picture_refs r ON r.doc = d.n WHERE d.collection = ? AND d.key = ?`,
		c.Number, key).Scan(&ids).Error
	return ids, err
}

// CheckPictures compares which pictures the documents of a collection refer to with what is
// noted of that, and finds strays: what is noted of documents that do not exist. A text that names no
// picture refers to none. Keys: picture_refs_of (doc), pictures (id).
func CheckPictures(tx *store.Tx, collection plan.Number, strays bool, s store.Span) ([]auditsql.Drift, error) {
	return auditsql.Differing(tx, `
		SELECT d.n AS doc, 'different' AS kind, to_jsonb(has.pictures) AS stored, to_jsonb(refers.pictures) AS expected,
			d.updated AS since
		FROM documents d
		CROSS JOIN LATERAL (SELECT ARRAY(SELECT r.picture FROM picture_refs r WHERE r.doc = d.n
			ORDER BY r.picture) AS pictures) has
		CROSS JOIN LATERAL (SELECT ARRAY(SELECT p.id FROM pictures_in(d.fields) named JOIN pictures p ON p.id = named
			ORDER BY p.id) AS pictures) refers
		WHERE d.n > ? AND d.n <= ? AND d.collection = ? AND has.pictures <> refers.pictures
		UNION ALL
		SELECT r.doc, 'surplus', to_jsonb(array_agg(r.picture ORDER BY r.picture)), NULL, NULL
		FROM picture_refs r
		WHERE ? AND r.doc > ? AND r.doc <= ? AND NOT EXISTS (SELECT FROM documents d WHERE d.n = r.doc)
		GROUP BY r.doc`, s.After, s.UpTo, collection, strays, s.After, s.UpTo)
}

// MendPictures notes which pictures a locked document, or one that is gone, refers to. Those
// that it refers to no more are looked at. Key: picture_refs_of (doc).
func MendPictures(tx *store.Tx, doc int64) error {
	if err := tx.DB.Exec(`
		WITH refers AS MATERIALIZED (SELECT named FROM documents d, pictures_in(d.fields) named WHERE d.n = ?),
		gone AS (DELETE FROM picture_refs WHERE doc = ? AND picture NOT IN (SELECT named FROM refers) RETURNING picture)
		INSERT INTO loose_pictures SELECT picture FROM gone`, doc, doc).Error; err != nil {
		return err
	}
	return tx.DB.Exec(`
		INSERT INTO picture_refs (picture, doc)
		SELECT p.id, d.n FROM documents d, pictures_in(d.fields) named JOIN pictures p ON p.id = named WHERE d.n = ?
		ON CONFLICT DO NOTHING`, doc).Error
}
