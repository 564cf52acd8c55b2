package factsql

import (
	"time"

	"yalvo/internal/engine/store"
)

// Answered looks up the answer to an account's earlier request with the same
// Idempotency-Key, or reserves the key. A request that is being answered under
// the same key is waited for. Key: answered (account, key).
func Answered(tx *store.Tx, account, key string, request []byte) (earlier []byte, answer []byte, found bool,
	err error) {
	got := tx.DB.Exec("INSERT INTO answered (account, key, request) VALUES (?, ?, ?) ON CONFLICT DO NOTHING", account,
		key, request)
	if got.Error != nil || got.RowsAffected > 0 {
		return nil, nil, false, got.Error
	}
	var row struct{ Request, Answer []byte }
	err = tx.DB.Raw("SELECT request, answer FROM answered WHERE account = ? AND key = ?", account, key).Scan(&row).Error
	return row.Request, row.Answer, true, err
}

// KeepAnswer stores the answer for requests that repeat the key.
func KeepAnswer(tx *store.Tx, account, key string, answer []byte) error {
	return tx.DB.Exec("UPDATE answered SET answer = ? WHERE account = ? AND key = ?", string(answer), account,
		key).Error
}

// DropAnswers forgets answers older than the given age. Index: answered_when.
func DropAnswers(tx *store.Tx, age time.Duration) error {
	return tx.DB.Exec("DELETE FROM answered WHERE answered < now() - ?::interval", store.Interval(age)).Error
}
