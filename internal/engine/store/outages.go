package store

import (
	"context"
	"database/sql/driver"
	"errors"
	"io"
	"net"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5/pgconn"
)

// IsAway tells of an error whether the database could not be reached, or has
// cut the connection, or only reads: SQLSTATE classes 08, connection exception, and 57P,
// operator intervention, 53300, too many connections, 25006, read-only transaction, and 25P03, idle in
// a transaction for too long (PostgreSQL, appendix A).
// Whether what was asked last was carried out is not known then.
func IsAway(err error) bool {
	var pg *pgconn.PgError
	if errors.As(err, &pg) {
		return strings.HasPrefix(pg.Code, "08") || strings.HasPrefix(pg.Code, "57P") ||
			slices.Contains([]string{tooManyConnections, onlyReads, idleTooLong}, pg.Code)
	}
	var dial *pgconn.ConnectError
	var network net.Error
	return errors.As(err, &dial) || errors.Is(err, driver.ErrBadConn) || errors.Is(err, io.ErrUnexpectedEOF) ||
		errors.Is(err, io.EOF) || errors.Is(err, net.ErrClosed) || errors.As(err, &network) && !network.Timeout() ||
		err != nil && strings.Contains(err.Error(), "conn closed")
}

const (
	tooManyConnections = "53300"
	onlyReads          = "25006"
	idleTooLong        = "25P03"
)

// IsBusy tells of an error whether a lock was waited for in vain: SQLSTATE 55P03, lock not available.
func IsBusy(err error) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && pg.Code == "55P03"
}

// IsFull tells of an error whether the database has run out of something: SQLSTATE
// class 53, insufficient resources, such as disk space, but for connections.
func IsFull(err error) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && strings.HasPrefix(pg.Code, "53") && pg.Code != tooManyConnections
}

// TryToWrite tells whether the database has room to write a few pages.
func (s *Store) TryToWrite(ctx context.Context) error {
	return s.Write(ctx, func(tx *Tx) error {
		return tx.DB.Exec(`
			CREATE TEMP TABLE room ON COMMIT DROP AS
			SELECT repeat('x', 1000) AS text FROM generate_series(1, 1000)`).Error
	})
}

// Ping asks the database whether it answers.
func (s *Store) Ping(ctx context.Context) error { return s.DB.WithContext(ctx).Exec("SELECT 1").Error }

// Feel asks the same on a connection of its own, which no other work can hold up.
func (s *Store) Feel(ctx context.Context) error {
	return s.feeling.WithContext(ctx).Exec("SELECT 1").Error
}
