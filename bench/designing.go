package main

import (
	"fmt"
	"strings"
	"time"

	"yalvo/demo"
	"yalvo/internal/design/alternatives"
	"yalvo/internal/design/findings"
	"yalvo/internal/design/forecast"
	"yalvo/internal/design/language"
	"yalvo/internal/design/plan"
)

// designing: how long it takes to review a design; nobody has one written by hand to set beside it.
func (b *bench) designing() error {
	fmt.Printf("\nreviewing a design, the median of %d\n", reviews)
	for _, one := range []struct{ name, source string }{{"the demo's", string(demo.Design)},
		{"one of 200 collections", largeDesign(200)}} {
		if err := review(one.name, one.source); err != nil {
			return err
		}
	}
	return nil
}

// reviews are how often each is done.
const reviews = 9

func review(name, source string) error {
	d, err := language.Read("design.yaml", []byte(source))
	if err != nil {
		return err
	}
	p := plan.New(d, plan.Counted())
	fmt.Printf("  %s, %d lines, %d findings\n", name, strings.Count(source, "\n"), len(findings.Of(d)))
	for _, step := range []struct {
		what string
		do   func()
	}{
		{"read and checked", func() { _, _ = language.Read("design.yaml", []byte(source)) }},
		{"findings", func() { findings.Of(d) }},
		{"a forecast", func() { forecast.Make(p, d.Workload, forecast.Shipped, 1) }},
		{"what breaks first", func() { forecast.Breaks(p, d.Workload, forecast.Shipped, forecast.Usual) }},
		{"alternatives", func() { alternatives.Of(d, d.Workload, forecast.Shipped) }},
	} {
		var took []float64
		for range reviews {
			began := time.Now()
			step.do()
			took = append(took, time.Since(began).Seconds()*1000)
		}
		fmt.Printf("    %-40s %10.1f ms\n", step.what, median(took))
	}
	return nil
}

// largeDesign has so many collections: groups of four that are like an app each, about the same people.
func largeDesign(collections int) string {
	var in, pairs, timelines, lists, screens, rules, pairRules, timelineRules, listRules, documents, spread, opened,
		done strings.Builder
	for g := range (collections - 1 + 3) / 4 {
		n := func(text string) string { return strings.ReplaceAll(text, "#", fmt.Sprint(g)) }
		in.WriteString(n(`  posts#:
    fields:
      text: {type: string, max: 500}
      author: {type: reference, to: people, required: true, default: me, fixed: true, inverse: posts#,
        when_gone: remove}
    kept: {byline: {copy: author, fields: [name]}, likes: {count: like#.to}, notes_n: {count: notes#}}
  notes#:
    under: posts#
    fields:
      text: {type: string, max: 500}
      author: {type: reference, to: people, required: true, default: me, fixed: true, inverse: notes#,
        when_gone: remove}
    kept: {byline: {copy: author, fields: [name]}}
  places#: {fields: {name: {type: string, max: 80}}}
  visits#:
    fields:
      place: {type: reference, to: places#, required: true, fixed: true, inverse: visits#, when_gone: remove}
      who: {type: reference, to: people, required: true, default: me, fixed: true, inverse: visits#, when_gone: remove}
`))
		pairs.WriteString(n("  like#: {from: people, to: posts#, from_calls: liked#, to_calls: likers#}\n" +
			"  follow#: {from: people, to: people, from_calls: following#, to_calls: followers#}\n"))
		timelines.WriteString(n("  home#: {owner: people, entries: posts#, by: author, " +
			"through: follow#, length: 400}\n"))
		lists.WriteString(n("  page#: {entries: posts#, of: author}\n  remarks#: {entries: notes#, of: parent}\n"))
		screens.WriteString(n("  home#: {timeline: home#, marks: [liked#]}\n" +
			"  post#: {of: posts#, parts: {post: {document: of}, " +
			"notes: {list: remarks#}}}\n"))
		rules.WriteString(n("    posts#: {read: true, create: \"me != null && new.author == me\"}\n" +
			"    notes#: {read: true, create: \"me != null && new.author == me\"}\n"))
		pairRules.WriteString(n("    like#: {read: true, set: \"from == me\"}\n    follow#: {set: \"from == me\"}\n"))
		timelineRules.WriteString(n("    home#: {read: \"owner == me\"}\n"))
		listRules.WriteString(n("    remarks#: {read: true}\n"))
		documents.WriteString(n("posts#: 5000, notes#: 1000, places#: 50, visits#: 500, "))
		spread.WriteString(n("    follow#.to: {mean: 20, most: 900}\n    posts#.author: {mean: 5, most: 60}\n" +
			"    like#.to: {mean: 2, most: 300}\n"))
		opened.WriteString(n("home#: 5, post#: 2, "))
		done.WriteString(n("    posts#: {create: 0.5, edit: {text: 0.01}, remove: 0.01}\n    notes#: {create: 0.3}\n" +
			"    like#: {set: 2}\n    follow#: {set: 0.2}\n"))
	}
	return "yalvo: 1\napp: large\naccounts: people\ncollections:\n" +
		"  people: {fields: {name: {type: string, max: 60}}}\n" +
		in.String() + "pairs:\n" + pairs.String() + "timelines:\n" + timelines.String() + "lists:\n" + lists.String() +
		"screens:\n" + screens.String() + "access:\n  collections:\n    people: {read: true, edit: \"doc == me\"}\n" +
		rules.String() + "  pairs:\n" + pairRules.String() + "  timelines:\n" + timelineRules.String() +
		"  lists:\n" + listRules.String() +
		"workload:\n  accounts: 1000\n  documents: {" +
		strings.TrimSuffix(documents.String(), ", ") + "}\n  spread:\n" + spread.String() + "  opened: {" +
		strings.TrimSuffix(opened.String(), ", ") + "}\n  done:\n    people: {edit: {name: 0.01}}\n" + done.String()
}
