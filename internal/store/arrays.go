package store

import (
	"database/sql/driver"
	"strconv"
	"strings"
)

// GORM spreads slices over placeholders. These types keep them whole, as
// PostgreSQL arrays, so that one prepared statement serves any length.

type bigints []int64

// Value writes the array in PostgreSQL's input form.
func (a bigints) Value() (driver.Value, error) {
	b := make([]byte, 0, 2+8*len(a))
	b = append(b, '{')
	for i, n := range a {
		if i > 0 {
			b = append(b, ',')
		}
		b = strconv.AppendInt(b, n, 10)
	}
	return string(append(b, '}')), nil
}

type texts []string

// Value writes the array in PostgreSQL's input form, every item quoted.
func (a texts) Value() (driver.Value, error) {
	quote := strings.NewReplacer(`\`, `\\`, `"`, `\"`)
	quoted := make([]string, len(a))
	for i, s := range a {
		quoted[i] = `"` + quote.Replace(s) + `"`
	}
	return "{" + strings.Join(quoted, ",") + "}", nil
}
