package memory

import (
	"context"
	"time"

	"yalvo/internal/engine/store/readsql"
)

// moments tells how far what is remembered is known to be what there is. From moment to moment
// the database is asked what has been written since the one before. What was remembered then and
// is not among that holds at the new moment too; of what is, it is not known. A page asks the
// database for the moment alone, and for what was written since: what it shows is of that page's
// own moment.
type moments struct {
	last   readsql.Since
	first  readsql.Since // from which on nothing that was written has been missed
	few    bool          // so little was written lately that pages can ask for it
	asking bool          // somebody is asking for the next one
	next   time.Time     // when it is time for that
}

const (
	// everyMoment is how old a moment becomes while pages are read.
	everyMoment = 25 * time.Millisecond
	// momentsShare is the part of the time that may go on asking, one in so many.
	momentsShare = 20
	// longestRenewal is how long it may take to hear what was written.
	longestRenewal = 5 * time.Second
)

// is tells whether a moment is the last one.
func (m *moments) is(since readsql.Since) bool { return since == m.last && since != readsql.Since{} }

// reaches tells whether what was seen at a moment, and has not been written since the last one, is
// what there is.
func (m *moments) reaches(seen readsql.Since) bool { return seen.Covers(m.first) }

// Since is a moment since which it is known what was written: zero, if that is not of use. A page does not wait
// for the next one: whoever comes when it is time has it asked for.
func (m *Memory) Since(ctx context.Context) readsql.Since {
	last, use, ask := m.moment(time.Now())
	if ask {
		go m.renew(ctx, last)
	}
	if !use {
		return readsql.Since{}
	}
	return last
}

// moment is the last moment, whether it is of use, and whether it is time for whoever asks to have it renewed.
func (m *Memory) moment(now time.Time) (last readsql.Since, use, ask bool) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if !m.asking && now.After(m.next) {
		m.asking, ask = true, true
	}
	return m.last, m.few, ask
}

func (m *Memory) renew(ctx context.Context, last readsql.Since) {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), longestRenewal)
	defer cancel()
	began := time.Now()
	var news *readsql.Rewritten
	if got, err := m.written(ctx, last); err == nil { // pages meet what fails here themselves
		news = &got
	}
	m.take(news, time.Since(began))
}

// take takes in what was written since the last moment. If that could not be asked for, pages do without moments
// until it can be: what is remembered is still right at the last one.
func (m *Memory) take(news *readsql.Rewritten, took time.Duration) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.asking, m.few = false, news != nil && news.Few()
	m.next = time.Now().Add(max(everyMoment, momentsShare*took))
	if news == nil {
		return
	}
	m.last = news.Next
	if !news.All {
		m.first = news.Next
		return
	}
	for i, doc := range news.Docs {
		for t := range m.timelines {
			if r, is := m.things.Peek(Key{t, doc}); is && r.seen.Before(news.Xids[i]) {
				r.seen = readsql.Since{}
			}
		}
	}
}
