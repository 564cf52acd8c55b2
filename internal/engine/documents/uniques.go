package documents

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/design/access"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/judging"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
)

// ByUnique is the document of a collection that has a value in a unique field, as a page:
// an empty one if none has that the viewer may read with that value. Of a nested one with a
// parent, it is among those that lie under it.
func (r *Reader) ByUnique(ctx context.Context, who running.Viewer, collection, parent, field,
	value string) (Documents, error) {
	v, err := r.Now(ctx)
	if err != nil {
		return Documents{}, err
	}
	c, err := v.Collection(collection)
	if err != nil {
		return Documents{}, err
	}
	u := c.UniqueNamed(field)
	if u == nil {
		return Documents{}, running.Refuse(running.CodeUnknownName, "%q of %q is not unique: ask a list of the design",
			field, collection)
	}
	out := Documents{Markable: Markable{Of: c}}
	fits, wrong := u.Accept(AsGiven(u.Field, value, true))
	if len(wrong) > 0 {
		return out, nil // no document has such a value
	}
	doc, found, err := factsql.ByUnique(ctx, r.Store, c, u, fmt.Sprint(fits))
	if err != nil || !found {
		return out, err
	}
	if parent != "" && !strings.HasPrefix(doc.Key, parent+"/") {
		return out, nil
	}
	may, err := r.maySee(ctx, v, who, c, doc, field)
	if err != nil || !may {
		return out, err
	}
	out.Add(doc, doc.Created)
	return out, out.Show(r.JudgeNow(ctx, v, who))
}

// maySee tells whether a viewer may read a document and one of its values.
func (r *Reader) maySee(ctx context.Context, v *running.Version, who running.Viewer, c *plan.Collection,
	doc store.Document, field string) (bool, error) {
	j := r.JudgeNow(ctx, v, who)
	if j == nil {
		return true, nil
	}
	may, err := judging.Allowed(j, []store.Document{doc}, func(d store.Document) ([]access.Condition, error) {
		values, err := v.RuleValues(c, d)
		if err != nil {
			return nil, err
		}
		is := v.Law.Document(c.Collection, d.Key, values)
		conditions := v.Law.Reading(c.Collection, is)
		if c.Access.OfField(field, design.OpRead) != nil {
			conditions = append(conditions, v.Law.ReadingField(c.Collection, is, field)...)
		}
		return conditions, nil
	})
	return err == nil && may[0], err
}

// AsGiven is the value of a parameter as documents hold such: what its text says, or else
// its default.
func AsGiven(p *design.Field, text string, given bool) any {
	switch {
	case !given && p.Default.Now:
		return design.FormatTime(time.Now())
	case !given:
		return p.Default.Literal
	case p.Type == design.String || p.Type == design.Timestamp:
		return text
	case p.Type == design.Boolean && (text == "true" || text == "false"):
		return text == "true"
	case p.Type == design.Integer || p.Type == design.Number:
		var n json.Number
		if json.Unmarshal([]byte(text), &n) == nil {
			return n
		}
	}
	return text
}
