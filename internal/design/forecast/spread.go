package forecast

import (
	"math"
	"sort"

	"yalvo/internal/design"
)

// Spread is how many of something each of many has, in the order of how many.
type Spread struct {
	bands []band
	most  float64
}

// band is a part of all that have about so many; square is the mean of the squares within it.
type band struct{ many, square, part float64 }

// Of is the spread that somebody states. With a mean and the most that one has it is a power law, cut off there: that
// one has n is as likely as (n+1) to some power, which is chosen so that the mean is as stated. Most have few and few
// have many: so followers, likes and posts have been found to be spread (Newman, Power laws, Pareto distributions and
// Zipf's law, Contemporary Physics 46, 2005).
func Of(s design.Spread) Spread {
	if len(s.Shares) > 0 {
		out := Spread{most: s.Most}
		for _, share := range s.Shares {
			out.bands = append(out.bands, band{share.Many, share.Many * share.Many, share.Part})
		}
		return out
	}
	return powerLaw(s.Mean, s.Most)
}

// Each is the spread of who have all the same.
func Each(many float64) Spread { return Spread{[]band{{many, many * many, 1}}, many} }

// powerLaw finds the exponent: the mean falls as it grows. From -200, where nearly all have nearly the most, to 40,
// where nearly all have none.
func powerLaw(mean, most float64) Spread {
	if mean <= 0 {
		return Each(0)
	}
	if mean >= most {
		return Each(most)
	}
	edges := edgesTo(most)
	low, high := -200.0, 40.0
	for range 60 {
		middle := (low + high) / 2
		is := lawWith(middle, most, edges).Mean()
		if math.Abs(is-mean) < 1e-6*mean {
			low, high = middle, middle
			break
		}
		if is > mean {
			low = middle
		} else {
			high = middle
		}
	}
	return lawWith((low+high)/2, most, edges)
}

// exactly is up to how many each number has a band of its own; from then on a band is an eighth wide.
const exactly = 24

// edgesTo are the first numbers of the bands behind those, and one behind the last.
func edgesTo(most float64) []float64 {
	edges := []float64{exactly + 1}
	for n := edges[0]; n <= most; {
		n = min(most, math.Floor(n*1.125)) + 1
		edges = append(edges, n)
	}
	return edges
}

// lawWith is the law of an exponent. Of bands that are wide the sums are the integrals that they are close to.
func lawWith(exponent, most float64, edges []float64) Spread {
	s := Spread{most: most, bands: make([]band, 0, exactly+1+len(edges))}
	unit := 1.0 // parts are in proportion: so that none is beyond what a number can say
	if exponent < 0 {
		unit = most + 2
	}
	sum := 0.0
	for n := 0.0; n <= min(most, exactly); n++ {
		b := band{n, n * n, math.Pow((n+1)/unit, -exponent)}
		s.bands, sum = append(s.bands, b), sum+b.part
	}
	if most > exactly {
		before := edgeAt(edges[0], exponent, unit)
		for _, n := range edges[1:] {
			at := edgeAt(n, exponent, unit)
			b := between(before, at, exponent, unit)
			s.bands, sum, before = append(s.bands, b), sum+b.part, at
		}
	}
	for i := range s.bands {
		s.bands[i].part /= sum
	}
	return s
}

// edge is where a band begins: half before its first number, plus one, in units; and that to the power of 1 less the
// exponent.
type edge struct{ first, x, power float64 }

func edgeAt(first, exponent, unit float64) edge {
	x := (first + 0.5) / unit
	return edge{first, x, math.Pow(x, 1-exponent)}
}

// between is the band between two edges. The moments of a power are powers again.
func between(a, b edge, exponent, unit float64) band {
	moment := func(k, atA, atB float64) float64 {
		p := k + 1 - exponent
		if math.Abs(p) < 1e-9 {
			return math.Log(b.x / a.x)
		}
		return (b.power*atB - a.power*atA) / p
	}
	zeroth := moment(0, 1, 1)
	if zeroth == 0 {
		return band{a.first, a.first * a.first, 0}
	}
	mean := unit * moment(1, a.x, b.x) / zeroth
	return band{mean - 1, unit*unit*moment(2, a.x*a.x, b.x*b.x)/zeroth - 2*mean + 1, unit * zeroth}
}

// Mean is how many one has on average.
func (s Spread) Mean() float64 { return s.MeanOf(func(n float64) float64 { return n }) }

// MeanOf is the mean of something that depends on how many one has.
func (s Spread) MeanOf(f func(many float64) float64) float64 {
	sum := 0.0
	for _, b := range s.bands {
		sum += b.part * f(b.many)
	}
	return sum
}

// Biased is the mean over what is had, not over who has it: how many those have, on average, who own one taken by
// chance. It is the mean of the squares by the mean.
func (s Spread) Biased() float64 {
	sum, squares := 0.0, 0.0
	for _, b := range s.bands {
		sum, squares = sum+b.part*b.many, squares+b.part*b.square
	}
	if sum == 0 {
		return 0
	}
	return squares / sum
}

// BiasedOf is the mean of something, over what is had.
func (s Spread) BiasedOf(f func(many float64) float64) float64 {
	mean := s.Mean()
	if mean == 0 {
		return f(0)
	}
	return s.MeanOf(func(n float64) float64 { return n * f(n) }) / mean
}

// Quantile is how many one has at most, of a part of all.
func (s Spread) Quantile(part float64) float64 {
	sum := 0.0
	for _, b := range s.bands {
		if sum += b.part; sum >= part-1e-12 {
			return b.many
		}
	}
	return s.most
}

// Most is what the one has who has the most.
func (s Spread) Most() float64 { return s.most }

// At is a stated spread when there are so many times as many: the mean stays, and the one who has the most has as much
// of the whole as before.
func At(d design.Spread, scale float64) Spread {
	if len(d.Shares) == 0 && scale != 1 {
		d.Most = max(d.Mean, d.Most*scale)
	}
	return Of(d)
}

// Share is the part of all that have so many at least.
func (s Spread) Share(least float64) float64 {
	at := sort.Search(len(s.bands), func(i int) bool { return s.bands[i].many >= least })
	sum := 0.0
	for _, b := range s.bands[at:] {
		sum += b.part
	}
	return sum
}
