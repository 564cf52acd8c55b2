package store

import (
	"context"
	"database/sql"
	"slices"
	"strconv"
	"strings"
)

// Statement is SQL with its arguments, for GORM: they stand as question marks.
type Statement struct {
	SQL  string
	Args []any
}

// SQL is a statement with its arguments.
func SQL(text string, args ...any) Statement { return Statement{text, args} }

// Builder puts a long statement together, with numbered arguments. The text
// depends on the design alone, so the driver prepares it once.
type Builder struct {
	Text strings.Builder
	Args []any
}

// Add appends pieces of SQL.
func (b *Builder) Add(sql ...string) {
	for _, piece := range sql {
		b.Text.WriteString(piece)
	}
}

// Arg is the place of an argument, with its type.
func (b *Builder) Arg(v any, as string) string {
	b.Args = append(b.Args, v)
	return "$" + strconv.Itoa(len(b.Args)) + "::" + as
}

// Row runs a built statement that answers with one row. It goes to GORM's
// connection as it stands: GORM would look for its own placeholders in it.
func (tx *Tx) Row(b *Builder) *sql.Row {
	return tx.DB.Statement.ConnPool.QueryRowContext(tx.Context(), b.Text.String(), b.Args...)
}

// Context is that of the request that it works for.
func (tx *Tx) Context() context.Context { return tx.DB.Statement.Context }

// InOnePass is the same statement for timelines that hold little: the bounds of
// the owners let it go through followers and entries side by side.
func (s Statement) InOnePass(after, last int64) Statement {
	return Statement{s.SQL + " AND e.owner > ? AND e.owner <= ?", append(slices.Clone(s.Args), after, last)}
}

// And joins two conditions.
func (s Statement) And(other Statement) Statement {
	return Statement{s.SQL + " AND " + other.SQL, append(slices.Clone(s.Args), other.Args...)}
}

// Rows runs a statement with numbered arguments and hands its rows over one by one: as it stands, without an ORM's look
// for placeholders of its own and at each row, for statements that every request waits for.
func (tx *Tx) Rows(text string, args []any, row func(*sql.Rows) error) error {
	rows, err := tx.DB.Statement.ConnPool.QueryContext(tx.Context(), text, args...)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		if err := row(rows); err != nil {
			return err
		}
	}
	return rows.Err()
}
