package api

import (
	"strconv"

	"github.com/labstack/echo/v5"

	"yalvo/internal/doors/openapi"
	"yalvo/internal/engine/metering"
)

// meteredKey is under what of a request stands what it is counted as, and partKey marks a read that is part of a
// screen.
const (
	meteredKey = "metered"
	partKey    = "part of a screen"
)

// countAs says what a read is counted as, when it is answered: see [API.meter].
func countAs(c *echo.Context, kind metering.Kind, name string) {
	c.Set(meteredKey, metering.Of{Kind: kind, Name: name})
}

// meter counts an answer. Parts of a screen are counted with that.
func (s *API) meter(c *echo.Context, text []byte, unchanged bool) {
	of, counted := c.Get(meteredKey).(metering.Of)
	if !counted || c.Get(partKey) != nil {
		return
	}
	documents, _ := strconv.ParseInt(c.Response().Header().Get(openapi.HeaderRead), 10, 64) // none: none were read
	counts := metering.Counts{Times: 1, Documents: documents, Bytes: int64(len(text))}
	if unchanged {
		counts.Unchanged = 1
	}
	s.App.Meter.Add(of, counts)
}

// meterLive counts what a stream reads: once as it begins, and each time that it looks again.
func (s *API) meterLive(f *following, times int64, bytes int, read ...shown) {
	counts := metering.Counts{Times: times, Bytes: int64(bytes)}
	for _, is := range read {
		counts.Documents += int64(len(is.Items))
	}
	s.App.Meter.Add(metering.Of{Kind: metering.Live, Name: f.name}, counts)
}
