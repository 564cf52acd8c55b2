package server

import (
	"net/http"

	"github.com/labstack/echo/v5"
)

func (s *Server) healthz(c *echo.Context) error {
	return c.JSON(http.StatusOK, map[string]string{"status": "alive"})
}

// readyz: the database answers. Without a design the service is ready for one.
func (s *Server) readyz(c *echo.Context) error {
	if err := s.App.Ready(c.Request().Context()); err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]string{"status": "ready"})
}
