package callers

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"yalvo/internal/design"
	"yalvo/internal/doors/keys"
	"yalvo/internal/doors/problem"
	"yalvo/internal/doors/request"
	"yalvo/internal/engine/running"
)

// EnterPath is where a link leads, without its code, which no server is to see.
const EnterPath = "/enter#"

// getSession says who has sent the request: an operator's key, or an account.
func (s *Checker) getSession(c *echo.Context) error {
	w := whoOf(c)
	answer := map[string]any{}
	if w.key != nil {
		answer["key"] = w.key
	}
	if w.viewer.Me != "" {
		answer["account"] = w.viewer.Me
	}
	c.Response().Header().Set(echo.HeaderCacheControl, "no-store")
	return c.JSON(http.StatusOK, answer)
}

// postSession begins a session of the console, with the code of a link or with a key.
func (s *Checker) postSession(c *echo.Context) error {
	raw, err := request.Body(c, echo.MIMEApplicationJSON)
	if err != nil {
		return err
	}
	given, err := request.Members(raw, "with")
	if err != nil {
		return err
	}
	var with string
	if json.Unmarshal(given["with"], &with) != nil || with == "" {
		return request.Wrong("/with", design.MistakeMissing, "with is the code of a sign-in link, or a key")
	}
	session, key, err := s.Keys.Enter(c.Request().Context(), with)
	if errors.Is(err, keys.ErrUnknown) {
		return notBelieved(
			c,
			"this is no key that holds, and no link that has not been used: `yalvo link` makes a new one",
		)
	}
	if err != nil {
		return err
	}
	c.SetCookie(s.sessionCookie(c.Request(), session, keys.SessionTime))
	return c.JSON(http.StatusOK, map[string]any{"key": key})
}

// sessionCookie is what a browser keeps of a session. No page can read it, and no other site
// has it sent.
func (s *Checker) sessionCookie(r *http.Request, session string, lasts time.Duration) *http.Cookie {
	return &http.Cookie{Name: cookieName(r), Value: session, Path: "/", MaxAge: int(lasts.Seconds()), HttpOnly: true,
		Secure: r.TLS != nil, SameSite: http.SameSiteStrictMode}
}

// deleteSession ends the session that the request came with.
func (s *Checker) deleteSession(c *echo.Context) error {
	r := c.Request()
	if cookie, err := r.Cookie(cookieName(r)); err == nil && fromOwnPage(r) {
		if err := s.Keys.Leave(r.Context(), cookie.Value); err != nil {
			return err
		}
		c.SetCookie(s.sessionCookie(r, "", -time.Second))
	}
	return c.NoContent(http.StatusNoContent)
}

// postLink makes a link that begins a session for the key that asks, once.
func (s *Checker) postLink(c *echo.Context) error {
	code, err := s.Keys.Link(c.Request().Context(), whoOf(c).key.ID)
	if err != nil {
		return err
	}
	c.Response().Header().Set(echo.HeaderCacheControl, "no-store")
	return c.JSON(http.StatusCreated, map[string]any{"path": EnterPath + code,
		"until": time.Now().UTC().Add(keys.LinkTime)})
}

func (s *Checker) getKeys(c *echo.Context) error {
	all, err := s.Keys.List(c.Request().Context())
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"keys": all})
}

// postKey makes a key. Its text is in this answer and nowhere else.
func (s *Checker) postKey(c *echo.Context) error {
	raw, err := request.Body(c, echo.MIMEApplicationJSON)
	if err != nil {
		return err
	}
	given, err := request.Members(raw, "name", "scope")
	if err != nil {
		return err
	}
	var name string
	if json.Unmarshal(given["name"], &name) != nil || keys.CheckName(name) != "" {
		return request.Wrong("/name", design.MistakeMissing, keys.CheckName(""))
	}
	var scope keys.Scope
	if json.Unmarshal(given["scope"], &scope) != nil || !slices.Contains(keys.Scopes, scope) {
		return request.Wrong("/scope", design.MistakeChoice, fmt.Sprintf("scope is one of %s", scopes()))
	}
	text, key, err := s.Keys.Make(c.Request().Context(), name, scope)
	if errors.Is(err, keys.ErrTooMany) {
		return problem.New(http.StatusConflict, running.CodeConflict, err.Error())
	}
	if err != nil {
		return err
	}
	c.Response().Header().Set(echo.HeaderCacheControl, "no-store")
	return c.JSON(http.StatusCreated, map[string]any{"key": key, "text": text})
}

func scopes() string {
	var all []string
	for _, scope := range keys.Scopes {
		all = append(all, string(scope))
	}
	return strings.Join(all, ", ")
}

func (s *Checker) deleteKey(c *echo.Context) error {
	found, err := s.Keys.Revoke(c.Request().Context(), c.Param("id"))
	if err != nil {
		return err
	}
	if !found {
		return running.Refuse(running.CodeNotFound, "there is no key %q: see `yalvo keys`", problem.Clip(c.Param("id")))
	}
	return c.NoContent(http.StatusNoContent)
}
