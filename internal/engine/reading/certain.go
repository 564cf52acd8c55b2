package reading

import (
	"context"
	"time"

	"yalvo/internal/engine/store/readsql"
)

// certain tells how far what is remembered is known to be what there is. From moment to moment
// the database is asked what has been written since the one before. What was remembered then and
// is not among that holds at the new moment too; of what is, it is not known. A page asks the
// database for the moment alone, and for what was written since: what it shows is of that page's
// own moment.
type certain struct {
	since  readsql.Since // the last moment
	first  readsql.Since // from which on nothing that was written has been missed
	few    bool          // so little was written lately that it can be asked for
	asking bool
	next   time.Time // the database is asked again
}

const (
	// certainFor is how old a moment becomes while pages are read.
	certainFor = 25 * time.Millisecond
	// certainShare is the part of the time that may go on asking, one in so many.
	certainShare = 20
)

// holds tells whether a moment is the last one.
func (c *certain) holds(since readsql.Since) bool {
	return since == c.since && since != readsql.Since{}
}

// knows tells whether what was seen at a moment, and has not been written since the last one, is
// what there is.
func (c *certain) knows(seen readsql.Since) bool { return seen.Covers(c.first) }

// since is a moment since which it is known what was written: zero, if that is not of use. A page does not wait
// for the next one.
func (r *Reader) since(ctx context.Context) readsql.Since {
	last, use, ask := r.shown.moment(time.Now())
	if ask {
		go r.renew(ctx, last)
	}
	if !use {
		return readsql.Since{}
	}
	return last
}

// longestRenewal is how long it may take to hear what was written.
const longestRenewal = 5 * time.Second

func (r *Reader) renew(ctx context.Context, last readsql.Since) {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), longestRenewal)
	defer cancel()
	began := time.Now()
	news, err := readsql.RewrittenSince(ctx, r.Store, last)
	r.shown.renew(news, err == nil, time.Since(began)) // pages meet what has failed here themselves
}

// moment is the last moment, whether it is of use, and whether it is time for whoever asks to
// renew it.
func (s *shown) moment(now time.Time) (last readsql.Since, use, ask bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	c := &s.certain
	if !c.asking && now.After(c.next) {
		c.asking, ask = true, true
	}
	return c.since, c.few, ask
}

// renew takes in what was written since the last moment. If that is not known, nothing that is
// remembered is certain any more.
func (s *shown) renew(news readsql.Rewritten, asked bool, took time.Duration) {
	s.mu.Lock()
	defer s.mu.Unlock()
	c := &s.certain
	c.asking, c.few = false, asked && news.Few()
	c.next = time.Now().Add(max(certainFor, certainShare*took))
	if asked {
		s.take(news)
	}
}

func (s *shown) take(news readsql.Rewritten) {
	c := &s.certain
	c.since = news.Next
	if !news.All {
		c.first = news.Next
		return
	}
	for i, doc := range news.Docs {
		for t := range s.timelines {
			if r, is := s.known.Peek(shownKey{t, doc}); is && r.seen.Before(news.Xids[i]) {
				r.seen = readsql.Since{}
			}
		}
	}
}
