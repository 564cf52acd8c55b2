package demo

import (
	"math"
	"math/rand/v2"
	"slices"
	"time"
)

// hours are how much goes on in each hour of a day among birders: they are out early,
// and write in the evening.
var hours = [24]int{1, 0, 0, 0, 2, 6, 10, 12, 10, 7, 5, 4, 4, 4, 4, 5, 6, 8, 10, 12, 12, 9, 5, 2}

// calendar gives moments of the year before a day.
type calendar struct {
	*rand.Rand
	end   time.Time
	table []int // hours, each as often as it has weight
}

// newCalendar makes one for the year that ends with the day before a moment.
func newCalendar(seed uint64, now time.Time) *calendar {
	c := &calendar{Rand: rand.New(rand.NewPCG(seed, 21)), end: now.UTC().Truncate(24 * time.Hour)}
	for hour, weight := range hours {
		for range weight {
			c.table = append(c.table, hour)
		}
	}
	return c
}

const year = 365

// moment is at a plausible hour of some day after another moment, late days more often
// than early ones.
func (c *calendar) moment(after time.Time) time.Time {
	first := max(0, int(math.Ceil(after.Sub(c.end.AddDate(0, 0, -year)).Hours()/24)))
	if first >= year {
		return after.Add(time.Duration(1+c.IntN(120)) * time.Second)
	}
	day := first + int(float64(year-first)*math.Sqrt(c.Float64()))
	at := c.end.AddDate(0, 0, min(day, year-1)-year)
	hour := time.Duration(c.table[c.IntN(len(c.table))]) * time.Hour
	return at.Add(hour + time.Duration(c.IntN(3600_000))*time.Millisecond)
}

// soon is some hours after a moment, most often few, and not after the year.
func (c *calendar) soon(after time.Time) time.Time {
	at := after.Add(time.Duration(math.Pow(c.Float64(), 4)*14*24*float64(time.Hour)) + time.Second)
	if !at.Before(c.end) {
		at = after.Add(c.end.Sub(after) / 2)
	}
	return at
}

// moments are many, in their order.
func (c *calendar) moments(many int, after time.Time) []time.Time {
	all := make([]time.Time, many)
	for i := range all {
		all[i] = c.moment(after)
	}
	slices.SortFunc(all, time.Time.Compare)
	return all
}
