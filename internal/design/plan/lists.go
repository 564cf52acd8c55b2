package plan

import "yalvo/internal/design"

// List is a list with what it is read from.
type List struct {
	*design.Listing
	Entries *Collection
	Owner   *Collection // of the document that it is asked for, nil if for none
	Through *Pair
}

func (p *Plan) addList(d *design.Listing) {
	l := &List{Listing: d, Entries: p.of(d.Entries)}
	if owner := d.Owner(); owner != nil {
		l.Owner = p.of(owner)
	}
	if d.Through != nil {
		l.Through = p.pairOf(d.Through)
	}
	p.Lists = append(p.Lists, l)
}

// Reference is the reference that leads from an entry to what the list is asked for, nil if
// none does.
func (l *List) Reference() *Reference {
	return first(l.Entries.References, func(r *Reference) bool { return r.Field == l.By })
}

// List finds a list by name, nil if there is none.
func (p *Plan) List(name string) *List {
	return first(p.Lists, func(l *List) bool { return l.Name == name })
}
