package charts

import (
	"math"
	"strconv"
	"strings"

	"gonum.org/v1/plot"
)

func logarithmic(a *plot.Axis) {
	a.Scale, a.Tick.Marker = plot.LogScale{}, powers{}
}

// amounts labels an axis with numbers as people read them.
type amounts struct{}

func (amounts) Ticks(low, high float64) []plot.Tick { return labelled(low, high, short) }

// sizes labels an axis with bytes.
type sizes struct{}

func (sizes) Ticks(low, high float64) []plot.Tick {
	return labelled(low, high, func(x float64) string {
		number, unit, _ := strings.Cut(short(x), " ")
		return number + " " + unit + "B"
	})
}

// labelled are some four marks, evenly apart.
func labelled(low, high float64, label func(float64) string) []plot.Tick {
	rough := (high - low) / 4
	unit := math.Pow(10, math.Floor(math.Log10(rough)))
	step := 10 * unit
	for _, n := range []float64{1, 2, 5} {
		if n*unit >= rough {
			step = n * unit
			break
		}
	}
	var all []plot.Tick
	for k := math.Ceil(low / step); k*step <= high*(1+1e-9); k++ {
		all = append(all, plot.Tick{Value: k * step, Label: label(k * step)})
	}
	return all
}

// powers labels a logarithmic axis at the powers of ten.
type powers struct{}

func (powers) Ticks(low, high float64) []plot.Tick { return tens(low, high, short) }

// parts labels a logarithmic axis of shares.
type parts struct{}

func (parts) Ticks(low, high float64) []plot.Tick {
	return tens(low, high, func(x float64) string {
		return strconv.FormatFloat(math.Round(x*1e8)/1e6, 'f', -1, 64) + " %"
	})
}

func tens(low, high float64, label func(float64) string) []plot.Tick {
	var all []plot.Tick
	for k := math.Floor(math.Log10(low)); k <= math.Ceil(math.Log10(high)); k++ {
		x := math.Pow(10, k)
		if x >= low*(1-1e-9) && x <= high*(1+1e-9) {
			all = append(all, plot.Tick{Value: x, Label: label(x)})
		}
		for _, n := range []float64{2, 5} {
			if y := n * x; y >= low && y <= high {
				all = append(all, plot.Tick{Value: y})
			}
		}
	}
	return all
}

// short is a number in three digits and a unit.
func short(x float64) string {
	units := []string{"", " k", " M", " G", " T", " P"}
	i := 0
	for ; math.Abs(x) >= 999.5 && i < len(units)-1; i++ {
		x /= 1000
	}
	return strconv.FormatFloat(x, 'g', 3, 64) + units[i]
}
