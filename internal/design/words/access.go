package words

import "yalvo/internal/design"

// rights are the rights in the order in which they are told: of somebody who may, and of what may be done.
var rights = []struct {
	op        design.Op
	does, did string
}{{design.OpRead, "read", "read"}, {design.OpCreate, "make", "made"}, {design.OpEdit, "edit", "edited"},
	{design.OpRemove, "remove", "removed"}, {design.OpSet, "set", "set"}, {design.OpUnset, "end", "ended"}}

func ofAccess(access *design.Access, what string) (all []string) {
	for _, right := range rights {
		rule := access.Of(right.op)
		switch {
		case rule == nil:
		case rule.That != nil:
			all = append(all, sentence("%s may be %s if `%s`", what, right.did, rule.That.Text))
		case rule.Fixed:
			all = append(all, sentence("everybody may %s %s", right.does, what))
		default:
			all = append(all, sentence("nobody may %s %s", right.does, what))
		}
	}
	return all
}
