package operating

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"yalvo/internal/design"
	"yalvo/internal/design/access"
	"yalvo/internal/design/language"
	"yalvo/internal/design/plan"
	"yalvo/internal/doors/problem"
	"yalvo/internal/doors/request"
	"yalvo/internal/engine/versions"
)

// applied is the answer to a design that was put in force.
type applied struct {
	Version int         `json:"version"`
	Changed bool        `json:"changed"`
	Steps   int         `json:"steps"`             // to be done to what is stored, in the background
	Without []string    `json:"without,omitempty"` // services that go on with the design before it for now
	Rules   []plan.Rule `json:"rules"`
}

// designIn reads the design in a request; ?name= is its file's name in messages.
func designIn(c *echo.Context) (string, *design.Design, error) {
	name, raw, err := designText(c)
	if err != nil {
		return "", nil, err
	}
	d, err := language.Read(name, raw)
	if err == nil {
		err = access.Problems(name, d)
	}
	if err != nil {
		return name, nil, designProblem(err)
	}
	return name, d, nil
}

// designText is the text of a design in the body, and what it is called in messages.
func designText(c *echo.Context) (string, []byte, error) {
	if err := request.CheckMediaType(c, "application/yaml", echo.MIMEApplicationJSON); err != nil {
		return "", nil, err
	}
	raw, err := request.RawBody(c, language.MaxSize)
	name := c.QueryParam("name")
	if name == "" {
		name = "design.yaml"
	}
	return name, raw, err
}

// putDesign checks a design and puts it in force. If-Match names the version it was
// compared with, ?drop= the facts that may be lost, ?by= who asks for it.
func (s *API) putDesign(c *echo.Context) error {
	name, d, err := designIn(c)
	if err != nil {
		return err
	}
	return s.apply(c, versions.Request{File: name, Design: d})
}

func (s *API) apply(c *echo.Context, r versions.Request) error {
	base, err := request.IfMatch(c)
	if err != nil {
		return err
	}
	r.Base, r.Author = int(base), c.QueryParam("by")
	if len(r.Author) > mostAuthor {
		return problem.BadRequest(fmt.Sprintf("by may have %d bytes", mostAuthor))
	}
	if drop := c.QueryParam("drop"); drop != "" {
		r.Drop = strings.Split(drop, ",")
	}
	got, err := s.Versions.Apply(c.Request().Context(), r)
	if err != nil {
		return designProblem(err)
	}
	p, err := s.plan(c)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, applied{got.Version, got.Changed, got.Steps, got.Without, p.Rules()})
}

// mostAuthor is how many bytes the name of who applies a design may have.
const mostAuthor = 200

// postDifference says what a design would change, and how long that would take.
func (s *API) postDifference(c *echo.Context) error {
	name, d, err := designIn(c)
	if err != nil {
		return err
	}
	return s.difference(c, name, d)
}

func (s *API) difference(c *echo.Context, name string, d *design.Design) error {
	diff, err := s.Versions.Diff(c.Request().Context(), name, d)
	if err != nil {
		return designProblem(err)
	}
	return c.JSON(http.StatusOK, diff)
}

// getVersions lists the newest versions of the design.
func (s *API) getVersions(c *echo.Context) error {
	many, err := request.Limit(c)
	if err != nil {
		return err
	}
	all, err := s.Versions.Versions(c.Request().Context(), many)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"versions": all})
}

func versionAsked(c *echo.Context) (int, error) {
	n, err := strconv.Atoi(c.Param("version"))
	if err != nil || n < 1 || n > 1<<31-1 {
		return 0, problem.BadRequest(fmt.Sprintf("%q is no version of the design: it is "+
			"a whole number from 1 on", problem.Clip(c.Param("version"))))
	}
	return n, nil
}

func (s *API) getVersion(c *echo.Context) error {
	n, err := versionAsked(c)
	if err != nil {
		return err
	}
	v, err := s.Versions.Version(c.Request().Context(), n)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, v)
}

// versionDifference says what going back to a version would change.
func (s *API) versionDifference(c *echo.Context) error {
	n, err := versionAsked(c)
	if err != nil {
		return err
	}
	d, name, err := s.Versions.Back(c.Request().Context(), n)
	if err != nil {
		return err
	}
	return s.difference(c, name, d)
}

// applyVersion puts a version in force once more.
func (s *API) applyVersion(c *echo.Context) error {
	n, err := versionAsked(c)
	if err != nil {
		return err
	}
	d, name, err := s.Versions.Back(c.Request().Context(), n)
	if err != nil {
		return err
	}
	return s.apply(c, versions.Request{File: name, Design: d})
}

// getMisfits counts documents that do not fit the design; of one field and code it
// is a page of them.
func (s *API) getMisfits(c *echo.Context) error {
	ctx := c.Request().Context()
	of, field, code := c.QueryParam("of"), c.QueryParam("field"), c.QueryParam("code")
	if of == "" {
		if field+code+c.QueryParam("after") != "" {
			return problem.BadRequest("of, field and code go together")
		}
		all, err := s.Versions.Misfits(ctx)
		if err != nil {
			return err
		}
		return c.JSON(http.StatusOK, map[string]any{"misfits": all})
	}
	many, err := request.Limit(c)
	if err != nil {
		return err
	}
	var after int64
	if text := c.QueryParam("after"); text != "" {
		if after, err = strconv.ParseInt(text, 10, 64); err != nil || after < 0 {
			return problem.BadRequest("after is the next of the page before")
		}
	}
	page, err := s.Versions.MisfitsOf(ctx, of, field, code, after, many)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"misfits": []versions.Misfits{page}})
}
