package forecast

import (
	"math"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
)

// Delivery is what it costs in a day to get entries to a timeline's readers, in seconds of a core, by the threshold
// above which an author's entries are collected when they are read.
type Delivery struct {
	Timeline string  `json:"timeline"`
	Is       float64 `json:"is"`      // as the design has it
	Best     Point   `json:"best"`    // the threshold at which it costs least
	Optimum  float64 `json:"optimum"` // if each pair of author and reader were decided by itself
	Curve    []Point `json:"curve"`
}

// Point is a threshold: those with more followers are collected from.
type Point struct {
	Above float64 `json:"above"` // 0: all are collected from; the most that one has: none are
	Push  float64 `json:"push"`
	Pull  float64 `json:"pull"`
}

// Cost is what both cost together.
func (p Point) Cost() float64 { return p.Push + p.Pull }

// DeliveryOf weighs, for each pair of an author and a follower, what it costs to write the author's entries into the
// follower's timeline with what it costs to collect them whenever that is read: cheaper is to write them where they are
// read more often than they are made (Silberstein, Terrace, Cooper, Ramakrishnan, Feeding frenzy: selectively
// materializing users' event feeds, SIGMOD 2010). Who posts more is only told from others by how many follow them,
// where the workload says that those post more; so a threshold by followers is as good as that, or all are treated
// alike.
func DeliveryOf(p *plan.Plan, w *design.Workload, rates Rates, t *plan.Timeline) Delivery {
	c := New(p, w, rates).costing(1)
	d := Delivery{Timeline: t.Name, Curve: []Point{}}
	followers := c.spread[t.Through.Name+".to"]
	posts, reads := c.postsADay(t), c.readsADay(t)
	push := func(n float64) float64 { return n * posts(n) * rates.Entry / 1e6 } // of an author with n followers
	pull := func(n float64) float64 { return n * reads * rates.Collect / 1e6 }
	authors := c.total(t.By.To.Collection)
	at := func(above float64) Point {
		point := Point{Above: above}
		for _, b := range followers.bands {
			if b.many <= above {
				point.Push += authors * b.part * push(b.many)
			} else {
				point.Pull += authors * b.part * pull(b.many)
			}
		}
		return point
	}
	d.Best = at(0)
	for _, b := range followers.bands {
		point := at(math.Ceil(b.many))
		if len(d.Curve) == 0 || point.Above != d.Curve[len(d.Curve)-1].Above {
			d.Curve = append(d.Curve, point)
		}
		if point.Cost() < d.Best.Cost() {
			d.Best = point
		}
		d.Optimum += authors * b.part * min(push(b.many), pull(b.many))
	}
	switch t.Deliver {
	case design.Push:
		d.Is = at(followers.Most() + 1).Cost()
	case design.Pull:
		d.Is = at(-1).Cost()
	default:
		d.Is = at(float64(t.Above)).Cost()
	}
	return d
}

// postsADay is how many entries an author makes in a day, by how many follow them.
func (c *costing) postsADay(t *plan.Timeline) func(followers float64) float64 {
	each := c.w.Done[t.Entries.Name].Create * c.w.Accounts / max(1, c.total(t.By.To.Collection))
	mean := c.spread[t.Through.Name+".to"].Mean()
	if c.w.Busy[t.Entries.Name] != t.Through.Name+".to" || mean == 0 {
		return func(float64) float64 { return each }
	}
	return func(followers float64) float64 { return each * followers / mean }
}

// readsADay is how often an owner's timeline is read in a day.
func (c *costing) readsADay(t *plan.Timeline) float64 {
	sum := 0.0
	for _, s := range c.d.Screens {
		for _, p := range s.Parts {
			if p.Timeline == t.Timeline {
				sum += c.w.Opened[s.Name]
			}
		}
	}
	return sum * c.w.Accounts / max(1, c.total(t.Owner.Collection))
}
