package api

import (
	"bytes"
	"fmt"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"yalvo/internal/design"
	"yalvo/internal/doors/openapi"
	"yalvo/internal/doors/problem"
	"yalvo/internal/doors/request"
	"yalvo/internal/engine/metering"
	"yalvo/internal/engine/running"
)

// screenAsked is a screen, and what it is asked for.
type screenAsked struct {
	*design.Screen
	key    string // of the document that it is asked for
	looked int    // documents read to find that
	parts  []*design.ScreenPart
	query  url.Values // what is given for the parameters of its lists
	cursor string     // of the one part that is asked for
}

// getScreen answers /screens/{screen}, and /screens/{screen}/{of}: all its parts, each as the read is answered that it
// stands for, so that nothing is told which that would not tell. A part that is refused is so with its problem; if all
// are, the screen is.
func (s *API) getScreen(c *echo.Context) error {
	name, of, err := screenIn(c)
	if err != nil {
		return err
	}
	ask, err := s.screenAsked(c, name)
	if err != nil {
		return err
	}
	if err := s.settle(c); err != nil {
		return err
	}
	if err := s.findScreenOf(c, ask, of); err != nil {
		return err
	}
	answers, err := s.readParts(c, ask)
	if err != nil {
		return err
	}
	if refused := answers.allRefused(); refused != nil {
		maps.Copy(c.Response().Header(), refused.header)
		return c.Blob(refused.status, refused.header.Get(echo.HeaderContentType), refused.body())
	}
	request.Cost(c, answers.read()+ask.looked, 0)
	countAs(c, metering.Screen, ask.Name)
	return s.answerPageText(c, func(text []byte) ([]byte, error) { return answers.appendTo(text), nil })
}

// screenIn is the screen that a path names, and what it is asked for; nil for nothing.
func screenIn(c *echo.Context) (name string, of *string, err error) {
	parts, err := request.Segments(c, "/screens")
	if err != nil {
		return "", nil, err
	}
	if len(parts) > 2 || parts[0] == "" {
		return "", nil, unknown("a screen is at %s/screens/{screen}, or at %s/screens/{screen}/{of} if it is asked "+
			"for a "+
			"document", openapi.Prefix, openapi.Prefix)
	}
	if len(parts) == 2 {
		of = &parts[1]
	}
	return parts[0], of, nil
}

// screenAsked reads what is asked of a screen of the design in force. A stream's parameters are read alike.
func (s *API) screenAsked(c *echo.Context, name string) (*screenAsked, error) {
	v, err := s.App.Now(c.Request().Context())
	if err != nil {
		return nil, err
	}
	screen, err := v.Screen(name)
	if err != nil {
		return nil, err
	}
	ask := &screenAsked{Screen: screen}
	params, looks := ask.Params()
	known := slices.Concat([]string{"settled", "patience", "part", "cursor"}, design.FieldNames(params), looks)
	if err := request.OnlyAsks(c, known...); err != nil {
		return nil, err
	}
	return ask, ask.chooseParts(c.QueryParams())
}

// chooseParts takes the one part that is asked for, or all.
func (ask *screenAsked) chooseParts(query url.Values) error {
	ask.query, ask.parts, ask.cursor = query, ask.Parts, query.Get("cursor")
	name := query.Get("part")
	if name == "" {
		if ask.cursor != "" && len(ask.Parts) > 1 {
			return problem.BadRequest("a cursor is of one part: say of which, with part")
		}
		return nil
	}
	p := ask.Part(name)
	if p == nil {
		return problem.BadRequest(fmt.Sprintf("screen %q has no part %q; its parts are %s", ask.Name,
			problem.Clip(name),
			strings.Join(design.NamesOf(ask.Parts, func(p *design.ScreenPart) string { return p.Name }), ", ")))
	}
	ask.parts = []*design.ScreenPart{p}
	return nil
}

// findScreenOf finds the document that a screen is asked for: by its key, or by what it has in a unique field that
// whoever asks may read.
func (s *API) findScreenOf(c *echo.Context, ask *screenAsked, of *string) error {
	switch {
	case ask.Of == nil && of != nil:
		return unknown("the screen %q is asked for no document: its path ends with its name", ask.Name)
	case ask.Of == nil:
		return nil
	case of == nil || *of == "":
		what := "id"
		if ask.By != nil {
			what = ask.By.Name
		}
		return unknown("the screen %q is asked for one of %s: write its %s after the name of the screen", ask.Name,
			ask.Of.Name, what)
	}
	if ask.By != nil {
		got, err := s.Documents.ByUnique(c.Request().Context(), request.Viewer(c), ask.Of.Name, "", ask.By.Name, *of)
		if err == nil && len(got.Keys) == 0 {
			err = running.Refuse(running.CodeNotFound, "there is none of %s with that %s", ask.Of.Name, ask.By.Name)
		}
		if err != nil {
			return err
		}
		ask.key, ask.looked = got.Keys[0], 1
		return nil
	}
	ids := strings.Split(*of, "/")
	if len(ids) != ask.Of.Depth() {
		return problem.BadRequest(fmt.Sprintf("in the path: one of %s has %d ids, with escaped slashes between them",
			ask.Of.Name, ask.Of.Depth()))
	}
	for _, id := range ids {
		if wrong := design.CheckID(id); wrong != "" {
			return problem.BadRequest("in the path: " + wrong)
		}
	}
	ask.key = *of
	return nil
}

// partAnswers are what the parts of a screen are answered.
type partAnswers struct {
	parts   []*design.ScreenPart
	answers []*heldAnswer
}

// readParts reads the parts of a screen.
func (s *API) readParts(c *echo.Context, ask *screenAsked) (partAnswers, error) {
	all := partAnswers{parts: ask.parts}
	size := 0
	for _, p := range ask.parts {
		held, err := s.readPart(c, ask, p)
		if err != nil {
			return all, err
		}
		if size += held.text.Len(); size > mostReadBytes {
			return all, problem.New(http.StatusRequestEntityTooLarge, problem.CodeTooBig,
				fmt.Sprintf("the parts of this "+
					"screen have come to more than %d bytes: ask for them one by one, with part", mostReadBytes))
		}
		all.answers = append(all.answers, held)
	}
	return all, nil
}

func (s *API) readPart(c *echo.Context, ask *screenAsked, p *design.ScreenPart) (*heldAnswer, error) {
	path, err := s.pathOf(c, ask, p)
	if err != nil {
		held := &heldAnswer{header: http.Header{}}
		s.Telling.Answer(c.Echo().NewContext(c.Request(), held), err)
		return held, nil
	}
	return s.hold(c, s.readerAt(path.Path), path, true)
}

// pathOf is the read that a part of a screen stands for.
func (s *API) pathOf(c *echo.Context, ask *screenAsked, p *design.ScreenPart) (*url.URL, error) {
	key, of := ask.key, ask.Of
	if p.For == design.Mine {
		v, err := s.App.Now(c.Request().Context())
		if err != nil {
			return nil, err
		}
		if key, of = request.Viewer(c).Me, v.Plan.Design.Accounts; key == "" {
			return nil, problem.New(http.StatusUnauthorized, problem.CodeNotSignedIn, fmt.Sprintf("the part %q of the "+
				"screen is for whoever is signed in; operators say for whom with %s", p.Name, openapi.HeaderAs))
		}
	}
	path := openapi.Prefix
	switch {
	case p.Timeline != nil:
		path += "/timelines/" + p.Timeline.Name + "/" + url.PathEscape(key)
	case p.List != nil:
		path += "/lists/" + p.List.Name
		if p.For != "" {
			path += "/" + url.PathEscape(key)
		}
	default:
		path += "/collections/" + of.Path(key)
		if p.Leads != "" {
			path += "/" + p.Leads
		}
	}
	to, err := url.Parse(path)
	if err == nil {
		to.RawQuery = ask.queryOf(p).Encode()
	}
	return to, err
}

// queryOf is what a part says of its read, with what is given for its parameters.
func (ask *screenAsked) queryOf(p *design.ScreenPart) url.Values {
	q := url.Values{}
	if !p.Document {
		q.Set("limit", strconv.Itoa(p.Page))
	}
	with := design.FieldNames(p.With)
	if fields := p.Fields(); len(fields) > 0 {
		for _, f := range with { // where what comes along belongs
			if !slices.Contains(fields, f) && (p.Timeline == nil || p.Timeline.By.Name != f) {
				fields = append(fields, f)
			}
		}
		q.Set("fields", strings.Join(fields, ","))
	}
	for name, values := range map[string][]string{"marks": p.Marks, "with": with} {
		if len(values) > 0 {
			q.Set(name, strings.Join(values, ","))
		}
	}
	if ask.cursor != "" {
		q.Set("cursor", ask.cursor)
	}
	for name, value := range p.Given {
		q.Set(name, value)
	}
	own, looks := p.Params()
	names := design.FieldNames(own)
	if looks != "" {
		names = append(names, looks)
	}
	for _, name := range names {
		if ask.query.Has(name) {
			q.Set(name, ask.query.Get(name))
		}
	}
	return q
}

// allRefused is the first answer if all parts are refused, else nil.
func (a partAnswers) allRefused() *heldAnswer {
	for _, one := range a.answers {
		if one.status == http.StatusOK {
			return nil
		}
	}
	return a.answers[0]
}

func (a partAnswers) read() (documents int) {
	for _, one := range a.answers {
		documents += one.read()
	}
	return documents
}

// appendTo writes the answer: the parts by their names, and the problems of those that are refused.
func (a partAnswers) appendTo(text []byte) []byte {
	text = append(text, `{"parts":{`...)
	text = a.appendThose(text, true)
	text = append(text, '}')
	if refused := a.appendThose(nil, false); refused != nil {
		text = append(append(append(text, `,"refused":{`...), refused...), '}')
	}
	return append(text, '}')
}

// appendThose writes the answers that were given, or those that were refused. Names have no characters that JSON
// escapes.
func (a partAnswers) appendThose(text []byte, given bool) []byte {
	first := true
	for i, one := range a.answers {
		if (one.status == http.StatusOK) != given {
			continue
		}
		if !first {
			text = append(text, ',')
		}
		first = false
		text = append(append(append(text, '"'), a.parts[i].Name...), `":`...)
		text = append(text, one.body()...)
	}
	return text
}

// followScreen follows the parts of a screen that go on; those that do not are read once, as the stream begins.
func (s *API) followScreen(c *echo.Context) (*following, error) {
	name, of, err := screenIn(c)
	if err != nil {
		return nil, err
	}
	ask, err := s.screenAsked(c, name)
	if err == nil && c.QueryParams().Has("cursor") {
		err = problem.BadRequest("what is live is the first page: leave the cursor out")
	}
	if err == nil {
		err = s.settle(c)
	}
	if err == nil {
		err = s.findScreenOf(c, ask, of)
	}
	if err != nil {
		return nil, err
	}
	f, once := &following{name: "screen " + name, event: "screen"}, *ask
	once.parts = nil
	for _, p := range ask.parts {
		if !p.Live {
			once.parts = append(once.parts, p)
			continue
		}
		part, err := s.followPart(c, ask, p)
		if err != nil {
			return nil, err
		}
		f.parts = append(f.parts, part)
	}
	if len(f.parts) == 0 {
		return nil, problem.BadRequest(fmt.Sprintf("no part of the screen %q is live", name))
	}
	f.all = func(is []shown) ([]byte, error) {
		all, err := s.readParts(c, &once)
		for i, part := range f.parts {
			all.parts = append(all.parts, ask.Part(part.part))
			all.answers = append(all.answers, &heldAnswer{status: http.StatusOK, text: *bytes.NewBuffer(is[i].text)})
		}
		return all.appendTo(nil), err
	}
	return f, nil
}

// followPart follows a part of a screen as the read that it stands for.
func (s *API) followPart(c *echo.Context, ask *screenAsked, p *design.ScreenPart) (*follow, error) {
	to, err := s.pathOf(c, ask, p)
	if err != nil {
		return nil, err
	}
	begin := s.followDocument
	switch {
	case p.Timeline != nil:
		begin = s.followTimeline
	case p.List != nil:
		begin = s.followList
	}
	var f *follow
	if err := asking(c, to, func() (err error) { f, err = begin(c); return err }); err != nil {
		return nil, err
	}
	read := f.read
	f.part = p.Name
	f.read = func() (is shown, err error) {
		err = asking(c, to, func() (err error) { is, err = read(); return err })
		return is, err
	}
	return f, nil
}

// asking does something as if the request asked for another address.
func asking(c *echo.Context, to *url.URL, do func() error) error {
	r := c.Request()
	defer c.SetRequest(r)
	plain := r.WithContext(r.Context())
	plain.URL = to
	c.SetRequest(plain)
	return do()
}
