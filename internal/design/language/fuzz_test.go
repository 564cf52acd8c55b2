package language_test

import (
	"testing"

	"yalvo/demo"
	"yalvo/internal/design"
	"yalvo/internal/design/language"
	"yalvo/tests/bounds"
)

// Whatever the file holds, reading it ends soon, in little memory, with a design
// or with a few problems.
func FuzzRead(f *testing.F) {
	f.Add(demo.Design)
	f.Add([]byte(base))
	f.Fuzz(func(t *testing.T, source []byte) {
		bounds.Hold(t, func() {
			_, err := language.Read("fuzz.yaml", source)
			if problems, is := err.(design.Problems); is && len(problems) > language.MaxProblems+1 {
				t.Errorf("%d problems are told", len(problems))
			}
		})
	})
}
