package tokens

import (
	"errors"
	"fmt"
	"time"

	"github.com/golang-jwt/jwt/v5"

	"yalvo/internal/design"
)

// leeway is by how much clocks may differ.
const leeway = 30 * time.Second

// Claims is what a token is believed about.
type Claims struct {
	Account string // the id of the account
	Foreign bool   // of the app's identity provider
	Until   time.Time
}

// Checker believes tokens of the service's own issuer, and of the app's identity provider if
// it has one.
type Checker struct {
	Own     *Issuer
	Foreign *Provider // nil: none
}

// Refusal says why a token is not believed, to the client that has sent it.
type Refusal struct{ text string }

// Error is the reason.
func (r Refusal) Error() string { return r.text }

// Check reads a token. An error is a [Refusal], or that of keys that could not be read.
func (c *Checker) Check(text string) (Claims, error) {
	var unread jwt.RegisteredClaims
	if _, _, err := jwt.NewParser().ParseUnverified(text, &unread); err != nil {
		return Claims{}, Refusal{"it is no JSON Web Token (RFC 7519)"}
	}
	if unread.Issuer == ownName {
		return c.Own.check(text)
	}
	if c.Foreign == nil {
		return Claims{}, Refusal{"its issuer is not one whose tokens are believed here"}
	}
	return c.Foreign.check(text)
}

// read verifies a token with the keys and methods that are its issuer's, and no others.
func read(text string, keys jwt.Keyfunc, issuer, audience string, methods []string) (Claims, error) {
	var claims jwt.RegisteredClaims
	_, err := jwt.ParseWithClaims(text, &claims, keys, jwt.WithValidMethods(methods), jwt.WithIssuer(issuer),
		jwt.WithAudience(audience), jwt.WithExpirationRequired(), jwt.WithIssuedAt(), jwt.WithLeeway(leeway))
	if err != nil {
		return Claims{}, Refusal{reason(err)}
	}
	if wrong := design.CheckID(claims.Subject); wrong != "" {
		return Claims{}, Refusal{"its subject (sub) cannot be the id of an account: " + wrong}
	}
	return Claims{Account: claims.Subject, Until: claims.ExpiresAt.Time}, nil
}

// reason is why a token is not believed.
func reason(err error) string {
	for _, known := range []struct {
		is   error
		text string
	}{
		{jwt.ErrTokenExpired, "it has expired: get a new one"},
		{jwt.ErrTokenNotValidYet, "it is not valid yet (nbf)"},
		{jwt.ErrTokenUsedBeforeIssued, "it was issued in the future (iat)"},
		{jwt.ErrTokenInvalidIssuer, "its issuer is not one whose tokens are believed here"},
		{jwt.ErrTokenInvalidAudience, "it is meant for somebody else (aud)"},
		{jwt.ErrTokenRequiredClaimMissing, "it must say until when it holds (exp), who issued it (iss) and " +
			"for whom (aud)"},
		{jwt.ErrTokenSignatureInvalid, "it is not signed as tokens of its issuer are"},
		{jwt.ErrTokenUnverifiable, "the key it is signed with is not one of its issuer"},
	} {
		if errors.Is(err, known.is) {
			return known.text
		}
	}
	return "it is no JSON Web Token (RFC 7519)"
}

// ownName is who issues tokens of the service's own, and for whom they are.
const ownName = "yalvo"

// AccessTime is how long an access token of the service's own holds.
const AccessTime = 10 * time.Minute

// Issuer is the service's own issuer.
type Issuer struct{ Key []byte }

// Issue makes a token for an account, which holds for [AccessTime].
func (i *Issuer) Issue(account string, now time.Time) (string, error) {
	text, err := jwt.NewWithClaims(jwt.SigningMethodHS256, jwt.RegisteredClaims{Issuer: ownName,
		Audience: jwt.ClaimStrings{ownName}, Subject: account, IssuedAt: jwt.NewNumericDate(now),
		ExpiresAt: jwt.NewNumericDate(now.Add(AccessTime))}).SignedString(i.Key)
	if err != nil {
		return "", fmt.Errorf("signing an access token: %w", err)
	}
	return text, nil
}

func (i *Issuer) check(text string) (Claims, error) {
	return read(text, func(*jwt.Token) (any, error) { return i.Key, nil }, ownName, ownName,
		[]string{jwt.SigningMethodHS256.Name})
}
