package store

import (
	"context"
	"errors"
	"time"

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
	return (&Tx{s.db.WithContext(ctx)}).CurrentDesign()
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

// AddDesign appends a version.
func (tx *Tx) AddDesign(file, source string) error {
	return tx.db.Exec(`
		INSERT INTO designs (version, file, source)
		SELECT coalesce(max(version), 0) + 1, ?, ? FROM designs`, file, source).Error
}

// LockDesign keeps two appliers apart, and writers of documents out, until the
// transaction ends.
func (tx *Tx) LockDesign() error {
	return tx.db.Exec("LOCK TABLE designs, documents IN EXCLUSIVE MODE").Error
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
	var failed error
	p := plan.New(d, func(kind, name string) plan.Number {
		n, err := s.number(ctx, kind, name)
		failed = errors.Join(failed, err)
		return n
	})
	return p, failed
}

func (s *Store) number(ctx context.Context, kind, name string) (plan.Number, error) {
	var n int16
	db := s.db.WithContext(ctx)
	find := func() error {
		return db.Raw("SELECT n FROM numbers WHERE kind = ? AND name = ?", kind, name).Scan(&n).Error
	}
	if err := find(); err != nil || n != 0 {
		return plan.Number(n), err
	}
	if err := db.Exec("INSERT INTO numbers (kind, name) VALUES (?, ?) ON CONFLICT DO NOTHING", kind, name).Error; err != nil {
		return 0, err
	}
	err := find()
	return plan.Number(n), err
}
