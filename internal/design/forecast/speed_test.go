package forecast

import (
	"testing"

	"yalvo/demo"
	"yalvo/internal/design/language"
)

func BenchmarkForecastOfTheDemo(b *testing.B) {
	d, err := language.Read("fenwatch.yaml", demo.Design)
	if err != nil {
		b.Fatal(err)
	}
	p := planOf(d)
	for b.Loop() {
		Make(p, d.Workload, Shipped, 1)
	}
}

func BenchmarkBreaksOfTheDemo(b *testing.B) {
	d, err := language.Read("fenwatch.yaml", demo.Design)
	if err != nil {
		b.Fatal(err)
	}
	p := planOf(d)
	for b.Loop() {
		Breaks(p, d.Workload, Shipped, Usual)
	}
}
