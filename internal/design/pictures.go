package design

import (
	"fmt"
	"slices"
)

// PicturePrefix begins what a medium says that is a picture kept here.
const PicturePrefix = "pictures/"

// PictureAt is a picture that facts refer to, and where.
type PictureAt struct {
	Pointer string // JSON Pointer into the facts
	Name    string // pictures/, and the picture's id
}

// Missing is the mistake of referring to a picture that is not there.
func (p PictureAt) Missing() Mistake {
	return Mistake{Pointer: p.Pointer, Code: MistakeNoTarget,
		Detail: fmt.Sprintf("there is no picture %s: upload it first", Clip(p.Name))}
}

// PicturesIn are the pictures that facts refer to: media that begin with [PicturePrefix], in
// objects, lists and sets too.
func PicturesIn(fields []*Field, facts map[string]any) []PictureAt {
	var all []PictureAt
	for _, f := range fields {
		all = append(all, picturesOf(f, "/"+f.Name, facts[f.Name])...)
	}
	return all
}

func picturesOf(f *Field, at string, value any) []PictureAt {
	switch v := value.(type) {
	case string:
		if f.Type == Media && len(v) > len(PicturePrefix) && v[:len(PicturePrefix)] == PicturePrefix {
			return []PictureAt{{at, v}}
		}
	case map[string]any:
		if f.Type == Object {
			var all []PictureAt
			for _, one := range PicturesIn(f.Fields, v) {
				all = append(all, PictureAt{at + one.Pointer, one.Name})
			}
			return all
		}
	case []any:
		if f.Of != nil {
			var all []PictureAt
			for i, item := range v {
				all = append(all, picturesOf(f.Of, fmt.Sprintf("%s/%d", at, i), item)...)
			}
			return all
		}
	}
	return nil
}

// HoldMedia tells whether a value of some fields, or of what is inside them, can refer to a
// picture.
func HoldMedia(fields []*Field) bool {
	return slices.ContainsFunc(fields, func(f *Field) bool {
		return f.Type == Media || HoldMedia(f.Fields) || f.Of != nil && HoldMedia([]*Field{f.Of})
	})
}
