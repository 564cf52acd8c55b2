package documents

import (
	"context"
	"encoding/json"
	"slices"
	"strings"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/design/access"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/judging"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store/readsql"
)

// Mark says how an account is paired with a document.
type Mark struct {
	Since time.Time       `json:"since"`
	Facts json.RawMessage `json:"facts,omitempty"` // the pair's own, if its kind has fields
}

// Marked are the marks of a document by their names: those by which the account is paired
// with it.
type Marked map[string]*Mark

// Markable are the documents of an answer, in their order: how an account is paired with them
// can be asked.
type Markable struct {
	Of    *plan.Collection // what they are
	Rows  []int64          // and which
	Keys  []string
	Marks []Marked // what was asked for with a page and came with it; else nil
}

// Marks tells how a viewer's account is paired with each of some documents: one statement,
// however many they are, and none if that has come with them.
func (r *Reader) Marks(ctx context.Context, who running.Viewer, names []string, docs Markable) ([]Marked, error) {
	if docs.Marks != nil {
		return docs.Marks, nil
	}
	v, err := r.Now(ctx)
	if err != nil {
		return nil, err
	}
	asked, err := MarksAsked(v.Plan, who, names, docs.Of)
	if err != nil {
		return nil, err
	}
	found, there, err := readsql.Marks(ctx, r.Store, asked, docs.Rows)
	if err == nil && !there {
		err = running.Refuse(running.CodeNotFound, "there is no account %s, whose marks are asked for",
			v.Plan.Collection(v.Plan.Design.Accounts.Name).Path(who.Me))
	}
	if err != nil {
		return nil, err
	}
	return r.ShowMarks(r.JudgeNow(ctx, v, who), who, asked.Marks, found, docs.Keys)
}

// ShowMarks are the marks of documents of some keys, as far as the viewer may read them.
func (r *Reader) ShowMarks(j *judging.Judge, who running.Viewer, marks []plan.Marking, found []readsql.Marked,
	keys []string) ([]Marked, error) {
	out := make([]Marked, len(keys))
	may, err := mayReadMarks(j, who.Me, marks, found, keys)
	if err != nil {
		return nil, err
	}
	for i, f := range found {
		if !may[i] {
			continue
		}
		m := &Mark{Since: f.At.UTC()}
		if len(marks[f.Mark].Pair.Fields) > 0 {
			m.Facts = f.Fields
		}
		if out[f.Doc] == nil {
			out[f.Doc] = Marked{}
		}
		out[f.Doc][marks[f.Mark].Name] = m
	}
	return out, nil
}

// mayReadMarks tells which of some pairs with documents of given keys an account may read.
func mayReadMarks(j *judging.Judge, me string, marks []plan.Marking, found []readsql.Marked,
	keys []string) ([]bool, error) {
	if j == nil {
		return slices.Repeat([]bool{true}, len(found)), nil
	}
	return judging.Allowed(j, found, func(f readsql.Marked) ([]access.Condition, error) {
		p := marks[f.Mark].Pair
		from, to := me, keys[f.Doc]
		if marks[f.Mark].Reversed {
			from, to = to, from
		}
		return pairRead(j, p, j.Law.Document(p.From.Collection, from, nil), j.Law.Document(p.To.Collection, to, nil),
			f.Fields)
	})
}

// MarksAsked are the marks of some names that a viewer asks for of documents of a collection.
func MarksAsked(p *plan.Plan, who running.Viewer, names []string, of *plan.Collection) (readsql.MarksAsked, error) {
	marks, err := marksNamed(p, names, of)
	if err != nil {
		return readsql.MarksAsked{}, err
	}
	return readsql.MarksAsked{Account: running.Address(p.Collection(p.Design.Accounts.Name), who.Me), Marks: marks}, nil
}

// marksNamed finds the marks of some names that documents of a collection can bear.
func marksNamed(p *plan.Plan, names []string, of *plan.Collection) ([]plan.Marking, error) {
	can := p.MarksOn(of)
	known := make([]string, len(can))
	for i, m := range can {
		known[i] = m.Name
	}
	var marks []plan.Marking
	for _, name := range names {
		at := slices.Index(known, name)
		if at < 0 {
			return nil, running.Refuse(running.CodeUnknownName, "an account cannot mark a document of %q as %q: %s",
				of.Name, design.Clip(name), knownMarks(known))
		}
		marks = append(marks, can[at])
	}
	return marks, nil
}

func knownMarks(known []string) string {
	if len(known) == 0 {
		return "no pair joins accounts with these"
	}
	return "known are " + strings.Join(known, ", ")
}
