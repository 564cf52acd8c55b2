package callers

import (
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"yalvo/internal/design"
	"yalvo/internal/doors/gate"
	"yalvo/internal/doors/keys"
	"yalvo/internal/doors/openapi"
	"yalvo/internal/doors/problem"
	"yalvo/internal/doors/request"
	"yalvo/internal/doors/tokens"
	"yalvo/internal/engine/running"
)

// who is who has sent a request: an operator, an account, or a stranger.
type who struct {
	key     *keys.Key // an operator's; nil: it is none
	account string    // of a token; empty: a stranger, or an operator
	foreign bool      // the token is of the app's identity provider
	viewer  running.Viewer
}

// whoKey is where a request's context keeps who has sent it.
const whoKey = "who"

// setWho notes who has sent a request.
func setWho(c *echo.Context, w who) {
	c.Set(whoKey, w)
	request.SetViewer(c, w.viewer, w.key != nil)
}

func whoOf(c *echo.Context) who {
	w, _ := c.Get(whoKey).(who) // a stranger, if nothing was found out
	return w
}

// stranger is who acts as nobody: the design's rules hold, and there is no account.
const stranger = "~"

// Identify is the middleware that finds out who has sent a request. What they may is found
// out where it is known what they want.
func (s *Checker) Identify(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		w, err := s.identified(c)
		if err != nil {
			return err
		}
		setWho(c, w)
		gate.SetCaller(c, w.name(), w.viewer.Me)
		return next(c)
	}
}

// name is how the log and the rates call whoever has sent a request, empty for a stranger.
func (w who) name() string {
	switch {
	case w.key != nil && w.viewer.Me != "":
		return "key " + w.key.ID + " as " + w.viewer.Me
	case w.key != nil:
		return "key " + w.key.ID
	}
	return w.account
}

func (s *Checker) identified(c *echo.Context) (who, error) {
	w, err := s.bearer(c)
	if err != nil {
		return who{}, err
	}
	as := c.Request().Header.Get(openapi.HeaderAs)
	switch {
	case as == "":
		w.viewer = running.Viewer{Me: w.account, Judged: w.key == nil}
		return w, nil
	case w.key == nil:
		return who{}, problem.New(http.StatusForbidden, running.CodeNotAllowed,
			"acting as somebody with "+openapi.HeaderAs+" is for operators: send a key of theirs, or a token of the "+
				"account")
	case as == stranger:
		w.viewer = running.Viewer{Judged: true}
		return w, nil
	}
	if wrong := design.CheckID(as); wrong != "" {
		return who{}, problem.BadRequest("the header " + openapi.HeaderAs + " must hold the id of an account, or " +
			stranger + " for a stranger: " + wrong)
	}
	w.viewer = running.Viewer{Me: as, Judged: true}
	return w, nil
}

// bearer reads what a request brings to be believed: a key, a token, or a session of the
// console.
func (s *Checker) bearer(c *echo.Context) (who, error) {
	given := c.Request().Header.Get(echo.HeaderAuthorization)
	if given == "" {
		return s.bySession(c)
	}
	scheme, text, _ := strings.Cut(given, " ")
	if !strings.EqualFold(scheme, "Bearer") || text == "" {
		return who{}, notBelieved(c, "the header Authorization must hold `Bearer`, a space, and a key or a token")
	}
	if keys.IsKey(text) {
		return s.byKey(c, text)
	}
	claims, err := s.Tokens.Check(text)
	var refusal tokens.Refusal
	if errors.As(err, &refusal) {
		return who{}, notBelieved(c, "the token is not believed: "+refusal.Error())
	}
	return who{account: claims.Account, foreign: claims.Foreign}, err
}

func (s *Checker) byKey(c *echo.Context, text string) (who, error) {
	key, err := s.Keys.Check(c.Request().Context(), text)
	if errors.Is(err, keys.ErrUnknown) {
		return who{}, notBelieved(c, "the key is not believed: there is none such, or it has been revoked")
	}
	return who{key: &key}, err
}

// bySession is who a session of the console stands for, a stranger if it holds no more. It
// counts for the service's own pages alone: a browser sends the cookie along with whatever
// asks it to.
func (s *Checker) bySession(c *echo.Context) (who, error) {
	r := c.Request()
	cookie, err := r.Cookie(cookieName(r))
	if err != nil || !fromOwnPage(r) {
		return who{}, nil
	}
	key, err := s.Keys.Session(r.Context(), cookie.Value)
	if errors.Is(err, keys.ErrUnknown) {
		return who{}, nil
	}
	return who{key: &key}, err
}

// fromOwnPage tells whether a request comes from one of the service's own pages, or from the
// address line of a browser (Fetch Standard: Origin; Fetch Metadata: Sec-Fetch-Site).
func fromOwnPage(r *http.Request) bool {
	if site := r.Header.Get("Sec-Fetch-Site"); site != "" && site != "same-origin" && site != "none" {
		return false
	}
	origin := r.Header.Get("Origin")
	if origin == "" {
		return r.Method == http.MethodGet || r.Method == http.MethodHead
	}
	from, err := url.Parse(origin)
	return err == nil && strings.EqualFold(from.Host, r.Host)
}

// cookieName is the name of the session's cookie. Cookies do not know of ports, and several
// services may run on one machine.
func cookieName(r *http.Request) string {
	if _, port, err := net.SplitHostPort(r.Host); err == nil {
		return "yalvo_session_" + port
	}
	return "yalvo_session"
}

// notBelieved is the problem of who is not who they say they are (RFC 6750, section 3).
func notBelieved(c *echo.Context, detail string) error {
	c.Response().Header().Set(echo.HeaderWWWAuthenticate, `Bearer realm="yalvo", error="invalid_token"`)
	return problem.New(http.StatusUnauthorized, problem.CodeNotBelieved, detail)
}

// Operators has a handler serve operators whose key covers a scope, and nobody else.
func Operators(needed keys.Scope, h echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		if err := whoOf(c).covers(c, needed); err != nil {
			return err
		}
		return h(c)
	}
}

// covers refuses who is no operator, or one whose key may less.
func (w who) covers(c *echo.Context, needed keys.Scope) error {
	switch {
	case w.key == nil && w.account == "":
		c.Response().Header().Set(echo.HeaderWWWAuthenticate, `Bearer realm="yalvo"`)
		return problem.New(http.StatusUnauthorized, problem.CodeNotSignedIn,
			"this is for operators: send a key of theirs as `Authorization: Bearer KEY`")
	case w.key == nil:
		return problem.New(http.StatusForbidden, running.CodeNotAllowed,
			"this is for operators, and the token is an account's")
	case !w.key.Scope.Covers(needed):
		return problem.New(http.StatusForbidden, running.CodeNotAllowed, fmt.Sprintf(
			"the key %q may %s, and this is for keys that may %s", w.key.Name, w.key.Scope, needed))
	}
	return nil
}

// readPosts are the requests that read though they are POST.
var readPosts = []string{openapi.Prefix + "/reads"}

func neededBy(r *http.Request) keys.Scope {
	if r.Method == http.MethodGet || r.Method == http.MethodHead || slices.Contains(readPosts, r.URL.Path) {
		return keys.Read
	}
	return keys.Write
}

// Serves refuses who may not ask for what a request wants: of operators those whose key may not read, or write. For
// all others the rules of the design hold, if it has any.
func (s *Checker) Serves(c *echo.Context) error {
	if w := whoOf(c); w.key != nil {
		return w.covers(c, neededBy(c.Request()))
	}
	v, err := s.App.IfAny(c.Request().Context())
	if err != nil {
		return err
	}
	if v != nil && !v.Law.Guards() {
		return problem.New(http.StatusForbidden, running.CodeNotAllowed,
			"the design says nothing of who may do what, so this is for operators: give it `access`")
	}
	return nil
}

// Reads tells whether a request reads, and writes nothing.
func Reads(r *http.Request) bool { return neededBy(r) == keys.Read }

// BelievedNoMore tells whether who began a stream would be turned away today: a token has
// expired, a key was revoked, a session has ended.
func (s *Checker) BelievedNoMore(c *echo.Context) bool {
	w, err := s.identified(c)
	if s.App.IsAway(err) {
		return false
	}
	began := whoOf(c)
	return err != nil || (w.key == nil) != (began.key == nil) || w.viewer != began.viewer
}

// Same has a request be of whoever has sent another.
func Same(c, as *echo.Context) { setWho(c, whoOf(as)) }
