package tests

import (
	"fmt"
	"math"
	"net"
	"net/http"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/golang-jwt/jwt/v5"

	"yalvo/client"
	"yalvo/internal/doors/tokens"
	"yalvo/internal/machine/service"
	"yalvo/tests/harness"
)

// signingPonds is the guarded app, whose people sign up and in by their name.
func signingPonds(t *testing.T) string {
	t.Helper()
	return changed(t, guardedPonds(t),
		"accounts: people", "accounts: people\nsign_in: name",
		"name: {type: string, required: true,", "name: {type: string, required: true, unique: true,",
		`      edit:   "doc == me"`, "      create: \"me == null\"\n      edit:   \"doc == me\"")
}

const password = "reeds and rushes"

// stranger is a client that brings nothing.
func (w world) stranger() *client.Client { return client.New(w.URL) }

func TestAnAccountSignsUpInAndOut(t *testing.T) {
	t.Parallel()
	w := start(t, signingPonds(t))
	ctx := t.Context()
	up, doc, position, err := w.stranger().SignUp(ctx, map[string]any{"name": "Ada"}, password)
	if err != nil {
		t.Fatal(err)
	}
	same(t, "the document", doc.Facts["name"], "Ada")
	same(t, "whose tokens they are", up.Account, doc.ID)
	if position == "" || up.Expires != int(tokens.AccessTime.Seconds()) {
		t.Errorf("got %q, %+v", position, up)
	}

	ada := w.stranger().With(up.Access)
	if _, _, err := ada.Create(ctx, "posts", "p1", map[string]any{"text": "a heron"}); err != nil {
		t.Error("what the rules allow an account:", err)
	}
	who := must(ada.Whoami(ctx))(t)
	same(t, "who it is", who.Account, up.Account)
	_, _, err = ada.Patch(ctx, "people/"+up.Account, map[string]any{"muted": true})
	refused(t, err, "not-allowed")
	_, err = ada.As("ben").Get(ctx, "posts/p1")
	refused(t, err, "not-allowed", "for operators")
	_, err = ada.Status(ctx)
	refused(t, err, "not-allowed", "for operators")
	_, _, err = w.stranger().Create(ctx, "posts", "p2", map[string]any{"text": "x", "author": up.Account})
	refused(t, err, "not-allowed")

	_, _, _, err = w.stranger().SignUp(ctx, map[string]any{"name": "Ada"}, "rushes and reeds")
	refused(t, err, "invalid", "/facts/name", "is taken")
	_, _, _, err = w.stranger().SignUp(ctx, map[string]any{"name": "Ada", "mail": "ada@fen"}, password)
	refused(t, err, "invalid", "/facts/name", "is taken")
	again, doc, _, err := w.stranger().SignUp(ctx, map[string]any{"name": "Ada"}, password) // the answer got lost
	if err != nil {
		t.Fatal(err)
	}
	same(t, "a sign-up that is repeated signs in", []any{again.Account, doc.ID}, []any{up.Account, up.Account})
	must(w.stranger().With(again.Access).Whoami(ctx))(t)
	_, _, _, err = w.stranger().SignUp(ctx, map[string]any{"name": "Ben", "muted": true}, password)
	refused(t, err, "not-allowed")
	_, _, _, err = w.stranger().SignUp(ctx, map[string]any{"name": "Ben"}, "short")
	refused(t, err, "invalid", "/password", "10 characters")
	same(t, "those who have a password", w.Number("SELECT count(*) FROM passwords"), 1)

	_, err = w.stranger().SignIn(ctx, "name", "Ada", "rushes and reeds")
	refused(t, err, "wrong-password", "the name or the password is wrong")
	_, unknown := w.stranger().SignIn(ctx, "name", "Nobody", password)
	same(t, "of somebody unknown the same is said", unknown, err)
	in := must(w.stranger().SignIn(ctx, "name", "Ada", password))(t)
	same(t, "the account", in.Account, up.Account)

	if err := w.stranger().SignOut(ctx, in.Refresh); err != nil {
		t.Error(err)
	}
	_, err = w.stranger().Refresh(ctx, in.Refresh)
	refused(t, err, "signed-out", "sign in again")
	if _, err := w.stranger().Refresh(ctx, up.Refresh); err != nil {
		t.Error("the other sign-in goes on:", err)
	}
}

// An answer may get lost: a refresh can be repeated for a while. A token that comes again later
// was stolen, or the one after it: nobody has the account by it any more.
func TestARefreshTokenHoldsOnce(t *testing.T) {
	t.Parallel()
	w := start(t, signingPonds(t))
	ctx := t.Context()
	first, _, _, err := w.stranger().SignUp(ctx, map[string]any{"name": "Ada"}, password)
	if err != nil {
		t.Fatal(err)
	}
	second := must(w.stranger().Refresh(ctx, first.Refresh))(t)
	again := must(w.stranger().Refresh(ctx, first.Refresh))(t)
	same(t, "the same refresh token is answered again", again.Refresh, second.Refresh)
	third := must(w.stranger().Refresh(ctx, second.Refresh))(t)
	if third.Refresh == second.Refresh {
		t.Error("a refresh token was not replaced")
	}
	_, err = w.stranger().Refresh(ctx, first.Refresh) // not the one before, but the one before that
	refused(t, err, "signed-out")
	_, err = w.stranger().Refresh(ctx, third.Refresh)
	refused(t, err, "signed-out")

	in := must(w.stranger().SignIn(ctx, "name", "Ada", password))(t)
	next := must(w.stranger().Refresh(ctx, in.Refresh))(t)
	w.SQL("UPDATE sign_ins SET rotated = now() - interval '1 minute'")
	_, err = w.stranger().Refresh(ctx, in.Refresh)
	refused(t, err, "signed-out")
	_, err = w.stranger().Refresh(ctx, next.Refresh)
	refused(t, err, "signed-out")
	for _, text := range []string{"", "x", "x.y", strings.Repeat("a", 5000) + "." + "b"} {
		if _, err := w.stranger().Refresh(ctx, text); err == nil {
			t.Errorf("%.20q is a refresh token", text)
		}
	}
}

func TestAPasswordChangedEndsAllSignIns(t *testing.T) {
	t.Parallel()
	w := start(t, signingPonds(t))
	ctx := t.Context()
	up, _, _, err := w.stranger().SignUp(ctx, map[string]any{"name": "Ada"}, password)
	if err != nil {
		t.Fatal(err)
	}
	ada := w.stranger().With(up.Access)
	refused(t, ada.ChangePassword(ctx, "not this one", "another one"), "wrong-password")
	if err := ada.ChangePassword(ctx, password, "another one"); err != nil {
		t.Fatal(err)
	}
	_, err = w.stranger().Refresh(ctx, up.Refresh)
	refused(t, err, "signed-out")
	_, err = w.stranger().SignIn(ctx, "name", "Ada", password)
	refused(t, err, "wrong-password")
	in := must(w.stranger().SignIn(ctx, "name", "Ada", "another one"))(t)

	w.yalvo("password", "nobody").says(t, 1, "people/nobody")
	given := w.yalvo("password", up.Account)
	given.says(t, 0, "signed out")
	_, err = w.stranger().Refresh(ctx, in.Refresh)
	refused(t, err, "signed-out")
	chosen, _, _ := strings.Cut(given.out, "\n")
	must(w.stranger().SignIn(ctx, "name", "Ada", chosen))(t)
	refused(t, ada.GivePassword(ctx, up.Account, "yet another one"), "invalid", "/account")
}

// Passwords and sign-ins go with their account, and somebody who gets its id later does not
// get them.
func TestPasswordsGoWithTheirAccount(t *testing.T) {
	t.Parallel()
	w := start(t, signingPonds(t))
	ctx := t.Context()
	up, doc, _, err := w.stranger().SignUp(ctx, map[string]any{"name": "Ada"}, password)
	if err != nil {
		t.Fatal(err)
	}
	if _, _, err := w.Remove(ctx, doc.Path); err != nil {
		t.Fatal(err)
	}
	w.Settle()
	if _, _, err := w.Create(ctx, "people", doc.ID, map[string]any{"name": "Ada"}); err != nil {
		t.Fatal(err)
	}
	_, err = w.stranger().SignIn(ctx, "name", "Ada", password)
	refused(t, err, "wrong-password")
	_, err = w.stranger().Refresh(ctx, up.Refresh)
	refused(t, err, "signed-out")
}

// Whoever guesses waits, ever longer, and many guesses at once are as many as one after the
// other.
func TestGuessingPasswordsTakesTime(t *testing.T) {
	t.Parallel()
	w := start(t, signingPonds(t))
	ctx := t.Context()
	for _, name := range []string{"Ada", "Ben"} {
		if _, _, _, err := w.stranger().SignUp(ctx, map[string]any{"name": name}, password); err != nil {
			t.Fatal(err)
		}
	}
	var looked, waited atomic.Int64
	var group sync.WaitGroup
	began := time.Now()
	for range 30 {
		group.Go(func() {
			_, err := w.stranger().SignIn(ctx, "name", "Ada", "not this one at all")
			var p *client.Problem
			if p, _ = err.(*client.Problem); p == nil {
				t.Errorf("got %v", err)
				return
			}
			switch p.Code {
			case "wrong-password":
				looked.Add(1)
			case "too-many":
				waited.Add(1)
			default:
				t.Errorf("got %v", err)
			}
		})
	}
	group.Wait()
	// Six at once, the others after 1, 2, 4 seconds and so on.
	took := time.Since(began)
	if most := 6 + int64(math.Log2(1+took.Seconds())); looked.Load() > most || looked.Load()+waited.Load() != 30 {
		t.Errorf("of 30 guesses within %v %d were looked at, %d had to wait", took, looked.Load(), waited.Load())
	}
	w.SQL("UPDATE guesses SET until = now() + interval '1 minute' WHERE until = (SELECT max(until) FROM guesses)") // on a slow machine it is over
	_, err := w.stranger().SignIn(ctx, "name", "Ada", password)
	refused(t, err, "too-many", "wait")
	resp, _ := w.ask("POST", "/v1/sign-in", "application/json", `{"name":"Ada","password":"`+password+`"}`)
	same(t, "how it is told", resp.StatusCode, http.StatusTooManyRequests)
	if after := resp.Header.Get("Retry-After"); after == "" || after == "0" {
		t.Errorf("Retry-After is %q", after)
	}
	if _, err := w.stranger().SignIn(ctx, "name", "Ben", password); err != nil {
		t.Error("somebody else:", err)
	}
	w.SQL("UPDATE guesses SET until = now()")
	if _, err := w.stranger().SignIn(ctx, "name", "Ada", password); err != nil {
		t.Error("when the time is over:", err)
	}
	if _, err := w.stranger().SignIn(ctx, "name", "Ada", "not this one at all"); err == nil {
		t.Error("any password is right")
	}
	same(t, "what is known after the right one", w.Number("SELECT max(wrong) FROM guesses WHERE wrong < 2"), 1)
}

// strangerAt is a stranger at another address.
func (w world) strangerAt(address string) *client.Client {
	dialer := net.Dialer{LocalAddr: &net.TCPAddr{IP: net.ParseIP(address)}}
	transport := &http.Transport{DialContext: dialer.DialContext}
	w.t.Cleanup(transport.CloseIdleConnections)
	return w.stranger().Using(&http.Client{Transport: transport})
}

// Whoever tries an account's name from everywhere does not keep it out where it has signed in before.
func TestOthersDoNotKeepAnAccountOut(t *testing.T) {
	t.Parallel()
	w := start(t, signingPonds(t))
	ctx := t.Context()
	if _, _, _, err := w.strangerAt("127.0.0.2").SignUp(ctx, map[string]any{"name": "Ada"}, password); err != nil {
		t.Fatal(err)
	}
	_, err := w.strangerAt("127.0.0.3").SignIn(ctx, "name", "Ada", "not this one at all")
	refused(t, err, "wrong-password")
	w.SQL("UPDATE guesses SET wrong = 99, until = now() + interval '5 minutes'") // as after a thousand of them
	_, err = w.strangerAt("127.0.0.4").SignIn(ctx, "name", "Ada", password)
	refused(t, err, "too-many")
	if _, err = w.strangerAt("127.0.0.2").SignIn(ctx, "name", "Ada", password); err != nil {
		t.Error("where it has signed in before:", err)
	}
	// An address of four bytes, in any order, is less than 2^33; what is made of one with a secret hardly ever is.
	if kept := w.Number("SELECT count(*) FROM familiar WHERE abs(place) < 8589934592"); kept > 0 {
		t.Error("addresses are kept as they are")
	}
}

// Accounts are made by signing up, with its limits, and by nothing else.
func TestAccountsComeAboutBySigningUpAlone(t *testing.T) {
	t.Parallel()
	w := start(t, signingPonds(t))
	ctx := t.Context()
	up, _, _, err := w.stranger().SignUp(ctx, map[string]any{"name": "Ada"}, password)
	if err != nil {
		t.Fatal(err)
	}
	for who, c := range map[string]*client.Client{"a stranger": w.stranger(), "an account": w.stranger().With(up.Access)} {
		_, _, err := c.Create(ctx, "people", "", map[string]any{"name": "Mass"})
		refused(t, err, "not-allowed", "POST /v1/sign-up")
		_, _, err = c.Batch(ctx, client.Creating("people", "", map[string]any{"name": "Mass"}))
		refused(t, err, "invalid", "/writes/0", "POST /v1/sign-up")
		if t.Failed() {
			t.Fatal(who)
		}
	}
	if _, _, err := w.Create(ctx, "people", "by-hand", map[string]any{"name": "An operator's"}); err != nil {
		t.Error(err)
	}
	same(t, "accounts", w.Number("SELECT count(*) FROM documents"), 2)
}

// A token outlives its account for some minutes, and makes nothing in its name.
func TestTheTokenOfAnAccountThatIsGoneMakesNothing(t *testing.T) {
	t.Parallel()
	w := start(t, changed(t, signingPonds(t), `create: "active() && new.author == me"`, "create: true",
		`edit:   "active() && doc.author == me"`, "edit: true", `      remove: "doc.author == me"
    notes`, `      remove: true
    notes`, `like:   {read: true, set: "active() && from == me", unset: "from == me"}`,
		"like:   {read: true, set: true, unset: true}"))
	ctx := t.Context()
	up, doc, _, err := w.stranger().SignUp(ctx, map[string]any{"name": "Ada"}, password)
	if err != nil {
		t.Fatal(err)
	}
	w.given("people", "ben", map[string]any{"name": "Ben"})
	w.post("ben", "p1", "a heron")
	ada := w.stranger().With(up.Access)
	tries := map[string]func() error{
		"a document": func() error {
			_, _, err := ada.Create(ctx, "posts", "", map[string]any{"text": "x", "author": "ben"})
			return err
		},
		"an edit": func() error {
			_, _, err := ada.Patch(ctx, "posts/p1", map[string]any{"text": fmt.Sprint("seen at ", time.Now())})
			return err
		},
		"a pair": func() error { _, err := ada.Set(ctx, "like", "ben", "p1"); return err },
		"a batch": func() error {
			_, _, err := ada.Batch(ctx, client.Unsetting("like", "ben", "p1"))
			return err
		},
	}
	for what, try := range tries {
		if err := try(); err != nil {
			t.Error(what, "while it is there:", err)
		}
	}
	if _, _, err := w.Remove(ctx, doc.Path); err != nil {
		t.Fatal(err)
	}
	w.Settle()
	before := w.Number("SELECT count(*) FROM journal")
	tries["a picture"] = func() error { _, err := ada.Upload(ctx, aPicture(t, 1)); return err }
	tries["a removal"] = func() error { _, _, err := ada.Remove(ctx, "posts/p1"); return err }
	for what, try := range tries {
		if err := try(); err == nil || !strings.Contains(err.Error(), "there is no account "+up.Account) {
			t.Errorf("%s of an account that is gone: %v", what, err)
		}
	}
	same(t, "what was written", w.Number("SELECT count(*) FROM journal"), before)
}

// The app's identity provider says who somebody is; their document is theirs to create.
func TestAccountsOfAProvider(t *testing.T) {
	t.Parallel()
	secret := strings.Repeat("marsh", 8)
	w := start(t, guardedPondsOpen(t), func(o *service.Options) {
		o.Tokens = &tokens.Trust{Secret: []byte(secret), Issuer: "https://id.example", Audience: "ponds"}
	})
	ctx := t.Context()
	token := func(sub string) string {
		return must(jwt.NewWithClaims(jwt.SigningMethodHS256, jwt.MapClaims{"iss": "https://id.example", "aud": "ponds",
			"sub": sub, "exp": time.Now().Add(time.Hour).Unix(), "muted": true, "warden": true}).
			SignedString([]byte(secret)))(t)
	}
	ada := w.stranger().With(token("ada-7"))
	_, _, err := ada.Create(ctx, "posts", "p1", map[string]any{"text": "a heron"})
	refused(t, err, "not-allowed") // signed in, and nobody yet
	doc, _, err := ada.Enrol(ctx, map[string]any{"name": "Ada"})
	if err != nil {
		t.Fatal(err)
	}
	same(t, "whose it is", doc.ID, "ada-7")
	if _, _, err := ada.Create(ctx, "posts", "p1", map[string]any{"text": "a heron"}); err != nil {
		t.Error(err) // a role that the token claims is none
	}
	_, _, err = w.stranger().With(token("ada-7")).Enrol(ctx, map[string]any{"name": "Another"})
	refused(t, err, "conflict")
	_, _, err = w.stranger().Enrol(ctx, map[string]any{"name": "Ada"})
	refused(t, err, "invalid", "/password")
	_, _, err = w.stranger().Create(ctx, "people", "ben-3", map[string]any{"name": "Ben"}) // who has not been here yet
	refused(t, err, "not-allowed", "for whom a token of that id signs in")
	_, err = w.stranger().With(token("ada-7")+"x").Get(ctx, "posts/p1")
	refused(t, err, "not-believed", "not signed")
	_, err = w.stranger().SignIn(ctx, "name", "Ada", password)
	refused(t, err, "no-sign-in", "sign_in")
}

// guardedPondsOpen lets a stranger become somebody.
func guardedPondsOpen(t *testing.T) string {
	return changed(t, guardedPonds(t), `      edit:   "doc == me"`, "      create: \"me == null\"\n      edit:   \"doc == me\"")
}

func TestWithoutRulesOnlyOperatorsMayAsk(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.person("ada")
	_, err := w.stranger().Get(t.Context(), "people/ada")
	refused(t, err, "not-allowed", "give it `access`")
	if _, err := w.As("ada").Get(t.Context(), "people/ada"); err != nil {
		t.Error("an operator who acts as an account:", err)
	}
	if _, err := harness.Client(t, w.URL).Get(t.Context(), "people/ada"); err != nil {
		t.Error(err)
	}
}
