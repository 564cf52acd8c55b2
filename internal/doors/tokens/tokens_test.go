package tokens

import (
	"context"
	"crypto"
	"crypto/ecdsa"
	"crypto/ed25519"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/rsa"
	"crypto/x509"
	"encoding/base64"
	"encoding/json"
	"encoding/pem"
	"errors"
	"log/slog"
	"math/big"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/golang-jwt/jwt/v5"
)

const provider, app = "https://id.fenwatch.example", "fenwatch"

// believed are claims that are believed if they are signed as they should.
func believed() jwt.MapClaims {
	return jwt.MapClaims{"iss": provider, "aud": app, "sub": "ada", "exp": time.Now().Add(time.Minute).Unix()}
}

func with(claims jwt.MapClaims, name string, value any) jwt.MapClaims {
	if value == nil {
		delete(claims, name)
	} else {
		claims[name] = value
	}
	return claims
}

func signed(t *testing.T, method jwt.SigningMethod, key any, claims jwt.Claims, kid ...string) string {
	t.Helper()
	token := jwt.NewWithClaims(method, claims)
	if len(kid) > 0 {
		token.Header["kid"] = kid[0]
	}
	text, err := token.SignedString(key)
	if err != nil {
		t.Fatal(err)
	}
	return text
}

func public(t *testing.T, key crypto.PublicKey) []byte {
	t.Helper()
	der, err := x509.MarshalPKIXPublicKey(key)
	if err != nil {
		t.Fatal(err)
	}
	return pem.EncodeToMemory(&pem.Block{Type: "PUBLIC KEY", Bytes: der})
}

func trusting(t *testing.T, trust Trust) *Checker {
	t.Helper()
	trust.Issuer, trust.Audience = provider, app
	p, err := NewProvider(t.Context(), trust, slog.New(slog.DiscardHandler))
	if err != nil {
		t.Fatal(err)
	}
	return &Checker{Own: &Issuer{Key: []byte(strings.Repeat("own", 16))}, Foreign: p}
}

func rsaKey(t *testing.T) *rsa.PrivateKey {
	t.Helper()
	key, err := rsa.GenerateKey(rand.Reader, 2048)
	if err != nil {
		t.Fatal(err)
	}
	return key
}

// Whatever key a provider has, its tokens are believed, and those of others are not, however
// they say that they are signed.
func TestTokensAreBelievedByTheirKeyAlone(t *testing.T) {
	key := rsaKey(t)
	curve, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	edwards, private, err := ed25519.GenerateKey(rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	secret := []byte(strings.Repeat("s", 40))
	for name, c := range map[string]struct {
		trust  Trust
		method jwt.SigningMethod
		key    any
	}{
		"a secret":       {Trust{Secret: secret}, jwt.SigningMethodHS256, secret},
		"RSA":            {Trust{PEM: public(t, &key.PublicKey)}, jwt.SigningMethodRS256, key},
		"elliptic curve": {Trust{PEM: public(t, &curve.PublicKey)}, jwt.SigningMethodES256, curve},
		"Edwards curve":  {Trust{PEM: public(t, edwards)}, jwt.SigningMethodEdDSA, private},
	} {
		t.Run(name, func(t *testing.T) {
			checker := trusting(t, c.trust)
			got, err := checker.Check(signed(t, c.method, c.key, believed()))
			if err != nil || got.Account != "ada" || !got.Foreign {
				t.Errorf("got %+v, %v", got, err)
			}
			none, err := jwt.NewWithClaims(jwt.SigningMethodNone, believed()).
				SignedString(jwt.UnsafeAllowNoneSignatureType)
			if err != nil {
				t.Fatal(err)
			}
			good := signed(t, c.method, c.key, believed())
			forged := map[string]string{
				"alg none":          none,
				"no signature":      good[:strings.LastIndexByte(good, '.')+1],
				"another's key":     signed(t, jwt.SigningMethodRS256, rsaKey(t), believed()),
				"another secret":    signed(t, jwt.SigningMethodHS256, []byte(strings.Repeat("x", 40)), believed()),
				"a longer hash":     signed(t, jwt.SigningMethodHS512, secret, believed()),
				"a changed payload": changedPayload(good),
				"a key as a secret": signed(t, jwt.SigningMethodHS256, public(t, &key.PublicKey), believed()),
				"an empty secret":   signed(t, jwt.SigningMethodHS256, []byte{}, believed()),
				"cut short":         good[:len(good)-2],
				"another's other half": good[:strings.LastIndexByte(good, '.')] +
					none[strings.LastIndexByte(none, '.'):],
			}
			for how, text := range forged {
				refusedFor(t, checker, how, text, "")
			}
		})
	}
}

// changedPayload is a token for somebody else, with the signature it had.
func changedPayload(text string) string {
	parts := strings.Split(text, ".")
	raw, _ := base64.RawURLEncoding.DecodeString(parts[1]) // it was made here
	parts[1] = base64.RawURLEncoding.EncodeToString([]byte(strings.Replace(string(raw), `"ada"`, `"ben"`, 1)))
	return strings.Join(parts, ".")
}

func refusedFor(t *testing.T, c *Checker, what, text, says string) {
	t.Helper()
	got, err := c.Check(text)
	var refusal Refusal
	if !errors.As(err, &refusal) || !strings.Contains(err.Error(), says) {
		t.Errorf("%s: got %+v, %v", what, got, err)
	}
}

func TestATokenSaysWhatItMustAndIsToldWhy(t *testing.T) {
	secret := []byte(strings.Repeat("s", 40))
	checker := trusting(t, Trust{Secret: secret})
	sign := func(claims jwt.Claims) string { return signed(t, jwt.SigningMethodHS256, secret, claims) }
	now := time.Now()
	for what, c := range map[string]struct{ text, says string }{
		"expired":           {sign(with(believed(), "exp", now.Add(-time.Minute).Unix())), "it has expired"},
		"without end":       {sign(with(believed(), "exp", nil)), "until when it holds"},
		"not yet":           {sign(with(believed(), "nbf", now.Add(time.Hour).Unix())), "not valid yet"},
		"from the future":   {sign(with(believed(), "iat", now.Add(time.Hour).Unix())), "in the future"},
		"of another issuer": {sign(with(believed(), "iss", "https://elsewhere.example")), "its issuer"},
		"of no issuer":      {sign(with(believed(), "iss", nil)), "must say"},
		"for another app":   {sign(with(believed(), "aud", "another")), "somebody else"},
		"for nobody":        {sign(with(believed(), "aud", nil)), "must say"},
		"about nobody":      {sign(with(believed(), "sub", nil)), "sub"},
		"about a path":      {sign(with(believed(), "sub", "../ada")), "sub"},
		"no token":          {"a.b.c", "no JSON Web Token"},
		"empty":             {"", "no JSON Web Token"},
		"own, unsigned":     {sign(with(believed(), "iss", ownName)), "not signed as"},
	} {
		refusedFor(t, checker, what, c.text, c.says)
	}
	for what, claims := range map[string]jwt.MapClaims{
		"just expired, by another clock": with(believed(), "exp", now.Add(-leeway/2).Unix()),
		"for several":                    with(believed(), "aud", []string{"another", app}),
	} {
		if _, err := checker.Check(sign(claims)); err != nil {
			t.Errorf("%s: %v", what, err)
		}
	}
}

func TestTokensOfTheServicesOwnHoldForAWhile(t *testing.T) {
	own := &Issuer{Key: []byte(strings.Repeat("own", 16))}
	checker := &Checker{Own: own}
	text, err := own.Issue("ada", time.Now())
	if err != nil {
		t.Fatal(err)
	}
	if got, err := checker.Check(text); err != nil || got.Account != "ada" || got.Foreign {
		t.Errorf("got %+v, %v", got, err)
	}
	late, err := own.Issue("ada", time.Now().Add(-AccessTime-2*leeway))
	if err != nil {
		t.Fatal(err)
	}
	refusedFor(t, checker, "after its time", late, "it has expired")
	refusedFor(t, checker, "with no provider", signed(t, jwt.SigningMethodHS256, own.Key, believed()), "its issuer")
}

// Keys at an address are read there, and again when a token names one that is not known.
func TestKeysAreReadFromTheirAddress(t *testing.T) {
	var mu sync.Mutex
	keys := map[string]*rsa.PrivateKey{"first": rsaKey(t)}
	asked := 0
	web := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		<-time.After(20 * time.Millisecond) // it is elsewhere
		mu.Lock()
		defer mu.Unlock()
		asked++
		set := map[string]any{"keys": []any{}}
		for kid, key := range keys {
			set["keys"] = append(
				set["keys"].([]any),
				map[string]any{"kty": "RSA", "kid": kid, "alg": "RS256", "use": "sig",
					"n": base64.RawURLEncoding.EncodeToString(key.N.Bytes()),
					"e": base64.RawURLEncoding.EncodeToString(big.NewInt(int64(key.E)).Bytes())},
			)
		}
		if err := json.NewEncoder(w).Encode(set); err != nil {
			t.Error(err)
		}
	}))
	defer web.Close()
	checker := trusting(t, Trust{JWKS: web.URL})
	if _, err := checker.Check(signed(t, jwt.SigningMethodRS256, keys["first"], believed(), "first")); err != nil {
		t.Error(err)
	}
	second := rsaKey(t)
	mu.Lock()
	keys["second"] = second
	mu.Unlock()
	if _, err := checker.Check(signed(t, jwt.SigningMethodRS256, second, believed(), "second")); err != nil {
		t.Errorf("a new key: %v", err)
	}
	mu.Lock()
	before := asked
	mu.Unlock()
	for range 50 {
		refusedFor(
			t,
			checker,
			"a key that is not there",
			signed(t, jwt.SigningMethodRS256, rsaOther, believed(), "third"),
			"",
		)
	}
	refusedFor(t, checker, "a public key as a secret",
		signed(t, jwt.SigningMethodHS256, public(t, &second.PublicKey), believed(), "second"), "")
	mu.Lock()
	defer mu.Unlock()
	if asked > before+1 {
		t.Errorf("forged tokens had the keys read %d times", asked-before)
	}
}

var rsaOther = func() *rsa.PrivateKey {
	key, err := rsa.GenerateKey(rand.Reader, 2048)
	if err != nil {
		panic(err)
	}
	return key
}()

func TestWhatTokensAreCheckedWithIsCheckedItself(t *testing.T) {
	for says, trust := range map[string]Trust{
		"--token-issuer":       {Secret: []byte(strings.Repeat("s", 40)), Audience: app},
		"32 at least":          {Secret: []byte("short"), Issuer: provider, Audience: app},
		"not PEM":              {PEM: []byte("x"), Issuer: provider, Audience: app},
		"an https address":     {JWKS: "http://id.fenwatch.example/keys", Issuer: provider, Audience: app},
		"service's own issuer": {Secret: []byte(strings.Repeat("s", 40)), Issuer: ownName, Audience: app},
	} {
		_, err := NewProvider(context.Background(), trust, slog.New(slog.DiscardHandler))
		if err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%v does not say %q", err, says)
		}
	}
}

func FuzzToken(f *testing.F) {
	secret := []byte(strings.Repeat("s", 40))
	good, err := jwt.NewWithClaims(jwt.SigningMethodHS256, jwt.MapClaims{"iss": provider, "aud": app, "sub": "ada",
		"exp": 1 << 40}).SignedString(secret)
	if err != nil {
		f.Fatal(err)
	}
	for _, seed := range []string{good, "", "..", "eyJhbGciOiJub25lIn0.e30.", strings.Repeat("eyJ", 3000),
		good + ".x"} {
		f.Add(seed)
	}
	p, err := NewProvider(context.Background(), Trust{Secret: secret, Issuer: provider, Audience: app},
		slog.New(slog.DiscardHandler))
	if err != nil {
		f.Fatal(err)
	}
	checker := &Checker{Own: &Issuer{Key: []byte(strings.Repeat("own", 16))}, Foreign: p}
	f.Fuzz(func(t *testing.T, text string) {
		got, err := checker.Check(text)
		if err == nil && got.Account != "ada" {
			t.Errorf("%q is believed to be %s's", text, got.Account)
		}
		if err != nil && len(err.Error()) > 300 {
			t.Errorf("%q is refused at length: %v", text, err)
		}
	})
}
