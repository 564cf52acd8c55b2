package callers

import (
	"encoding/json"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"yalvo/internal/design"
	"yalvo/internal/doors/keys"
	"yalvo/internal/doors/openapi"
	"yalvo/internal/doors/problem"
	"yalvo/internal/doors/request"
	"yalvo/internal/doors/signin"
	"yalvo/internal/engine/facts"
	"yalvo/internal/engine/running"
)

// signedUp is what an account is answered that has signed up: its document, and what it is
// signed in with from now on. Accounts of the app's identity provider have that from there.
type signedUp struct {
	*signin.Signed
	Document running.Document `json:"document"`
}

// postSignUp creates an account's document, as a stranger may under the design's rules: with
// a password, or for whoever brings a token of the app's identity provider.
func (s *Checker) postSignUp(c *echo.Context) error {
	raw, err := request.Body(c, echo.MIMEApplicationJSON)
	if err != nil {
		return err
	}
	given, err := request.Members(raw, "facts", "password")
	if err != nil {
		return err
	}
	written := map[string]any{}
	if said, is := given["facts"]; is {
		if written, err = request.Object("/facts", said); err != nil {
			return err
		}
	}
	var out signedUp
	var result facts.Result
	if w := whoOf(c); w.foreign {
		if given["password"] != nil {
			return request.Wrong(
				"/password",
				design.MistakeUnknown,
				"the token says who this is: no password is kept for it",
			)
		}
		result, err = s.SignIn.Enrol(c.Request().Context(), w.account, written)
	} else {
		var password string
		if password, err = chosenPassword(given, "password"); err != nil {
			return err
		}
		err = s.Gate.Passwords.Pass(c, func() error {
			var signed signin.Signed
			signed, result, err = s.SignIn.SignUp(c.Request().Context(), c.RealIP(), written, password)
			out.Signed = &signed
			return err
		})
	}
	if err != nil {
		return err
	}
	out.Document = result.Document
	request.Cost(c, result.Read, result.Wrote)
	if err := s.Positions.Tell(c, result.Position); err != nil {
		return err
	}
	c.Response().Header().Set("Location", openapi.Prefix+"/collections/"+result.Document.Path)
	status := http.StatusCreated
	if !result.Fresh {
		status = http.StatusOK // it was repeated
	}
	return secretly(c, status, out)
}

// chosenPassword is a password that somebody has chosen.
func chosenPassword(given map[string]json.RawMessage, name string) (string, error) {
	var password string
	if json.Unmarshal(given[name], &password) != nil {
		return "", request.Wrong("/"+name, design.MistakeMissing, "a password is needed, which is a text")
	}
	if wrong := signin.CheckPassword(password); wrong != "" {
		return "", request.Wrong("/"+name, design.MistakeLong, wrong)
	}
	return password, nil
}

// postSignIn signs an account in with its name and password.
func (s *Checker) postSignIn(c *echo.Context) error {
	field, err := s.SignIn.Field(c.Request().Context())
	if err != nil {
		return err
	}
	raw, err := request.Body(c, echo.MIMEApplicationJSON)
	if err != nil {
		return err
	}
	said, err := textsIn(raw, field, "password")
	if err != nil {
		return err
	}
	turns := s.Gate.Passwords
	familiar, err := s.SignIn.Familiar(c.Request().Context(), c.RealIP(), said[field])
	if err != nil {
		return err
	}
	if familiar { // strangers, however many, do not keep it from a turn
		turns = s.Gate.Familiar
	}
	var signed signin.Signed
	err = turns.Pass(c, func() error {
		signed, err = s.SignIn.SignIn(c.Request().Context(), c.RealIP(), said[field], said["password"])
		return err
	})
	if err != nil {
		return err
	}
	return secretly(c, http.StatusOK, signed)
}

// textsIn reads an object of which all of some members must be there, each a text.
func textsIn(raw []byte, names ...string) (map[string]string, error) {
	given, err := request.Members(raw, names...)
	if err != nil {
		return nil, err
	}
	said := map[string]string{}
	for _, name := range names {
		var text string
		if json.Unmarshal(given[name], &text) != nil || text == "" || strings.ContainsRune(text, 0) {
			return nil, request.Wrong("/"+name, design.MistakeMissing, "this is needed, and is a text")
		}
		said[name] = text
	}
	return said, nil
}

// secretly answers with what nobody is to keep but who has asked (RFC 6749, section 5.1).
func secretly(c *echo.Context, status int, answer any) error {
	c.Response().Header().Set(echo.HeaderCacheControl, "no-store")
	return c.JSON(status, answer)
}

func refreshTokenIn(c *echo.Context) (string, error) {
	raw, err := request.Body(c, echo.MIMEApplicationJSON)
	if err != nil {
		return "", err
	}
	said, err := textsIn(raw, "refresh_token")
	return said["refresh_token"], err
}

// postRefresh gives an account a new access token for its refresh token, which is replaced.
func (s *Checker) postRefresh(c *echo.Context) error {
	token, err := refreshTokenIn(c)
	if err != nil {
		return err
	}
	signed, err := s.SignIn.Refresh(c.Request().Context(), token)
	if err != nil {
		return err
	}
	return secretly(c, http.StatusOK, signed)
}

// postSignOut ends a sign-in.
func (s *Checker) postSignOut(c *echo.Context) error {
	token, err := refreshTokenIn(c)
	if err != nil {
		return err
	}
	if err := s.SignIn.SignOut(c.Request().Context(), token); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

// putPassword changes the password of the account that asks, or as an operator of another.
func (s *Checker) putPassword(c *echo.Context) error {
	w := whoOf(c)
	if w.key == nil && w.account == "" {
		return problem.New(http.StatusUnauthorized, problem.CodeNotSignedIn, "whose password? Sign in first")
	}
	if w.key != nil {
		if err := w.covers(c, keys.Operate); err != nil {
			return err
		}
	}
	raw, err := request.Body(c, echo.MIMEApplicationJSON)
	if err != nil {
		return err
	}
	given, err := request.Members(raw, "account", "old", "new")
	if err != nil {
		return err
	}
	chosen, err := chosenPassword(given, "new")
	if err != nil {
		return err
	}
	change := func() error { return s.changeOwn(c, w, given, chosen) }
	if w.key != nil {
		change = func() error { return s.changeOther(c, given, chosen) }
	}
	if err := s.Gate.Familiar.Pass(c, change); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

func (s *Checker) changeOwn(c *echo.Context, w who, given map[string]json.RawMessage, chosen string) error {
	if given["account"] != nil {
		return request.Wrong("/account", design.MistakeUnknown, "an account changes its own password, and none else's")
	}
	var old string
	if json.Unmarshal(given["old"], &old) != nil {
		return request.Wrong("/old", design.MistakeMissing, "the password that holds is needed, and is a text")
	}
	return s.SignIn.ChangePassword(c.Request().Context(), c.RealIP(), w.account, old, chosen)
}

// changeOther is an operator's: whoever has forgotten a password cannot say it.
func (s *Checker) changeOther(c *echo.Context, given map[string]json.RawMessage, chosen string) error {
	var account string
	if json.Unmarshal(given["account"], &account) != nil || design.CheckID(account) != "" {
		return request.Wrong("/account", design.MistakeMissing, "the id of the account is needed")
	}
	return s.SignIn.GivePassword(c.Request().Context(), account, chosen)
}
