package api

import (
	"encoding/json"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"yalvo/internal/design"
	"yalvo/internal/doors/openapi"
	"yalvo/internal/doors/problem"
	"yalvo/internal/doors/request"
	"yalvo/internal/engine/documents"
	"yalvo/internal/engine/facts"
	"yalvo/internal/engine/metering"
	"yalvo/internal/engine/running"
)

// The media types of patches.
const (
	mimeMergePatch = openapi.MergePatch
	mimeJSONPatch  = openapi.JSONPatch
)

// spot is what a path under /collections leads to: a collection, a document,
// or a name after a document.
type spot struct {
	collection string
	key        string // a document's key; of a collection, its parent's; both may be empty
	name       string // after a document: nested collection, side of a pair, or inverse
	document   bool
}

// shown is what a page shows: a collection, or what a name of its documents leads to.
func (w spot) shown() string {
	if w.name == "" {
		return "page of " + w.collection
	}
	return w.collection + "." + w.name
}

// spotOf reads the path: collections and ids by turns, and maybe a name.
func (s *API) spotOf(c *echo.Context) (spot, error) {
	parts, err := request.Segments(c, "/collections")
	if err != nil {
		return spot{}, err
	}
	v, err := s.App.Now(c.Request().Context())
	if err != nil {
		return spot{}, err
	}
	at := v.Plan.Collection(parts[0])
	if at == nil || at.Parent != nil && len(parts) > 1 {
		return spot{}, noneAtTop(v, parts[0])
	}
	where := spot{collection: parts[0]}
	for i := 1; i < len(parts); i++ {
		if i%2 == 1 {
			if wrong := design.CheckID(parts[i]); wrong != "" {
				return spot{}, problem.BadRequest("in the path: " + wrong)
			}
			where.key, where.document = joinKey(where.key, parts[i]), true
			continue
		}
		where.name = parts[i]
		for _, nested := range at.Nested {
			if nested.Name == parts[i] {
				at = nested
				where.collection, where.name, where.document = nested.Name, "", false
				break
			}
		}
		if where.name != "" && i+1 < len(parts) {
			return spot{}, unknown("no documents lie under %q of %q", parts[i], at.Name)
		}
	}
	return where, nil
}

// noneAtTop refuses a path whose first name is no collection, or one of nested documents.
func noneAtTop(v *running.Version, name string) error {
	nested, err := v.Collection(name)
	if err != nil {
		return err
	}
	return unknown("documents of %q lie under others: write %s/ID/%s/ID", name, nested.Parent.Name, name)
}

func joinKey(parent, id string) string {
	if parent == "" {
		return id
	}
	return parent + "/" + id
}

func unknown(detail string, args ...any) error {
	return running.Refuse(running.CodeUnknownName, detail, args...)
}

func (s *API) getAt(c *echo.Context) error {
	where, err := s.spotOf(c)
	if err != nil {
		return err
	}
	alone := where.document && where.name == ""
	params := append([]string{"settled", "patience"}, showParams...)
	if !alone {
		params = append(params, "limit", "cursor")
	}
	unique := ""
	if where.name == "" && !alone {
		params = append(params, "prefix")
		var names []string
		if names, unique, err = s.uniqueAsked(c, where.collection, params); err != nil {
			return err
		}
		params = append(params, names...)
	}
	if query := c.QueryParams(); alone && (query.Has("limit") || query.Has("cursor") || query.Has("prefix")) {
		return problem.BadRequest("this path leads to one document, and only pages take limit, cursor and prefix")
	}
	if err := request.OnlyAsks(c, params...); err != nil {
		return err
	}
	if err := s.settle(c); err != nil {
		return err
	}
	asked, err := showingAsked(c)
	if err != nil {
		return err
	}
	if alone {
		return s.getDocument(c, where, asked)
	}
	page, err := s.Cursors.Page(c)
	if err != nil {
		return err
	}
	if page.Prefix = c.QueryParam("prefix"); page.Prefix != "" {
		if wrong := design.CheckID(page.Prefix); wrong != "" {
			return problem.BadRequest("prefix must be the beginning of an id: " + wrong)
		}
	}
	who := request.Viewer(c)
	var got documents.Documents
	switch {
	case unique != "":
		got, err = s.Documents.ByUnique(c.Request().Context(), who, where.collection, where.key, unique,
			c.QueryParam(unique))
	case where.name != "":
		got, err = s.Documents.Linked(c.Request().Context(), who, where.collection, where.key, where.name, page)
	default:
		got, err = s.Documents.Collection(c.Request().Context(), who, where.collection, where.key, page)
	}
	if err != nil {
		return err
	}
	countAs(c, metering.Read, where.shown())
	return s.answerPage(c, got, asked, where.name != "")
}

// uniqueAsked are the unique fields of a collection that a page of it can be asked by, and
// the one that it is asked by, empty for none.
func (s *API) uniqueAsked(c *echo.Context, collection string, taken []string) (names []string, asked string,
	err error) {
	v, err := s.App.Now(c.Request().Context())
	if err != nil {
		return nil, "", err
	}
	query := c.QueryParams()
	for _, u := range v.Plan.Collection(collection).Uniques {
		if slices.Contains(taken, u.Name) {
			continue
		}
		names = append(names, u.Name)
		if !query.Has(u.Name) {
			continue
		}
		if asked != "" || query.Has("cursor") || query.Has("prefix") {
			return nil, "", problem.BadRequest(
				"a page can be asked by one unique value, and then takes neither cursor nor prefix")
		}
		asked = u.Name
	}
	return names, asked, nil
}

func (s *API) getDocument(c *echo.Context, where spot, asked showing) error {
	one, err := s.oneDocument(c, where, asked)
	if err != nil {
		return err
	}
	request.Cost(c, 1+len(one.With), 0)
	countAs(c, metering.Read, "one of "+where.collection)
	return s.answerDocument(c, one.Version, one)
}

func (s *API) oneDocument(c *echo.Context, where spot, asked showing) (listed, error) {
	got, err := s.Documents.Document(c.Request().Context(), request.Viewer(c), where.collection, where.key)
	if err != nil {
		return listed{}, err
	}
	marked, err := s.marked(c, asked.marks, got.Markable)
	if err != nil {
		return listed{}, err
	}
	with, err := s.alongDocuments(c, asked, got)
	if err != nil {
		return listed{}, err
	}
	one := []listed{{Document: got.Documents[0], With: with}}
	if marked != nil {
		one[0].Marks = marked[0]
	}
	err = asked.chosen(got.Of, one)
	return one[0], err
}

// documentPage is a page of documents; linked ones say since when.
type documentPage struct {
	Documents []listed `json:"documents"`
	Next      string   `json:"next,omitempty"`

	With map[string]running.Document `json:"with,omitempty"` // brought along, by path
}

// text is the page in JSON. As of a timeline's, what the documents hold is not looked through
// again: it stands there as it was stored.
func (p documentPage) text() ([]byte, error) { return p.appendTo(nil) }

func (p documentPage) appendTo(text []byte) ([]byte, error) {
	size := 64
	for _, d := range p.Documents {
		size += 256 + len(d.Path) + len(d.Facts) + len(d.Kept) + len(d.Marks) + len(d.Pair)
	}
	text = append(slices.Grow(text, size), `{"documents":[`...)
	for i := range p.Documents {
		if i > 0 {
			text = append(text, ',')
		}
		text = p.Documents[i].appendTo(text)
	}
	text = append(text, ']')
	if p.Next != "" {
		text = append(append(append(text, `,"next":"`...), p.Next...), '"')
	}
	if p.With != nil {
		with, err := json.Marshal(p.With)
		if err != nil {
			return nil, err
		}
		text = append(append(text, `,"with":`...), with...)
	}
	return append(text, '}'), nil
}

func (d *listed) appendTo(text []byte) []byte {
	text = append(append(text, `{"id":"`...), d.ID...)
	text = append(append(text, `","path":"`...), d.Path...)
	text = strconv.AppendInt(append(text, `","version":`...), d.Version, 10)
	text = d.Created.AppendFormat(append(text, `,"created":"`...), time.RFC3339Nano)
	text = d.Updated.AppendFormat(append(text, `","updated":"`...), time.RFC3339Nano)
	text = append(append(text, `","facts":`...), d.Facts...)
	text = append(append(text, `,"kept":`...), d.Kept...)
	if len(d.Building) > 0 {
		text = append(text, `,"building":["`+strings.Join(d.Building, `","`)+`"]`...)
	}
	if d.Since != nil {
		text = append(d.Since.AppendFormat(append(text, `,"since":"`...), time.RFC3339Nano), '"')
	}
	for _, part := range []struct {
		name  string
		value json.RawMessage
	}{{"pair", d.Pair}, {"marks", d.Marks}} {
		if len(part.value) > 0 {
			text = append(append(text, `,"`+part.name+`":`...), part.value...)
		}
	}
	if d.Top {
		text = append(text, `,"top":true`...)
	}
	return append(text, '}')
}

type listed struct {
	running.Document
	Since *time.Time      `json:"since,omitempty"`
	Pair  json.RawMessage `json:"pair,omitempty"` // the pair's own facts, if its kind has fields
	Top   bool            `json:"top,omitempty"`  // it stands on top whatever the order
	Marks json.RawMessage `json:"marks,omitempty"`

	With map[string]running.Document `json:"with,omitempty"` // of one that is read alone: as of a page
}

func (s *API) answerPage(c *echo.Context, got documents.Documents, asked showing, since bool) error {
	page, err := s.pageOf(c, got, asked, since)
	if err != nil {
		return err
	}
	request.Cost(c, len(page.Documents)+len(page.With), 0)
	return s.answerPageText(c, page.appendTo)
}

// pageOf is a page as it is asked for.
func (s *API) pageOf(c *echo.Context, got documents.Documents, asked showing, since bool) (documentPage, error) {
	marked, err := s.marked(c, asked.marks, got.Markable)
	if err != nil {
		return documentPage{}, err
	}
	next, err := s.Cursors.Write(c, got.Next)
	if err != nil {
		return documentPage{}, err
	}
	page := documentPage{Documents: make([]listed, len(got.Documents)), Next: next}
	if page.With, err = s.alongDocuments(c, asked, got); err != nil {
		return documentPage{}, err
	}
	for i := range got.Documents {
		one := &page.Documents[i]
		one.Document = got.Documents[i]
		if since {
			one.Since = &got.Times[i]
		}
		if got.PairFacts != nil {
			one.Pair = got.PairFacts[i]
		}
		one.Top = got.Tops != 0 && got.Rows[i] == got.Tops
		if marked != nil {
			one.Marks = marked[i]
		}
	}
	return page, asked.chosen(got.Of, page.Documents)
}

func (s *API) postAt(c *echo.Context) error {
	where, err := s.spotOf(c)
	if err != nil {
		return err
	}
	if where.document {
		return unknown("documents are created in a collection: POST to the path without the last part")
	}
	raw, err := request.Body(c, echo.MIMEApplicationJSON)
	if err != nil {
		return err
	}
	given, err := request.Members(raw, "id", "facts")
	if err != nil {
		return err
	}
	draft := facts.Draft{Collection: where.collection, Parent: where.key, Facts: map[string]any{}}
	if id, ok := given["id"]; ok {
		if err := json.Unmarshal(id, &draft.ID); err != nil || draft.ID == "" {
			return request.Wrong("/id", design.MistakeType, "the id must be a string of letters, digits, _ and -")
		}
	}
	if said, ok := given["facts"]; ok {
		if draft.Facts, err = request.Object("/facts", said); err != nil {
			return err
		}
	}
	who, err := request.Caller(c, raw)
	if err != nil {
		return err
	}
	result, err := s.Facts.Create(c.Request().Context(), who, draft)
	if err != nil {
		return err
	}
	status := http.StatusCreated
	if !result.Fresh {
		status = http.StatusOK
	}
	c.Response().Header().Set("Location", openapi.Prefix+"/collections/"+result.Document.Path)
	return s.answerWrite(c, status, result)
}

func (s *API) answerWrite(c *echo.Context, status int, result facts.Result) error {
	request.Cost(c, result.Read, result.Wrote)
	if err := s.Positions.Tell(c, result.Position); err != nil {
		return err
	}
	c.Response().Header().Set("ETag", request.ETag(result.Document.Version))
	return c.JSON(status, result.Document)
}

// documentIn reads the target of an edit or a removal.
func (s *API) documentIn(c *echo.Context) (facts.Target, error) {
	where, err := s.spotOf(c)
	if err != nil {
		return facts.Target{}, err
	}
	if !where.document || where.name != "" {
		return facts.Target{}, unknown("only documents can be edited and removed, and this path leads to %q",
			c.Request().URL.Path)
	}
	version, err := request.IfMatch(c)
	return facts.Target{Collection: where.collection, Key: where.key, Version: version}, err
}

func (s *API) patchAt(c *echo.Context) error {
	target, err := s.documentIn(c)
	if err != nil {
		return err
	}
	raw, err := request.Body(c, mimeMergePatch, mimeJSONPatch, echo.MIMEApplicationJSON)
	if err != nil {
		return err
	}
	patch, err := patchIn(c, raw)
	if err != nil {
		return err
	}
	who, err := request.Caller(c, raw)
	if err != nil {
		return err
	}
	result, err := s.Facts.Patch(c.Request().Context(), who, target, patch)
	if err != nil {
		return err
	}
	return s.answerWrite(c, http.StatusOK, result)
}

// patchIn reads the kind of patch that the Content-Type says: plain JSON is
// taken for a merge patch.
func patchIn(c *echo.Context, raw []byte) (facts.Patch, error) {
	if strings.HasPrefix(c.Request().Header.Get(echo.HeaderContentType), mimeJSONPatch) {
		return facts.ReadOperations(raw)
	}
	given, err := request.Members(raw, "facts")
	if err != nil {
		return nil, err
	}
	patch, ok := given["facts"]
	if !ok {
		patch = json.RawMessage("{}")
	}
	if _, err := request.Object("/facts", patch); err != nil {
		return nil, err
	}
	return facts.MergePatch(patch), nil
}

func (s *API) deleteAt(c *echo.Context) error {
	target, err := s.documentIn(c)
	if err != nil {
		return err
	}
	who, err := request.Caller(c, nil)
	if err != nil {
		return err
	}
	result, err := s.Facts.Remove(c.Request().Context(), who, target)
	if err != nil {
		return err
	}
	return s.answerWrite(c, http.StatusOK, result)
}
