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

	"github.com/jackc/pgx/v5/pgconn"
	"gorm.io/driver/postgres"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
)

//go:embed schema.sql
var schema string

// schemaVersion changes with schema.sql. A database of another version is not touched.
const schemaVersion = "4"

// schemaName keeps the tables apart from whatever else the database holds.
const schemaName = "yalvo"

// sessionSettings of every connection. Statements are few, prepared, and each
// made for one index: planning them anew for every call would cost more than
// running them, and a plan made while a table was small must not read it whole
// once it has grown.
const sessionSettings = "search_path=" + schemaName + "&plan_cache_mode=force_generic_plan&enable_seqscan=off"

// Store is an app's database.
type Store struct{ db *gorm.DB }

// Tx is a transaction on it. Facts, journal and due work of one write share one.
type Tx struct{ db *gorm.DB }

// Open connects to a PostgreSQL database and makes the tables if there are none.
// connections is the most that are held open at once.
func Open(ctx context.Context, address string, connections int) (*Store, error) {
	separator := "?"
	if strings.Contains(address, "?") {
		separator = "&"
	}
	db, err := gorm.Open(postgres.New(postgres.Config{DSN: address + separator + sessionSettings}), &gorm.Config{
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
	s := &Store{db}
	if err := s.migrate(ctx); err != nil {
		return nil, errors.Join(err, pool.Close())
	}
	return s, nil
}

// Close ends all connections.
func (s *Store) Close() error {
	pool, err := s.db.DB()
	if err != nil {
		return err
	}
	return pool.Close()
}

// migrate makes the tables, once, however many services start together.
func (s *Store) migrate(ctx context.Context) error {
	return s.Write(ctx, func(tx *Tx) error {
		if err := tx.db.Exec("SELECT pg_advisory_xact_lock(hashtext(?))", schemaName).Error; err != nil {
			return err
		}
		var there bool
		if err := tx.db.Raw("SELECT to_regclass(?) IS NOT NULL", schemaName+".settings").Scan(&there).Error; err != nil {
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
		return tx.db.Exec("INSERT INTO settings (name, value) VALUES ('schema', ?), ('cursor_key', ?)", schemaVersion, hex.EncodeToString(key)).Error
	})
}

func (tx *Tx) checkSchema() error {
	have, err := setting(tx.db, "schema")
	if err != nil {
		return err
	}
	if have != schemaVersion {
		return fmt.Errorf("the database's tables are of version %s and this program knows version %s: use the program that made them, or another database", have, schemaVersion)
	}
	return nil
}

// CursorKey is the secret that page cursors are signed with, the same for all
// services on the database.
func (s *Store) CursorKey(ctx context.Context) ([]byte, error) {
	text, err := setting(s.db.WithContext(ctx), "cursor_key")
	if err != nil {
		return nil, err
	}
	return hex.DecodeString(text)
}

func setting(db *gorm.DB, name string) (string, error) {
	var value string
	err := db.Raw("SELECT value FROM settings WHERE name = ?", name).Scan(&value).Error
	return value, err
}

// maxTries bounds how often a transaction that lost a deadlock or a race is run again.
const maxTries = 10

// Write runs a function in a transaction and commits it if it returns nil.
// When PostgreSQL ends the transaction for the sake of another one, the
// function is run again: it must not keep anything from a failed run.
func (s *Store) Write(ctx context.Context, run func(*Tx) error) error {
	for try := 1; ; try++ {
		err := s.db.WithContext(ctx).Transaction(func(db *gorm.DB) error { return run(&Tx{db}) })
		if err == nil || try == maxTries || !isLostRace(err) {
			return err
		}
	}
}

// Upkeep is [Store.Write] for duplicates: its commit does not wait for the disk.
// If PostgreSQL itself is stopped hard it may be as if it had never run, the
// due work that it has done included, and then it is done again. Commits that
// do wait, as those of facts, take all earlier ones along.
func (s *Store) Upkeep(ctx context.Context, run func(*Tx) error) error {
	return s.Write(ctx, func(tx *Tx) error {
		if err := tx.db.Exec("SET LOCAL synchronous_commit = off").Error; err != nil {
			return err
		}
		return run(tx)
	})
}

// isLostRace: deadlock_detected and serialization_failure (SQLSTATE, PostgreSQL appendix A).
func isLostRace(err error) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && (pg.Code == "40P01" || pg.Code == "40001")
}

// isDuplicate: unique_violation.
func isDuplicate(err error) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && pg.Code == "23505"
}
