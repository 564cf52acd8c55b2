package tests

import (
	"fmt"
	"strings"
	"sync"
	"testing"

	"yalvo/client"
	"yalvo/internal/engine/drafts"
)

// A draft is kept whatever stands in it, and nobody writes over what somebody else has kept meanwhile.
func TestDraftsAreKept(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	ctx := t.Context()
	same(t, "drafts", must(w.Drafts(ctx))(t), []client.Draft{})
	first := must(w.KeepDraft(ctx, client.Draft{Name: "cards", Base: -1, Source: ponds, Author: "mo"}))(t)
	same(t, "the edition", first.Edition, 1)
	same(t, "what it goes from", first.Base, 1)
	again := must(w.KeepDraft(ctx, client.Draft{Name: "cards", Base: -1, Source: ponds, Author: "mo"}))(t)
	same(t, "the edition of what was kept already", again.Edition, 1)

	unfinished := first
	unfinished.Source = "collections: {\n  <b>\"'"
	same(t, "the edition of one that cannot be read as a design", must(w.KeepDraft(ctx, unfinished))(t).Edition, 2)
	got := must(w.Draft(ctx, "cards"))(t)
	same(t, "its text", got.Source, unfinished.Source)
	same(t, "who kept it", got.Author, "mo")

	stale := first
	stale.Source, stale.Author = ponds+"# mine", "jo"
	_, err := w.KeepDraft(ctx, stale)
	refused(t, err, "stale", "by mo", "edition 2")
	_, err = w.KeepDraft(ctx, client.Draft{Name: "cards", Source: "other"})
	refused(t, err, "conflict", "choose another name")
	refused(t, w.DropDraft(ctx, "cards", 1), "stale", "edition 2")
	stale.Edition = 2
	same(t, "the edition of who has read it again", must(w.KeepDraft(ctx, stale))(t).Edition, 3)

	_, err = w.Draft(ctx, "nothing")
	refused(t, err, "not-found", "nothing")
	_, err = w.KeepDraft(ctx, client.Draft{Name: "none", Edition: 4, Source: "x"})
	refused(t, err, "not-found", "none")
	for name, says := range map[string]string{"Cards": "small letters", "a/b": "", "-": "small letters", strings.Repeat("a", 65): "64"} {
		if _, err := w.KeepDraft(ctx, client.Draft{Name: name, Source: "x"}); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", name, err)
		}
	}
	_, err = w.KeepDraft(ctx, client.Draft{Name: "binary", Source: "\x89PNG\x00\xff"})
	refused(t, err, "invalid", "UTF-8")
	_, err = w.KeepDraft(ctx, client.Draft{Name: "large", Source: strings.Repeat("x", 256<<10+1)})
	refused(t, err, "too-big", "262144")
	_, err = w.KeepDraft(ctx, client.Draft{Name: "later", Base: 7, Source: "x"})
	refused(t, err, "invalid", "no version 7")

	if err := w.DropDraft(ctx, "cards", 3); err != nil {
		t.Error(err)
	}
	same(t, "drafts", must(w.Drafts(ctx))(t), []client.Draft{})
}

// Of many who begin drafts at once, as many succeed as there may be.
func TestDraftsAreBounded(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	var group sync.WaitGroup
	for i := range 8 {
		group.Go(func() {
			for n := range drafts.Most/8 + 3 {
				_, err := w.KeepDraft(t.Context(), client.Draft{Name: fmt.Sprintf("d%d-%d", i, n), Source: "x"})
				if err != nil && !strings.Contains(err.Error(), "drop one first") {
					t.Error(err)
				}
			}
		})
	}
	group.Wait()
	same(t, "drafts", len(must(w.Drafts(t.Context()))(t)), drafts.Most)
}
