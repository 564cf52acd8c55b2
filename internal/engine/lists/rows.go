package lists

import (
	"context"

	"yalvo/internal/engine/memory"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/listsql"
	"yalvo/internal/engine/store/readsql"
	"yalvo/internal/engine/store/rulesql"
	"yalvo/internal/engine/store/timelinesql"
)

// rows are rows of a list.
func (in *listing) rows(page listsql.ListPage) ([]listsql.Listed, error) {
	who := memory.Look{At: in.l.Name, Me: in.who.Me, Owner: page.Of.N}
	rows, err := memory.Sparing(in.pairs, who, func(many rulesql.Pairings) ([]listsql.Listed, error) {
		page.InMany = many
		return in.remembering(page)
	})
	if len(rows) > 0 && rows[0].Reader != nil {
		in.rules.Knows(page.Partners, *rows[0].Reader)
	}
	return rows, err
}

// remembering reads rows of a list with the documents that are remembered: of these the
// database tells the versions alone. If one is written between that and the reading of what
// is not known, it would be of another moment than the list, and all is read at once.
func (in *listing) remembering(page listsql.ListPage) ([]listsql.Listed, error) {
	page.Bare = true
	q, err := page.Query()
	if err != nil {
		return nil, err
	}
	rows, err := in.together.Ask(in.ctx, q.Alike(), q, in.listed, in.listedTogether)
	if err != nil {
		return nil, err
	}
	now := in.Era(in.v)
	unknown := in.remembered(now, rows)
	covered, err := in.fetch(now, rows, unknown)
	if err != nil {
		return nil, err
	}
	if covered < 0 {
		page.Bare = false
		if q, err = page.Query(); err != nil {
			return nil, err
		}
		return listsql.List(in.ctx, in.Store, q)
	}
	return upToAPage(rows[:covered]), nil
}

// remembered puts in the documents of some rows that are known, and returns the places of the others.
func (in *listing) remembered(now running.Era, rows []listsql.Listed) (unknown []int) {
	asked := make([]memory.Asked, len(rows))
	for i := range rows {
		asked[i] = memory.Asked{Key: memory.Key{Doc: rows[i].N}, Versions: rows[i].Versions}
	}
	for i, what := range in.memory.Known(now, readsql.Since{}, asked) {
		if known, is := what.(store.Document); is {
			rows[i].Document = known
		} else {
			unknown = append(unknown, i)
		}
	}
	return unknown
}

// fetch reads the documents of some rows that are not known, and tells how many of the rows
// have theirs then: not all if they are large, and -1 if one has been written meanwhile.
func (in *listing) fetch(now running.Era, rows []listsql.Listed, unknown []int) (int, error) {
	if len(unknown) == 0 {
		return len(rows), nil
	}
	docs := make([]int64, len(unknown))
	for i, at := range unknown {
		docs[i] = rows[at].N
	}
	found, all, err := timelinesql.Shown(in.ctx, in.Store, docs)
	if err != nil {
		return 0, err
	}
	if all && len(found) < len(docs) {
		return -1, nil
	}
	for i, e := range found {
		row := &rows[unknown[i]]
		if row.N != e.Doc || row.Versions != e.Versions {
			return -1, nil
		}
		row.Document = e.Stored()
		row.Collection = in.l.Entries.Number
		in.memory.Learn(now, memory.Learned{Key: memory.Key{Doc: e.Doc}, Versions: e.Versions, Seen: e.Seen,
			What: row.Document, Size: memory.Around + len(e.Key) + row.Document.Size()})
	}
	if !all {
		return unknown[len(found)-1] + 1, nil
	}
	return len(rows), nil
}

// upToAPage are as many of some rows as make a page by their bytes: see [store.PageBytes].
func upToAPage(rows []listsql.Listed) []listsql.Listed {
	bytes := 0
	for i, row := range rows {
		if bytes >= store.PageBytes {
			return rows[:i]
		}
		bytes += row.Document.Size()
	}
	return rows
}

func (in *listing) listed(ctx context.Context, q *listsql.ListQuery) ([]listsql.Listed, error) {
	return listsql.List(ctx, in.Store, q)
}

func (in *listing) listedTogether(ctx context.Context, readers []*listsql.ListQuery) ([][]listsql.Listed, error) {
	return listsql.ListTogether(ctx, in.Store, readers)
}
