package words

import (
	"strings"

	"yalvo/internal/design"
)

// Kept is what a kept value is, in a sentence.
func Kept(k *design.Kept) string { return ofKept(k.In, k) }

// Field is what a field of a collection is, in sentences; of a reference from both ends.
func Field(c *design.Collection, f *design.Field) string {
	if f.Type == design.Reference {
		return strings.Join(ofReference(c, f), " ")
	}
	how := "may have"
	if f.Required {
		how = "has"
	}
	return sentence("%s %s %s: %s", aDocument(c), how, field(f), ofType(f))
}

// PairField is what a field of a pair is, in a sentence.
func PairField(p *design.Pair, f *design.Field) string {
	return sentence("each %s has %s of its own: %s", p.Name, field(f), ofType(f))
}

// ofType is what the values of a field are.
func ofType(f *design.Field) string {
	switch f.Type {
	case design.Media:
		return "a picture"
	case design.Timestamp:
		return "a time"
	case design.Boolean:
		return "true or false"
	case design.String:
		return "a text"
	case design.Object:
		return "an object with " + enumerate(design.FieldNames(f.Fields))
	case design.List, design.Set:
		if f.Of != nil {
			return a(string(f.Type)) + ", of which each is " + ofType(f.Of)
		}
	}
	return a(string(f.Type))
}
