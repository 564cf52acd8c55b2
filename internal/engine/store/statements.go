package store

import (
	"context"
	"database/sql"
	"strconv"
	"strings"
)

// statement is SQL with its arguments, for GORM: they stand as question marks.
type statement struct {
	sql  string
	args []any
}

// builder puts a long statement together, with numbered arguments. The text
// depends on the design alone, so the driver prepares it once.
type builder struct {
	text strings.Builder
	args []any
}

// add appends pieces of SQL.
func (b *builder) add(sql ...string) {
	for _, piece := range sql {
		b.text.WriteString(piece)
	}
}

// arg is the place of an argument, with its type.
func (b *builder) arg(v any, as string) string {
	b.args = append(b.args, v)
	return "$" + strconv.Itoa(len(b.args)) + "::" + as
}

// row runs a built statement that answers with one row. It goes to GORM's
// connection as it stands: GORM would look for its own placeholders in it.
func (tx *Tx) row(b *builder) *sql.Row {
	return tx.db.Statement.ConnPool.QueryRowContext(tx.Context(), b.text.String(), b.args...)
}

// Context is that of the request that it works for.
func (tx *Tx) Context() context.Context { return tx.db.Statement.Context }
