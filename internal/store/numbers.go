package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
	"gorm.io/gorm"

	"yalvo/internal/design"
	"yalvo/internal/plan"
)

// Design is a version of the design as it was applied.
type Design struct {
	Version int
	Applied time.Time
	File    string
	Source  string
}

// CurrentDesign is the newest version, false if none was ever applied.
func (s *Store) CurrentDesign(ctx context.Context) (Design, bool, error) {
	return s.now(ctx).CurrentDesign()
}

// CurrentDesign is the same in a transaction.
func (tx *Tx) CurrentDesign() (Design, bool, error) {
	var d Design
	err := tx.db.Order("version DESC").Take(&d).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return d, false, nil
	}
	return d, err == nil, err
}

// DesignInForce is the newest version, and keeps it so until the transaction ends.
func (tx *Tx) DesignInForce() (int, error) {
	var version int
	err := tx.db.Raw("SELECT coalesce(max(version), 0) FROM designs").Scan(&version).Error
	return version, err
}

// AddDesign appends a version.
func (tx *Tx) AddDesign(file, source string) error {
	return tx.db.Exec(`
		INSERT INTO designs (version, file, source)
		SELECT coalesce(max(version), 0) + 1, ?, ? FROM designs`, file, source).Error
}

// LockDesign keeps everyone who reads which design is in force out until the
// transaction ends, and waits for those who have. All who write or do upkeep
// read it in their first statement: so no transaction is planned with one
// version and carried out beside another.
func (tx *Tx) LockDesign() error {
	return tx.db.Exec("LOCK TABLE designs IN ACCESS EXCLUSIVE MODE").Error
}

// HasDocuments tells whether any document was written yet.
func (tx *Tx) HasDocuments() (bool, error) {
	var has bool
	err := tx.db.Raw("SELECT EXISTS (SELECT 1 FROM documents)").Scan(&has).Error
	return has, err
}

// Plan makes the plan of a design with the numbers its names have in this
// database. Names met for the first time get new ones.
func (s *Store) Plan(ctx context.Context, d *design.Design) (*plan.Plan, error) {
	return s.now(ctx).Plan(d)
}

// ErrNumbers is why names get no numbers: too many were given out.
var ErrNumbers = errors.New("all numbers for names have been given out")

// Plan is the same in a transaction.
func (tx *Tx) Plan(d *design.Design) (*plan.Plan, error) {
	var kinds, names texts
	plan.New(d, func(kind, name string) plan.Number { // only to hear what needs a number
		kinds, names = append(kinds, kind), append(names, name)
		return plan.Number(len(names))
	})
	numbers, err := tx.numbers(kinds, names)
	if err != nil {
		return nil, fmt.Errorf("numbering the names of the design: %w", err)
	}
	return plan.New(d, func(kind, name string) plan.Number { return numbers[named{kind, name}] }), nil
}

type named struct{ kind, name string }

// numbers are those of names, each of a kind. Key: numbers (kind, name).
func (tx *Tx) numbers(kinds, names texts) (map[named]plan.Number, error) {
	err := tx.db.Exec(`
		INSERT INTO numbers (kind, name)
		SELECT x.kind, x.name FROM unnest(?::text[], ?::text[]) WITH ORDINALITY x(kind, name, nth)
		WHERE NOT EXISTS (SELECT FROM numbers WHERE kind = x.kind AND name = x.name)
		ORDER BY nth
		ON CONFLICT DO NOTHING`, kinds, names).Error
	var pg *pgconn.PgError
	if errors.As(err, &pg) && pg.Code == "2200H" { // sequence_generator_limit_exceeded
		return nil, ErrNumbers
	}
	if err != nil {
		return nil, err
	}
	var rows []struct {
		Kind, Name string
		N          plan.Number
	}
	err = tx.db.Raw(`
		SELECT kind, name, n FROM numbers JOIN unnest(?::text[], ?::text[]) x(kind, name) USING (kind, name)`, kinds,
		names).Scan(&rows).Error
	numbers := make(map[named]plan.Number, len(rows))
	for _, row := range rows {
		numbers[named{row.Kind, row.Name}] = row.N
	}
	return numbers, err
}
