package store

import (
	"encoding/json"
	"fmt"
	"time"

	"yalvo/internal/design/plan"
)

// Document is a document as it is stored.
type Document struct {
	N          int64
	Collection plan.Number
	Key        string
	Parent     int64
	Version    int64
	Created    time.Time
	Updated    time.Time
	Fields     json.RawMessage
	Kept       json.RawMessage
	MadeFrom   []byte // digest of the request that created it
	Shape      int    // the form of its fields
	Quiet      Quiet  // see [Quiet]; nil: there were no such edits
	Row        uint32 // the version of the row that holds the facts, as [factsql.Known] tells it: it changes with them
	Ranks      Ranked // its places in the timelines its collection enters, in their order
}

// Ranked reads numbers that stand in one text, separated by commas.
type Ranked []int64

// GormDataType is what GORM wants to know of every type.
func (Ranked) GormDataType() string { return "text" }

// Scan reads them.
func (r *Ranked) Scan(text any) error {
	*r = NumbersIn(fmt.Sprint(text))
	return nil
}

// Address names a document from outside.
type Address struct {
	Collection plan.Number
	Key        string
}

// DocumentColumns are the columns that a [Document] is read from, of documents d and kept k.
const DocumentColumns = `
	d.n, d.collection, d.key, coalesce(d.parent, 0) AS parent, d.version, d.created, d.updated,
	d.fields, coalesce(k.values, '{}') AS kept, d.made_from, coalesce(d.shape, 0) AS shape, d.quiet`

// FieldColumns are the columns of a document whose collection is known.
func FieldColumns(c *plan.Collection) string {
	return DocumentColumns + ", " + Ranks(c, "d") + " AS ranks"
}

// Upcast brings facts that are still stored in the form of the version before to
// that of the design in force.
func (d *Document) Upcast(c *plan.Collection) {
	if d.Shape != c.Shape && c.Upcast != nil && len(d.Fields) > 0 {
		d.Fields, d.Shape = c.Upcast(d.Fields, d.Created), c.Shape
	}
}

// NewestDocument is the highest number that a document has been given, 0 if none.
func (tx *Tx) NewestDocument() (int64, error) {
	var n int64
	err := tx.DB.Raw("SELECT coalesce(max(n), 0) FROM documents").Scan(&n).Error
	return n, err
}
