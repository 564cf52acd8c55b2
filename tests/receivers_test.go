package tests

import (
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"yalvo/internal/design/plan"
	"yalvo/internal/machine/service"
)

// tells is a design whose posts are told to each of some addresses.
func tells(urls ...string) string {
	var b strings.Builder
	b.WriteString(alarm)
	for i, url := range urls {
		fmt.Fprintf(&b, "  tell%d: {on: {created: posts}, do: [{send: \"%s\"}]}\n", i, url)
	}
	return b.String()
}

// liar answers every request with the same bytes.
func liar(t *testing.T, says string) string {
	l := must(net.Listen("tcp", "127.0.0.1:0"))(t)
	t.Cleanup(func() { _ = l.Close() }) // whoever waits for a request is told so
	go func() {
		for {
			conn, err := l.Accept()
			if err != nil {
				return
			}
			go func() {
				defer conn.Close()
				if _, err := conn.Read(make([]byte, 4096)); err == nil {
					_, _ = io.WriteString(conn, says) // who is lied to may hang up
				}
			}()
		}
	}()
	return "http://" + l.Addr().String()
}

// However many receivers hang, what goes to another one arrives at once.
func TestManyThatHangStarveNobody(t *testing.T) {
	t.Parallel()
	release := make(chan struct{})
	hanging := make([]string, 20)
	for i := range hanging {
		s := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { <-release }))
		t.Cleanup(s.Close)
		hanging[i] = s.URL
	}
	t.Cleanup(func() { close(release) })
	prompt := receive(t, nil)
	w := start(t, tells(append(hanging, prompt.URL)...), func(o *service.Options) { o.Patience.Answer = 20 * time.Second })
	w.person("ada")
	for i := range 12 {
		w.post("ada", fmt.Sprint("p", i), "hush")
	}
	w.until("the prompt one has got everything", func() bool { return len(prompt.all()) == 12 })
	same(t, "attempts that were given up meanwhile", w.sendsGivenUp(), 0)
}

// sendsGivenUp is how often something that is due to be sent has been given up so far. What
// triggers do to facts is not looked at: there attempts are counted before they are made.
func (w world) sendsGivenUp() int64 {
	return w.Number(fmt.Sprintf("SELECT coalesce(max(attempts), 0) FROM due WHERE lane = %d", plan.Sending))
}

// Receivers that answer with what is no HTTP, no text or no end are given up and
// parked like others, and nothing they said is stored.
func TestReceiversThatLieAreParkedWithoutWhatTheySaid(t *testing.T) {
	t.Parallel()
	const secret = "s3cr3t"
	w := start(t, tells(
		liar(t, "HTTP/1.1 500 "+secret+"\x00\xff\r\nContent-Length: 6\r\n\r\n"+secret),
		liar(t, "HTTP/1.1 500 "+strings.Repeat(secret, 200_000)+"\r\n\r\n"),
		liar(t, "HTTP/1.1 200 OK\r\nX: "+strings.Repeat(secret, 200_000)+"\r\n\r\n"),
		liar(t, secret+" is no HTTP\r\n\r\n"),
		liar(t, "HTTP/1.1 301 Moved\r\nLocation: http://"+secret+".example/\r\nContent-Length: 0\r\n\r\n"),
	), func(o *service.Options) { o.Patience.Pause = time.Millisecond })
	w.person("ada")
	w.post("ada", "p1", "hush")
	w.until("all of them are parked", func() bool { return w.Number("SELECT count(*) FROM parked") == 5 })
	for _, p := range must(w.ParkedWork(t.Context()))(t) {
		if strings.Contains(p.Error, secret) || len(p.Error) > 300 {
			t.Errorf("%s is parked with %d bytes: %.300s", p.About, len(p.Error), p.Error)
		}
	}
}

// Where the operator has not allowed it, nothing is sent to addresses of this
// machine or of private networks, whatever name leads there.
func TestPrivateAddressesAreNotSentTo(t *testing.T) {
	t.Parallel()
	got := receive(t, nil)
	port := got.URL[strings.LastIndexByte(got.URL, ':'):]
	w := start(t, tells(got.URL, "http://localhost"+port, "http://[::ffff:127.0.0.1]"+port, "http://0.0.0.0"+port,
		"http://169.254.169.254/latest", "http://10.0.0.1/"),
		func(o *service.Options) { o.SendWithin, o.Patience.Pause = nil, time.Millisecond })
	w.person("ada")
	w.post("ada", "p1", "hush")
	w.until("all of it is parked", func() bool { return w.Number("SELECT count(*) FROM parked") == 6 })
	for _, p := range must(w.ParkedWork(t.Context()))(t) {
		if !strings.Contains(p.Error, "--send-within") {
			t.Errorf("%s is parked with %s", p.About, p.Error)
		}
	}
	same(t, "requests that arrived", len(got.all()), 0)
}
