package plan

// Marking is a kind of pair that an account may have with documents of a collection, by
// what the account calls them: with `from_calls: liked` an entry is marked as liked.
type Marking struct {
	Name     string
	Pair     *Pair
	Reversed bool // the account stands on the to side
}

// MarksOn are the marks that documents of a collection can bear, none if the design
// names no accounts.
func (p *Plan) MarksOn(c *Collection) []Marking {
	var marks []Marking
	if p.Design.Accounts == nil {
		return nil
	}
	accounts := p.Collection(p.Design.Accounts.Name)
	for _, pair := range p.Pairs {
		if pair.From == accounts && pair.To == c {
			marks = append(marks, Marking{pair.FromCalls, pair, false})
		}
		if pair.To == accounts && pair.From == c {
			marks = append(marks, Marking{pair.ToCalls, pair, true})
		}
	}
	return marks
}
