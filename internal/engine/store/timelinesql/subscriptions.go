package timelinesql

import (
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
)

// Subscription is an owner and an author whose pair was set or unset.
type Subscription struct {
	Owner  int64
	Author int64
	Many   int // how many entries a follow would bring in
}

// subscriptionRows is the FROM item for subscriptions, for the columns r.
const subscriptionRows = `unnest(?::bigint[], ?::bigint[]) AS r (owner, author)`

func subscriptionArgs(subscriptions []Subscription) []any {
	owners, authors := make(store.Bigints, len(subscriptions)), make(store.Bigints, len(subscriptions))
	for i, r := range subscriptions {
		owners[i], authors[i] = r.Owner, r.Author
	}
	return []any{owners, authors}
}

// CountPosts counts the entries that each subscription would bring in. Key: posted.
func CountPosts(tx *store.Tx, t *plan.Timeline, subscriptions []Subscription) error {
	authors := map[int64]int{}
	var distinct store.Bigints
	for _, r := range subscriptions {
		if _, seen := authors[r.Author]; !seen {
			authors[r.Author] = 0
			distinct = append(distinct, r.Author)
		}
	}
	var rows []struct {
		Author int64
		Many   int
	}
	err := tx.DB.Raw(`
		SELECT w.author, n.many
		FROM unnest(?::bigint[]) AS w (author)
		CROSS JOIN LATERAL (SELECT count(*) AS many
			FROM (SELECT 1 FROM posted WHERE timeline = ? AND author = w.author LIMIT ?) p) n`,
		distinct, t.Number, t.Length).Scan(&rows).Error
	for _, r := range rows {
		authors[r.Author] = r.Many
	}
	for i := range subscriptions {
		subscriptions[i].Many = authors[subscriptions[i].Author]
	}
	return err
}

// related is the condition that the facts give an owner the entries of an
// author, for two columns: they are paired through the timeline's pair and no
// other pair exclusions it. Keys: pairs (kind, b, a).
func related(t *plan.Timeline, owner, author string) store.Statement {
	return store.SQL(`EXISTS (SELECT 1 FROM pairs tie WHERE tie.kind = ? AND tie.b = `+author+`
		AND tie.a = `+owner+store.AndTied(t, "tie")+`)`, t.Through.Number).And(NotKept(t, owner, author))
}

// NotKept is the condition that no pair keeps an author's entries from an owner.
func NotKept(t *plan.Timeline, owner, author string) store.Statement {
	all := store.SQL("true")
	for _, exclusion := range t.Exclusions {
		free := func(b, a string) store.Statement {
			return store.SQL(`NOT EXISTS (SELECT 1 FROM pairs exclusion WHERE exclusion.kind = ? AND exclusion.b = `+b+`
		AND exclusion.a = `+a+`)`, exclusion.Number)
		}
		if all = all.And(free(author, owner)); exclusion.EitherWay {
			all = all.And(free(owner, author))
		}
	}
	return all
}

// Entitled is the condition that the facts let an entry be stored: the same with
// the owner's own entries, if the timeline has them. Nothing is stored in a
// timeline that is collected when it is read.
func Entitled(t *plan.Timeline, owner, author string) store.Statement {
	if t.Deliver == "pull" {
		return store.SQL("false")
	}
	s := related(t, owner, author)
	if t.Own {
		s.SQL = `(` + s.SQL + ` OR ` + owner + ` = ` + author + `)`
	}
	return store.SQL("("+s.SQL+")", s.Args...)
}

// Pushed is the condition that an author's entries are written into timelines.
func Pushed(t *plan.Timeline, author string) store.Statement {
	return store.SQL(`NOT EXISTS (SELECT 1 FROM delivery_modes au WHERE au.timeline = ? AND au.author = `+author+`
		AND NOT au.pushing)`, t.Number)
}

// Stored is the condition that an author's entries are written into an owner's
// timeline: the owner's own always are, if the timeline has them.
func Stored(t *plan.Timeline, owner, author string) store.Statement {
	s := Pushed(t, author)
	if !t.Own {
		return s
	}
	return store.SQL("("+owner+" = "+author+" OR "+s.SQL+")", s.Args...)
}

// TakeOut removes the authors' entries from the timelines of owners who, as
// the facts stand, are not entitled to them. Who is entitled may have been out
// for a moment, while a post was withdrawn from all who were in: so what is not
// posted any more goes too. An owner's entries are few, they are all looked at.
// An entry that has just become another author's stays: the author is looked at
// once more when its row has been waited for. OFFSET 0 keeps the planner from
// joining the other way round, over everybody's entries; posted is asked by a
// scalar subquery, which cannot become a hash of
// the whole table. It returns which timelines lost how many.
// Keys: entries (timeline, owner, ...), posted.
func TakeOut(tx *store.Tx, t *plan.Timeline, subscriptions []Subscription) ([]Shortened, error) {
	may := Entitled(t, "r.owner", "r.author")
	args := append(may.Args, subscriptionArgs(subscriptions)...)
	return remove(tx, `
		DELETE FROM entries e
		USING (
			SELECT r.owner, r.author, x.rank, x.doc
			FROM (SELECT r.owner, r.author, `+may.SQL+` AS may FROM `+subscriptionRows+` OFFSET 0) r
			CROSS JOIN LATERAL (
				SELECT s.rank, s.doc FROM entries s
				WHERE s.timeline = ? AND s.owner = r.owner AND s.author = r.author
				  AND NOT (r.may AND (SELECT x.doc FROM posted x WHERE x.timeline = s.timeline AND x.author = s.author
					AND x.rank = s.rank AND x.doc = s.doc) IS NOT NULL)
				OFFSET 0
			) x
			ORDER BY r.owner, x.rank, x.doc
			OFFSET 0
		) w
		WHERE e.timeline = ? AND e.owner = w.owner AND e.rank = w.rank AND e.doc = w.doc AND e.author = w.author`,
		append(args, t.Number, t.Number)...)
}

// BringIn adds the authors' entries to the timelines of owners who, as the facts
// stand, are related to them; in a timeline that was cut, only those above the cut.
// The cuts must be locked. The authors had fewer posts than the timeline holds when
// they were counted. Posts are written without their lock: so that none is left out
// that nobody cuts off, there may be many more by now.
// Keys: pairs (kind, b, a), posted.
func BringIn(tx *store.Tx, t *plan.Timeline, subscriptions []Subscription) (int64, error) {
	if len(subscriptions) == 0 {
		return 0, nil
	}
	may := related(t, "r.owner", "r.author").And(Pushed(t, "r.author"))
	insert := `
		INSERT INTO entries (timeline, owner, rank, doc, author)
		SELECT ?::smallint, r.owner, x.rank, x.doc, r.author
		FROM ` + subscriptionRows + `
		CROSS JOIN LATERAL (
			SELECT rank, doc FROM posted
			WHERE timeline = ? AND author = r.author
			ORDER BY rank DESC, doc DESC
			LIMIT ?
		) x
		LEFT JOIN cuts f ON f.timeline = ? AND f.owner = r.owner
		WHERE (f.owner IS NULL OR (x.rank, x.doc) > (f.rank, f.doc)) AND ` + may.SQL
	args := append([]any{t.Number}, subscriptionArgs(subscriptions)...)
	args = append(args, t.Number, t.Length+postedMeanwhile, t.Number)
	args = append(args, may.Args...)
	return insertPlainly(tx, t, store.SQL(insert+inOrder, args...),
		store.SQL(insert+inOrder+" ON CONFLICT DO NOTHING", args...))
}

// postedMeanwhile is more than one author can post between two statements of a
// transaction.
const postedMeanwhile = 1000

// BringInNewest is [BringIn] for authors who have posted as much as the timeline
// holds, or more: it adds the newest, and raises the owners' cuts to what lies below.
// Both see the same posts: one that was added or removed in between would leave an
// entry neither brought in nor cut off.
func BringInNewest(tx *store.Tx, t *plan.Timeline, subscriptions []Subscription) (int64, error) {
	if len(subscriptions) == 0 {
		return 0, nil
	}
	may := related(t, "r.owner", "r.author").And(Pushed(t, "r.author"))
	insert := `
		WITH x AS MATERIALIZED (
			SELECT r.owner, r.author, p.rank, p.doc, p.place
			FROM ` + subscriptionRows + `
			CROSS JOIN LATERAL (
				SELECT rank, doc, row_number() OVER (ORDER BY rank DESC, doc DESC) AS place FROM posted
				WHERE timeline = ? AND author = r.author
				ORDER BY rank DESC, doc DESC
				LIMIT ?
			) p
			WHERE ` + may.SQL + `
		), cut AS (
			INSERT INTO cuts (timeline, owner, rank, doc, surplus)
			SELECT DISTINCT ON (owner) ?::smallint, owner, rank, doc, 0 FROM x WHERE place = ?
			ORDER BY owner, rank DESC, doc DESC
			ON CONFLICT (timeline, owner) DO UPDATE SET rank = excluded.rank, doc = excluded.doc, surplus = 0
			WHERE (excluded.rank, excluded.doc) > (cuts.rank, cuts.doc)
		)
		INSERT INTO entries (timeline, owner, rank, doc, author)
		SELECT ?::smallint, x.owner, x.rank, x.doc, x.author
		FROM x LEFT JOIN cuts f ON f.timeline = ? AND f.owner = x.owner
		WHERE x.place < ? AND (f.owner IS NULL OR (x.rank, x.doc) > (f.rank, f.doc))
		ORDER BY x.owner, x.rank, x.doc`
	args := append(subscriptionArgs(subscriptions), t.Number, t.Length+1)
	args = append(args, may.Args...)
	args = append(args, t.Number, t.Length+1, t.Number, t.Number, t.Length+1)
	return insertPlainly(tx, t, store.SQL(insert, args...), store.SQL(insert+" ON CONFLICT DO NOTHING", args...))
}
