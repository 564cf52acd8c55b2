package operating

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"time"

	"filippo.io/age"
	"github.com/labstack/echo/v5"

	"yalvo/internal/doors/gate"
	"yalvo/internal/doors/problem"
	"yalvo/internal/doors/request"
	"yalvo/internal/engine/bulk"
	"yalvo/internal/engine/versions"
)

// Bulk is bounded: so many dumps at once, and so many bytes of lines in a request.
const (
	mostDumps = 2
	maxLines  = 5 << 20
	ndjson    = "application/x-ndjson"
)

// getDump sends all facts as of one moment, a line each. Who stops reading for as
// long as an event may take ends it.
func (s *API) getDump(c *echo.Context) error { return s.dump(c, nil) }

// mostSeal is how long the words may be that say how a dump is opened.
const mostSeal = 4 << 10

// getSealedDump is a dump with what accounts and operators sign in with, sealed for who has asked for it: the key that
// opens it never comes here.
func (s *API) getSealedDump(c *echo.Context) error {
	to, err := age.ParseX25519Recipient(c.QueryParam("to"))
	if err != nil {
		return problem.BadRequest("`to` must be a recipient of age, as in age1…, whose identity opens what is sealed")
	}
	seal := c.QueryParam("seal")
	if seal == "" || len(seal) > mostSeal {
		return problem.BadRequest(fmt.Sprintf("`seal` must say how what is sealed is opened, in %d bytes at most",
			mostSeal))
	}
	return s.dump(c, &bulk.Sealing{To: to, Seal: seal})
}

func (s *API) dump(c *echo.Context, sealing *bulk.Sealing) error {
	end, fits := s.dumps.Add(1)
	if !fits {
		return problem.Busy("others are being dumped to")
	}
	defer end()
	if _, err := s.plan(c); err != nil {
		return err
	}
	h := c.Response().Header()
	h.Set(echo.HeaderContentType, ndjson)
	h.Set("Cache-Control", "no-store")
	if c.Request().Method == http.MethodHead {
		return c.NoContent(http.StatusOK)
	}
	return s.Bulk.Dump(c.Request().Context(), patient{c}, sealing)
}

// patient is an answer each part of which has its own time.
type patient struct{ c *echo.Context }

// Write sends a part.
func (p patient) Write(part []byte) (int, error) {
	err := http.NewResponseController(p.c.Response()).SetWriteDeadline(time.Now().Add(gate.EventTime))
	if err != nil {
		return 0, err
	}
	return p.c.Response().Write(part)
}

// loadState says by which version of the design facts are loaded: its steps say how
// far what follows from them is.
type loadState struct {
	Version int              `json:"version"`
	Loose   []versions.Loose `json:"loose,omitempty"` // what was loaded and points at what is not there
}

func (s *API) beginLoad(c *echo.Context) error {
	if err := request.NoBody(c); err != nil {
		return err
	}
	if err := s.Album.TakeUp(c.Request().Context()); err != nil { // what is going to be loaded refers to its pictures
		return err
	}
	version, err := s.Versions.BeginLoad(c.Request().Context())
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, loadState{Version: version})
}

func (s *API) endLoad(c *echo.Context) error {
	if err := request.NoBody(c); err != nil {
		return err
	}
	version, loose, err := s.Versions.EndLoad(c.Request().Context())
	if err != nil {
		return err
	}
	return c.JSON(http.StatusAccepted, loadState{version, loose})
}

// postLines loads lines, and tells which of them cannot be.
func (s *API) postLines(c *echo.Context) error {
	if err := request.CheckMediaType(c, ndjson); err != nil {
		return err
	}
	raw, err := request.RawBody(c, maxLines)
	if err != nil {
		return err
	}
	got, err := s.Bulk.Load(c.Request().Context(), raw)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, got)
}

// postSecrets loads what accounts and operators sign in with, opened by whoever loads it.
func (s *API) postSecrets(c *echo.Context) error {
	if err := request.CheckMediaType(c, ndjson); err != nil {
		return err
	}
	raw, err := request.RawBody(c, maxLines)
	if err != nil {
		return err
	}
	got, err := s.Bulk.LoadSecrets(c.Request().Context(), raw)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, got)
}

// postBrought remembers what bringing an app along came to.
func (s *API) postBrought(c *echo.Context) error {
	raw, err := request.Body(c, echo.MIMEApplicationJSON)
	if err != nil {
		return err
	}
	var b bulk.Brought
	dec := json.NewDecoder(bytes.NewReader(raw))
	dec.DisallowUnknownFields()
	if err := dec.Decode(&b); err != nil {
		return problem.BadRequest("the body is no report on an app that was brought along")
	}
	if err := s.Bulk.NoteBrought(c.Request().Context(), b); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

func (s *API) getBrought(c *echo.Context) error {
	all, err := s.Bulk.Broughts(c.Request().Context())
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"brought": all})
}
