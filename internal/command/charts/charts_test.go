package charts_test

import (
	"bytes"
	"encoding/xml"
	"errors"
	"image/png"
	"io"
	"strings"
	"testing"

	"yalvo/demo"
	"yalvo/internal/command/charts"
	"yalvo/internal/design/forecast"
	"yalvo/internal/design/language"
	"yalvo/internal/design/plan"
)

func drawn(t *testing.T, source string, settings ...language.Setting) charts.Drawn {
	t.Helper()
	d, err := language.ReadWith("fen.yaml", []byte(source), settings)
	if err != nil {
		t.Fatal(err)
	}
	p := plan.New(d, plan.Counted())
	all := charts.Drawn{Title: "fen", Forecast: forecast.Make(p, d.Workload, forecast.Shipped, 1), Workload: d.Workload,
		Rates: forecast.Shipped, Growth: forecast.Grow(p, d.Workload, forecast.Shipped, forecast.Usual)}
	for _, timeline := range p.Timelines {
		all.Deliveries = append(all.Deliveries, forecast.DeliveryOf(p, d.Workload, forecast.Shipped, timeline))
	}
	return all
}

// texts are the texts of an SVG that is well-formed.
func texts(t *testing.T, d charts.Drawn) string {
	t.Helper()
	var out bytes.Buffer
	if err := charts.SVG(d, &out); err != nil {
		t.Fatal(err)
	}
	var all []string
	for decoder := xml.NewDecoder(&out); ; {
		token, err := decoder.Token()
		if errors.Is(err, io.EOF) {
			return strings.Join(all, "\n")
		}
		if err != nil {
			t.Fatal(err)
		}
		if text, is := token.(xml.CharData); is && strings.TrimSpace(string(text)) != "" {
			all = append(all, strings.TrimSpace(string(text)))
		}
	}
}

func TestTheDemoIsDrawn(t *testing.T) {
	d := drawn(t, string(demo.Design))
	got := texts(t, d)
	for _, want := range []string{"Where a day's processor time goes", "create sightings", "When it is used",
		"What is stored", "after a year",
		"How many of it one has today", "follow.to", "Written out or collected today: home",
		"What gives way as it grows", "100 %", "1 M", "MB"} {
		if !strings.Contains(got, want) {
			t.Errorf("%q is not in the picture:\n%s", want, got)
		}
	}
	var out bytes.Buffer
	if err := charts.PNG(d, &out); err != nil {
		t.Fatal(err)
	}
	picture, err := png.Decode(&out)
	if err != nil || picture.Bounds().Dx() != 1280 || picture.Bounds().Dy() != 800 {
		t.Errorf("%v, %v", picture.Bounds(), err)
	}
}

// What nobody has said anything of is left out, and what is not done at all breaks no chart.
func TestLittleIsDrawn(t *testing.T) {
	const fen = "yalvo: 1\napp: fen\naccounts: people\ncollections:\n" +
		"  people: {fields: {name: {type: string}}}\nworkload: {accounts: 3}\n"
	got := texts(t, drawn(t, fen))
	if !strings.Contains(got, "What is stored") || strings.Contains(got, "How many of it one has") ||
		strings.Contains(got, "collected") {
		t.Errorf("drawn is\n%s", got)
	}
	still := drawn(t, string(demo.Design), language.Setting{Path: "workload.opened", Value: "{home: 0}"},
		language.Setting{Path: "workload.done", Value: "{like: {set: 0}}"})
	if got = texts(t, still); strings.Contains(got, "NaN") || strings.Contains(got, "Inf") {
		t.Errorf("drawn is\n%s", got)
	}
}
