package plan

import "fmt"

// words say what work of each step does; %s is the name of what it is about.
var words = map[Step]string{
	Add:            "counted in %s",
	Contribute:     "looked at what is contributed to %s",
	Choose:         "worked out %s",
	Refresh:        "refreshed in %s",
	Recopy:         "copied into %s",
	Deliver:        "delivered to the %s timelines",
	Withdraw:       "withdrawn from the %s timelines",
	Subscribe:      "looked at what one sees of the other in %s",
	React:          "set off trigger %s",
	Send:           "sent by trigger %s",
	ChooseDelivery: "looked at how many follow in %s",
	Clear:          "left to be collected when %s is read",
	Fill:           "brought back into the %s timelines",
	Refill:         "filled up %s with older entries",
	EndReference:   "ended %s",
	EndFrom:        "unset %s from it",
	EndTo:          "unset %s to it",
	EndNested:      "removed the %s under it",
	EndFrozen:      "emptied the frozen %s",
	EndTimeline:    "dropped its %s timeline",
}

// InWords says what work of a kind does.
func (p *Plan) InWords(of WorkKind) string {
	name := p.NameOf(of.Subject)
	if says, known := words[of.Step]; known {
		return fmt.Sprintf(says, name)
	}
	return of.Step.String() + " " + name
}

// NameOf is the name of whatever has a number in the design.
func (p *Plan) NameOf(n Number) string {
	if c, k := p.Kept(n); k != nil {
		return c.Name + "." + k.Name
	}
	if ref := p.references[n]; ref != nil {
		return ref.In.Name + "." + ref.Name
	}
	if pair := p.PairNumbered(n); pair != nil {
		return pair.Name
	}
	if t := p.TimelineNumbered(n); t != nil {
		return t.Name
	}
	if t := p.TriggerNumbered(n); t != nil {
		return t.Name
	}
	if c := p.CollectionNumbered(n); c != nil {
		return c.Name
	}
	return "something the design no longer has"
}
