package versions

import (
	"sync"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// part is what a stretch does for some documents, all that there are of a collection
// in a span. It tells how much was written.
type part func(s step, span store.Span, docs []int64) (written int64, err error)

// overNext does something for the next stretch of documents, and tells whether it was
// the last. While no client wants anything two halves of it are done side by side.
func (s step) overNext(c *plan.Collection, do part) (last bool, err error) {
	span, docs, last, err := s.next(c)
	if err != nil {
		return false, err
	}
	var written int64
	if s.whole || len(docs) < 2*narrowest || s.keeper == nil || !s.keeper.mayHalve() {
		written, err = do(s, span, docs)
	} else {
		written, err = s.halves(span, docs, do)
	}
	s.build.Written += written
	return last, err
}

// halves does both halves of a stretch, each in a transaction of its own. The step's
// transaction keeps what both rely on, the step, the design in force and the lock on
// what is derived, and commits after them: if it does not, they are done again, which
// changes nothing.
//
// PostgreSQL does not see that the step waits for its halves. So these do not wait
// long for a lock: when one fails, for whatever reason, the stretch is done as one.
func (s step) halves(span store.Span, docs []int64, do part) (int64, error) {
	middle := len(docs) / 2
	at := docs[middle-1]
	apart := func(span store.Span, docs []int64) func() (int64, error) {
		return func() (int64, error) { return s.apart(span, docs, do) }
	}
	one := apart(store.Span{After: span.After, UpTo: at}, docs[:middle])
	two := apart(store.Span{After: at, UpTo: span.UpTo}, docs[middle:])
	written, halved, err := inHalves(one, two, func() (int64, error) { return do(s, span, docs) })
	if !halved {
		s.keeper.asOne = stretchesAsOne
	}
	return written, err
}

// inHalves does two halves side by side and, when both have ended and one of them has failed,
// the whole. It tells whether the halves were enough.
func inHalves(one, two, whole func() (int64, error)) (written int64, halved bool, err error) {
	var done [2]int64
	var failed [2]error
	var group sync.WaitGroup
	for i, half := range []func() (int64, error){one, two} {
		group.Go(func() { done[i], failed[i] = half() })
	}
	group.Wait()
	if failed[0] != nil || failed[1] != nil {
		written, err = whole()
		return written, false, err
	}
	return done[0] + done[1], true, nil
}

func (s step) apart(span store.Span, docs []int64, do part) (written int64, err error) {
	err = s.keeper.Store.Upkeep(s.ctx, func(tx *store.Tx) error {
		if err := tx.WaitBriefly(); err != nil {
			return err
		}
		s.tx = tx
		if written, err = do(s, span, docs); err != nil {
			return err
		}
		s.keeper.Wake(tx.Lanes()...)
		return nil
	})
	return written, err
}

// stretchesAsOne is how many stretches are not halved after a half has failed.
const stretchesAsOne = 5

func (k *Keeper) mayHalve() bool {
	if k.asOne > 0 {
		k.asOne--
		return false
	}
	return k.Store.Spare(connectionsApart)
}

// connectionsApart is how many connections a stretch in halves takes, with one for
// whoever else works for upkeep.
const connectionsApart = 4
