package tests

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"encoding/pem"
	"fmt"
	"io"
	"math/big"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/golang-jwt/jwt/v5"

	"yalvo/client"
	"yalvo/internal/machine/service"
	"yalvo/tests/harness"
	"yalvo/tests/scratch"
)

func TestAKeyMayWhatItsScopeSays(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.person("ada")
	ctx := t.Context()
	made := map[string]*client.Client{}
	for _, scope := range []string{"read", "write", "operate"} {
		text, key, err := w.MakeKey(ctx, "the one that may "+scope, scope)
		if err != nil {
			t.Fatal(err)
		}
		same(t, "its scope", key.Scope, scope)
		made[scope] = w.stranger().With(text)
		if _, err := made[scope].Get(ctx, "people/ada"); err != nil {
			t.Error(scope, err)
		}
		if _, err := made[scope].Status(ctx); err != nil {
			t.Error(scope, err)
		}
	}
	write := func(c *client.Client) error {
		_, _, err := c.Patch(ctx, "people/ada", map[string]any{"name": "Ada B."})
		return err
	}
	operate := func(c *client.Client) error { _, err := c.BeginAudit(ctx, client.Scope{}); return err }
	refused(t, write(made["read"]), "not-allowed", `"the one that may read" may read, and this is for keys that may write`)
	refused(t, operate(made["read"]), "not-allowed", "operate")
	refused(t, operate(made["write"]), "not-allowed", "operate")
	refused(t, write(made["read"].As("ada")), "not-allowed")
	for _, err := range []error{write(made["write"]), write(made["operate"]), operate(made["operate"])} {
		if err != nil {
			t.Error(err)
		}
	}
	_, _, err := made["write"].MakeKey(ctx, "mine", "operate")
	refused(t, err, "not-allowed")
	_, _, err = w.MakeKey(ctx, "", "read")
	refused(t, err, "invalid", "/name")
	_, _, err = w.MakeKey(ctx, "x", "everything")
	refused(t, err, "invalid", "read, write, operate")
}

func TestARevokedKeyHoldsNoMore(t *testing.T) {
	t.Parallel()
	database := scratch.Database(t)
	first, second := world{harness.StartOn(t, database, ponds), t}, world{harness.StartOn(t, database, ""), t}
	first.person("ada")
	ctx := t.Context()
	text, key, err := first.MakeKey(ctx, "the backup at night", "read")
	if err != nil {
		t.Fatal(err)
	}
	for _, w := range []world{first, second} {
		if _, err := w.stranger().With(text).Get(ctx, "people/ada"); err != nil {
			t.Error("a key of another service:", err)
		}
	}
	link, _, err := first.stranger().With(text).Link(ctx)
	if err != nil {
		t.Fatal(err)
	}
	session := first.enter(link)
	same(t, "in a browser", first.browsing(session, "GET", "/v1/collections/people/ada", nil), 200)

	first.yalvo("keys", "revoke", key.ID).says(t, 0, "holds no more")
	_, err = first.stranger().With(text).Get(ctx, "people/ada")
	refused(t, err, "not-believed", "revoked")
	same(t, "in a browser, afterwards", first.browsing(session, "GET", "/v1/collections/people/ada", nil), 403)
	for ended := false; !ended; { // within two seconds
		_, err := second.stranger().With(text).Get(ctx, "people/ada")
		ended = err != nil
	}
	first.yalvo("keys").says(t, 0, "the backup at night", "revoked")
	first.yalvo("keys", "revoke", "nothing").says(t, 1, "there is no key")
	if n := first.Number("SELECT count(*) FROM operator_keys WHERE used IS NOT NULL AND name = 'the backup at night'"); n != 1 {
		t.Error("nobody knows when the key was used")
	}
	for _, secret := range []string{text[len(text)-26:], session.Value, link[strings.IndexByte(link, '#')+1:]} {
		same(t, "secrets in the tables", first.Number("SELECT count(*) FROM operator_keys k LEFT JOIN key_sessions s ON true "+
			"WHERE k::text || s::text LIKE '%' || $1 || '%'", secret), 0)
	}
}

func TestKeysThatAreNone(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	for _, text := range []string{"yalvo-", "yalvo--", "yalvo-a-b", w.Key + "x", w.Key[:len(w.Key)-1], strings.ToUpper(w.Key),
		strings.Repeat("yalvo-", 2000)} {
		_, err := w.stranger().With(text).Status(t.Context())
		if err == nil {
			t.Errorf("%.40q is a key", text)
		}
	}
	for _, given := range []string{"Basic YWRhOmFkYQ==", "Bearer", "Bearer  ", w.Key} {
		resp, text := w.ask("GET", "/v1/status", "", "", "Authorization", given)
		same(t, given, resp.StatusCode, 401)
		if resp.Header.Get("WWW-Authenticate") == "" || strings.Contains(string(text), w.Key) {
			t.Errorf("%q: %v %s", given, resp.Header, text)
		}
	}
}

// enter signs a browser in with a link.
func (w world) enter(link string) *http.Cookie {
	w.t.Helper()
	resp, text := w.ask("POST", "/v1/session", "application/json",
		`{"with":"`+link[strings.IndexByte(link, '#')+1:]+`"}`, "Origin", w.URL)
	if resp.StatusCode != 200 || len(resp.Cookies()) != 1 {
		w.t.Fatalf("signing in: %d %s", resp.StatusCode, text)
	}
	return resp.Cookies()[0]
}

// browsing asks as a browser does that has a session, and returns the status.
func (w world) browsing(session *http.Cookie, method, path string, headers map[string]string) int {
	w.t.Helper()
	req := w.Request(method, path, "")
	req.Header.Del("Authorization")
	req.AddCookie(session)
	for name, value := range headers {
		req.Header.Set(name, value)
	}
	resp := must(http.DefaultClient.Do(req))(w.t)
	if err := resp.Body.Close(); err != nil {
		w.t.Error(err)
	}
	return resp.StatusCode
}

// A browser sends its cookie along with whatever a page asks it to. Only the service's own
// pages are let in with it.
func TestASessionIsForTheServicesOwnPages(t *testing.T) {
	t.Parallel()
	const elsewhere = "https://app.example"
	w := start(t, ponds, func(o *service.Options) { o.Origins = []string{elsewhere} })
	w.person("ada")
	link, _, err := w.Link(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	session := w.enter(link)
	if !session.HttpOnly || session.SameSite != http.SameSiteStrictMode || session.Path != "/" ||
		!strings.HasSuffix(session.Name, w.URL[strings.LastIndexByte(w.URL, ':')+1:]) {
		t.Errorf("the cookie is %+v", session)
	}
	own := map[string]string{"Origin": w.URL, "Sec-Fetch-Site": "same-origin"}
	for _, c := range []struct {
		what, method, path string
		headers            map[string]string
		status             int
	}{
		{"a page of its own reads", "GET", "/v1/status", own, 200},
		{"and writes", "POST", "/v1/audits", own, 202},
		{"the address line", "GET", "/v1/status", map[string]string{"Sec-Fetch-Site": "none"}, 200},
		{"a page elsewhere writes", "POST", "/v1/parked/retry", map[string]string{"Origin": elsewhere}, 401},
		{"and reads", "GET", "/v1/status", map[string]string{"Origin": elsewhere}, 401},
		{"one of the same site", "GET", "/v1/status", map[string]string{"Origin": elsewhere, "Sec-Fetch-Site": "same-site"}, 401},
		{"whoever does not say", "POST", "/v1/parked/retry", nil, 401},
		{"nobody may call", "POST", "/v1/parked/retry", map[string]string{"Origin": "https://evil.example"}, 403},
	} {
		if status := w.browsing(session, c.method, c.path, c.headers); status != c.status && !(c.status == 202 && status < 300) {
			t.Errorf("%s: %d, want %d", c.what, status, c.status)
		}
	}
	resp, _ := w.ask("POST", "/v1/session", "application/json", `{"with":"`+link[strings.IndexByte(link, '#')+1:]+`"}`)
	same(t, "the link, once more", resp.StatusCode, 401)
	same(t, "signing out", w.browsing(session, "DELETE", "/v1/session", own), 204)
	same(t, "afterwards", w.browsing(session, "GET", "/v1/status", own), 401)
}

// Every operation that the service describes, asked by everybody: who gets in is as this table
// says, and whatever is not in it is for operators.
func TestEveryOperationLetsInWhomItShould(t *testing.T) {
	t.Parallel()
	w := start(t, signingPonds(t))
	ctx := t.Context()
	up, _, _, err := w.stranger().SignUp(ctx, map[string]any{"name": "Ada"}, password)
	if err != nil {
		t.Fatal(err)
	}
	bearers := map[string]string{"a stranger": "", "an account": up.Access}
	for _, scope := range []string{"read", "write", "operate"} {
		if bearers[scope], _, err = w.MakeKey(ctx, scope, scope); err != nil {
			t.Fatal(err)
		}
	}
	revoked, key, err := w.MakeKey(ctx, "revoked", "operate")
	if err != nil {
		t.Fatal(err)
	}
	if err := w.RevokeKey(ctx, key.ID); err != nil {
		t.Fatal(err)
	}
	expired := must(jwt.NewWithClaims(jwt.SigningMethodHS256, jwt.MapClaims{"sub": up.Account,
		"exp": time.Now().Add(-time.Hour).Unix()}).SignedString([]byte("anybody's")))(t)
	parts := strings.Split(up.Access, ".")
	unbelieved := map[string]string{"a revoked key": revoked, "a token of somebody's own": expired,
		"a token that was changed": parts[0] + "." + parts[1] + "x." + parts[2], "a word": "operate",
		"a token without a signature": "eyJhbGciOiJub25lIn0." + parts[1] + "."}
	_, doc := w.described()
	asked := 0
	for path, operations := range doc["paths"].(map[string]any) {
		for method := range operations.(map[string]any) {
			if method == "parameters" || method == "delete" && path == "/v1/session" {
				continue
			}
			for who, bearer := range bearers {
				asked++
				w.getsIn(strings.ToUpper(method), path, who, bearer)
			}
			for who, bearer := range unbelieved {
				asked++
				w.isNotBelieved(strings.ToUpper(method), path, who, bearer)
			}
		}
	}
	t.Logf("%d times asked", asked)
}

// whoGetsIn says it of what is not as usual: GET takes a key that may read, the rest one that
// may operate.
var whoGetsIn = map[string]string{"/v1/session": "anybody", "/v1/sign-up": "anybody", "/v1/sign-in": "anybody",
	"/v1/sign-in/refresh": "anybody", "/v1/sign-out": "anybody", "/healthz": "anybody", "/readyz": "anybody",
	"/v1/writes": "rules", "/v1/reads": "rules to read", "/v1/session/link": "read", "/v1/design/difference": "read", "/v1/design/forecast": "read", "/v1/design/findings": "read", "/v1/design/graph": "read", "/v1/design/alternatives": "read",
	"/v1/access/try": "read", "/v1/keys": "operate", "/v1/dump/sealed": "operate", "/v1/password": "account or operate",
	"/v1/pictures": "account or write"}

// getsIn asks one operation as somebody, and sees whether they get in: past those who decide
// who somebody is, to the rules or to what is wrong with the request.
func (w world) getsIn(method, path, who, bearer string) {
	w.t.Helper()
	target := path
	for strings.Contains(target, "{") {
		begin, end := strings.IndexByte(target, '{'), strings.IndexByte(target, '}')
		target = target[:begin] + "0" + target[end+1:]
	}
	req := w.Request(method, target, "")
	if req.Header.Del("Authorization"); bearer != "" {
		req.Header.Set("Authorization", "Bearer "+bearer)
	}
	resp := must(http.DefaultClient.Do(req))(w.t)
	text := readAll(w.t, resp)
	isOut := resp.StatusCode == 401 && strings.Contains(text, "not-signed-in") ||
		resp.StatusCode == 403 && (strings.Contains(text, "this is for operators") || strings.Contains(text, "this is for keys that may"))
	if may := mayGetIn(method, path, who); may == isOut {
		w.t.Errorf("%s %s by %s: may get in: %v, and got %d %.200s", method, path, who, may, resp.StatusCode, text)
	}
}

// isNotBelieved sees that nobody gets in, wherever anybody may, who brings what does not hold.
func (w world) isNotBelieved(method, path, who, bearer string) {
	w.t.Helper()
	if !strings.HasPrefix(path, "/v1/") {
		return // how the service is, for whoever asks
	}
	req := w.Request(method, strings.NewReplacer("{", "", "}", "").Replace(path), "")
	req.Header.Set("Authorization", "Bearer "+bearer)
	resp := must(http.DefaultClient.Do(req))(w.t)
	if text := readAll(w.t, resp); resp.StatusCode != 401 || !strings.Contains(text, "not-believed") {
		w.t.Errorf("%s %s by %s: %d %.200s", method, path, who, resp.StatusCode, text)
	}
}

func mayGetIn(method, path, who string) bool {
	needs := whoGetsIn[path]
	switch {
	case needs != "":
	case strings.HasPrefix(path, "/v1/collections/") || strings.HasPrefix(path, "/v1/pairs/") ||
		strings.HasPrefix(path, "/v1/timelines/") || strings.HasPrefix(path, "/v1/lists/") ||
		strings.HasPrefix(path, "/v1/pictures/") || strings.HasPrefix(path, "/v1/live/"):
		if needs = "rules"; method == "GET" {
			needs = "rules to read"
		}
	case method == "GET":
		needs = "read"
	default:
		needs = "operate"
	}
	allowed := map[string]string{"anybody": "a stranger, an account, read, write, operate",
		"rules": "a stranger, an account, write, operate", "rules to read": "a stranger, an account, read, write, operate",
		"read": "read, write, operate", "operate": "operate", "account or operate": "an account, operate",
		"account or write": "an account, write, operate"}[needs]
	return strings.Contains(", "+allowed+",", ", "+who+",")
}

func TestAServiceForOthersNeedsAKey(t *testing.T) {
	t.Parallel()
	database := scratch.Database(t)
	beyond := service.Options{Listen: "0.0.0.0:0", Database: database, Log: scratch.Log()}
	if s, err := service.Start(t.Context(), beyond); err == nil {
		t.Error("it starts, and nobody could operate it", s.Stop())
	} else if !strings.Contains(err.Error(), "yalvo keys make") {
		t.Error(err)
	}
	var w world
	w.t, w.App = t, &harness.App{URL: "http://127.0.0.1:1"}
	made := w.yalvo("keys", "make", "ops", "--database", database)
	made.says(t, 0, "shown this once")
	key, _, _ := strings.Cut(made.out, "\n")
	s := must(service.Start(t.Context(), beyond))(t)
	defer func() {
		if err := s.Stop(); err != nil {
			t.Error(err)
		}
	}()
	port := s.Address[strings.LastIndexByte(s.Address, ':'):]
	if _, err := client.New("http://127.0.0.1" + port).With(key).Status(t.Context()); err != nil {
		t.Error(err)
	}
}

// Connections are secured with a certificate in files, and with the next one when it is there.
func TestConnectionsAreSecured(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	files := [2]string{filepath.Join(dir, "cert.pem"), filepath.Join(dir, "key.pem")}
	pool := x509.NewCertPool()
	writeCertificate(t, files, pool, 1, time.Now().Add(-time.Minute))
	s := must(service.Start(t.Context(), service.Options{Listen: "127.0.0.1:0", Database: scratch.Database(t), Log: scratch.Log(),
		Certificate: files}))(t)
	defer func() {
		if err := s.Stop(); err != nil {
			t.Error(err)
		}
	}()
	serial := func() int64 {
		web := &http.Client{Transport: &http.Transport{ForceAttemptHTTP2: true, TLSClientConfig: &tls.Config{RootCAs: pool}}}
		defer web.CloseIdleConnections()
		resp := must(web.Get(s.Address + "/readyz"))(t)
		readAll(t, resp)
		same(t, "over TLS", fmt.Sprint(resp.StatusCode, resp.ProtoMajor, strings.HasPrefix(s.Address, "https://")), "200 2 true")
		return resp.TLS.PeerCertificates[0].SerialNumber.Int64()
	}
	same(t, "the certificate", serial(), 1)
	writeCertificate(t, files, pool, 2, time.Now())
	same(t, "the next one", serial(), 2)
	if err := os.WriteFile(files[0], []byte("broken"), 0o600); err != nil {
		t.Fatal(err)
	}
	same(t, "while the files are broken", serial(), 2)

	_, err := service.Start(t.Context(), service.Options{Listen: "127.0.0.1:0", Database: scratch.Database(t), Log: scratch.Log(),
		Certificate: files})
	if err == nil || !strings.Contains(err.Error(), "cannot be used") {
		t.Errorf("with a broken certificate: %v", err)
	}
}

func writeCertificate(t *testing.T, files [2]string, pool *x509.CertPool, serial int64, changed time.Time) {
	t.Helper()
	key := must(ecdsa.GenerateKey(elliptic.P256(), rand.Reader))(t)
	template := &x509.Certificate{SerialNumber: big.NewInt(serial), NotAfter: time.Now().Add(time.Hour),
		IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)}}
	der := must(x509.CreateCertificate(rand.Reader, template, template, &key.PublicKey, key))(t)
	private := must(x509.MarshalPKCS8PrivateKey(key))(t)
	for name, block := range map[string]*pem.Block{files[0]: {Type: "CERTIFICATE", Bytes: der},
		files[1]: {Type: "PRIVATE KEY", Bytes: private}} {
		if err := os.WriteFile(name, pem.EncodeToMemory(block), 0o600); err != nil {
			t.Fatal(err)
		}
		if err := os.Chtimes(name, changed, changed); err != nil {
			t.Fatal(err)
		}
	}
	pool.AddCert(must(x509.ParseCertificate(der))(t))
}

func readAll(t testing.TB, resp *http.Response) string {
	t.Helper()
	text := must(io.ReadAll(resp.Body))(t)
	if err := resp.Body.Close(); err != nil {
		t.Error(err)
	}
	return string(text)
}
