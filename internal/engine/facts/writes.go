package facts

import (
	"context"
	"encoding/json"
	"errors"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/album"
	"yalvo/internal/engine/gathering"
	"yalvo/internal/engine/judging"
	"yalvo/internal/engine/metering"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
)

// Writer writes facts for clients.
type Writer struct {
	*judging.Judges
	album *album.Album
	pairs gathering.Batcher[factsql.PairWrite, *factsql.PairWritten]
}

// New makes a writer for an app, whose documents may refer to the pictures of an album.
func New(judges *judging.Judges, pictures *album.Album) *Writer {
	w := &Writer{Judges: judges, album: pictures}
	w.pairs.Log = judges.Log
	return w
}

// Unit is one transaction that writes facts, planned with one version of the
// design.
type Unit struct {
	*running.Version
	Tx *store.Tx

	who   running.Viewer  // the client whose own write it is; nobody's rules hold for what follows from it
	first []store.Address // to be locked before the edited document
	again bool            // the unit can be given up and run again with others in first

	app     *judging.Judges
	recalls bool // what rules were told lately may decide: nothing was written in this transaction before
	afresh  bool // it was tried by that, which has changed

	album *album.Album
	Tally *metering.Tally // what it writes

	// How a pair is set together with those of others, in a write that is one statement; nil: alone.
	gather func(*store.Tx, factsql.PairWrite) (factsql.PairWritten, error)
}

// outOfOrder gives a unit up that has locked a document and now has to lock some
// with lower numbers: it is run again and locks these first. Everybody locks in
// ascending order, so nobody waits in a circle.
type outOfOrder struct{ first []store.Address }

// Error says so.
func (outOfOrder) Error() string { return "documents must be locked in ascending order" }

// Result is what a write came to.
type Result struct {
	Document running.Document `json:"document"` // as it is now; of a removal, as it was
	Position running.Position `json:"position"`
	Fresh    bool             `json:"fresh"` // something was written; false: it was so already
	Read     int              `json:"read"`  // documents read
	Wrote    int              `json:"wrote"` // documents and pairs written

	All []Result `json:"all,omitempty"` // of a batch: one for each write
}

// Write runs a write in one transaction and wakes the lanes that got work. A
// request that repeats an Idempotency-Key gets the first one's result and
// writes nothing.
func (w *Writer) Write(ctx context.Context, caller running.Caller, run func(Unit) (Result, error)) (Result, error) {
	return w.write(ctx, caller, nil, run)
}

// write is [Writer.Write] for a write that, if plain says so of the version of
// the design, is one statement: then it needs no transaction around it.
func (w *Writer) write(ctx context.Context, caller running.Caller, plain func(*running.Version) bool,
	run func(Unit) (Result, error)) (Result, error) {
	for afresh := false; ; {
		v, err := w.Now(ctx)
		if err != nil {
			return Result{}, err
		}
		begin := w.Store.Write
		unit := Unit{Version: v, who: caller.Viewer, again: true, app: w.Judges, afresh: afresh, album: w.album}
		if caller.Key == "" && plain != nil && plain(v) {
			begin, unit.recalls = w.Store.Direct, true
			unit.gather = func(tx *store.Tx, write factsql.PairWrite) (factsql.PairWritten, error) {
				return w.setTogether(ctx, tx, write)
			}
		}
		result, lanes, err := attempt(ctx, begin, unit, caller, run)
		if errors.Is(err, errStale) {
			afresh = true
			continue
		}
		if errors.Is(err, running.ErrMoved) {
			if err := w.Reload(ctx); err != nil {
				return Result{}, err
			}
			continue
		}
		if err == nil {
			w.Wake(lanes...)
			if given, err := result.Position.Exactly(); err == nil { // not of one that was so already
				w.Gave(given)
			}
		}
		return result, err
	}
}

type begin func(context.Context, func(*store.Tx) error) error

func attempt(ctx context.Context, begin begin, unit Unit, caller running.Caller,
	run func(Unit) (Result, error)) (Result, []plan.Lane, error) {
	var result Result
	var lanes []plan.Lane
	var tally *metering.Tally
	once := func(tx *store.Tx) error {
		tally = nil
		earlier, found, err := repeated(tx, caller)
		if err != nil || found {
			result = earlier
			return err
		}
		tally = &metering.Tally{}
		unit.Tx, unit.Tally = tx, tally
		if result, err = run(unit); err != nil {
			return err
		}
		lanes = tx.Lanes()
		return keepAnswer(tx, caller, result)
	}
	for {
		err := begin(ctx, once)
		var order outOfOrder
		if !errors.As(err, &order) {
			if err == nil {
				unit.app.Meter.Heard(tally)
			}
			return result, lanes, err
		}
		unit.first = order.first
	}
}

func repeated(tx *store.Tx, caller running.Caller) (Result, bool, error) {
	if caller.Key == "" {
		return Result{}, false, nil
	}
	request, answer, found, err := factsql.Answered(tx, caller.Owner(), caller.Key, caller.Request)
	if err != nil || !found {
		return Result{}, false, err
	}
	if string(request) != string(caller.Request) {
		return Result{}, false, running.Refuse(running.CodeReused,
			"the Idempotency-Key %q was used for another request: use a new key for a new request", caller.Key)
	}
	var earlier Result
	err = json.Unmarshal(answer, &earlier)
	return earlier, true, err
}

func keepAnswer(tx *store.Tx, caller running.Caller, result Result) error {
	if caller.Key == "" {
		return nil
	}
	answer, err := json.Marshal(result)
	if err != nil {
		return err
	}
	return factsql.KeepAnswer(tx, caller.Owner(), caller.Key, answer)
}

// unchanged is the result of a write that found everything as it was to be. The
// change that made it so may be still settling, so a reader waits for that: the
// newest in the history of what was found, or all if that is not known.
func (u Unit) unchanged(history []factsql.Record, result Result) (Result, error) {
	if len(history) > 0 {
		result.Position = running.MadeSoAt(history[0].Root())
		return result, nil
	}
	last, err := factsql.LastPosition(u.Tx)
	result.Position = running.UpTo(last)
	return result, err
}
