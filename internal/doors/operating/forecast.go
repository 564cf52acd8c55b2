package operating

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"yalvo/internal/design"
	"yalvo/internal/design/access"
	"yalvo/internal/design/alternatives"
	"yalvo/internal/design/findings"
	"yalvo/internal/design/forecast"
	"yalvo/internal/design/graph"
	"yalvo/internal/design/language"
	"yalvo/internal/design/plan"
	"yalvo/internal/doors/problem"
	"yalvo/internal/engine/measuring"
)

// mostSettings is how many values may stand in place of what a file has.
const mostSettings = 50

// postForecast answers with what a design costs under its workload; the running one if the body is empty.
func (s *API) postForecast(c *echo.Context) error {
	times := 1.0
	if text := c.QueryParam("times"); text != "" {
		var err error
		if times, err = strconv.ParseFloat(text, 64); err != nil || !(times > 0 && times <= forecast.MostScale) {
			return problem.BadRequest(fmt.Sprintf("times is more than 0, and %d at most", forecast.MostScale))
		}
	}
	d, err := s.designAsked(c)
	if err != nil {
		return err
	}
	if d.Workload == nil {
		return noWorkload()
	}
	p := plan.New(d, plan.Counted())
	f := forecast.Make(p, d.Workload, forecast.Shipped, times)
	return c.JSON(http.StatusOK, forecastAnswer{f, f.Costs(forecast.Shipped),
		forecast.Breaks(p, d.Workload, forecast.Shipped, forecast.Usual), forecast.Shipped})
}

func noWorkload() error {
	return problem.New(http.StatusUnprocessableEntity, "no-workload", "nothing is known of how much the app is "+
		"used: say so "+
		"under `workload` in the design")
}

// postAlternatives answers with what each choice of a design costs, and what the other would; of the running one if the
// body is empty.
func (s *API) postAlternatives(c *echo.Context) error {
	d, err := s.designAsked(c)
	if err == nil && d.Workload == nil {
		err = noWorkload()
	}
	if err != nil {
		return err
	}
	all, deliveries := alternatives.Of(d, d.Workload, forecast.Shipped)
	return c.JSON(http.StatusOK, map[string]any{"alternatives": all, "deliveries": deliveries,
		"rates": forecast.Shipped})
}

// getWorkload answers with a workload measured from the running app, as a design has it.
func (s *API) getWorkload(c *echo.Context) error {
	days := 7.0
	if text := c.QueryParam("days"); text != "" {
		var err error
		if days, err = strconv.ParseFloat(text, 64); err != nil || !(days > 0 && days <= mostDays) {
			return problem.BadRequest(fmt.Sprintf("days is more than 0, and %d at most", mostDays))
		}
	}
	text, err := measuring.Workload(c.Request().Context(), s.App, days)
	if err != nil {
		return err
	}
	return c.Blob(http.StatusOK, "application/yaml", []byte(text))
}

// mostDays is how far back it is looked what was done.
const mostDays = 366

// postFindings answers with what will hurt in a design; the running one if the body is empty.
func (s *API) postFindings(c *echo.Context) error {
	d, err := s.designAsked(c)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"findings": append([]findings.Finding{}, findings.Of(d)...)})
}

// postGraph answers with a design as things and what runs between them; with the running one if the body is empty.
func (s *API) postGraph(c *echo.Context) error {
	d, err := s.designAsked(c)
	if err != nil {
		return err
	}
	g := graph.Of(d)
	g.Weigh(d, forecast.Shipped)
	return c.JSON(http.StatusOK, g)
}

// designAsked is the design that a request is about, with the values that it sets.
func (s *API) designAsked(c *echo.Context) (*design.Design, error) {
	settings, err := settingsIn(c)
	if err != nil {
		return nil, err
	}
	name, source, err := s.designOrRunning(c)
	if err != nil {
		return nil, err
	}
	d, err := language.ReadWith(name, source, settings)
	if err == nil {
		err = access.Problems(name, d)
	}
	if err != nil {
		return nil, designProblem(err)
	}
	return d, nil
}

type forecastAnswer struct {
	Forecast forecast.Forecast `json:"forecast"`
	Costs    []forecast.Cost   `json:"costs"` // of a day, apart, what costs most first
	Breaks   []forecast.Break  `json:"breaks"`
	Rates    forecast.Rates    `json:"rates"`
}

// settingsIn are the values in the query that stand in place of what the file has.
func settingsIn(c *echo.Context) ([]language.Setting, error) {
	var all []language.Setting
	for _, text := range c.QueryParams()["set"] {
		path, value, is := strings.Cut(text, "=")
		if !is || path == "" || len(all) == mostSettings {
			return nil, problem.BadRequest(fmt.Sprintf("set is PATH=VALUE, as in timelines.home.deliver=pull, %d "+
				"times at most, "+
				"not %q", mostSettings, problem.Clip(text)))
		}
		all = append(all, language.Setting{Path: path, Value: value})
	}
	return all, nil
}

// designOrRunning is the design in the body, or that in force if there is none.
func (s *API) designOrRunning(c *echo.Context) (string, []byte, error) {
	if c.Request().ContentLength == 0 {
		if _, err := s.plan(c); err != nil {
			return "", nil, err
		}
		d, _, err := s.App.Design(c.Request().Context())
		return d.File, []byte(d.Source), err
	}
	return designText(c)
}
