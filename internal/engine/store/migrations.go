package store

import (
	"embed"
	"fmt"
	"strconv"
	"time"
)

// SchemaVersion is the version of the tables that this program works with: it
// changes with schema.sql.
const SchemaVersion = 17

// migrations bring the tables of a version, from 1 on, to the one after it: the
// file is called by the version that it finds. They run when a service starts, all
// in one transaction, under the lock of [Store.migrate]: who starts beside it waits.
//
//go:embed migrations/*.sql
var migrations embed.FS

// migrate brings the tables of an earlier version along, if the program reads the design in
// force.
func (tx *Tx) migrate(reads func(Design) error) error {
	text, err := setting(tx.DB, "schema")
	if err != nil {
		return err
	}
	have, err := strconv.Atoi(text)
	if err != nil || have < 1 {
		return fmt.Errorf("the database says that its tables are of version %q, which is none: use another database",
			text)
	}
	if have > SchemaVersion {
		return fmt.Errorf("the database's tables are of version %d and this program knows %d: use the program that "+
			"made them, or a newer one", have, SchemaVersion)
	}
	if have == SchemaVersion {
		return nil
	}
	if err := tx.readable(reads); err != nil {
		return err
	}
	for version := have; version < SchemaVersion; version++ {
		sql, err := migrations.ReadFile(fmt.Sprintf("migrations/%d.sql", version))
		if err != nil {
			return err
		}
		if err := tx.DB.Exec(string(sql)).Error; err != nil {
			return fmt.Errorf("bringing the tables from version %d to %d: %w", version, version+1, err)
		}
	}
	return tx.DB.Exec("UPDATE settings SET value = ? WHERE name = 'schema'", strconv.Itoa(SchemaVersion)).Error
}

// readable sees that the design in force can be read, whatever version the tables are of.
func (tx *Tx) readable(reads func(Design) error) error {
	var all []Design
	err := tx.DB.Raw("SELECT version, file, source FROM designs ORDER BY version DESC LIMIT 1").Scan(&all).Error
	if err != nil || len(all) == 0 {
		return err
	}
	return reads(all[0])
}

// Design is a version of the design as it was applied.
type Design struct {
	Version int
	Applied time.Time
	File    string
	Source  string
	Author  string
	Did     []byte // JSON, nil of the first
}

// FirstOfNothing is the highest of the numbers that stand for nothing stored: of
// names that have none yet, in what is only tried.
const FirstOfNothing = 32_767
