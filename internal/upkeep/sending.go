package upkeep

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"slices"
	"sync"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/plan"
	"yalvo/internal/running"
	"yalvo/internal/store"
)

const (
	sendsAtOnce = 16  // requests a service has under way
	perTrigger  = 4   // of them: a receiver that hangs leaves the others to the rest
	sendAnswer  = 300 // how much of a refusal's body is kept, in bytes
)

// Patience is how long receivers of what triggers send are waited for.
type Patience struct {
	Answer time.Duration // until a request counts as failed
	Pause  time.Duration // after a first failure; each further one doubles it
}

// sends counts the requests under way, by trigger.
type sends struct {
	mu       sync.Mutex
	underWay map[plan.Number]int
}

// add counts requests that begin or, below zero, end.
func (s *sends) add(trigger plan.Number, many int) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.underWay[trigger] += many
}

// full are the triggers that have as many under way as they may; all tells
// whether the service has.
func (s *sends) full() (triggers []plan.Number, all bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	total := 0
	for trigger, many := range s.underWay {
		if total += many; many >= perTrigger {
			triggers = append(triggers, trigger)
		}
	}
	return triggers, total >= sendsAtOnce
}

// sender has sent what triggers are to send, each request on its own and in no
// transaction: a receiver that hangs holds up little, and not for long.
func (w *Workers) sender(ctx context.Context) {
	client := &http.Client{Timeout: w.Patience.Answer,
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	under := &sends{underWay: map[plan.Number]int{}}
	var group sync.WaitGroup
	defer group.Wait()
	for ctx.Err() == nil {
		l, there, err := w.nextToSend(ctx, under)
		if err != nil && ctx.Err() == nil {
			w.Trouble("sending", err)
		}
		if there && err == nil {
			under.add(l.due.Subject, 1)
			group.Go(func() {
				if err := w.sendLeased(ctx, client, l); err != nil && ctx.Err() == nil {
					w.Trouble("sending", err)
				}
				under.add(l.due.Subject, -1)
				w.Wake(plan.Sending)
			})
			continue
		}
		select {
		case <-w.Work(plan.Sending):
		case <-ctx.Done():
		}
	}
}

// leased is something to send that nobody else sends meanwhile.
type leased struct {
	version *running.Version
	due     store.Due
	event   store.Event
	kept    bool // what set off the trigger is known still
}

func (w *Workers) nextToSend(ctx context.Context, under *sends) (l leased, there bool, err error) {
	full, all := under.full()
	if all {
		return l, false, nil
	}
	if l.version, err = w.IfAny(ctx); err != nil || l.version == nil {
		return l, false, err
	}
	err = w.Store.Write(ctx, func(tx *store.Tx) error {
		var err error
		// After the lease another service may take what one has crashed with.
		if l.due, there, err = tx.Lease(plan.Sending, 3*w.Patience.Answer, full...); err != nil || !there {
			return err
		}
		l.event, l.kept, err = tx.Event(l.due.Doc)
		return err
	})
	return l, there, err
}

// sendLeased sends it, and notes that it was sent or what came of it.
func (w *Workers) sendLeased(ctx context.Context, client *http.Client, l leased) error {
	trigger := l.version.Plan.TriggerNumbered(l.due.Subject)
	var err error
	if l.kept && trigger != nil && l.due.Nth() < len(trigger.Steps) {
		err = w.post(ctx, client, l.version, trigger, trigger.Steps[l.due.Nth()].Step, l.event)
	}
	if ctx.Err() != nil {
		return nil // cut off by the service's end: it is due again when the lease is over
	}
	defer w.Settle()
	if err == nil {
		return w.Store.FinishLeased(ctx, l.due)
	}
	parked, failErr := w.Store.FailDue(ctx, l.due, err, running.IsHopeless(err), w.Patience.Pause)
	w.Log.Warn("sending failed", "trigger", trigger.Name, "attempt", l.due.Attempts+1, "parked", parked, "error", err)
	return failErr
}

// cloudEvent is a change in the form of CloudEvents 1.0, structured JSON.
type cloudEvent struct {
	SpecVersion string          `json:"specversion"`
	ID          string          `json:"id"` // the same each time it is sent
	Source      string          `json:"source"`
	Type        string          `json:"type"`
	Subject     string          `json:"subject"`
	Time        time.Time       `json:"time"`
	ContentType string          `json:"datacontenttype"`
	Data        json.RawMessage `json:"data"`
}

func (w *Workers) post(ctx context.Context, client *http.Client, v *running.Version, trigger *plan.Trigger,
	step *design.Step, event store.Event) error {
	of := ""
	if trigger.Collection != nil {
		of = trigger.Collection.Name
	} else {
		of = trigger.Pair.Name
	}
	body, err := json.Marshal(cloudEvent{"1.0", fmt.Sprint(event.N), "/apps/" + v.Plan.Design.App,
		fmt.Sprintf("app.%s.%s.%s", v.Plan.Design.App, of, trigger.On),
		event.Subject, event.At.UTC(), "application/json", event.Payload})
	if err != nil {
		return err
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, step.URL, bytes.NewReader(body))
	if err != nil {
		return err
	}
	req.Header.Set("Content-Type", "application/cloudevents+json")
	if err := sign(req, body, step.Key, time.Now()); err != nil {
		return err
	}
	resp, err := client.Do(req)
	if err != nil {
		return fmt.Errorf("%s did not answer: %w", step.URL, err)
	}
	defer resp.Body.Close()
	answer, err := io.ReadAll(io.LimitReader(resp.Body, sendAnswer))
	if err != nil {
		return fmt.Errorf("%s broke off its answer: %w", step.URL, err)
	}
	switch {
	case resp.StatusCode >= 200 && resp.StatusCode < 300:
		return nil
	case resp.StatusCode >= 300 && resp.StatusCode < 400:
		return fmt.Errorf("%s answered %s to %s, and redirects are not followed: write the address it has now into "+
			"the design", step.URL, resp.Status, resp.Header.Get("Location"))
	}
	return fmt.Errorf("%s answered %s: %s", step.URL, resp.Status, bytes.TrimSpace(answer))
}

// sign signs a request by HTTP Message Signatures (RFC 9421, hmac-sha256) over
// its method, address and the digest of its body (RFC 9530), with the key in an
// environment variable. Without a variable only the digest is added.
func sign(req *http.Request, body []byte, variable string, now time.Time) error {
	sum := sha256.Sum256(body)
	digest := "sha-256=:" + base64.StdEncoding.EncodeToString(sum[:]) + ":"
	req.Header.Set("Content-Digest", digest)
	if variable == "" {
		return nil
	}
	key := os.Getenv(variable)
	if key == "" {
		return fmt.Errorf("the environment variable %s with the signing key is not set for this service", variable)
	}
	params := fmt.Sprintf(`("@method" "@target-uri" "content-digest");created=%d;keyid="%s";alg="hmac-sha256"`,
		now.Unix(), variable)
	base := fmt.Sprintf("\"@method\": %s\n\"@target-uri\": %s\n\"content-digest\": %s\n\"@signature-params\": %s",
		req.Method, req.URL.String(), digest, params)
	mac := hmac.New(sha256.New, []byte(key))
	mac.Write([]byte(base))
	req.Header.Set("Signature-Input", "yalvo="+params)
	req.Header.Set("Signature", "yalvo=:"+base64.StdEncoding.EncodeToString(mac.Sum(nil))+":")
	return nil
}

// Replay has everything that set off a trigger at or after a position sent
// again, with the same ids, and returns how much that is.
func (w *Workers) Replay(ctx context.Context, trigger string, from int64) (int64, error) {
	v, err := w.Now(ctx)
	if err != nil {
		return 0, err
	}
	at := slices.IndexFunc(v.Plan.Triggers, func(t *plan.Trigger) bool { return t.Name == trigger })
	if at < 0 {
		return 0, running.Refuse(running.CodeUnknownName, "the design has no trigger %q", trigger)
	}
	t := v.Plan.Triggers[at]
	var many int64
	err = w.Store.Write(ctx, func(tx *store.Tx) error {
		many = 0
		for i, s := range t.Steps {
			if s.Do != design.DoSend {
				continue
			}
			n, err := tx.ResendEvents(t.Number, from, i)
			if err != nil {
				return err
			}
			many += n
		}
		return nil
	})
	w.Wake(plan.Sending)
	return many, err
}
