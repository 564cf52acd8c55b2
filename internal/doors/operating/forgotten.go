package operating

import (
	"encoding/json"
	"net/http"

	"github.com/labstack/echo/v5"

	"yalvo/internal/design"
	"yalvo/internal/doors/request"
)

// postForgotten begins to forget a document and every copy of what it said.
func (s *API) postForgotten(c *echo.Context) error {
	raw, err := request.Body(c, echo.MIMEApplicationJSON)
	if err != nil {
		return err
	}
	parts, err := request.Members(raw, "document")
	if err != nil {
		return err
	}
	var path string
	if err := json.Unmarshal(parts["document"], &path); err != nil || path == "" {
		return request.Wrong("/document", design.MistakeType, "document must be the path of one, as in \"members/ada\"")
	}
	who, err := request.Caller(c, raw)
	if err != nil {
		return err
	}
	got, err := s.Proof.Forget(c.Request().Context(), who, path)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusAccepted, got)
}

// getForgotten answers how far it has come, and in the end the report.
func (s *API) getForgotten(c *echo.Context) error {
	id, err := request.Number(c)
	if err != nil {
		return err
	}
	got, err := s.Proof.Forgetting(c.Request().Context(), id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, got)
}
