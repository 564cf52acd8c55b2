package server

import (
	"errors"
	"io/fs"
	"mime"
	"net/http"
	"path"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"yalvo/internal/doors/openapi"
	"yalvo/internal/doors/problem"
)

// consolePages are the addresses of the console's pages, as its router has them.
var consolePages = []string{"/", "/documents", "/documents/*", "/lists", "/lists/:list", "/together", "/audit",
	"/design", "/design/picture", "/design/forecast",
	"/design/drafts", "/design/drafts/:draft", "/screens", "/changes/:position",
	"/access", "/calls", "/parked", "/enter", "/forgotten/:id"}

// consoleRoutes are the console's pages and files. A person at another address
// gets the console's page that says so, a program a problem; both are 404.
func (s *Server) consoleRoutes(e *echo.Echo) {
	for _, page := range consolePages {
		e.GET(page, s.consolePage(http.StatusOK), securely)
	}
	for _, file := range s.filesAtTheTop() {
		e.GET("/"+file, s.consoleFile, securely)
	}
	e.GET("/assets/*", s.consoleFile, securely)
	routes := e.Router().Routes()
	e.RouteNotFound("/*", func(c *echo.Context) error {
		r := c.Request()
		if methods := methodsAt(routes, r.URL.Path); len(methods) > 0 { // this handler comes before the router's own
			c.Response().Header().Set("Allow", strings.Join(methods, ", "))
			return echo.ErrMethodNotAllowed
		}
		if strings.HasPrefix(r.URL.Path, openapi.Prefix+"/") || !strings.Contains(r.Header.Get("Accept"), "text/html") {
			return echo.ErrNotFound
		}
		return securely(s.consolePage(http.StatusNotFound))(c)
	})
}

// methodsAt are the methods of the routes that lead to a path, OPTIONS first as the router
// has it; none if no route does.
func methodsAt(routes echo.Routes, at string) []string {
	var methods []string
	for _, r := range routes {
		if leadsTo(strings.Split(r.Path, "/"), strings.Split(at, "/")) {
			methods = append(methods, r.Method)
		}
	}
	if len(methods) == 0 {
		return nil
	}
	slices.Sort(methods)
	return append([]string{http.MethodOptions}, slices.Compact(methods)...)
}

// leadsTo tells whether a path has the form of a route, both by their parts.
func leadsTo(route, at []string) bool {
	for i, part := range route {
		switch {
		case part == "*":
			return i < len(at)
		case i >= len(at) || part != at[i] && !strings.HasPrefix(part, ":"):
			return false
		}
	}
	return len(route) == len(at)
}

// filesAtTheTop are files that do not lie among the assets, such as the mark.
func (s *Server) filesAtTheTop() []string {
	entries, err := fs.ReadDir(s.console, ".")
	if err != nil {
		return nil // a program without its console
	}
	var names []string
	for _, e := range entries {
		if !e.IsDir() && e.Name() != "index.html" {
			names = append(names, e.Name())
		}
	}
	return names
}

// consolePage serves the console, which finds out itself what page it is to show.
func (s *Server) consolePage(status int) echo.HandlerFunc {
	return func(c *echo.Context) error {
		content, err := fs.ReadFile(s.console, "index.html")
		if errors.Is(err, fs.ErrNotExist) {
			return problem.New(http.StatusNotFound, problem.CodeNoRoute,
				"this program was built without its console: run `make build`")
		}
		if err != nil {
			return err
		}
		c.Response().Header().Set("Cache-Control", "no-cache")
		return c.HTMLBlob(status, content)
	}
}

// consoleFile serves a file. Assets are named after their content.
func (s *Server) consoleFile(c *echo.Context) error {
	name := strings.TrimPrefix(c.Request().URL.Path, "/")
	content, err := fs.ReadFile(s.console, name) // which takes no path with dots in it
	if errors.Is(err, fs.ErrNotExist) || errors.Is(err, fs.ErrInvalid) {
		return echo.ErrNotFound
	}
	if err != nil {
		return err
	}
	if strings.HasPrefix(name, "assets/") {
		c.Response().Header().Set("Cache-Control", "public, max-age=31536000, immutable")
	}
	return c.Blob(http.StatusOK, mime.TypeByExtension(path.Ext(name)), content)
}

// securely adds what keeps a browser from doing with the console's pages what they are not
// for. Element styles are set by the component kit.
func securely(next echo.HandlerFunc) echo.HandlerFunc {
	const policy = "default-src 'none'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; " +
		"font-src 'self'; connect-src 'self'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
	return func(c *echo.Context) error {
		h := c.Response().Header()
		h.Set(echo.HeaderContentSecurityPolicy, policy)
		h.Set(echo.HeaderXContentTypeOptions, "nosniff")
		h.Set(echo.HeaderReferrerPolicy, "no-referrer")
		return next(c)
	}
}
