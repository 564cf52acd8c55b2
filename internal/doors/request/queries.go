package request

import (
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"yalvo/internal/design"
	"yalvo/internal/doors/problem"
)

// Number is the number in the path.
func Number(c *echo.Context) (int64, error) {
	id, err := strconv.ParseInt(c.Param("id"), 10, 64)
	if err != nil {
		return 0, problem.BadRequest("the number in the path must be a whole number, not " +
			strconv.Quote(c.Param("id")))
	}
	return id, nil
}

// Needed reads query parameters that must be there.
func Needed(c *echo.Context, names ...string) ([]string, error) {
	values := make([]string, len(names))
	for i, name := range names {
		if values[i] = c.QueryParam(name); values[i] == "" {
			return nil, problem.BadRequest("the query needs " + name)
		}
	}
	return values, nil
}

// Takes sees that the query has no parameters but those the handler reads.
func Takes(h echo.HandlerFunc, params ...string) echo.HandlerFunc {
	return func(c *echo.Context) error {
		if err := OnlyAsks(c, params...); err != nil {
			return err
		}
		return h(c)
	}
}

// OnlyAsks refuses parameters that mean nothing here: a mistyped one that is
// passed over gets an answer that looks right.
func OnlyAsks(c *echo.Context, params ...string) error {
	if c.Request().URL.RawQuery == "" {
		return nil
	}
	for name := range c.QueryParams() {
		if slices.Contains(params, name) {
			continue
		}
		detail := fmt.Sprintf("this request has no parameter %q", problem.Clip(name))
		switch near := design.Nearest(name, params); {
		case near != "":
			detail += fmt.Sprintf(", did you mean %q?", near)
		case len(params) == 0:
			detail += ", and takes none"
		default:
			detail += ": it takes " + strings.Join(params, ", ")
		}
		return problem.New(http.StatusBadRequest, problem.CodeBadRequest, detail)
	}
	return nil
}
