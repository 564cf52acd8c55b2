package plan

// InWords says what work of a kind does.
func (p *Plan) InWords(of WorkKind) string {
	name := p.NameOf(of.Subject)
	switch of.Step {
	case Add:
		return "counted in " + name
	case Contribute:
		return "looked at what is contributed to " + name
	case Choose:
		return "worked out " + name
	case Refresh:
		return "refreshed in " + name
	case Recopy:
		return "copied into " + name
	case Deliver:
		return "delivered to the " + name + " timelines"
	case Withdraw:
		return "withdrawn from the " + name + " timelines"
	case Subscribe:
		return "looked at what one sees of the other in " + name
	case React:
		return "set off trigger " + name
	case Send:
		return "sent by trigger " + name
	case ChooseDelivery:
		return "looked at how many follow in " + name
	case Clear:
		return "left to be collected when " + name + " is read"
	case Fill:
		return "brought back into the " + name + " timelines"
	case Refill:
		return "filled up " + name + " with older entries"
	case EndReference:
		return "ended " + name
	case EndFrom:
		return "unset " + name + " from it"
	case EndTo:
		return "unset " + name + " to it"
	case EndNested:
		return "removed the " + name + " under it"
	case EndFrozen:
		return "emptied the frozen " + name
	case EndTimeline:
		return "dropped its " + name + " timeline"
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
