package driving

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"yalvo/client"
	"yalvo/internal/design"
)

// Driver does what a script says to a running app.
type Driver struct {
	service *client.Client
	d       *design.Design
	script  Script

	mu    sync.Mutex // of all below: chance, too
	r     *rand.Rand
	k     *known
	makes maker
	done  map[string]*Outcome
}

// Outcome is what came of all deeds of a name.
type Outcome struct {
	Name     string        `json:"name"`
	Times    int           `json:"times"`    // it was done
	Overrule int           `json:"overrule"` // of these: rules refused it to the account, so the operator did it
	Refused  int           `json:"refused"`
	Skipped  int           `json:"skipped"` // nothing was there that it could be done to
	Why      string        `json:"why,omitempty"`
	Took     time.Duration `json:"took_ns"` // all together
}

// New makes a driver of an app, by its design and workload, with chance of a seed.
func New(ctx context.Context, d *design.Design, w *design.Workload, service *client.Client, seed uint64) (*Driver,
	error) {
	k, err := learn(ctx, d, service)
	if err != nil {
		return nil, err
	}
	if len(k.documents[d.Accounts.Name]) == 0 {
		return nil, fmt.Errorf("nobody is there to do anything: the app has none of %s", d.Accounts.Name)
	}
	r := rand.New(rand.NewPCG(seed, 0))
	return &Driver{service: service, d: d, script: NewScript(w), r: r, k: k, makes: maker{k: k, w: w, r: r},
		done: map[string]*Outcome{}}, nil
}

// Drive does so many deeds, so many side by side, and no more than perSecond of them; 0: as fast as they go.
func (v *Driver) Drive(ctx context.Context, many, sideBySide int, perSecond float64, progress func()) error {
	turns := make(chan struct{})
	var group sync.WaitGroup
	var failed error
	var once sync.Once
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	for range sideBySide {
		group.Go(func() {
			for range turns {
				if err := v.one(ctx); err != nil {
					once.Do(func() { failed = err; stop() })
					return
				}
				progress()
			}
		})
	}
	v.pace(ctx, turns, many, perSecond)
	close(turns)
	group.Wait()
	if failed == nil {
		failed = ctx.Err()
	}
	return failed
}

func (v *Driver) pace(ctx context.Context, turns chan<- struct{}, many int, perSecond float64) {
	began := time.Now()
	for i := range many {
		if perSecond > 0 {
			due := began.Add(time.Duration(float64(i) / perSecond * float64(time.Second)))
			select {
			case <-time.After(time.Until(due)):
			case <-ctx.Done():
				return
			}
		}
		select {
		case turns <- struct{}{}:
		case <-ctx.Done():
			return
		}
	}
}

// Outcomes are what came of it, by name.
func (v *Driver) Outcomes() []Outcome {
	v.mu.Lock()
	defer v.mu.Unlock()
	var all []Outcome
	for _, o := range v.done {
		all = append(all, *o)
	}
	slices.SortFunc(all, func(a, b Outcome) int { return strings.Compare(a.Name, b.Name) })
	return all
}

// deed is one that has been chosen: who does it, and how. After it was done, what is known changes.
type deed struct {
	Deed
	me    string
	do    func(context.Context, *client.Client) error
	after func()
}

// one does one deed. What a service refuses is noted; that none answers ends it all.
func (v *Driver) one(ctx context.Context) error {
	v.mu.Lock()
	chosen := v.choose(v.script.Next(v.r))
	v.mu.Unlock()
	if chosen.do == nil {
		v.note(chosen, false, 0, nil)
		return nil
	}
	began := time.Now()
	err := chosen.do(ctx, v.service.As(chosen.me))
	overruled := false
	if isRule(err) && chosen.Does != "open" {
		overruled, began = true, time.Now()
		err = chosen.do(ctx, v.service)
	}
	var problem *client.Problem
	if err != nil && !errors.As(err, &problem) {
		return err
	}
	if problem != nil && problem.Status == http.StatusUnauthorized {
		return err
	}
	v.note(chosen, overruled, time.Since(began), err)
	return nil
}

// isRule tells whether rules refuse something to an account, or hide what it is about.
func isRule(err error) bool {
	var problem *client.Problem
	return errors.As(err, &problem) && (problem.Code == "not-allowed" || problem.Code == "not-found")
}

func isInvalid(err error) bool {
	var problem *client.Problem
	return errors.As(err, &problem) && problem.Status == http.StatusUnprocessableEntity
}

func (v *Driver) note(chosen deed, overruled bool, took time.Duration, err error) {
	v.mu.Lock()
	defer v.mu.Unlock()
	o := v.done[chosen.Name()]
	if o == nil {
		o = &Outcome{Name: chosen.Name()}
		v.done[chosen.Name()] = o
	}
	switch {
	case chosen.do == nil:
		o.Skipped++
	case err != nil:
		o.Refused++
		o.Why, _, _ = strings.Cut(err.Error(), "\n")
	default:
		o.Times++
		o.Took += took
		if overruled {
			o.Overrule++
		}
		if chosen.after != nil {
			chosen.after()
		}
	}
}

// choose says who does something, to what; without do, if there is nothing.
func (v *Driver) choose(what Deed) deed {
	somebody, _ := v.k.any(v.r, v.d.Accounts)
	chosen := deed{Deed: what, me: somebody.key}
	if what.Does == "open" {
		v.chooseScreen(&chosen)
		return chosen
	}
	if p := v.d.Pair(what.Of); p != nil {
		v.choosePair(&chosen, p)
		return chosen
	}
	c := v.d.Collection(what.Of)
	switch what.Does {
	case "create":
		v.chooseCreation(&chosen, c)
	case "edit":
		v.chooseEdit(&chosen, c)
	case "remove":
		v.chooseRemoval(&chosen, c)
	}
	return chosen
}

func (v *Driver) chooseScreen(chosen *deed) {
	var screen *design.Screen
	for _, s := range v.d.Screens {
		if s.Name == chosen.Of {
			screen = s
		}
	}
	of, params, can := "", map[string]string{}, true
	if screen.Of != nil {
		var doc document
		doc, can = v.k.any(v.r, screen.Of)
		of = doc.key
		if screen.By != nil {
			of = doc.facts[screen.By.Name]
			can = can && of != ""
		}
	}
	for _, p := range screen.Parts {
		own, looks := p.Params()
		for _, f := range own {
			if f.Required {
				value, made := v.makes.value(f, chosen.me)
				params[f.Name], can = fmt.Sprint(value), can && made
			}
		}
		if looks != "" {
			text := v.lookedFor(p)
			params[looks], can = text, can && text != ""
		}
	}
	if can {
		name := chosen.Of
		chosen.do = func(ctx context.Context, c *client.Client) error {
			_, err := c.Show(ctx, name, of, params)
			return err
		}
	}
}

// lookedFor is what somebody types who looks for something that is there: a beginning, or a word.
func (v *Driver) lookedFor(p *design.ScreenPart) string {
	doc, _ := v.k.any(v.r, p.Shows)
	if p.List.Starts != nil {
		text := doc.facts[p.List.Starts.Name]
		return text[:min(len(text), 3)]
	}
	for _, f := range p.List.Words {
		if all := strings.Fields(doc.facts[f.Name]); len(all) > 0 {
			return strings.Trim(all[v.r.IntN(len(all))], ".,;:!?")
		}
	}
	return ""
}

func (v *Driver) choosePair(chosen *deed, p *design.Pair) {
	name := p.Name
	if chosen.Does == "unset" {
		took, is := v.k.takePair(v.r, name)
		if !is {
			return
		}
		if p.From == v.d.Accounts {
			chosen.me = took.from
		}
		chosen.do = func(ctx context.Context, c *client.Client) error {
			_, err := c.Unset(ctx, name, took.from, took.to)
			return err
		}
		return
	}
	from, is := v.k.any(v.r, p.From)
	to, is2 := v.k.any(v.r, p.To)
	if p.From == v.d.Accounts {
		from.key = chosen.me
	}
	facts, can := v.makes.facts(p.Fields, chosen.me, false)
	if !is || !is2 || !can || p.From == p.To && from.key == to.key {
		return
	}
	chosen.do = func(ctx context.Context, c *client.Client) (err error) {
		if len(facts) == 0 {
			_, err = c.Set(ctx, name, from.key, to.key)
			return err
		}
		_, err = c.SetWith(ctx, name, from.key, to.key, facts)
		return err
	}
	chosen.after = func() { v.k.pairs[name] = append(v.k.pairs[name], pair{from.key, to.key}) }
}

func (v *Driver) chooseCreation(chosen *deed, c *design.Collection) {
	if relation, is := v.makes.w.Busy[c.Name]; is { // whoever is followed by many does more
		name, _, _ := strings.Cut(relation, ".")
		if all := v.k.pairs[name]; len(all) > 0 {
			met := all[v.r.IntN(len(all))]
			chosen.me = met.to
			if strings.HasSuffix(relation, ".from") {
				chosen.me = met.from
			}
		}
	}
	facts, can := v.makes.facts(c.Fields, chosen.me, false)
	bare, _ := v.makes.facts(c.Fields, chosen.me, true)
	path := c.Name
	if c.Under != nil {
		parent, is := v.k.any(v.r, c.Under)
		path, can = parent.path+"/"+c.Name, can && is
	}
	if !can {
		return
	}
	made := ""
	chosen.do = func(ctx context.Context, s *client.Client) error {
		doc, _, err := s.Create(ctx, path, "", facts)
		if isInvalid(err) { // by a check between fields that chance does not know
			doc, _, err = s.Create(ctx, path, "", bare)
		}
		made = doc.Path
		return err
	}
	chosen.after = func() { v.k.add(made, facts) }
}

func (v *Driver) chooseEdit(chosen *deed, c *design.Collection) {
	doc, is := v.k.any(v.r, c)
	f := c.Field(chosen.Field)
	if doc.owner != "" {
		chosen.me = doc.owner
	}
	value, can := v.makes.value(f, chosen.me)
	if !is || !can || f.Fixed {
		return
	}
	chosen.do = func(ctx context.Context, s *client.Client) error {
		_, _, err := s.Patch(ctx, doc.path, map[string]any{f.Name: value})
		return err
	}
}

func (v *Driver) chooseRemoval(chosen *deed, c *design.Collection) {
	doc, is := v.k.take(v.r, c)
	if !is {
		return
	}
	if doc.owner != "" {
		chosen.me = doc.owner
	}
	chosen.do = func(ctx context.Context, s *client.Client) error {
		_, _, err := s.Remove(ctx, doc.path)
		return err
	}
}
