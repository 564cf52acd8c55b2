package versionsql

import (
	"context"
	"errors"
	"fmt"

	"github.com/jackc/pgx/v5/pgconn"
	"gorm.io/gorm"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// CurrentDesign is the same in a transaction.
func CurrentDesign(tx *store.Tx) (store.Design, bool, error) {
	var d store.Design
	err := tx.DB.Order("version DESC").Take(&d).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return d, false, nil
	}
	return d, err == nil, err
}

// DesignInForce is the newest version, and keeps it so until the transaction ends.
func DesignInForce(tx *store.Tx) (int, error) {
	var version int
	err := tx.DB.Raw("SELECT coalesce(max(version), 0) FROM designs").Scan(&version).Error
	return version, err
}

// Designs is the same in a transaction.
func Designs(tx *store.Tx, limit int) ([]store.Design, error) {
	var all []store.Design
	err := tx.DB.Order("version DESC").Limit(limit).Find(&all).Error
	return all, err
}

// DesignsAfter are a version and those after it, in their order.
func DesignsAfter(ctx context.Context, s *store.Store, version int) ([]store.Design, error) {
	var all []store.Design
	err := s.DB.WithContext(ctx).
		Raw("SELECT * FROM designs WHERE version >= ? ORDER BY version", version).Scan(&all).Error
	return all, err
}

// DesignNumbered is one version, false if there is none.
func DesignNumbered(ctx context.Context, s *store.Store, version int) (store.Design, bool, error) {
	var d store.Design
	got := s.DB.WithContext(ctx).Raw("SELECT * FROM designs WHERE version = ?", version).Scan(&d)
	return d, got.RowsAffected > 0, got.Error
}

// AddDesign appends a version and returns its number.
func AddDesign(tx *store.Tx, d store.Design) (int, error) {
	var did any
	if d.Did != nil {
		did = string(d.Did)
	}
	var version int
	err := tx.DB.Raw(`
		INSERT INTO designs (version, file, source, author, did)
		SELECT coalesce(max(version), 0) + 1, ?, ?, ?, ?::jsonb FROM designs
		RETURNING version`, d.File, d.Source, d.Author, did).Scan(&version).Error
	return version, err
}

// LockDesign keeps everyone who reads which design is in force out until the
// transaction ends, and waits for those who have. All who write or do upkeep
// read it in their first statement: so no transaction is planned with one
// version and carried out beside another.
func LockDesign(tx *store.Tx) error {
	return tx.DB.Exec("LOCK TABLE designs IN ACCESS EXCLUSIVE MODE").Error
}

// HasAny tells whether there is any document of a collection, or any pair of a kind,
// by its name. Indexes: documents (collection, key), pairs (kind, b, a).
func HasAny(tx *store.Tx, name string) (bool, error) {
	var has bool
	err := tx.DB.Raw(`
		SELECT EXISTS (
			SELECT FROM numbers n WHERE n.name = ? AND (
				n.kind = 'collection' AND EXISTS (SELECT FROM documents d WHERE d.collection = n.n)
				OR n.kind = 'pair' AND EXISTS (SELECT FROM pairs p WHERE p.kind = n.n)))`, name).Scan(&has).Error
	return has, err
}

// HasDocuments tells whether any document was written yet.
func HasDocuments(tx *store.Tx) (bool, error) {
	var has bool
	err := tx.DB.Raw("SELECT EXISTS (SELECT 1 FROM documents)").Scan(&has).Error
	return has, err
}

// ErrNumbers is why names get no numbers: too many were given out.
var ErrNumbers = errors.New("all numbers for names have been given out")

// Plan is the same in a transaction.
func Plan(tx *store.Tx, d *design.Design) (*plan.Plan, error) {
	var kinds, names store.Texts
	plan.New(d, func(kind, name string) plan.Number { // only to hear what needs a number
		kinds, names = append(kinds, kind), append(names, name)
		return plan.Number(len(names))
	})
	numbers, err := numbers(tx, kinds, names)
	if err != nil {
		return nil, fmt.Errorf("numbering the names of the design: %w", err)
	}
	p := plan.New(d, func(kind, name string) plan.Number { return numbers[Named{kind, name}] })
	return p, shapes(tx, p)
}

// shapes notes in which forms the facts of collections and pairs are written.
func shapes(tx *store.Tx, p *plan.Plan) error {
	var rows []struct{ N, Shape plan.Number }
	err := tx.DB.Raw("SELECT n, shape FROM numbers WHERE shape IS NOT NULL").Scan(&rows).Error
	for _, r := range rows {
		if c := p.CollectionNumbered(r.N); c != nil {
			c.Shape = int(r.Shape)
		}
		if pair := p.PairNumbered(r.N); pair != nil {
			pair.Shape = int(r.Shape)
		}
	}
	return err
}

// NextShape has the facts of a collection or pair be written in another form from
// now on.
func NextShape(tx *store.Tx, n plan.Number) error {
	return tx.DB.Exec("UPDATE numbers SET shape = coalesce(shape, 0) + 1 WHERE n = ?", n).Error
}

// Retire gives the number of a name up, so that the name gets another one, and
// returns it; 0 if it had none.
func Retire(tx *store.Tx, kind, name string) (plan.Number, error) {
	var n plan.Number
	err := tx.DB.Raw(`
		UPDATE numbers SET kind = 'retired', name = kind || ' ' || name || ' ' || n WHERE kind = ? AND name = ?
		RETURNING n`, kind, name).Scan(&n).Error
	return n, err
}

// Rename lets numbers go on under other names. Two names may change places.
func Rename(tx *store.Tx, kinds, from, to []string) error {
	err := tx.DB.Exec(`
		UPDATE numbers n SET kind = 'moving ' || n.kind, name = x.name
		FROM unnest(?::text[], ?::text[], ?::text[]) x (kind, was, name)
		WHERE n.kind = x.kind AND n.name = x.was`, store.Texts(kinds), store.Texts(from), store.Texts(to)).Error
	if err != nil {
		return err
	}
	return tx.DB.Exec("UPDATE numbers SET kind = substr(kind, 8) WHERE kind LIKE 'moving %'").Error
}

// Named is something that has a number.
type Named struct{ Kind, Name string }

// LookUp is the plan of a design with the numbers that its names have, without
// giving any out. was says under which name a thing's number is found, empty for
// those that would get another one.
func LookUp(tx *store.Tx, d *design.Design, was map[Named]string) (*plan.Plan, error) {
	var rows []struct {
		Kind, Name string
		N          plan.Number
	}
	if err := tx.DB.Raw("SELECT kind, name, n FROM numbers").Scan(&rows).Error; err != nil {
		return nil, err
	}
	have := make(map[Named]plan.Number, len(rows))
	for _, r := range rows {
		have[Named{r.Kind, r.Name}] = r.N
	}
	next := plan.Number(store.FirstOfNothing)
	p := plan.New(d, func(kind, name string) plan.Number {
		old, moved := was[Named{kind, name}]
		if !moved {
			old = name
		}
		if n := have[Named{kind, old}]; n != 0 {
			return n
		}
		next--
		return next
	})
	return p, shapes(tx, p)
}

// numbers are those of names, each of a kind. Key: numbers (kind, name).
func numbers(tx *store.Tx, kinds, names store.Texts) (map[Named]plan.Number, error) {
	err := tx.DB.Exec(`
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
	err = tx.DB.Raw(`
		SELECT kind, name, n FROM numbers JOIN unnest(?::text[], ?::text[]) x(kind, name) USING (kind, name)`, kinds,
		names).Scan(&rows).Error
	numbers := make(map[Named]plan.Number, len(rows))
	for _, row := range rows {
		numbers[Named{row.Kind, row.Name}] = row.N
	}
	return numbers, err
}
