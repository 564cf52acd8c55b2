package store

import (
	"context"
	"database/sql"
	"errors"
	"math/rand/v2"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
	"gorm.io/gorm"

	"yalvo/internal/design/plan"
)

// Tx is a transaction. Facts, journal and due work of one write share one.
type Tx struct {
	DB      *gorm.DB
	lanes   lanes
	entries map[plan.Number]int64
}

// Looking reads outside of any transaction.
func (s *Store) Looking(ctx context.Context) *Tx { return &Tx{DB: s.DB.WithContext(ctx)} }

// lanes is a set of lanes, a bit for each.
type lanes uint16

// Got notes the lanes of work that has become due.
func (tx *Tx) Got(work []plan.Work) {
	for _, w := range work {
		tx.lanes |= 1 << w.Step.Lane()
	}
}

// Lanes are the lanes that got work in this transaction.
func (tx *Tx) Lanes() []plan.Lane {
	var some []plan.Lane
	for _, lane := range plan.Lanes {
		if tx.lanes&(1<<lane) != 0 {
			some = append(some, lane)
		}
	}
	return some
}

// WroteEntries notes entries of a timeline that were put in or taken out.
func (tx *Tx) WroteEntries(timeline plan.Number, many int64) {
	if many == 0 {
		return
	}
	if tx.entries == nil {
		tx.entries = map[plan.Number]int64{}
	}
	tx.entries[timeline] += many
}

// Entries are how many entries of which timelines this transaction put in or took out.
func (tx *Tx) Entries() map[plan.Number]int64 { return tx.entries }

// maxTries bounds how often a transaction that lost a deadlock or a race is run again.
const maxTries = 20

// Write runs a function in a transaction and commits it if it returns nil.
// When PostgreSQL ends the transaction for the sake of another one, the
// function is run again: it must not keep anything from a failed run.
func (s *Store) Write(ctx context.Context, run func(*Tx) error) error {
	return transaction(ctx, s.DB, run)
}

// Direct is [Store.Write] for a function that runs one statement which may
// write: PostgreSQL makes that a transaction by itself, and two round trips are
// saved.
func (s *Store) Direct(ctx context.Context, run func(*Tx) error) error {
	return again(ctx, func() error { return run(s.Looking(ctx)) })
}

// Upkeep is [Store.Write] for duplicates: its commit does not wait for the disk.
// If PostgreSQL itself is stopped hard it may be as if it had never run, the
// due work that it has done included, and then it is done again. Commits that
// do wait, as those of facts, take all earlier ones along.
func (s *Store) Upkeep(ctx context.Context, run func(*Tx) error) error {
	return transaction(ctx, s.UpkeepDB, run)
}

// View runs a function on a consistent view of the database: everything it
// reads is as of one moment. Its statements go over many rows at once, so each
// is planned for what it is given. What it writes must not meet other writers.
func (s *Store) View(ctx context.Context, run func(*Tx) error) error {
	return transaction(ctx, s.UpkeepDB, func(tx *Tx) error {
		// A dump may be taken slowly.
		err := tx.DB.Exec("SELECT set_config('enable_seqscan', 'on', true), set_config('work_mem', ?, true), "+
			"set_config('idle_in_transaction_session_timeout', '60s', true)", viewMemory).Error
		if err == nil {
			err = tx.planAnew()
		}
		if err != nil {
			return err
		}
		return run(tx)
	}, &sql.TxOptions{Isolation: sql.LevelRepeatableRead})
}

// viewMemory is what a sort or a hash of a view may use before it goes to disk.
const viewMemory = "64MB"

// planAnew has the transaction's statements planned for the values they are
// given, each time.
func (tx *Tx) planAnew() error {
	return tx.DB.Exec("SELECT set_config('plan_cache_mode', 'force_custom_plan', true), " +
		"set_config('enable_memoize', 'on', true)").Error
}

func transaction(ctx context.Context, db *gorm.DB, run func(*Tx) error, options ...*sql.TxOptions) error {
	return again(ctx, func() error {
		return db.WithContext(ctx).Transaction(func(db *gorm.DB) error { return run(&Tx{DB: db}) }, options...)
	})
}

func again(ctx context.Context, run func() error) error {
	for try := 1; ; try++ {
		err := run()
		if err == nil || try == maxTries || !isLostRace(err) {
			return err
		}
		select { // so that two do not meet again and again
		case <-time.After(time.Duration(rand.IntN(try*try)+1) * time.Millisecond):
		case <-ctx.Done():
			return err
		}
	}
}

// ErrRace: a value that was free was taken while a statement ran. Run again, the
// statement sees that.
var ErrRace = errors.New("a value was taken by another transaction again and again")

// isLostRace: deadlock_detected and serialization_failure (SQLSTATE, PostgreSQL
// appendix A).
func isLostRace(err error) bool {
	var pg *pgconn.PgError
	return errors.Is(err, ErrRace) || errors.As(err, &pg) && (pg.Code == "40P01" || pg.Code == "40001")
}

// IsDuplicate: unique_violation.
func IsDuplicate(err error) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && pg.Code == "23505"
}
