// Package charts draws a forecast as one picture of six charts: where processor time goes, when, what is stored, how
// relations are spread, how getting entries to their readers depends on a threshold, and what gives way as an app
// grows.
//
// In go a forecast and what it was made from; out comes an SVG or a PNG of 1280 by 800 points. Not done here: any
// working out (package forecast), and tables (the commands).
package charts

import (
	"fmt"
	"image/color"
	"io"
	"math"
	"slices"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/font"
	"gonum.org/v1/plot/plotter"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
	"gonum.org/v1/plot/vg/vgimg"
	"gonum.org/v1/plot/vg/vgsvg"

	"yalvo/internal/design"
	"yalvo/internal/design/forecast"
)

// Drawn is what a picture is made from.
type Drawn struct {
	Title      string
	Forecast   forecast.Forecast
	Workload   *design.Workload
	Rates      forecast.Rates
	Deliveries []forecast.Delivery // the first is drawn
	Growth     []forecast.Growth
}

// The size of a picture, and of its parts, in points.
const (
	width, height = 1280, 800
	head          = 44
	columns, rows = 3, 2
)

// letters are without feet, as in the console.
var letters = font.Font{Typeface: "Liberation", Variant: "Sans"}

// The colours: one accent, and what is beside it.
var (
	ink    = color.RGBA{0x24, 0x2b, 0x2a, 0xff}
	accent = color.RGBA{0x1d, 0x74, 0x68, 0xff}
	beside = color.RGBA{0x9a, 0xa8, 0xa5, 0xff}
)

// lines are how several lines are told apart: by colour and by dashes.
var lines = []draw.LineStyle{
	{Color: accent, Width: 2},
	{Color: ink, Width: 1.2, Dashes: []vg.Length{5, 3}},
	{Color: beside, Width: 2},
	{Color: accent, Width: 1.2, Dashes: []vg.Length{2, 2}},
	{Color: ink, Width: 1.2},
	{Color: beside, Width: 1.5, Dashes: []vg.Length{6, 2, 2, 2}},
}

// SVG and PNG write the picture.
func SVG(d Drawn, out io.Writer) error {
	c := vgsvg.New(width, height)
	if err := d.on(draw.New(c)); err != nil {
		return err
	}
	_, err := c.WriteTo(out)
	return err
}

// PNG is [SVG] in pixels, one for a point.
func PNG(d Drawn, out io.Writer) error {
	c := vgimg.NewWith(vgimg.UseWH(width, height), vgimg.UseDPI(72), vgimg.UseBackgroundColor(color.White))
	if err := d.on(draw.New(c)); err != nil {
		return err
	}
	_, err := vgimg.PngCanvas{Canvas: c}.WriteTo(out)
	return err
}

func (d Drawn) on(c draw.Canvas) error {
	style := draw.TextStyle{Color: ink, Font: font.From(letters, 17), Handler: plot.DefaultTextHandler,
		YAlign: draw.YTop}
	c.FillText(style, vg.Point{X: 24, Y: height - 16}, d.Title)
	charts := []func() (*plot.Plot, error){d.costs, d.hours, d.stored, d.spreads, d.delivery, d.growth}
	at := 0
	for _, chart := range charts {
		p, err := chart()
		if err != nil {
			return err
		}
		if p == nil {
			continue // nothing to draw
		}
		wide, high := vg.Length(width)/columns, vg.Length(height-head)/rows
		x, y := wide*vg.Length(at%columns), high*vg.Length(rows-1-at/columns)
		p.Draw(draw.Crop(c, x+16, x+wide-width-16, y+14, y+high-height-12))
		at++
	}
	return nil
}

// empty is a chart with nothing in it yet.
func empty(title, x, y string) *plot.Plot {
	p := plot.New()
	p.BackgroundColor = color.Transparent
	p.Title.Text, p.X.Label.Text, p.Y.Label.Text = title, x, y
	p.Title.TextStyle.Font, p.Title.TextStyle.Color, p.Title.Padding = font.From(letters, 13), ink, 8
	for _, a := range []*plot.Axis{&p.X, &p.Y} {
		a.Label.TextStyle.Font, a.Tick.Label.Font = font.From(letters, 10), font.From(letters, 9.5)
		a.Color, a.Tick.Color, a.Label.TextStyle.Color, a.Tick.Label.Color = beside, beside, ink, ink
		a.Padding = 4
	}
	p.Legend.TextStyle.Font, p.Legend.TextStyle.Color = font.From(letters, 9.5), ink
	p.Legend.ThumbnailWidth, p.Legend.Padding = 20, 3
	return p
}

// most is how many bars a chart has.
const most = 9

// bars are lines of names with a bar each, the longest on top.
func bars(p *plot.Plot, names []string, values []float64) (*plot.Plot, error) {
	names, values = names[:min(len(names), most)], values[:min(len(values), most)]
	if len(values) == 0 {
		return nil, nil
	}
	slices.Reverse(names)
	slices.Reverse(values)
	b, err := plotter.NewBarChart(plotter.Values(values), 14)
	if err != nil {
		return nil, err
	}
	b.Horizontal, b.Color, b.LineStyle.Width = true, accent, 0
	p.Add(b)
	p.NominalY(names...)
	p.X.Min, p.X.Max, p.X.Tick.Marker = 0, p.X.Max*1.06, amounts{}
	p.Y.Padding = 10
	return p, nil
}

func (d Drawn) costs() (*plot.Plot, error) {
	var names []string
	var values []float64
	for _, c := range d.Forecast.Costs(d.Rates) {
		if c.Seconds > 0 {
			names, values = append(names, c.Name), append(values, c.Seconds)
		}
	}
	return bars(empty("Where a day's processor time goes", "seconds of one core", ""), names, values)
}

func (d Drawn) hours() (*plot.Plot, error) {
	p := empty("When it is used", "hour of the day", "requests a second")
	shares := d.Workload.Hours
	if len(shares) == 0 {
		shares = slices.Repeat([]float64{1.0 / 24}, 24)
	}
	values := make(plotter.Values, len(shares))
	for i, share := range shares {
		values[i] = d.Forecast.Day.Requests * share / 3600
	}
	b, err := plotter.NewBarChart(values, 11)
	if err != nil {
		return nil, err
	}
	b.Color, b.LineStyle.Width, b.XMin = accent, 0, 0
	p.Add(b)
	p.Y.Min, p.Y.Tick.Marker = 0, amounts{}
	p.X.Tick.Marker = plot.ConstantTicks{{Value: 0, Label: "0"}, {Value: 6, Label: "6"}, {Value: 12, Label: "12"},
		{Value: 18, Label: "18"}, {Value: 23, Label: "23"}}
	return p, nil
}

func (d Drawn) stored() (*plot.Plot, error) {
	all := slices.Clone(d.Forecast.Stored)
	slices.SortStableFunc(all, func(a, b forecast.Stored) int {
		return int(math.Copysign(1, b.Year-a.Year))
	})
	all = slices.DeleteFunc(all, func(s forecast.Stored) bool { return s.Year <= 0 })
	all = all[:min(len(all), most)]
	if len(all) == 0 {
		return nil, nil
	}
	slices.Reverse(all)
	p := empty("What is stored", "bytes", "")
	var names []string
	var now, year plotter.Values
	for _, s := range all {
		names, now, year = append(names, s.Name), append(now, s.Bytes), append(year, s.Year)
	}
	for _, side := range []struct {
		name   string
		values plotter.Values
		fill   color.Color
		offset vg.Length
	}{{"now", now, beside, 4}, {"after a year", year, accent, -4}} {
		b, err := plotter.NewBarChart(side.values, 8)
		if err != nil {
			return nil, err
		}
		b.Horizontal, b.Color, b.LineStyle.Width, b.Offset = true, side.fill, 0, side.offset
		p.Add(b)
		p.Legend.Add(side.name, b)
	}
	p.NominalY(names...)
	p.X.Min, p.X.Max, p.X.Tick.Marker, p.Y.Padding = 0, p.X.Max*1.06, sizes{}, 10
	p.Legend.Top = false
	return p, nil
}

// spreads draws which share of all has so many at least, of relations that the workload tells of.
func (d Drawn) spreads() (*plot.Plot, error) {
	p := empty("How many of it one has today", "so many, or more", "share of all")
	names := widest(d.Workload)
	for i, name := range names {
		s := forecast.Of(d.Workload.Spreads[name])
		var points plotter.XYs
		for n := 1.0; n <= s.Most(); n = math.Max(n+1, n*1.2) {
			if share := s.Share(n); share > 1e-6 {
				points = append(points, plotter.XY{X: n, Y: share})
			}
		}
		if err := line(p, name, points, lines[i]); err != nil {
			return nil, err
		}
	}
	if len(names) == 0 {
		return nil, nil
	}
	logarithmic(&p.X)
	logarithmic(&p.Y)
	p.Y.Tick.Marker = parts{}
	p.Y.Max = 1
	p.Legend.Top, p.Legend.Left = false, true
	return p, nil
}

// widest are the relations of which one may have most.
func widest(w *design.Workload) []string {
	var names []string
	for name, s := range w.Spreads {
		if s.Most >= 2 && s.MeanOf() > 0 {
			names = append(names, name)
		}
	}
	slices.SortFunc(names, func(a, b string) int {
		if w.Spreads[a].Most != w.Spreads[b].Most {
			return int(math.Copysign(1, w.Spreads[b].Most-w.Spreads[a].Most))
		}
		return slices.Compare([]byte(a), []byte(b))
	})
	return names[:min(len(names), 5)]
}

func (d Drawn) delivery() (*plot.Plot, error) {
	if len(d.Deliveries) == 0 || len(d.Deliveries[0].Curve) < 2 {
		return nil, nil
	}
	of := d.Deliveries[0]
	p := empty("Written out or collected today: "+of.Timeline, "collected from those with more followers than",
		"seconds of one core a day")
	var push, pull, both plotter.XYs
	for _, point := range of.Curve {
		x := point.Above + 1
		push, pull = append(push, plotter.XY{X: x, Y: point.Push}), append(pull, plotter.XY{X: x, Y: point.Pull})
		both = append(both, plotter.XY{X: x, Y: point.Cost()})
	}
	for i, l := range []struct {
		name   string
		points plotter.XYs
	}{{"both", both}, {"written", push}, {"collected", pull}} {
		if err := line(p, l.name, l.points, lines[i]); err != nil {
			return nil, err
		}
	}
	logarithmic(&p.X)
	p.Y.Min, p.Y.Tick.Marker = 0, amounts{}
	p.Legend.Top = true
	return p, nil
}

// The least and the most that are drawn of something that has an end.
const least, beyond = 1e-4, 4.0

// growth draws how much is taken of each thing that has an end, by the number of accounts: at one it gives way.
func (d Drawn) growth() (*plot.Plot, error) {
	p := empty("What gives way as it grows", "accounts", "part of what there may be")
	for i, g := range d.Growth {
		var points plotter.XYs
		for k, accounts := range g.Accounts {
			if part := g.Is[k] / g.Most; part > least {
				points = append(points, plotter.XY{X: accounts, Y: math.Min(part, beyond)})
			}
			if g.Is[k] > beyond*g.Most {
				break // it has given way long before
			}
		}
		if err := line(p, shortly(g.What), points, lines[i%len(lines)]); err != nil {
			return nil, err
		}
	}
	if len(d.Growth) == 0 {
		return nil, nil
	}
	first := d.Growth[0].Accounts
	end, err := plotter.NewLine(plotter.XYs{{X: first[0], Y: 1}, {X: first[len(first)-1], Y: 1}})
	if err != nil {
		return nil, err
	}
	end.LineStyle = draw.LineStyle{Color: ink, Width: 0.7}
	p.Add(end)
	logarithmic(&p.X)
	logarithmic(&p.Y)
	p.Y.Min, p.Y.Max, p.Y.Tick.Marker = least, beyond, parts{}
	p.Legend.Top, p.Legend.Left = false, false
	return p, nil
}

// shortly is what something is called where there is little room.
func shortly(what string) string {
	for i, r := range what {
		if r == ',' {
			return what[:i]
		}
	}
	return what
}

func line(p *plot.Plot, name string, points plotter.XYs, style draw.LineStyle) error {
	if len(points) == 0 {
		return nil
	}
	l, err := plotter.NewLine(points)
	if err != nil {
		return fmt.Errorf("%s: %w", name, err)
	}
	l.LineStyle = style
	p.Add(l)
	p.Legend.Add(name, l)
	return nil
}
