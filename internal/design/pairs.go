package design

// Joins tells whether the pair goes from one collection to the other.
func (p *Pair) Joins(from, to *Collection) bool { return p.From == from && p.To == to }

// Other is the side across from a side.
func (s Side) Other() Side {
	if s == From {
		return To
	}
	return From
}

// EndsWith says which ways a pair of another kind ends with this one: between
// the same documents, and between them the other way round.
func (p *Pair) EndsWith(other *Pair) (same, reversed bool) {
	return p.Joins(other.From, other.To), p.Joins(other.To, other.From)
}
