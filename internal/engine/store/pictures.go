package store

import (
	"context"
	"time"

	"yalvo/internal/design/plan"
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
func (tx *Tx) Uploads(account, picture string, age time.Duration) (many int, bytes int64, there bool, err error) {
	var found struct {
		Many  int
		Bytes int64
		There bool
	}
	err = tx.db.Raw(`
		SELECT count(*) AS many, coalesce(sum(bytes), 0) AS bytes, coalesce(bool_or(picture = ?), false) AS there
		FROM picture_uploads WHERE account = ? AND uploaded >= now() - ?::interval`, picture, account,
		interval(age)).Scan(&found).Error
	return found.Many, found.Bytes, found.There, err
}

// Uploaded notes that somebody has uploaded a picture that is there: for an age it is theirs to refer to. It is
// false if the picture has gone meanwhile. Key: pictures (id).
func (tx *Tx) Uploaded(u Uploading) (bool, error) {
	noted := tx.db.Exec(`
		INSERT INTO picture_uploads (account, picture, bytes)
		SELECT ?, id, ? FROM (SELECT id FROM pictures WHERE id = ? FOR KEY SHARE) there
		ON CONFLICT (account, picture) DO UPDATE SET uploaded = now()`, u.Account, u.Bytes, u.Picture)
	return noted.RowsAffected > 0, noted.Error
}

// UseUploads has an account need its uploads of some pictures no more: a document of theirs refers to these.
// Key: picture_uploads (account, picture).
func (tx *Tx) UseUploads(account string, pictures []string) error {
	return tx.db.Exec("DELETE FROM picture_uploads WHERE account = ? AND picture = ANY (?::text[])", account,
		texts(pictures)).Error
}

// Picture reads one, false if there is none. Key: pictures (id).
func (tx *Tx) Picture(id string) (Picture, bool, error) {
	var p Picture
	got := tx.db.Raw("SELECT id, width, height, types FROM pictures WHERE id = ?",
		id).Scan(&p)
	return p, got.RowsAffected > 0, got.Error
}

// KnownPictures are those of some pictures that are known. Key: pictures (id).
func (tx *Tx) KnownPictures(ids []string) ([]string, error) {
	var known []string
	return known, tx.db.Raw("SELECT id FROM pictures WHERE id = ANY (?::text[])", texts(ids)).Scan(&known).Error
}

// NotePictures notes which pictures some documents refer to, of those that have come since they were
// written. Keys: documents (n), pictures (id).
func (tx *Tx) NotePictures(docs []int64) error {
	return tx.db.Exec(`
		WITH refer AS MATERIALIZED (
			SELECT n, fields FROM documents WHERE n = ANY (?::bigint[]) ORDER BY n FOR SHARE)
		INSERT INTO picture_refs (picture, doc)
		SELECT p.id, d.n FROM refer d, pictures_in(d.fields) named JOIN pictures p ON p.id = named
		ON CONFLICT DO NOTHING`, bigints(docs)).Error
}

// LockPicture has whoever puts the files of a picture in place, or takes them away, wait for
// others who do, until the transaction ends.
func (tx *Tx) LockPicture(id string) error {
	return tx.db.Exec("SELECT pg_advisory_xact_lock(hashtextextended(?, 7480))", "picture "+id).Error
}

// AddPicture notes a picture whose files are there.
func (tx *Tx) AddPicture(p Picture) error {
	return tx.db.Exec(`
		INSERT INTO pictures (id, width, height, types) VALUES (?, ?, ?, ?)
		ON CONFLICT (id) DO NOTHING`, p.ID, p.Width, p.Height, p.Types).Error
}

// Referring are documents that refer to a picture, those after a row number, in the order of
// these. Keys: picture_refs (picture, doc), documents (n), kept (doc).
func (tx *Tx) Referring(picture string, after int64, limit int) ([]Document, error) {
	var docs []Document
	err := tx.db.Raw(`
		SELECT `+documentColumns+`
		FROM picture_refs r JOIN documents d ON d.n = r.doc LEFT JOIN kept k ON k.doc = d.n
		WHERE r.picture = ? AND r.doc > ?
		ORDER BY r.doc LIMIT ?`, picture, after, limit).Scan(&docs).Error
	return docs, err
}

// LoosePictures are some that nothing refers to any more, and some that nobody has referred to for an age
// since they uploaded them. Index: picture_uploads_old.
func (s *Store) LoosePictures(ctx context.Context, age time.Duration, limit int) ([]string, error) {
	db := s.upkeep.WithContext(ctx)
	err := db.Exec(`
		WITH old AS (DELETE FROM picture_uploads WHERE uploaded < now() - ?::interval RETURNING picture)
		INSERT INTO loose_pictures SELECT picture FROM old`, interval(age)).Error
	if err != nil {
		return nil, err
	}
	var ids []string
	err = db.Raw("SELECT DISTINCT picture FROM loose_pictures LIMIT ?", limit).Scan(&ids).Error
	return ids, err
}

// DropPicture forgets a picture unless a document refers to it, or somebody has uploaded it lately and may
// still. It tells whether it is gone. Keys: picture_refs (picture, doc), picture_uploads_of.
func (tx *Tx) DropPicture(id string) (gone bool, err error) {
	if err := tx.db.Exec("DELETE FROM loose_pictures WHERE picture = ?", id).Error; err != nil {
		return false, err
	}
	dropped := tx.db.Exec(`
		DELETE FROM pictures p
		WHERE p.id = ? AND NOT EXISTS (SELECT FROM picture_refs r WHERE r.picture = p.id)
			AND NOT EXISTS (SELECT FROM picture_uploads u WHERE u.picture = p.id)`, id)
	return dropped.RowsAffected > 0, dropped.Error
}

// ForgetUploads has those go that forgotten accounts have uploaded, unless documents refer to them or others
// have uploaded them too. Key: picture_uploads (account, picture).
func (tx *Tx) ForgetUploads(forgotten int64, accounts *plan.Collection) error {
	return tx.db.Exec(`
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
func (tx *Tx) NotedPictures(c *plan.Collection, key string) ([]string, error) {
	var ids []string
	err := tx.db.Raw(`
		SELECT r.picture FROM documents d JOIN picture_refs r ON r.doc = d.n WHERE d.collection = ? AND d.key = ?`,
		c.Number, key).Scan(&ids).Error
	return ids, err
}

// CheckPictures compares which pictures the documents of a collection refer to with what is
// noted of that, and finds strays: what is noted of documents that do not exist. A text that names no
// picture refers to none. Keys: picture_refs_of (doc), pictures (id).
func (tx *Tx) CheckPictures(collection plan.Number, strays bool, s Span) ([]Drift, error) {
	return tx.drift(`
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
func (tx *Tx) MendPictures(doc int64) error {
	if err := tx.db.Exec(`
		WITH refers AS MATERIALIZED (SELECT named FROM documents d, pictures_in(d.fields) named WHERE d.n = ?),
		gone AS (DELETE FROM picture_refs WHERE doc = ? AND picture NOT IN (SELECT named FROM refers) RETURNING picture)
		INSERT INTO loose_pictures SELECT picture FROM gone`, doc, doc).Error; err != nil {
		return err
	}
	return tx.db.Exec(`
		INSERT INTO picture_refs (picture, doc)
		SELECT p.id, d.n FROM documents d, pictures_in(d.fields) named JOIN pictures p ON p.id = named WHERE d.n = ?
		ON CONFLICT DO NOTHING`, doc).Error
}
