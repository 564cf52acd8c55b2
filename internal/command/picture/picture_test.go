package picture

import (
	"bytes"
	"encoding/xml"
	"errors"
	"io"
	"strings"
	"testing"

	"yalvo/demo"
	"yalvo/internal/design/graph"
	"yalvo/internal/design/language"
)

// told are the texts of an SVG, which has to be sound.
func told(t *testing.T, svg []byte) map[string]bool {
	t.Helper()
	all := map[string]bool{}
	for from := xml.NewDecoder(bytes.NewReader(svg)); ; {
		token, err := from.Token()
		if errors.Is(err, io.EOF) {
			return all
		}
		if err != nil {
			t.Fatal(err)
		}
		if text, is := token.(xml.CharData); is {
			all[strings.TrimSpace(string(text))] = true
		}
	}
}

func TestAllThatADesignHasIsInThePicture(t *testing.T) {
	d, err := language.Read("fenwatch.yaml", demo.Design)
	if err != nil {
		t.Fatal(err)
	}
	g := graph.Of(d)
	var svg bytes.Buffer
	if err := SVG(g, &svg); err != nil {
		t.Fatal(err)
	}
	says := told(t, svg.Bytes())
	for _, thing := range g.Things {
		if !says[thing.Name] {
			t.Errorf("%s is not in the picture", thing.ID)
		}
		for _, m := range thing.Members {
			if !says[m.Name] {
				t.Errorf("%s is not in the picture", m.ID)
			}
		}
	}
	// a tie for each reference, each nesting, each end of a pair: 3 + 1 + 9; and views are fed
	if ties := strings.Count(svg.String(), `class="edge"`); ties < len(g.Ties)+11 {
		t.Errorf("%d lines, for %d ties and what feeds 11 screens", ties, len(g.Ties))
	}
}
