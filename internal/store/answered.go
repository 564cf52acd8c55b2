package store

import "time"

// Answered looks up the answer to an earlier request with the same
// Idempotency-Key, or reserves the key. A request that is being answered under
// the same key is waited for. Key: answered (key).
func (tx *Tx) Answered(key string, request []byte) (earlier []byte, answer []byte, found bool, err error) {
	got := tx.db.Exec("INSERT INTO answered (key, request) VALUES (?, ?) ON CONFLICT (key) DO NOTHING", key, request)
	if got.Error != nil || got.RowsAffected > 0 {
		return nil, nil, false, got.Error
	}
	var row struct{ Request, Answer []byte }
	err = tx.db.Raw("SELECT request, answer FROM answered WHERE key = ?", key).Scan(&row).Error
	return row.Request, row.Answer, true, err
}

// KeepAnswer stores the answer for requests that repeat the key.
func (tx *Tx) KeepAnswer(key string, answer []byte) error {
	return tx.db.Exec("UPDATE answered SET answer = ? WHERE key = ?", string(answer), key).Error
}

// DropAnswers forgets answers older than the given age. Index: answered_when.
func (tx *Tx) DropAnswers(age time.Duration) error {
	return tx.db.Exec("DELETE FROM answered WHERE answered < now() - ?::interval", interval(age)).Error
}
