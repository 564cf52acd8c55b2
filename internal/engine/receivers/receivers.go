// Package receivers is about whom triggers send to: the client that reaches only
// whom it may, the shares that keep one receiver from holding up another, and how
// an event is put, signed and posted.
//
// In go addresses, patience and events; out come a client, who an address belongs to,
// whether it has its share, and what came of a request. Not done here: what is told
// of a change, when, and how often.
package receivers

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"strings"
	"sync"
	"syscall"
	"time"
)

// Each receiver has a share of its own of the requests under way: one that hangs
// holds up no other. There are no more receivers than a design has steps.
const (
	perReceiver  = 4
	sendsAtOnce  = 64  // from then on each receiver has one
	mostSends    = 512 // whatever the design
	answerHeader = 16 << 10
)

// UnderWay counts the requests under way, by receiver. The zero value counts none.
type UnderWay struct {
	mu   sync.Mutex
	many map[string]int
	all  int
}

// Add counts requests that begin or, below zero, end.
func (u *UnderWay) Add(receiver string, many int) {
	u.mu.Lock()
	defer u.mu.Unlock()
	if u.many == nil {
		u.many = map[string]int{}
	}
	u.all += many
	if u.many[receiver] += many; u.many[receiver] == 0 {
		delete(u.many, receiver)
	}
}

// Full tells whether a receiver has its share.
func (u *UnderWay) Full(receiver string) bool {
	u.mu.Lock()
	defer u.mu.Unlock()
	share := perReceiver
	if u.all >= sendsAtOnce {
		share = 1
	}
	return u.many[receiver] >= share || u.all >= mostSends
}

// Of is who an address belongs to: its scheme and host.
func Of(address string) string {
	u, err := url.Parse(address)
	if err != nil {
		return address
	}
	return strings.ToLower(u.Scheme + "://" + u.Host)
}

// errPrivate is why a receiver is not connected to.
var errPrivate = errors.New("is an address of this machine or of a private network, and triggers may send there " +
	"only if " +
	"the service is started with --send-within")

// Client is the client for what triggers send. Each connection is looked at
// when the name has been resolved: where it leads may change.
func Client(patience time.Duration, within []netip.Prefix) *http.Client {
	dialer := &net.Dialer{Timeout: patience, Control: func(_, address string, _ syscall.RawConn) error {
		to, err := netip.ParseAddrPort(address)
		if err != nil {
			return err
		}
		if !mayReach(to.Addr().Unmap(), within) {
			return fmt.Errorf("%s %w", to.Addr(), errPrivate)
		}
		return nil
	}}
	return &http.Client{Timeout: patience,
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
		Transport: &http.Transport{DialContext: dialer.DialContext, TLSHandshakeTimeout: patience,
			MaxIdleConnsPerHost: perReceiver, IdleConnTimeout: time.Minute, MaxResponseHeaderBytes: answerHeader,
			ForceAttemptHTTP2: true}}
}

// private are the networks that are nobody's beyond this machine or its site, and
// those that lead to such (IANA special-purpose address registries).
var private = prefixes("0.0.0.0/8", "10.0.0.0/8", "100.64.0.0/10", "127.0.0.0/8", "169.254.0.0/16", "172.16.0.0/12",
	"192.0.0.0/24", "192.0.2.0/24", "192.88.99.0/24", "192.168.0.0/16", "198.18.0.0/15", "198.51.100.0/24",
	"203.0.113.0/24", "224.0.0.0/4", "240.0.0.0/4", "::/128", "::1/128", "64:ff9b::/96", "64:ff9b:1::/48", "100::/64",
	"2001::/23", "2001:db8::/32", "2002::/16", "fc00::/7", "fe80::/10", "fec0::/10", "ff00::/8")

func prefixes(texts ...string) []netip.Prefix {
	all := make([]netip.Prefix, len(texts))
	for i, text := range texts {
		all[i] = netip.MustParsePrefix(text)
	}
	return all
}

func mayReach(a netip.Addr, within []netip.Prefix) bool {
	in := func(networks []netip.Prefix) bool {
		for _, n := range networks {
			if n.Contains(a) {
				return true
			}
		}
		return false
	}
	return in(within) || !in(private)
}

// NotAnswered says in a few words why there was no answer. What a receiver sent
// instead of one is left out.
func NotAnswered(err error, patience time.Duration) string {
	var network net.Error
	var name *net.DNSError
	var dial *net.OpError
	switch {
	case errors.Is(err, errPrivate):
		return "cannot be sent to: " + errPrivate.Error()
	case errors.As(err, &name):
		return "cannot be reached: its name is not known"
	case errors.As(err, &network) && network.Timeout(), errors.Is(err, context.DeadlineExceeded):
		return fmt.Sprintf("did not answer within %v", patience)
	case errors.Is(err, syscall.ECONNREFUSED):
		return "cannot be reached: nothing listens there"
	case errors.As(err, &dial) && dial.Op == "dial":
		return "cannot be reached"
	}
	return "did not answer as HTTP has it, or broke off"
}
