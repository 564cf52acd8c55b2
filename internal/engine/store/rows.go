package store

import (
	"context"
	"errors"
	"math"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/stdlib"
	"gorm.io/gorm"
)

// Visit runs a query on one of the clients' connections and hands its rows over
// one by one, as the driver has them: what GORM and database/sql do for each
// column of each row would cost the hottest reads more than the rest of them.
func (s *Store) Visit(ctx context.Context, q Statement, row func(pgx.Rows) error) error {
	pool, err := s.DB.DB()
	if err != nil {
		return err
	}
	conn, err := pool.Conn(ctx)
	if err != nil {
		return err
	}
	defer conn.Close() // back to the pool
	return conn.Raw(func(driver any) error {
		rows, err := driver.(*stdlib.Conn).Conn().Query(ctx, q.numbered(), q.Args...)
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
func (s Statement) numbered() string {
	var b strings.Builder
	b.Grow(len(s.SQL) + 2*len(s.Args))
	text := s.SQL
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

// Boundary is where a page begins: just after an element of the one before it.
// Which members count depends on the page's order.
type Boundary struct {
	Key    string // pages by key
	Rank   int64  // pages newest first: microseconds since 1970
	Values string // lists: what they are ordered by, see [listsql.Listed]
	N      int64  // among equals
}

// FromTheTop is the place before everything else in a page that is newest first.
var FromTheTop = Boundary{Rank: math.MaxInt64, N: math.MaxInt64}

// PageBytes is about how much a page holds at most: one that has come to as much
// ends there, however many elements were asked for. It has one at least.
const PageBytes = 1 << 20

// Size is about how many bytes it adds to a page.
func (d Document) Size() int { return len(d.Fields) + len(d.Kept) }

// RowsOf reads the rows of a query until they come to [PageBytes].
func RowsOf[T any](query *gorm.DB, size func(T) int) ([]T, error) {
	rows, err := query.Rows()
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []T
	for bytes := 0; bytes < PageBytes && rows.Next(); {
		var row T
		if err := query.ScanRows(rows, &row); err != nil {
			return nil, err
		}
		all = append(all, row)
		bytes += size(row)
	}
	return all, rows.Err()
}

// EachRow hands over the rows of a query one by one, however many there are.
func EachRow[T any](tx *Tx, query *gorm.DB, each func(T) error) error {
	rows, err := query.Rows()
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var row T
		if err := tx.DB.ScanRows(rows, &row); err != nil {
			return err
		}
		if err := each(row); err != nil {
			return err
		}
	}
	return rows.Err()
}

// TimeOf is the time of a rank; the top of a page lies after every time.
func TimeOf(rank int64) any {
	if rank == math.MaxInt64 {
		return "infinity"
	}
	return time.UnixMicro(rank)
}

// ErrEnough ends a query whose other rows are not wanted.
var ErrEnough = errors.New("enough")
