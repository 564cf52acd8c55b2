package engine

import (
	"encoding/json"
	"strings"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/plan"
	"yalvo/internal/store"
)

// choose works out summaries that are a choice among contributions. The kept
// rows are locked before the contributions are looked at.
func (t *turn) choose(due []store.Due) error {
	bySummary := map[plan.Number][]store.Due{}
	for _, d := range due {
		bySummary[d.Subject] = append(bySummary[d.Subject], d)
	}
	for n, rows := range bySummary {
		s := t.plan.SummaryNumbered(n)
		if s == nil {
			continue
		}
		owed := map[int64][]int64{}
		var docs []int64
		for i, d := range rows {
			rows[i].Rows = 1
			if owed[d.Doc] == nil {
				docs = append(docs, d.Doc)
			}
			owed[d.Doc] = append(owed[d.Doc], d.Change)
		}
		differed, err := rechoose(t.tx, s, docs)
		if err != nil {
			return err
		}
		for _, doc := range differed {
			if err := t.keptChanged(s.In, s.Name, []int64{doc}, owed[doc]...); err != nil {
				return err
			}
		}
	}
	var done []store.Due
	for _, rows := range bySummary {
		done = append(done, rows...)
	}
	return t.finish(done)
}

// rechoose writes a summary of some documents anew and returns those in which
// it differed.
func rechoose(tx *store.Tx, s *plan.Summary, docs []int64) ([]int64, error) {
	if err := tx.LockKept(docs); err != nil {
		return nil, err
	}
	values, err := chosen(tx, s, docs)
	if err != nil {
		return nil, err
	}
	return tx.SetKept(s.Name, values)
}

// chosen is the value of a summary in each of some documents.
func chosen(tx *store.Tx, s *plan.Summary, docs []int64) (map[int64]json.RawMessage, error) {
	rows, err := tx.Choose(s, docs)
	if err != nil {
		return nil, err
	}
	among := map[int64][]store.Chosen{}
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

// emptyOf is a summary of nothing.
func emptyOf(s *plan.Summary) json.RawMessage {
	switch s.Kind {
	case design.Count, design.Sum:
		return json.RawMessage("0")
	case design.Latest, design.Gather:
		return json.RawMessage("[]")
	}
	return json.RawMessage("null")
}

func choice(s *plan.Summary, rows []store.Chosen) (json.RawMessage, error) {
	if len(rows) == 0 {
		return emptyOf(s), nil
	}
	if s.Kind == design.Min || s.Kind == design.Max {
		if !s.Timed() {
			return json.RawMessage(rows[0].Value), nil
		}
		micros, err := json.Number(rows[0].Value).Int64()
		if err != nil {
			return nil, err
		}
		return json.Marshal(design.FormatTime(time.UnixMicro(micros)))
	}
	list := []any{}
	for _, row := range rows {
		switch {
		case row.Key == "": // gone: its contribution is about to go too
		case s.Kind == design.Gather:
			list = append(list, row.Key)
		default:
			item, err := shown(s, row)
			if err != nil {
				return nil, err
			}
			list = append(list, item)
		}
	}
	return json.Marshal(list)
}

// shown is an item of a latest: the source's id and path, and what is shown of it.
func shown(s *plan.Summary, row store.Chosen) (map[string]json.RawMessage, error) {
	item := map[string]json.RawMessage{}
	for name, text := range map[string]string{"id": row.Key[strings.LastIndexByte(row.Key, '/')+1:], "path": s.Sources.Path(row.Key)} {
		quoted, err := json.Marshal(text)
		if err != nil {
			return nil, err
		}
		item[name] = quoted
	}
	if err := pick(item, row.Fields, s.Fields); err != nil {
		return nil, err
	}
	return item, pick(item, row.Kept, s.KeptNames)
}

// reshow has a document shown anew wherever it contributes, a chunk at a time.
func (t *turn) reshow(d store.Due) error {
	targets, err := t.tx.TargetsOf(d.Subject, d.Doc, d.Cursor, copyChunk)
	if err != nil {
		return err
	}
	work := make([]plan.Work, len(targets))
	for i, target := range targets {
		work[i] = plan.Work{Step: plan.Choose, Subject: d.Subject, Doc: target}
	}
	if err := t.tx.AppendDue(d.Change, work); err != nil {
		return err
	}
	return t.finishOrContinue([]store.Due{d}, targets)
}
