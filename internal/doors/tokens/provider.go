package tokens

import (
	"bytes"
	"context"
	"crypto/ecdsa"
	"crypto/ed25519"
	"crypto/rsa"
	"crypto/x509"
	"encoding/pem"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"net/url"
	"time"

	"github.com/MicahParks/jwkset"
	"github.com/MicahParks/keyfunc/v3"
	"github.com/golang-jwt/jwt/v5"
	"golang.org/x/time/rate"
)

// Trust says which tokens of an identity provider are believed. One of the first three says
// what they are signed with.
type Trust struct {
	Secret []byte // shared with the provider
	PEM    []byte // its public key
	JWKS   string // the address of its keys (RFC 7517)

	Issuer, Audience string // what iss and aud must say
}

// Provider is the app's identity provider.
type Provider struct {
	keys             jwt.Keyfunc
	methods          []string
	issuer, audience string
}

// Of keys at an address.
const (
	keysTime    = 5 * time.Second  // until they must be there
	keysEvery   = 15 * time.Minute // they are read again
	keysUnknown = 10 * time.Second // and not sooner than that for the sake of one that is not known
)

// leastSecret is how many bytes a shared secret has at least (RFC 7518, section 3.2).
const leastSecret = 32

// NewProvider reads what an identity provider's tokens are checked with. Keys at an address
// are read in the background until the context ends.
func NewProvider(ctx context.Context, t Trust, log *slog.Logger) (*Provider, error) {
	switch {
	case t.Issuer == "" || t.Audience == "":
		return nil, errors.New("tokens of another issuer need its name and who they are for: " +
			"give --token-issuer and --token-audience")
	case t.Issuer == ownName:
		return nil, fmt.Errorf("%q is the service's own issuer: another one has another name", ownName)
	}
	p := &Provider{issuer: t.Issuer, audience: t.Audience}
	var err error
	switch {
	case t.Secret != nil:
		err = p.shared(bytes.TrimSpace(t.Secret))
	case t.PEM != nil:
		err = p.public(t.PEM)
	default:
		err = p.at(ctx, t.JWKS, log)
	}
	return p, err
}

func (p *Provider) shared(secret []byte) error {
	if len(secret) < leastSecret {
		return fmt.Errorf("the secret that tokens are signed with has %d bytes, and must have %d at least", len(secret),
			leastSecret)
	}
	p.keys, p.methods = only(secret), []string{"HS256"}
	return nil
}

// public pins the method that goes with a public key: one that a token names itself proves
// nothing.
func (p *Provider) public(text []byte) error {
	block, _ := pem.Decode(text)
	if block == nil {
		return errors.New("the key that tokens are signed with is not PEM")
	}
	var key any
	key, err := x509.ParsePKIXPublicKey(block.Bytes)
	if block.Type == "CERTIFICATE" {
		var cert *x509.Certificate
		if cert, err = x509.ParseCertificate(block.Bytes); err == nil {
			key = cert.PublicKey
		}
	}
	if err != nil {
		return fmt.Errorf("the key that tokens are signed with must be a public key or a certificate in PEM: %w", err)
	}
	p.keys = only(key)
	switch k := key.(type) {
	case *rsa.PublicKey:
		p.methods = []string{"RS256", "PS256"}
	case ed25519.PublicKey:
		p.methods = []string{"EdDSA"}
	case *ecdsa.PublicKey:
		p.methods = []string{map[int]string{256: "ES256", 384: "ES384", 521: "ES512"}[k.Curve.Params().BitSize]}
	default:
		return fmt.Errorf("tokens cannot be checked with a key of type %T: give RSA, ECDSA or Ed25519", key)
	}
	return nil
}

func only(key any) jwt.Keyfunc { return func(*jwt.Token) (any, error) { return key, nil } }

// at has keys read from an address. Which method goes with one is said by its type: of the
// methods allowed here none takes a key of another type, and none a secret.
func (p *Provider) at(ctx context.Context, address string, log *slog.Logger) error {
	if u, err := url.Parse(address); err != nil || u.Host == "" || u.Scheme != "https" && !isLoopback(u) {
		return fmt.Errorf("keys that tokens are signed with are read from an https address, not %q", address)
	}
	keys, err := jwkset.NewStorageFromHTTP(address, jwkset.HTTPClientStorageOptions{
		Ctx: ctx, Client: keysClient(), HTTPTimeout: keysTime, RefreshInterval: keysEvery,
		NoErrorReturnFirstHTTPReq: true,
		RefreshErrorHandler: func(_ context.Context, err error) {
			log.Warn("the keys that tokens are signed with could not be read", "address", address, "error", err)
		},
	})
	if err == nil {
		p.keys, err = readAgain(ctx, address, keys)
	}
	if err != nil {
		return fmt.Errorf("reading the keys that tokens are signed with: %w", err)
	}
	p.methods = []string{"RS256", "RS384", "RS512", "PS256", "PS384", "PS512", "ES256", "ES384", "ES512", "EdDSA"}
	return nil
}

// mostKeysBytes is how many bytes a set of keys may have.
const mostKeysBytes = 1 << 20

// keysClient reads keys from the address that was named, and from none that this one names.
func keysClient() *http.Client {
	return &http.Client{Timeout: keysTime, Transport: bounded{http.DefaultTransport},
		CheckRedirect: func(*http.Request, []*http.Request) error {
			return errors.New("the address of the keys leads elsewhere: name that one")
		}}
}

// bounded cuts answers off that are too long.
type bounded struct{ http.RoundTripper }

// RoundTrip is part of [http.RoundTripper].
func (b bounded) RoundTrip(r *http.Request) (*http.Response, error) {
	answer, err := b.RoundTripper.RoundTrip(r)
	if err == nil {
		answer.Body = http.MaxBytesReader(nil, answer.Body, mostKeysBytes)
	}
	return answer, err
}

// readAgain finds keys where they are remembered, and has them read again for a token that names
// one which is not: now and then. Meanwhile such tokens are refused at once.
func readAgain(ctx context.Context, address string, keys jwkset.Storage) (jwt.Keyfunc, error) {
	finding := func(wait time.Duration, again *rate.Limiter) (keyfunc.Keyfunc, error) {
		storage, err := jwkset.NewHTTPClient(jwkset.HTTPClientOptions{
			HTTPURLs: map[string]jwkset.Storage{address: keys}, RateLimitWaitMax: wait, RefreshUnknownKID: again})
		if err != nil {
			return nil, err
		}
		return keyfunc.New(keyfunc.Options{Ctx: ctx, Storage: storage})
	}
	known, err := finding(0, nil)
	if err != nil {
		return nil, err
	}
	read, err := finding(keysTime, rate.NewLimiter(rate.Inf, 1)) // the time is also that of reading
	if err != nil {
		return nil, err
	}
	may := rate.NewLimiter(rate.Every(keysUnknown), 1)
	return func(t *jwt.Token) (any, error) {
		key, err := known.Keyfunc(t)
		if errors.Is(err, jwkset.ErrKeyNotFound) && may.Allow() {
			return read.Keyfunc(t)
		}
		return key, err
	}, nil
}

func isLoopback(u *url.URL) bool {
	return u.Scheme == "http" && (u.Hostname() == "127.0.0.1" || u.Hostname() == "localhost" || u.Hostname() == "::1")
}

func (p *Provider) check(text string) (Claims, error) {
	claims, err := read(text, p.keys, p.issuer, p.audience, p.methods)
	claims.Foreign = true
	return claims, err
}
