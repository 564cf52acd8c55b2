package operating

import (
	"errors"
	"fmt"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"yalvo/docs"
	"yalvo/internal/design"
	"yalvo/internal/design/access"
	"yalvo/internal/design/plan"
	"yalvo/internal/doors/openapi"
	"yalvo/internal/doors/problem"
)

// about says what runs here.
type about struct {
	Service string `json:"service"`
	App     string `json:"app,omitempty"`
	Design  int    `json:"design,omitempty"` // its version, none if no design was applied
}

func (s *API) about(c *echo.Context) error {
	a := about{Service: "yalvo"}
	p, err := s.planIfAny(c)
	if err != nil {
		return err
	}
	if p != nil {
		d, _, err := s.App.Design(c.Request().Context())
		if err != nil {
			return err
		}
		a.App, a.Design = p.Design.App, d.Version
	}
	return c.JSON(http.StatusOK, a)
}

// plan is the plan in force, or a refusal if no design was applied.
func (s *API) plan(c *echo.Context) (*plan.Plan, error) {
	v, err := s.App.Now(c.Request().Context())
	if err != nil {
		return nil, err
	}
	return v.Plan, nil
}

// planIfAny is the plan in force, nil if no design was applied.
func (s *API) planIfAny(c *echo.Context) (*plan.Plan, error) {
	v, err := s.App.IfAny(c.Request().Context())
	if err != nil || v == nil {
		return nil, err
	}
	return v.Plan, nil
}

func (s *API) getDesign(c *echo.Context) error {
	ctx := c.Request().Context()
	if _, err := s.plan(c); err != nil {
		return err
	}
	d, _, err := s.App.Design(ctx)
	if err != nil {
		return err
	}
	c.Response().Header().Set("ETag", strconv.Quote(strconv.Itoa(d.Version)))
	return c.Blob(http.StatusOK, "application/yaml", []byte(d.Source))
}

// designProblem lists what is wrong with a design; the pointer is a place in the file.
func designProblem(err error) error {
	var all design.Problems
	if !errors.As(err, &all) {
		return err
	}
	p := problem.New(http.StatusUnprocessableEntity, "design",
		fmt.Sprintf("the design cannot be applied: %d problem%s", len(all), map[bool]string{false: "s"}[len(all) == 1]))
	for _, one := range all {
		p.Errors = append(p.Errors, problem.Mistake{Pointer: one.File + ":" + strconv.Itoa(one.Pos.Line) + ":" +
			strconv.Itoa(one.Pos.Column), Code: one.Code, Detail: one.Says()})
	}
	return p
}

// openAPI serves the API's description.
func (s *API) openAPI(c *echo.Context) error {
	p, err := s.planIfAny(c)
	if err != nil {
		return err
	}
	doc, err := openapi.Describe(p)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, doc)
}

func (s *API) getDesignSchema(c *echo.Context) error {
	return c.Blob(http.StatusOK, "application/schema+json", docs.DesignSchema)
}

// outline is the design in force as a program needs it to show documents.
type outline struct {
	App         string              `json:"app"`
	Accounts    string              `json:"accounts"`
	Collections []outlineCollection `json:"collections"`
	Pairs       []outlinePair       `json:"pairs"`
	Timelines   []outlineTimeline   `json:"timelines"`
	Lists       []outlineList       `json:"lists"`
	Screens     []outlineScreen     `json:"screens"`
	Rules       []plan.Rule         `json:"rules"`
	Senders     []string            `json:"senders"` // the developer's triggers that send something
	Access      access.Review       `json:"access"`
}

type outlineCollection struct {
	Name   string         `json:"name"`
	Under  string         `json:"under,omitempty"`
	Fields []outlineField `json:"fields"`
	Kept   []outlineKept  `json:"kept"`
	Links  []outlineLink  `json:"links"`
}

type outlineField struct {
	Name     string `json:"name"`
	Type     string `json:"type"`
	To       string `json:"to,omitempty"`
	Required bool   `json:"required"`
	Fixed    bool   `json:"fixed"`
	Unique   bool   `json:"unique"`
	Choices  []any  `json:"choices,omitempty"`
	ByMe     bool   `json:"by_me,omitempty"` // the caller's account if it is left out
}

func fieldsOf(fields []*design.Field) []outlineField {
	all := []outlineField{}
	for _, f := range fields {
		of := outlineField{Name: f.Name, Type: string(f.Type), Required: f.Required, Fixed: f.Fixed, Unique: f.Unique,
			Choices: f.OneOf,
			ByMe:    f.Default != nil && f.Default.Me}
		if f.To != nil {
			of.To = f.To.Name
		}
		all = append(all, of)
	}
	return all
}

type outlineKept struct {
	Name string `json:"name"`
	Kind string `json:"kind"`
	From string `json:"from"`
}

// outlineLink is a name that leads from a document to others.
type outlineLink struct {
	Name string `json:"name"`
	Kind string `json:"kind"` // nested, pair or inverse
	To   string `json:"to"`
	Of   string `json:"of"` // the pair, the reference that points here, or the nested collection
}

type outlinePair struct {
	Name   string         `json:"name"`
	From   string         `json:"from"`
	To     string         `json:"to"`
	Self   bool           `json:"self"`
	Fields []outlineField `json:"fields"`
}

type outlineTimeline struct {
	Name    string   `json:"name"`
	Owner   string   `json:"owner"`
	Entries string   `json:"entries"`
	By      string   `json:"by"`
	Through string   `json:"through"`
	Length  int      `json:"length"`
	Carry   []string `json:"carry"`
}

type outlineList struct {
	Name    string         `json:"name"`
	Entries string         `json:"entries"`
	Of      string         `json:"of,omitempty"` // the collection of the document that it is asked for
	Order   []string       `json:"order"`
	Params  []outlineParam `json:"params"`
	Looks   string         `json:"looks,omitempty"` // the parameter with what is looked for
	Serving design.Serving `json:"serving"`
}

type outlineScreen struct {
	Name   string         `json:"name"`
	Of     string         `json:"of,omitempty"` // the collection of the document that it is asked for
	By     string         `json:"by,omitempty"` // by what it is asked for, if not by its id
	Params []outlineParam `json:"params"`
	Looks  []string       `json:"looks"` // parameters with what is looked for
	Parts  []outlinePart  `json:"parts"`
}

type outlinePart struct {
	Name  string `json:"name"`
	Reads string `json:"reads"` // timeline, list, document or leads
	What  string `json:"what"`  // its name; of a document its collection
	For   string `json:"for,omitempty"`
	Shows string `json:"shows"` // the collection of what it shows
	Live  bool   `json:"live"`
}

func outlineOfScreen(s *design.Screen) outlineScreen {
	o := outlineScreen{Name: s.Name, Params: []outlineParam{}, Looks: []string{}, Parts: []outlinePart{}}
	if s.Of != nil {
		o.Of = s.Of.Name
	}
	if s.By != nil {
		o.By = s.By.Name
	}
	params, looks := s.Params()
	for _, p := range params {
		o.Params = append(o.Params, outlineOfParam(p))
	}
	o.Looks = append(o.Looks, looks...)
	for _, p := range s.Parts {
		reads, what := p.Reads()
		o.Parts = append(o.Parts, outlinePart{p.Name, reads, what, string(p.For), p.Shows.Name, p.Live})
	}
	return o
}

type outlineParam struct {
	Name     string `json:"name"`
	Type     string `json:"type"`
	Required bool   `json:"required"`
	Default  any    `json:"default,omitempty"`
	Choices  []any  `json:"choices,omitempty"`
}

func outlineOfList(l *plan.List) outlineList {
	o := outlineList{Name: l.Name, Entries: l.Entries.Name, Order: []string{}, Params: []outlineParam{},
		Looks: l.Looks(), Serving: l.Serving()}
	if l.Owner != nil {
		o.Of = l.Owner.Name
	}
	for _, by := range l.Order {
		o.Order = append(o.Order, by.String())
	}
	for _, p := range l.Params {
		o.Params = append(o.Params, outlineOfParam(p))
	}
	return o
}

func outlineOfParam(p *design.Field) outlineParam {
	param := outlineParam{Name: p.Name, Type: string(p.Type), Required: p.Default == nil, Choices: p.OneOf}
	if p.Default != nil {
		param.Default = p.Default.Literal
	}
	return param
}

func (s *API) getOutline(c *echo.Context) error {
	p, err := s.plan(c)
	if err != nil {
		return err
	}
	o := outline{App: p.Design.App, Rules: p.Rules(), Senders: p.Design.Senders(),
		Access: access.NewReview(p.Design), Pairs: []outlinePair{},
		Timelines: []outlineTimeline{}, Lists: []outlineList{}, Screens: []outlineScreen{}}
	if p.Design.Accounts != nil {
		o.Accounts = p.Design.Accounts.Name
	}
	for _, col := range p.Collections {
		o.Collections = append(o.Collections, outlineOf(col))
	}
	for _, pair := range p.Pairs {
		o.Pairs = append(o.Pairs, outlinePair{pair.Name, pair.From.Name, pair.To.Name, pair.Self,
			fieldsOf(pair.Fields)})
	}
	for _, t := range p.Timelines {
		carry := []string{}
		for _, carried := range t.Carry {
			carry = append(carry, carried.Name())
		}
		o.Timelines = append(o.Timelines, outlineTimeline{t.Name, t.Owner.Name, t.Entries.Name, t.By.Name,
			t.Through.Name, t.Length, carry})
	}
	for _, l := range p.Lists {
		o.Lists = append(o.Lists, outlineOfList(l))
	}
	for _, s := range p.Design.Screens {
		o.Screens = append(o.Screens, outlineOfScreen(s))
	}
	return c.JSON(http.StatusOK, o)
}

func outlineOf(c *plan.Collection) outlineCollection {
	o := outlineCollection{Name: c.Name, Fields: fieldsOf(c.Collection.Fields), Kept: []outlineKept{},
		Links: []outlineLink{}}
	if c.Parent != nil {
		o.Under = c.Parent.Name
	}
	for _, k := range c.Kept {
		o.Kept = append(o.Kept, outlineKept{k.Name, string(k.Kind), k.Source()})
	}
	for _, n := range c.Nested {
		o.Links = append(o.Links, outlineLink{n.Name, "nested", n.Name, n.Name})
	}
	for _, pair := range c.From {
		o.Links = append(o.Links, outlineLink{pair.FromCalls, "pair", pair.To.Name, pair.Name})
	}
	for _, pair := range c.To {
		o.Links = append(o.Links, outlineLink{pair.ToCalls, "pair", pair.From.Name, pair.Name})
	}
	for _, ref := range c.PointedAt {
		if ref.Inverse != "" {
			o.Links = append(o.Links, outlineLink{ref.Inverse, "inverse", ref.In.Name, ref.Name})
		}
	}
	return o
}
