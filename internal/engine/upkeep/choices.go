package upkeep

import (
	"encoding/json"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/keptsql"
	"yalvo/internal/engine/store/queuesql"
)

// choose works out summaries that are a choice among contributions. The kept
// rows are locked before the contributions are looked at.
func (t *turn) choose(due []queuesql.Due) error {
	bySummary := map[plan.Number][]queuesql.Due{}
	for i := range due {
		due[i].Rows = 1
		bySummary[due[i].Subject] = append(bySummary[due[i].Subject], due[i])
	}
	for n, rows := range bySummary {
		if s := t.Plan.SummaryNumbered(n); s != nil { // nil: of a design that is no longer in force
			if err := t.chooseSummary(s, rows); err != nil {
				return err
			}
		}
	}
	return t.finish(due)
}

func (t *turn) chooseSummary(s *plan.Summary, rows []queuesql.Due) error {
	changes := map[int64][]int64{}
	var docs []int64
	for _, d := range rows {
		if changes[d.Doc] == nil {
			docs = append(docs, d.Doc)
		}
		changes[d.Doc] = append(changes[d.Doc], d.Change)
	}
	differed, err := Rechoose(t.Tx, s, docs)
	if err != nil {
		return err
	}
	t.rewrote(s.In, s.Name, int64(len(rows)), int64(len(differed)))
	for _, doc := range differed {
		if err := t.keptChanged(s.In, s.Name, []int64{doc}, changes[doc]...); err != nil {
			return err
		}
	}
	return nil
}

// Rechoose writes a summary of some documents anew and returns those in which
// it differed. Their kept rows must be locked.
func Rechoose(tx *store.Tx, s *plan.Summary, docs []int64) ([]int64, error) {
	values, err := Choices(tx, s, docs)
	if err != nil {
		return nil, err
	}
	return keptsql.SetKept(tx, s.Name, values)
}

// Choices is the value of a summary in each of some documents.
func Choices(tx *store.Tx, s *plan.Summary, docs []int64) (map[int64]json.RawMessage, error) {
	rows, err := keptsql.Choose(tx, s, docs)
	if err != nil {
		return nil, err
	}
	among := map[int64][]keptsql.Chosen{}
	for _, row := range rows {
		among[row.Target] = append(among[row.Target], row)
	}
	values := make(map[int64]json.RawMessage, len(docs))
	for _, doc := range docs {
		if values[doc], err = choice(s, among[doc]); err != nil {
			return nil, err
		}
	}
	return values, nil
}

func choice(s *plan.Summary, rows []keptsql.Chosen) (json.RawMessage, error) {
	if len(rows) == 0 {
		return s.Empty(), nil
	}
	if s.Kind == design.Min || s.Kind == design.Max {
		return extreme(s, rows[0].Value)
	}
	list := []any{}
	for _, row := range rows {
		switch {
		case row.Key == "": // gone: its contribution is about to go too
		case s.Kind == design.Gather:
			list = append(list, row.Key)
		default:
			item, err := running.Item(s, row.Key, row.Fields, row.Kept)
			if err != nil {
				return nil, err
			}
			list = append(list, item)
		}
	}
	return json.Marshal(list)
}

// extreme is a least or greatest value: a number, or a time.
func extreme(s *plan.Summary, value string) (json.RawMessage, error) {
	if !s.Timed() {
		return json.RawMessage(value), nil
	}
	micros, err := json.Number(value).Int64()
	if err != nil {
		return nil, err
	}
	return json.Marshal(design.FormatTime(time.UnixMicro(micros)))
}

// refresh has a source shown anew wherever it contributes, a chunk at a time.
func (t *turn) refresh(d queuesql.Due) error {
	targets, err := keptsql.TargetsOf(t.Tx, d.Subject, d.Doc, d.Cursor, copyChunk)
	if err != nil {
		return err
	}
	work := make([]plan.Work, len(targets))
	for i, target := range targets {
		work[i] = plan.ChooseIn(d.Subject, target)
	}
	if err := queuesql.AppendDue(t.Tx, d.Change, work); err != nil {
		return err
	}
	return t.finishOrContinue([]queuesql.Due{d}, targets)
}
