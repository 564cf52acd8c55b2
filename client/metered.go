package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"
	"time"
)

// Metered is what was really read and written, by all services of an app.
type Metered struct {
	From    time.Time `json:"from"`
	Until   time.Time `json:"until"`
	Metered []Meter   `json:"metered"`
}

// Meter is what was counted of one thing.
type Meter struct {
	Hour      *time.Time `json:"hour,omitempty"` // that began then; nil: of all that were asked for
	Kind      string     `json:"kind"`           // screen, read, live, action, along, kept or timeline
	Name      string     `json:"name"`
	Times     int64      `json:"times"`
	Unchanged int64      `json:"unchanged"`
	Documents int64      `json:"documents"`
	Pairs     int64      `json:"pairs"`
	Entries   int64      `json:"entries"`
	Kept      int64      `json:"kept"`
	Sent      int64      `json:"sent"`
	Bytes     int64      `json:"bytes"`
}

// Metered reads what was counted in the last hours, this one among them: all together, or by the hour.
func (c *Client) Metered(ctx context.Context, hours int, byHour bool) (Metered, error) {
	query := url.Values{"hours": {strconv.Itoa(hours)}}
	if byHour {
		query.Set("by", "hour")
	}
	var m Metered
	_, err := c.call(ctx, http.MethodGet, "/metered", query, "", nil, &m)
	return m, err
}
