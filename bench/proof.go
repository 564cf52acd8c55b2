package main

import (
	"fmt"

	"yalvo/client"
)

// withdraw: the star's posts are taken away again, and a carried field of
// theirs is edited; beside the plain statements that do the same to the plain
// tables. It needs the posts of [bench.fanout].
func (b *bench) withdraw() error {
	const rounds = 7
	var service, statement, edited, updated []float64
	many := float64(*followers)
	for i := range rounds {
		seconds, err := b.timed(func() error {
			return b.sql(fmt.Sprintf(`DELETE FROM plain.entries e USING plain.follows f WHERE f.author = 1
				AND e.rule = 1 AND e.owner = f.follower AND e.rank = %d AND e.doc = %d`, 1000+i, i))
		})
		if err != nil {
			return err
		}
		statement = append(statement, many/seconds)
		seconds, err = b.timed(func() error {
			_, position, err := b.client.Remove(b.ctx, fmt.Sprintf("posts/star%d", i))
			return b.settled(position, err)
		})
		if err != nil {
			return err
		}
		service = append(service, many/seconds)
	}
	if err := b.sql(`ALTER TABLE plain.entries ADD COLUMN text text`); err != nil {
		return err
	}
	for i := range rounds {
		seconds, err := b.timed(func() error {
			return b.sql(fmt.Sprintf(`UPDATE plain.entries SET text = 'edited %d' WHERE rule = 1 AND doc = 9`, i))
		})
		if err != nil {
			return err
		}
		updated = append(updated, many/seconds)
		seconds, err = b.timed(func() error {
			_, position, err := b.client.Patch(b.ctx, "posts/star9", map[string]any{"text": fmt.Sprint("edited ", i)})
			return b.settled(position, err)
		})
		if err != nil {
			return err
		}
		edited = append(edited, many/seconds)
	}
	fmt.Printf("\ntaking it away from %d timelines, and editing a field they carry, entries/s (median of %d, in "+
		"turns)\n", *followers, rounds)
	line("one DELETE through the followers", median(statement), 0)
	line("Yalvo, from the request to the last timeline", median(service), median(statement))
	line("one UPDATE of the field in every copy", median(updated), 0)
	line("Yalvo: the field is joined when read, there are no copies", median(edited), median(updated))
	return nil
}

func (b *bench) settled(position client.Position, err error) error {
	if err != nil {
		return err
	}
	return b.client.After(position).Settle(b.ctx)
}

// audit: the timelines are audited, beside one query that joins all entries
// with what justifies them and finds those without a partner.
func (b *bench) audit() error {
	var many int64
	if err := b.db.QueryRow(b.ctx, "SELECT count(*) FROM entries").Scan(&many); err != nil {
		return err
	}
	antiJoin := `
		SELECT count(*) FROM entries e
		WHERE NOT EXISTS (SELECT 1 FROM pairs p WHERE p.b = e.author AND p.a = e.owner
			AND p.kind = (SELECT n FROM numbers WHERE kind = 'pair' AND name = 'follow'))
		  AND e.owner <> e.author OR NOT EXISTS (SELECT 1 FROM posted x WHERE x.timeline = e.timeline
			AND x.author = e.author AND x.rank = e.rank AND x.doc = e.doc)`
	query, err := b.timed(func() error { return b.sql(antiJoin) })
	if err != nil {
		return err
	}
	var a client.Audit
	service, err := b.timed(func() error {
		begun, err := b.client.BeginAudit(b.ctx, client.Scope{Duplicate: "home"})
		if err != nil {
			return err
		}
		a, err = b.client.AwaitAudit(b.ctx, begun.ID, nil)
		return err
	})
	if err != nil {
		return err
	}
	if a.State != "finished" || a.Drifted != 0 {
		return fmt.Errorf("the audit is %s with %d rows of drift: %s", a.State, a.Drifted, a.Error)
	}
	fmt.Printf("\nauditing %d entries, entries/s\n", many)
	line("one query: entries without a reason, one direction only", float64(many)/query, 0)
	line("Yalvo: both directions, in batches, resumable, due work excused", float64(many)/service, float64(many)/query)
	return nil
}
