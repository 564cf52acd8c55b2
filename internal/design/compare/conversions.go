package compare

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strings"

	"yalvo/internal/design"
)

// converted is a value of one type as one of another, where nothing is lost by
// it; false if that cannot be. Whether it meets the new field's bounds is not
// looked at here.
func converted(v any, from, to *design.Field) (any, bool) {
	many := []design.Type{design.List, design.Set}
	isMany, becomesMany := slices.Contains(many, from.Type), slices.Contains(many, to.Type)
	switch {
	case isMany && becomesMany:
		return convertedItems(v, from, to)
	case becomesMany:
		item, ok := convertedIfOther(v, from, to.Of)
		return []any{item}, ok
	case isMany:
		items, _ := v.([]any)
		if len(items) == 0 {
			return nil, true
		}
		if len(items) > 1 {
			return nil, false
		}
		return convertedIfOther(items[0], from.Of, to)
	}
	return convertedScalar(v, to)
}

func convertedItems(v any, from, to *design.Field) (any, bool) {
	items, ok := v.([]any)
	if !ok {
		return nil, false
	}
	out := make([]any, len(items))
	for i, item := range items {
		if out[i], ok = convertedIfOther(item, from.Of, to.Of); !ok {
			return nil, false
		}
	}
	return out, true
}

func convertedIfOther(v any, from, to *design.Field) (any, bool) {
	if from.Type == to.Type {
		return v, true
	}
	return converted(v, from, to)
}

func convertedScalar(v any, to *design.Field) (any, bool) {
	switch to.Type {
	case design.String:
		switch v := v.(type) {
		case string:
			return v, true
		case bool, json.Number, int64, float64:
			return fmt.Sprint(v), true
		}
	case design.Integer, design.Number:
		return convertedNumber(v, to.Type)
	case design.Boolean:
		if s, is := v.(string); is && (s == "true" || s == "false") {
			return s == "true", true
		}
		b, is := v.(bool)
		return b, is
	case design.Timestamp, design.Media, design.Reference:
		s, is := v.(string)
		return s, is
	case design.Object:
		m, is := v.(map[string]any)
		return m, is
	}
	return nil, false
}

// convertedNumber reads a number, also from a text that is one in JSON.
func convertedNumber(v any, to design.Type) (any, bool) {
	if s, is := v.(string); is {
		n := json.Number(strings.TrimSpace(s))
		if !json.Valid([]byte(n)) {
			return nil, false
		}
		v = n
	}
	var x float64
	switch v := v.(type) {
	case json.Number:
		f, err := v.Float64()
		if err != nil {
			return nil, false
		}
		x = f
	case int64:
		x = float64(v)
	case float64:
		x = v
	default:
		return nil, false
	}
	return x, to != design.Integer || x == math.Trunc(x)
}

func clip(v any) string {
	s := fmt.Sprint(v)
	if text, is := v.(string); is {
		s = fmt.Sprintf("%q", text)
	}
	if runes := []rune(s); len(runes) > 60 {
		return string(runes[:60]) + "…"
	}
	return s
}

// withoutThese leaves out mistakes in places where others were told already.
func withoutThese(mistakes, told []design.Mistake) []design.Mistake {
	return slices.DeleteFunc(mistakes, func(m design.Mistake) bool {
		return slices.ContainsFunc(told, func(t design.Mistake) bool {
			return m.Pointer == t.Pointer || strings.HasPrefix(m.Pointer, t.Pointer+"/")
		})
	})
}
