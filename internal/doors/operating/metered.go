package operating

import (
	"fmt"
	"net/http"
	"strconv"
	"time"

	"github.com/labstack/echo/v5"

	"yalvo/internal/doors/problem"
	"yalvo/internal/engine/metering"
	"yalvo/internal/engine/store/metersql"
)

// meteredAnswer is what was really read and written in a span of time, which begins with an hour.
type meteredAnswer struct {
	From    time.Time          `json:"from"`
	Until   time.Time          `json:"until"`
	Metered []metersql.Metered `json:"metered"`
}

// getMetered answers what was really read and written in the last hours, of all services: all together, or by the hour.
func (s *API) getMetered(c *echo.Context) error {
	hours, most := 24, int(metering.Age/time.Hour)
	if text := c.QueryParam("hours"); text != "" {
		var err error
		if hours, err = strconv.Atoi(text); err != nil || hours < 1 || hours > most {
			return problem.BadRequest(fmt.Sprintf("hours is a whole number from 1 to %d: so long it is kept", most))
		}
	}
	by := c.QueryParam("by")
	if by != "" && by != "hour" {
		return problem.BadRequest("by is hour, or left out for all hours together")
	}
	until := time.Now().UTC()
	from := until.Truncate(time.Hour).Add(-time.Duration(hours-1) * time.Hour)
	all, err := s.App.Meter.Between(c.Request().Context(), s.App.Store, from, until, by == "hour")
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, meteredAnswer{from, until, append([]metersql.Metered{}, all...)})
}
