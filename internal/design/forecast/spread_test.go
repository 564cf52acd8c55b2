package forecast

import (
	"math"
	"math/rand/v2"
	"testing"

	"pgregory.net/rapid"

	"yalvo/internal/design"
)

func near(a, b, part float64) bool { return math.Abs(a-b) <= part*max(math.Abs(a), math.Abs(b), 1e-9) }

func TestSharesByHand(t *testing.T) {
	s := Of(design.Spread{Most: 10, Shares: []design.Share{{Many: 0, Part: 0.5}, {Many: 2, Part: 0.25}, {Many: 10,
		Part: 0.25}}})
	if s.Mean() != 3 || s.Biased() != (0.25*4+0.25*100)/3 || s.Quantile(0.5) != 0 || s.Quantile(0.6) != 2 ||
		s.Quantile(0.99) != 10 || s.Most() != 10 || s.Share(2) != 0.5 {
		t.Errorf("mean %v, biased %v, quantiles %v %v %v, most %v, share %v", s.Mean(), s.Biased(), s.Quantile(0.5),
			s.Quantile(0.6), s.Quantile(0.99), s.Most(), s.Share(2))
	}
	if capped := s.MeanOf(func(n float64) float64 { return min(n, 4) }); capped != 0.25*2+0.25*4 {
		t.Errorf("capped %v", capped)
	}
}

// The mean is as stated, whatever it is, and the quantiles rise.
func TestAPowerLawHasItsMean(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		most := math.Floor(math.Pow(10, rapid.Float64Range(0, 7).Draw(t, "most")))
		mean := most * math.Pow(10, -rapid.Float64Range(0.05, 6).Draw(t, "mean"))
		s := Of(design.Spread{Mean: mean, Most: most})
		if !near(s.Mean(), mean, 1e-3) {
			t.Errorf("the mean of %v, at most %v, is %v", mean, most, s.Mean())
		}
		sum, before := 0.0, -1.0
		for _, b := range s.bands {
			sum += b.part
			if b.many < before || b.many > most+1 || b.part < 0 {
				t.Fatalf("a band of %v after %v, of %v", b.many, before, b.part)
			}
			before = b.many
		}
		if !near(sum, 1, 1e-9) || s.Biased() < s.Mean()*(1-1e-9) || s.Quantile(0.99) < s.Quantile(0.5) {
			t.Errorf("parts %v, biased %v, mean %v", sum, s.Biased(), s.Mean())
		}
	})
}

// A population drawn by the law, each number by itself, has the sums that the bands have.
func TestTheSumsAreThoseOfAPopulation(t *testing.T) {
	r := rand.New(rand.NewPCG(28, 3))
	for _, d := range []design.Spread{{Mean: 30, Most: 1600}, {Mean: 0.75, Most: 300}, {Mean: 4, Most: 40}} {
		s := Of(d)
		// The exponent, out of the first two bands: their parts are 1 to 2 to its power.
		exponent := math.Log2(s.bands[0].part / s.bands[1].part)
		var each []float64
		sum := 0.0
		for n := 0.0; n <= d.Most; n++ {
			sum += math.Pow(n+1, -exponent)
			each = append(each, sum)
		}
		const people = 400_000
		total, squares, capped := 0.0, 0.0, 0.0
		for range people {
			at := r.Float64() * sum
			n := 0
			for low, high := 0, len(each)-1; low < high; n = low {
				if middle := (low + high) / 2; each[middle] < at {
					low = middle + 1
				} else {
					high = middle
				}
			}
			total, squares, capped = total+float64(n), squares+float64(n*n), capped+float64(min(n, 20))
		}
		if !near(total/people, s.Mean(), 0.02) || !near(squares/total, s.Biased(), 0.05) ||
			!near(capped/people, s.MeanOf(func(n float64) float64 { return min(n, 20) }), 0.02) {
			t.Errorf("%+v: drawn %v, %v, %v; worked out %v, %v, %v", d, total/people, squares/total,
				capped/people, s.Mean(),
				s.Biased(), s.MeanOf(func(n float64) float64 { return min(n, 20) }))
		}
	}
}
