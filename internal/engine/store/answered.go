package store

import "time"

// Answered looks up the answer to an account's earlier request with the same
// Idempotency-Key, or reserves the key. A request that is being answered under
// the same key is waited for. Key: answered (account, key).
func (tx *Tx) Answered(account, key string, request []byte) (earlier []byte, answer []byte, found bool, err error) {
	got := tx.db.Exec("INSERT INTO answered (account, key, request) VALUES (?, ?, ?) ON CONFLICT DO NOTHING", account,
		key, request)
	if got.Error != nil || got.RowsAffected > 0 {
		return nil, nil, false, got.Error
	}
	var row struct{ Request, Answer []byte }
	err = tx.db.Raw("SELECT request, answer FROM answered WHERE account = ? AND key = ?", account, key).Scan(&row).Error
	return row.Request, row.Answer, true, err
}

// KeepAnswer stores the answer for requests that repeat the key.
func (tx *Tx) KeepAnswer(account, key string, answer []byte) error {
	return tx.db.Exec("UPDATE answered SET answer = ? WHERE account = ? AND key = ?", string(answer), account,
		key).Error
}

// DropAnswers forgets answers older than the given age. Index: answered_when.
func (tx *Tx) DropAnswers(age time.Duration) error {
	return tx.db.Exec("DELETE FROM answered WHERE answered < now() - ?::interval", interval(age)).Error
}
