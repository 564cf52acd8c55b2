package store

import (
	"context"
	"crypto/rand"
	_ "embed"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"log"
	"strings"
	"time"

	"gorm.io/driver/postgres"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
)

//go:embed schema.sql
var schema string

// schemaVersion changes with schema.sql. A database of another version is not touched.
const schemaVersion = "6"

// upgrades bring the tables of an earlier version to the one after it.
var upgrades = map[string]struct{ to, sql string }{
	"5": {"6", `
		ALTER TABLE departed
			ADD COLUMN collection smallint NOT NULL DEFAULT 0,
			ADD COLUMN created timestamptz NOT NULL DEFAULT 'epoch',
			ADD COLUMN at timestamptz NOT NULL DEFAULT clock_timestamp(),
			ADD COLUMN of bigint[] NOT NULL DEFAULT '{}';
		CREATE INDEX departed_of ON departed USING gin (of);
		CREATE INDEX departed_named ON departed (collection, key);
		CREATE INDEX departed_when ON departed (at)`},
}

// schemaName keeps the tables apart from whatever else the database holds.
const schemaName = "yalvo"

// sessionSettings of every connection. Statements are few, prepared, and each
// made for one index: planning them anew for every call would cost more than
// running them, and a plan made while a table was small must not read it whole
// once it has grown.
const sessionSettings = "search_path=" + schemaName + "&plan_cache_mode=force_generic_plan&enable_seqscan=off"

// Store is an app's database.
type Store struct {
	db      *gorm.DB // for clients: a commit waits for the disk
	upkeep  *gorm.DB // for duplicates: it does not
	looking *gorm.DB // for looking for work: one connection, see [Store.Sign]
}

// upkeepShare is the part of the connections that is for upkeep, in percent.
const upkeepShare = 30

// Open connects to a PostgreSQL database and makes the tables if there are none.
// connections is the most that are held open at once, at least 2.
func Open(ctx context.Context, address string, connections int) (*Store, error) {
	forUpkeep := max(1, connections*upkeepShare/100)
	db, err := open(address, sessionSettings, connections-forUpkeep)
	if err != nil {
		return nil, err
	}
	upkeep, err := open(address, sessionSettings+"&synchronous_commit=off", forUpkeep)
	if err != nil {
		return nil, errors.Join(err, (&Store{db: db}).Close())
	}
	looking, err := open(address, sessionSettings, 1)
	if err != nil {
		return nil, errors.Join(err, (&Store{db: db, upkeep: upkeep}).Close())
	}
	s := &Store{db, upkeep, looking}
	if err := s.migrate(ctx); err != nil {
		return nil, errors.Join(err, s.Close())
	}
	return s, nil
}

func open(address, settings string, connections int) (*gorm.DB, error) {
	separator := "?"
	if strings.Contains(address, "?") {
		separator = "&"
	}
	db, err := gorm.Open(dialector{postgres.New(postgres.Config{DSN: address + separator + settings})}, &gorm.Config{
		SkipDefaultTransaction: true,
		Logger:                 logger.New(log.New(io.Discard, "", 0), logger.Config{LogLevel: logger.Silent}),
	})
	if err != nil {
		return nil, fmt.Errorf("the database cannot be reached: %w", err)
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

// Quiet tells whether no client of this service wants anything of the database,
// so that upkeep may take a second connection beside its own.
func (s *Store) Quiet() bool {
	clients, err := s.db.DB()
	if err != nil || clients.Stats().InUse > 0 {
		return false
	}
	upkeep, err := s.upkeep.DB()
	return err == nil && upkeep.Stats().MaxOpenConnections > 1
}

// Close ends all connections.
func (s *Store) Close() error {
	var errs []error
	for _, db := range []*gorm.DB{s.db, s.upkeep, s.looking} {
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
func (s *Store) migrate(ctx context.Context) error {
	return s.Write(ctx, func(tx *Tx) error {
		if err := tx.db.Exec("SELECT pg_advisory_xact_lock(hashtext(?))", schemaName).Error; err != nil {
			return err
		}
		var there bool
		if err := tx.db.Raw("SELECT to_regclass(?) IS NOT NULL",
			schemaName+".settings").Scan(&there).Error; err != nil {
			return err
		}
		if there {
			return tx.checkSchema()
		}
		key := make([]byte, 32)
		if _, err := rand.Read(key); err != nil {
			return err
		}
		for _, sql := range []string{"CREATE SCHEMA IF NOT EXISTS " + schemaName, schema} {
			if err := tx.db.Exec(sql).Error; err != nil {
				return fmt.Errorf("making the tables: %w", err)
			}
		}
		return tx.db.Exec("INSERT INTO settings (name, value) VALUES ('schema', ?), ('cursor_key', ?)", schemaVersion,
			hex.EncodeToString(key)).Error
	})
}

func (tx *Tx) checkSchema() error {
	have, err := setting(tx.db, "schema")
	if err != nil {
		return err
	}
	for up, there := upgrades[have]; there; up, there = upgrades[have] {
		if err := tx.db.Exec(up.sql).Error; err != nil {
			return fmt.Errorf("bringing the tables from version %s to %s: %w", have, up.to, err)
		}
		if err := tx.db.Exec("UPDATE settings SET value = ? WHERE name = 'schema'", up.to).Error; err != nil {
			return err
		}
		have = up.to
	}
	if have != schemaVersion {
		return fmt.Errorf("the database's tables are of version %s and this program knows version %s: use the "+
			"program that made them, or another database", have, schemaVersion)
	}
	return nil
}
