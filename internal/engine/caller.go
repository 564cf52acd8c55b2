package engine

import (
	"context"
	"encoding/json"
	"fmt"
	"strconv"

	"yalvo/internal/store"
)

// Caller is who asks for a write.
type Caller struct {
	Me      string // the key of the caller's account, empty if none was given
	Key     string // the request's Idempotency-Key, empty if it has none
	Request []byte // digest of the request, to tell a repetition from a reuse of the key
}

// Result is what a write came to.
type Result struct {
	Document Document `json:"document"` // as it is now; of a removal, as it was
	Position Position `json:"position"`
	Fresh    bool     `json:"fresh"` // something was written; false: it was so already
	Read     int      `json:"read"`  // documents read
	Wrote    int      `json:"wrote"` // documents and pairs written
}

// Position is a place in the journal that a read can wait for: "7" is the
// change 7 alone, "..7" is every change up to it.
type Position string

// exactly is the change that a position stands for.
func exactly(p Position) (int64, error) { return strconv.ParseInt(string(p), 10, 64) }

func at(seq int64) Position   { return Position(fmt.Sprint(seq)) }
func upTo(seq int64) Position { return Position(fmt.Sprintf("..%d", seq)) }

// write runs a write in one transaction. A request that repeats an
// Idempotency-Key gets the first one's result and writes nothing.
func (e *Engine) write(ctx context.Context, caller Caller, run func(*running, *store.Tx) (Result, error)) (Result, error) {
	for {
		r, err := e.planned(ctx)
		if err != nil {
			return Result{}, err
		}
		var result Result
		err = e.store.Write(ctx, func(tx *store.Tx) error {
			if earlier, found, err := repeated(tx, caller); err != nil || found {
				result = earlier
				return err
			}
			var err error
			if result, err = run(r, tx); err != nil {
				return err
			}
			return keepAnswer(tx, caller, result)
		})
		if err == errDesignMoved {
			if err := e.reload(ctx); err != nil {
				return Result{}, err
			}
			continue
		}
		if err == nil {
			e.wakeAll()
		}
		return result, err
	}
}

func repeated(tx *store.Tx, caller Caller) (Result, bool, error) {
	if caller.Key == "" {
		return Result{}, false, nil
	}
	request, answer, found, err := tx.Answered(caller.Key, caller.Request)
	if err != nil || !found {
		return Result{}, false, err
	}
	if string(request) != string(caller.Request) {
		return Result{}, false, refuse(CodeReused, "the Idempotency-Key %q was used for another request: use a new key for a new request", caller.Key)
	}
	var earlier Result
	err = json.Unmarshal(answer, &earlier)
	return earlier, true, err
}

func keepAnswer(tx *store.Tx, caller Caller, result Result) error {
	if caller.Key == "" {
		return nil
	}
	answer, err := json.Marshal(result)
	if err != nil {
		return err
	}
	return tx.KeepAnswer(caller.Key, answer)
}
