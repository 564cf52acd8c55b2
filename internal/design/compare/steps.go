package compare

import (
	"yalvo/internal/design"
	"yalvo/internal/design/plan"
)

// listSteps puts the steps in their order: facts before what is derived from
// them, and that in the order of the plan. What was given up goes last.
func (c *comparing) listSteps() {
	add := func(do Do, names ...string) {
		for _, name := range names {
			c.Steps = append(c.Steps, Step{Do: do, Name: name})
		}
	}
	for _, n := range c.To.Collections {
		c.rewriteStep(Documents, n.Name)
	}
	for _, p := range c.To.Pairs {
		c.rewriteStep(Pairs, p.Name)
	}
	c.spread()
	modes := func() { add(Modes, c.modes...); c.modes = nil }
	for _, d := range c.plan.Duplicates() {
		shows, is := c.dirty[duplicate{d.Kind, d.Name}]
		if d.Kind == plan.AspectNested { // references and uniques are done
			add(Ends, c.ends...)
			c.ends = nil
		}
		if d.Kind == plan.AspectTimeline {
			modes()
		}
		if is {
			c.Steps = append(c.Steps, Step{Do: Build, Aspect: d.Kind, Name: d.Name, Shows: shows})
		}
	}
	add(Ends, c.ends...)
	modes()
	c.indexSteps()
	add(Strip, c.strips...)
	add(Unstore, c.unstore...)
	for _, r := range c.Retired {
		add(Sweep, r.Kind+" "+r.Name)
	}
}

func (c *comparing) rewriteStep(do Do, name string) {
	if r := c.Rewrites[name]; r != nil {
		c.Steps = append(c.Steps, Step{Do: do, Name: name, IfMisfits: !r.Needed && !r.Checks})
	}
}

// Everything are the steps that derive all there is anew, after facts were loaded.
// What is there already stays to be seen meanwhile.
func Everything(p *plan.Plan) []Step {
	var steps []Step
	modes := false
	for _, d := range p.Duplicates() {
		s := Step{Do: Build, Aspect: d.Kind, Name: d.Name}
		switch d.Kind {
		case plan.AspectPair, plan.AspectNested, plan.AspectKept, plan.AspectPicture:
			continue
		case plan.AspectReference, plan.AspectUnique, plan.AspectPosted:
		case plan.AspectTimeline:
			if !modes {
				modes = true
				for _, t := range p.Timelines {
					if t.Deliver == design.Mixed {
						steps = append(steps, Step{Do: Modes, Name: t.Name})
					}
				}
			}
			if d.Timeline.Deliver == design.Pull {
				continue
			}
			s.Shows = Collected
		default:
			s.Shows = Partly
		}
		steps = append(steps, s)
	}
	return steps
}

// spread has what is built on something that is derived anew derived anew as
// well. The plan lists what others are derived from first.
func (c *comparing) spread() {
	for _, d := range c.plan.Duplicates() {
		if _, is := c.dirty[duplicate{d.Kind, d.Name}]; is {
			continue
		}
		shown := d.Copy != nil || d.Summary != nil && d.Summary.Kind == design.Latest
		for _, b := range d.BasedOn() {
			below, is := c.dirty[duplicate{b.Kind, b.Name}]
			if !is || d.Kind == plan.AspectFrozen || b.Kind == plan.AspectKept {
				continue
			}
			switch {
			case d.Kind == plan.AspectTimeline:
				decides := b.Kind == plan.AspectReference || b.Kind == plan.AspectPosted
				if decides && below != AsBefore && d.Timeline.Deliver != design.Pull { // of that, nothing is stored
					c.build(d.Kind, d.Name, Collected)
				}
			case d.Kind == plan.AspectPosted, d.Kind == plan.AspectCount:
			case shown:
				c.build(d.Kind, d.Name, Partly)
			default:
				c.build(d.Kind, d.Name, Hidden)
			}
		}
	}
}
