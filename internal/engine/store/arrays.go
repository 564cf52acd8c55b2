package store

import (
	"context"
	"database/sql/driver"
	"strconv"
	"strings"

	"yalvo/internal/design/plan"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// GORM spreads slices over placeholders. These types keep them whole, as
// PostgreSQL arrays in their input form, so that one prepared statement serves
// any length. GORM leaves them whole because they are driver.Valuers, but asks
// GormValue first: a string costs the driver nothing, a Valuer it parses again.

// Bigints are numbers as one argument, an array.
type Bigints []int64

// GormValue writes the array.
func (a Bigints) GormValue(context.Context, *gorm.DB) clause.Expr { return whole(a.Text()) }

// Value writes the array.
func (a Bigints) Value() (driver.Value, error) { return a.Text(), nil }

// Text is the array as PostgreSQL reads it.
func (a Bigints) Text() string {
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

// Texts are texts as one argument, an array.
type Texts []string

var quoteText = strings.NewReplacer(`\`, `\\`, `"`, `\"`)

// GormValue writes the array, every item quoted.
func (a Texts) GormValue(context.Context, *gorm.DB) clause.Expr { return whole(a.Text()) }

// Value writes the array, every item quoted.
func (a Texts) Value() (driver.Value, error) { return a.Text(), nil }

// Text is the array as PostgreSQL reads it, every item quoted.
func (a Texts) Text() string {
	quoted := make([]string, len(a))
	for i, s := range a {
		quoted[i] = `"` + quoteText.Replace(s) + `"`
	}
	return "{" + strings.Join(quoted, ",") + "}"
}

func whole(text string) clause.Expr { return clause.Expr{SQL: "?", Vars: []any{text}} }

// ColumnsOfAddresses are addresses as two arrays.
func ColumnsOfAddresses(all []Address) (collections Bigints, keys Texts) {
	collections, keys = make(Bigints, len(all)), make(Texts, len(all))
	for i, a := range all {
		collections[i], keys[i] = int64(a.Collection), a.Key
	}
	return collections, keys
}

// NumberArgs are numbers of names as an array.
func NumberArgs(numbers []plan.Number) Bigints {
	all := make(Bigints, len(numbers))
	for i, n := range numbers {
		all[i] = int64(n)
	}
	return all
}
