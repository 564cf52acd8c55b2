package store

import (
	"cmp"
	"context"
	"crypto/rand"
	_ "embed"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"log"
	"net/url"
	"strconv"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/stdlib"
	"gorm.io/driver/postgres"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
)

//go:embed schema.sql
var schema string

// SchemaName keeps the tables apart from whatever else the database holds.
const SchemaName = "yalvo"

// sessionSettings of every connection. Statements are few, prepared, and each
// made for one index: planning them anew for every call would cost more than
// running them, and a plan made while a table was small must not read it whole
// once it has grown, nor put a cache before each look at a row by its key, as a plan
// that cannot know how many rows there will be does: that costs as much as the look.
//
// Whatever the service relies on is said here, and not left to the server's defaults: under another
// isolation the traps of decisions/0002 are open, jit would compile each statement anew, and times
// are read as they are written here.
const sessionSettings = "search_path=" + SchemaName +
	"&plan_cache_mode=force_generic_plan&enable_seqscan=off&enable_memoize=off" +
	"&jit=off&default_transaction_isolation=read%20committed&default_transaction_read_only=off" +
	"&default_transaction_deferrable=off&TimeZone=UTC&DateStyle=ISO&IntervalStyle=postgres&bytea_output=hex" +
	"&standard_conforming_strings=on&client_encoding=UTF8&extra_float_digits=1&statement_timeout=0" +
	"&idle_session_timeout=0"

// clientSettings are those of connections for clients: their commits wait for the disk, they do not wait for
// a lock for ever, and a service that hangs within a transaction does not hold its locks for long.
const clientSettings = sessionSettings + "&synchronous_commit=on&lock_timeout=10000" +
	"&idle_in_transaction_session_timeout=10000"

// upkeepSettings are those of connections for upkeep, audits and dumps.
const upkeepSettings = sessionSettings + "&synchronous_commit=off&idle_in_transaction_session_timeout=10000"

// connectTime is how long connecting may take, unless the address says so itself (connect_timeout): with what else
// a request waits for, less than the five seconds in which it is told that the database is away.
const connectTime = 2500 * time.Millisecond

// Store is an app's database.
type Store struct {
	DB        *gorm.DB // for clients: a commit waits for the disk
	UpkeepDB  *gorm.DB // for duplicates: it does not
	LookingDB *gorm.DB // for looking for work: one connection, see [Store.Sign]
	feeling   *gorm.DB // for seeing whether it answers: one connection, for which nobody else waits
}

// upkeepShare is the part of the connections that is for upkeep, in percent.
const upkeepShare = 30

// Open connects to a PostgreSQL database and makes the tables if there are none.
// connections is the most that are held open at once, at least 2.
func Open(ctx context.Context, address string, connections int) (*Store, error) {
	return OpenFor(ctx, address, connections, func(Design) error { return nil })
}

// OpenFor is [Open] for a program that reads designs: the tables of an earlier version stay
// as they are if it cannot read the one in force.
func OpenFor(ctx context.Context, address string, connections int, reads func(Design) error) (*Store, error) {
	forUpkeep := max(1, connections*upkeepShare/100)
	db, err := open(address, clientSettings, connections-forUpkeep)
	if err != nil {
		return nil, err
	}
	upkeep, err := open(address, upkeepSettings, forUpkeep)
	if err != nil {
		return nil, errors.Join(err, (&Store{DB: db}).Close())
	}
	looking, err := open(address, sessionSettings, 1)
	if err != nil {
		return nil, errors.Join(err, (&Store{DB: db, UpkeepDB: upkeep}).Close())
	}
	feeling, err := open(address, sessionSettings, 1)
	if err != nil {
		return nil, errors.Join(err, (&Store{DB: db, UpkeepDB: upkeep, LookingDB: looking}).Close())
	}
	s := &Store{db, upkeep, looking, feeling}
	if is, err := s.Looking(ctx).server(); err != nil || is.wrong() != nil {
		return nil, errors.Join(cmp.Or(err, is.wrong()), s.Close())
	}
	if err := s.migrate(ctx, reads); err != nil {
		return nil, errors.Join(err, s.Close())
	}
	return s, nil
}

func open(address, settings string, connections int) (*gorm.DB, error) {
	config, err := pgx.ParseConfig(address) // in either of its forms
	if err != nil {
		return nil, fmt.Errorf("the database's address cannot be read: %w", err)
	}
	if config.ConnectTimeout == 0 { // a server that takes connections and says nothing would hold whoever needs one
		config.ConnectTimeout = connectTime
	}
	said, err := url.ParseQuery(settings)
	if err != nil {
		return nil, err
	}
	for name := range said {
		config.RuntimeParams[name] = said.Get(name)
	}
	conn := stdlib.OpenDB(*config)
	db, err := gorm.Open(dialector{postgres.New(postgres.Config{Conn: conn})}, &gorm.Config{
		SkipDefaultTransaction: true,
		Logger:                 logger.New(log.New(io.Discard, "", 0), logger.Config{LogLevel: logger.Silent}),
	})
	if err != nil {
		return nil, errors.Join(fmt.Errorf("the database cannot be reached: %w", err), conn.Close())
	}
	pool, err := db.DB()
	if err != nil {
		return nil, err
	}
	pool.SetMaxOpenConns(connections)
	pool.SetMaxIdleConns(connections)
	pool.SetConnMaxIdleTime(5 * time.Minute)
	return db, nil
}

// dialector is GORM's for PostgreSQL, but it does not put statements in words
// with their values. GORM asks for that in every Scan, also when nobody logs.
type dialector struct{ gorm.Dialector }

// Explain is the statement as it stands.
func (dialector) Explain(sql string, _ ...any) string { return sql }

// SavePoint begins a part of a transaction that can be undone by itself.
func (dialector) SavePoint(tx *gorm.DB, name string) error { return tx.Exec("SAVEPOINT " + name).Error }

// RollbackTo undoes it.
func (dialector) RollbackTo(tx *gorm.DB, name string) error {
	return tx.Exec("ROLLBACK TO SAVEPOINT " + name).Error
}

// Pool is how many of its connections a service uses, and how many it may use.
func (s *Store) Pool() (inUse, most int) {
	for _, db := range []*gorm.DB{s.DB, s.UpkeepDB, s.LookingDB} {
		if pool, err := db.DB(); err == nil { // else there is none
			stats := pool.Stats()
			inUse, most = inUse+stats.InUse, most+stats.MaxOpenConnections
		}
	}
	return inUse, most
}

// Quiet tells whether no client of this service wants anything of the database,
// so that upkeep may take a second connection beside its own.
func (s *Store) Quiet() bool { return s.Spare(2) }

// Spare is [Store.Quiet] for who takes so many connections of those for upkeep.
func (s *Store) Spare(connections int) bool {
	clients, err := s.DB.DB()
	if err != nil || clients.Stats().InUse > 0 {
		return false
	}
	upkeep, err := s.UpkeepDB.DB()
	return err == nil && upkeep.Stats().MaxOpenConnections >= connections
}

// Close ends all connections.
func (s *Store) Close() error {
	var errs []error
	for _, db := range []*gorm.DB{s.DB, s.UpkeepDB, s.LookingDB, s.feeling} {
		if db == nil {
			continue
		}
		pool, err := db.DB()
		if err == nil {
			err = pool.Close()
		}
		errs = append(errs, err)
	}
	return errors.Join(errs...)
}

// migrate makes the tables, once, however many services start together.
func (s *Store) migrate(ctx context.Context, reads func(Design) error) error {
	return s.Write(ctx, func(tx *Tx) error {
		// Who starts beside this waits, however long that takes.
		if err := tx.DB.Exec("SELECT set_config('lock_timeout', '0', true), " +
			"set_config('idle_in_transaction_session_timeout', '0', true)").Error; err != nil {
			return err
		}
		if err := tx.DB.Exec("SELECT pg_advisory_xact_lock(hashtext(?))", SchemaName).Error; err != nil {
			return err
		}
		var there bool
		if err := tx.DB.Raw("SELECT to_regclass(?) IS NOT NULL",
			SchemaName+".settings").Scan(&there).Error; err != nil {
			return err
		}
		if there {
			return tx.migrate(reads)
		}
		secrets := make([]byte, 64)
		if _, err := rand.Read(secrets); err != nil {
			return err
		}
		for _, sql := range []string{"CREATE SCHEMA IF NOT EXISTS " + SchemaName, schema} {
			if err := tx.DB.Exec(sql).Error; err != nil {
				return fmt.Errorf("making the tables: %w", err)
			}
		}
		return tx.DB.Exec(
			"INSERT INTO settings (name, value) VALUES ('schema', ?), ('cursor_key', ?), ('token_key', ?)",
			strconv.Itoa(SchemaVersion), hex.EncodeToString(secrets[:32]), hex.EncodeToString(secrets[32:])).Error
	})
}
