package metersql

import (
	"encoding/json"
	"time"

	"yalvo/internal/engine/store"
)

// Counts are how often something was done, and what that read or wrote.
type Counts struct {
	Times     int64 `json:"times"`
	Unchanged int64 `json:"unchanged"` // of these: whoever asked had it already
	Documents int64 `json:"documents"` // read; of actions: written
	Pairs     int64 `json:"pairs"`
	Entries   int64 `json:"entries"` // of timelines, put in or taken out
	Kept      int64 `json:"kept"`    // documents in which a kept value was rewritten
	Sent      int64 `json:"sent"`    // requests to elsewhere
	Bytes     int64 `json:"bytes"`   // of answers before packing; of facts as they are stored
}

// Plus is both together.
func (c Counts) Plus(o Counts) Counts {
	return Counts{c.Times + o.Times, c.Unchanged + o.Unchanged, c.Documents + o.Documents, c.Pairs + o.Pairs,
		c.Entries + o.Entries, c.Kept + o.Kept, c.Sent + o.Sent, c.Bytes + o.Bytes}
}

// Add adds to it.
func (c *Counts) Add(o Counts) { *c = c.Plus(o) }

// Minus is what is more than before.
func (c Counts) Minus(o Counts) Counts {
	return Counts{c.Times - o.Times, c.Unchanged - o.Unchanged, c.Documents - o.Documents, c.Pairs - o.Pairs,
		c.Entries - o.Entries, c.Kept - o.Kept, c.Sent - o.Sent, c.Bytes - o.Bytes}
}

// Metered is what was counted of one thing.
type Metered struct {
	Hour *time.Time `json:"hour,omitempty"` // that began then; nil: of all that are asked for
	Kind string     `json:"kind"`
	Name string     `json:"name"`
	Counts
}

// Add adds counts to those of an hour, in the order of their keys, so that two services do not wait for each other in a
// circle. All are of different things. Key: metered.
func Add(tx *store.Tx, hour time.Time, all []Metered) error {
	text, err := json.Marshal(all)
	if err != nil || len(all) == 0 {
		return err
	}
	return tx.DB.Exec(`
		INSERT INTO metered AS m (hour, kind, name, times, unchanged, documents, pairs, entries, kept, sent, bytes)
		SELECT ?::timestamptz, kind, name, times, unchanged, documents, pairs, entries, kept, sent, bytes
		FROM jsonb_to_recordset(?::jsonb) AS x (kind text, name text, times bigint, unchanged bigint, documents bigint,
			pairs bigint, entries bigint, kept bigint, sent bigint, bytes bigint)
		ORDER BY kind, name
		ON CONFLICT (hour, kind, name) DO UPDATE SET
			times = m.times + excluded.times, unchanged = m.unchanged + excluded.unchanged,
			documents = m.documents + excluded.documents, pairs = m.pairs + excluded.pairs,
			entries = m.entries + excluded.entries, kept = m.kept + excluded.kept,
			sent = m.sent + excluded.sent, bytes = m.bytes + excluded.bytes`,
		store.TimeText(hour), string(text)).Error
}

// Drop forgets hours that are older. Key: metered (hour, ...).
func Drop(tx *store.Tx, before time.Time) error {
	return tx.DB.Exec("DELETE FROM metered WHERE hour < ?::timestamptz", store.TimeText(before)).Error
}

// Between is what was counted in the hours that began in a span of time, each by itself or all together.
// Key: metered (hour, ...).
func Between(tx *store.Tx, from, until time.Time, byHour bool) (all []Metered, err error) {
	hour, group := "NULL::timestamptz", ""
	if byHour {
		hour, group = "hour", "hour, "
	}
	return all, tx.DB.Raw(`
		SELECT `+hour+` AS hour, kind, name, sum(times)::bigint AS times, sum(unchanged)::bigint AS unchanged,
			sum(documents)::bigint AS documents, sum(pairs)::bigint AS pairs, sum(entries)::bigint AS entries,
			sum(kept)::bigint AS kept, sum(sent)::bigint AS sent, sum(bytes)::bigint AS bytes
		FROM metered
		WHERE hour >= ?::timestamptz AND hour < ?::timestamptz
		GROUP BY `+group+`kind, name
		ORDER BY `+group+`kind, name`, store.TimeText(from), store.TimeText(until)).Scan(&all).Error
}
