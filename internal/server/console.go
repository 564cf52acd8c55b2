package server

import (
	"errors"
	"io/fs"
	"mime"
	"net/http"
	"path"
	"strings"

	"github.com/labstack/echo/v5"
)

// serveConsole serves the console's files. Paths that are no file are pages of
// the console, which finds out itself what they are.
func (s *Server) serveConsole(c *echo.Context) error {
	name := strings.TrimPrefix(path.Clean(c.Request().URL.Path), "/")
	content, err := fs.ReadFile(s.console, name)
	if err != nil {
		if strings.HasPrefix(name, "assets/") || strings.HasPrefix(name, "v1/") {
			return echo.ErrNotFound
		}
		name = "index.html"
		if content, err = fs.ReadFile(s.console, name); errors.Is(err, fs.ErrNotExist) {
			return newProblem(http.StatusNotFound, codeNoRoute,
				"this program was built without its console: run `make build`")
		}
	}
	if err != nil {
		return err
	}
	if strings.HasPrefix(name, "assets/") { // named after their content
		c.Response().Header().Set("Cache-Control", "public, max-age=31536000, immutable")
	} else {
		c.Response().Header().Set("Cache-Control", "no-cache")
	}
	return c.Blob(http.StatusOK, mime.TypeByExtension(path.Ext(name)), content)
}
