package tests

import (
	"os"
	"regexp"
	"strings"
	"testing"
)

// The walk of docs/designing.md gives what it says, with the rates that are shipped.
func TestTheWalkOfDesigningGivesItsNumbers(t *testing.T) {
	t.Setenv("XDG_CONFIG_HOME", t.TempDir())
	doc := string(must(os.ReadFile("../docs/designing.md"))(t))
	t.Chdir(t.TempDir())
	w := start(t, "")
	spaces := regexp.MustCompile(`\s+`)
	plain := func(text string) string { return spaces.ReplaceAllString(strings.TrimSpace(text), " ") }
	blocks := regexp.MustCompile("(?s)```\n\\$ yalvo (.*?)\n(.*?)```").FindAllStringSubmatch(doc, -1)
	if len(blocks) < 6 {
		t.Fatalf("the walk has %d steps", len(blocks))
	}
	for _, block := range blocks {
		got := w.yalvo(strings.Fields(block[1])...)
		if got.code != 0 {
			t.Fatalf("%s: %s", block[1], got.err)
		}
		for _, line := range strings.Split(strings.TrimSpace(block[2]), "\n") {
			if !strings.Contains(plain(got.out), plain(line)) {
				t.Errorf("%s does not say %q but\n%s", block[1], line, got.out)
			}
		}
	}
}
