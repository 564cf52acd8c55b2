package receivers

import (
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"strings"
	"testing"
	"time"
)

func TestTriggersReachNothingPrivateUnlessTheyMay(t *testing.T) {
	site := []netip.Prefix{netip.MustParsePrefix("10.20.0.0/16"), netip.MustParsePrefix("fd00::/8")}
	for address, want := range map[string][2]bool{ // by anybody; of who may send within the site
		"127.0.0.1":        {},
		"::1":              {},
		"10.20.3.4":        {false, true},
		"10.21.3.4":        {},
		"fd00::5":          {false, true},
		"169.254.169.254":  {},
		"64:ff9b::a00:1":   {}, // 10.0.0.1, by way of a translator
		"2002:7f00:1::":    {}, // 127.0.0.1, by way of a tunnel
		"8.8.4.4":          {true, true},
		"2a00:1450:4001::": {true, true},
	} {
		a := netip.MustParseAddr(address)
		if got := [2]bool{mayReach(a, nil), mayReach(a, site)}; got != want {
			t.Errorf("%s: %v, want %v", address, got, want)
		}
	}
	here := httptest.NewServer(http.NotFoundHandler())
	defer here.Close()
	if _, err := Client(time.Minute, nil).Get(here.URL); err == nil || !strings.Contains(NotAnswered(err, 0),
		"private") {
		t.Errorf("a service on this machine was asked: %v", err)
	}
}

func TestWhoHangsHoldsUpNobodyElse(t *testing.T) {
	var u UnderWay
	for range perReceiver {
		if u.Full("hangs") {
			t.Fatal("full before it has its share")
		}
		u.Add("hangs", 1)
	}
	if !u.Full("hangs") || u.Full("another") {
		t.Error("who has its share is to be full, and nobody else")
	}
	for len(u.many) < sendsAtOnce { // many, each with some
		u.Add(strings.Repeat("x", len(u.many)), 1)
	}
	if !u.Full("x") || u.Full("new") {
		t.Error("with so many under way each is to have one")
	}
	u.Add("hangs", -perReceiver)
	if u.many["hangs"] != 0 || u.Full("hangs") {
		t.Error("who has ended is to be counted no more")
	}
	u.Add("all", mostSends)
	if !u.Full("new") {
		t.Error("there is to be an end to it")
	}
}

func TestOneReceiverIsOneSchemeAndHost(t *testing.T) {
	if a, b := Of("https://Fen.example:8443/a?x=1"), Of("HTTPS://fen.example:8443/b"); a != b ||
		a == Of("https://fen.example/a") {
		t.Errorf("%s, %s", a, b)
	}
}

// A receiver that knows the key finds by RFC 9421 that the event is signed, and that it is the one that was sent.
func TestAnEventIsSignedAsItsReceiverChecksIt(t *testing.T) {
	t.Setenv("FEN_KEY", "a heron's secret")
	event := Event{ID: "7-1", Source: "/fen", Type: "sighting.created", Subject: "sightings/s1",
		Time: time.Date(2026, 5, 3, 4, 5, 6, 0, time.UTC), Data: json.RawMessage(`{"birds":2}`)}
	var refused, told string
	answer := http.StatusNoContent
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, err := io.ReadAll(r.Body)
		if err != nil {
			refused = err.Error()
		}
		refused, told = unlike(r, body, "a heron's secret"), string(body)
		w.WriteHeader(answer)
	}))
	defer s.Close()
	client := Client(time.Minute, []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")})
	post := func(key string) error {
		return Post(context.Background(), client, s.URL+"/hook?a=b", key, event, time.Minute)
	}
	if err := post("FEN_KEY"); err != nil || refused != "" {
		t.Fatalf("%v; %s", err, refused)
	}
	const want = `{"specversion":"1.0","id":"7-1","source":"/fen","type":"sighting.created","subject":"sightings/s1",` +
		`"time":"2026-05-03T04:05:06Z","datacontenttype":"application/json","data":{"birds":2}}`
	if told != want {
		t.Errorf("told %s\nwant %s", told, want)
	}
	if err := post("NO_SUCH_KEY"); err == nil || !strings.Contains(err.Error(), "NO_SUCH_KEY") {
		t.Errorf("with a key that is not set: %v", err)
	}
	for answer = range map[int]bool{http.StatusFound: true, http.StatusTeapot: true} {
		if err := post(""); err == nil || !strings.Contains(err.Error(), http.StatusText(answer)) &&
			answer != http.StatusFound {
			t.Errorf("it answered %d: %v", answer, err)
		}
	}
}

// unlike says what a receiver finds wrong with a request.
func unlike(r *http.Request, body []byte, key string) string {
	sum := sha256.Sum256(body)
	if r.Header.Get("Content-Digest") != "sha-256=:"+base64.StdEncoding.EncodeToString(sum[:])+":" {
		return "the digest is another's"
	}
	params, is := strings.CutPrefix(r.Header.Get("Signature-Input"), "yalvo=")
	if !is {
		return "not signed"
	}
	var base strings.Builder
	components, _, _ := strings.Cut(strings.TrimPrefix(params, "("), ")")
	for name := range strings.FieldsSeq(components) {
		value := r.Header.Get(strings.Trim(name, `"`))
		switch name {
		case `"@method"`:
			value = r.Method
		case `"@target-uri"`:
			value = "http://" + r.Host + r.URL.RequestURI()
		}
		base.WriteString(name + ": " + value + "\n")
	}
	base.WriteString(`"@signature-params": ` + params)
	mac := hmac.New(sha256.New, []byte(key))
	mac.Write([]byte(base.String()))
	if r.Header.Get("Signature") != "yalvo=:"+base64.StdEncoding.EncodeToString(mac.Sum(nil))+":" {
		return "signed as something else: " + base.String()
	}
	return ""
}
