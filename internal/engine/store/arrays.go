package store

import (
	"context"
	"database/sql/driver"
	"strconv"
	"strings"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// GORM spreads slices over placeholders. These types keep them whole, as
// PostgreSQL arrays in their input form, so that one prepared statement serves
// any length. GORM leaves them whole because they are driver.Valuers, but asks
// GormValue first: a string costs the driver nothing, a Valuer it parses again.

type bigints []int64

// GormValue writes the array.
func (a bigints) GormValue(context.Context, *gorm.DB) clause.Expr { return whole(a.text()) }

// Value writes the array.
func (a bigints) Value() (driver.Value, error) { return a.text(), nil }

func (a bigints) text() string {
	b := make([]byte, 0, 2+8*len(a))
	b = append(b, '{')
	for i, n := range a {
		if i > 0 {
			b = append(b, ',')
		}
		b = strconv.AppendInt(b, n, 10)
	}
	return string(append(b, '}'))
}

type texts []string

var quoteText = strings.NewReplacer(`\`, `\\`, `"`, `\"`)

// GormValue writes the array, every item quoted.
func (a texts) GormValue(context.Context, *gorm.DB) clause.Expr { return whole(a.text()) }

// Value writes the array, every item quoted.
func (a texts) Value() (driver.Value, error) { return a.text(), nil }

func (a texts) text() string {
	quoted := make([]string, len(a))
	for i, s := range a {
		quoted[i] = `"` + quoteText.Replace(s) + `"`
	}
	return "{" + strings.Join(quoted, ",") + "}"
}

func whole(text string) clause.Expr { return clause.Expr{SQL: "?", Vars: []any{text}} }
