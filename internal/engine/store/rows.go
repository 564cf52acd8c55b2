package store

import (
	"context"
	"strconv"
	"strings"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/stdlib"
)

// visit runs a query on one of the clients' connections and hands its rows over
// one by one, as the driver has them: what GORM and database/sql do for each
// column of each row would cost the hottest reads more than the rest of them.
func (s *Store) visit(ctx context.Context, q statement, row func(pgx.Rows) error) error {
	pool, err := s.db.DB()
	if err != nil {
		return err
	}
	conn, err := pool.Conn(ctx)
	if err != nil {
		return err
	}
	defer conn.Close() // back to the pool
	return conn.Raw(func(driver any) error {
		rows, err := driver.(*stdlib.Conn).Conn().Query(ctx, q.numbered(), q.args...)
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
	})
}

// numbered is the statement's text with PostgreSQL's placeholders.
func (s statement) numbered() string {
	var b strings.Builder
	b.Grow(len(s.sql) + 2*len(s.args))
	text := s.sql
	for n := 1; ; n++ {
		before, after, found := strings.Cut(text, "?")
		b.WriteString(before)
		if !found {
			return b.String()
		}
		b.WriteByte('$')
		b.WriteString(strconv.Itoa(n))
		text = after
	}
}
