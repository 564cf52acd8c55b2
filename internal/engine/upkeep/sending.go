package upkeep

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"os"
	"slices"
	"sync"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/design/expr"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/receivers"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/queuesql"
)

// Patience is how long receivers of what triggers send are waited for.
type Patience struct {
	Answer time.Duration // until a request counts as failed
	Pause  time.Duration // after a first failure; each further one doubles it
}

// sender has sent what triggers are to send, each request on its own and in no
// transaction: a receiver that hangs holds up nobody else.
func (w *Workers) sender(ctx context.Context) {
	client := receivers.Client(w.Patience.Answer, w.Within)
	under := receivers.UnderWay{}
	var group sync.WaitGroup
	defer group.Wait()
	for ctx.Err() == nil {
		l, there, err := w.nextToSend(ctx, &under)
		if err != nil && ctx.Err() == nil {
			w.Trouble("sending", err)
		}
		if there && err == nil {
			receiver := l.receiver()
			under.Add(receiver, 1)
			group.Go(func() {
				if err := w.sendLeased(ctx, client, l); err != nil && ctx.Err() == nil {
					w.Trouble("sending", err)
				}
				under.Add(receiver, -1)
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
	due     queuesql.Due
	event   queuesql.Event
	kept    bool // what set off the trigger is known still
}

// step is what is to be sent, nil if the design no longer has it.
func (l leased) step() *design.Step {
	trigger := l.version.Plan.TriggerNumbered(l.due.Subject)
	if trigger == nil || l.due.Nth() >= len(trigger.Steps) {
		return nil
	}
	return trigger.Steps[l.due.Nth()].Step
}

func (l leased) receiver() string {
	if step := l.step(); step != nil {
		return receivers.Of(step.URL)
	}
	return ""
}

// stepsOf are the steps whose receivers have their share.
func stepsOf(under *receivers.UnderWay, p *plan.Plan) []queuesql.SendStep {
	var steps []queuesql.SendStep
	for _, t := range p.Triggers {
		for i, s := range t.Steps {
			if s.Do == design.DoSend && under.Full(receivers.Of(s.URL)) {
				steps = append(steps, queuesql.SendStep{Trigger: t.Number, Nth: int64(i)})
			}
		}
	}
	return steps
}

func (w *Workers) nextToSend(ctx context.Context, under *receivers.UnderWay) (l leased, there bool, err error) {
	if l.version, err = w.IfAny(ctx); err != nil || l.version == nil {
		return l, false, err
	}
	busy := stepsOf(under, l.version.Plan)
	err = w.Store.Write(ctx, func(tx *store.Tx) error {
		var err error
		// After the lease another service may take what one has crashed with.
		if l.due, there, err = queuesql.Lease(tx, plan.Sending, 3*w.Patience.Answer, busy...); err != nil || !there {
			return err
		}
		l.event, l.kept, err = queuesql.FindEvent(tx, l.due.Doc)
		return err
	})
	return l, there, err
}

// sendLeased sends it, and notes that it was sent or what came of it.
func (w *Workers) sendLeased(ctx context.Context, client *http.Client, l leased) error {
	trigger := l.version.Plan.TriggerNumbered(l.due.Subject)
	var err error
	if step := l.step(); l.kept && step != nil {
		err = w.post(ctx, client, l.version, trigger, step, l.event)
	}
	if ctx.Err() != nil {
		return nil // cut off by the service's end: it is due again when the lease is over
	}
	defer w.Settle()
	if err == nil {
		return queuesql.FinishLeased(ctx, w.Store, l.due)
	}
	parked, failErr := queuesql.FailDue(ctx, w.Store, l.due, err, running.IsHopeless(err), w.Patience.Pause)
	w.logFailure("sending", parked, err, "trigger", trigger.Name, "attempt", l.due.Attempts+1)
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
	step *design.Step, event queuesql.Event) error {
	of := ""
	if trigger.Collection != nil {
		of = trigger.Collection.Name
	} else {
		of = trigger.Pair.Name
	}
	data, known, err := w.sent(ctx, v, trigger, step, event)
	if err != nil || !known {
		return err
	}
	body, err := json.Marshal(cloudEvent{"1.0", fmt.Sprint(event.N), "/apps/" + v.Plan.Design.App,
		fmt.Sprintf("app.%s.%s.%s", v.Plan.Design.App, of, trigger.On),
		event.Subject, event.At.UTC(), "application/json", data})
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
		return fmt.Errorf("%s %s", step.URL, receivers.NotAnswered(err, w.Patience.Answer))
	}
	// Nothing of what a receiver answers is kept or shown but its status.
	if err := resp.Body.Close(); err != nil {
		return err
	}
	switch {
	case resp.StatusCode >= 200 && resp.StatusCode < 300:
		return nil
	case resp.StatusCode >= 300 && resp.StatusCode < 400:
		return fmt.Errorf("%s answered %d, and redirects are not followed: write the address it has now into the "+
			"design",
			step.URL, resp.StatusCode)
	}
	return fmt.Errorf("%s answered %d %s", step.URL, resp.StatusCode, http.StatusText(resp.StatusCode))
}

// sent is what a request says: the change, or what the step works out of it and of what it
// sees. It is not known where something that it needs has gone together with what it tells of.
func (w *Workers) sent(ctx context.Context, v *running.Version, trigger *plan.Trigger, step *design.Step,
	event queuesql.Event) (data json.RawMessage, known bool, err error) {
	switch {
	case step.Fields == nil && len(trigger.Sees()) == 0:
		return event.Payload, true, nil
	case step.Fields == nil:
		data, err = running.Without(event.Payload, []string{running.Seen})
		return data, true, err
	}
	values, err := payload(trigger, event)
	if err != nil {
		return nil, false, err
	}
	me, _ := values["me"].(string)
	evaluator := v.Evaluator(me, running.KnownIn(w.Store.Looking(ctx)))
	all, err := occasion{values, evaluator, v.About(trigger, values)}.all(step.Fields)
	if errors.Is(err, expr.ErrAbsent) {
		stands, lookErr := standing(event, w.Store.Looking(ctx))
		if lookErr != nil || !stands {
			return nil, false, lookErr
		}
	}
	if err != nil {
		return nil, false, err
	}
	data, err = json.Marshal(all)
	return data, true, err
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
		return 0, running.Refuse(running.CodeUnknownName, "the design has no trigger %q: %s", design.Clip(trigger),
			design.Meant(trigger, design.NamesOf(v.Plan.Triggers, func(t *plan.Trigger) string { return t.Name })))
	}
	t := v.Plan.Triggers[at]
	var many int64
	err = w.Store.Write(ctx, func(tx *store.Tx) error {
		many = 0
		for i, s := range t.Steps {
			if s.Do != design.DoSend {
				continue
			}
			n, err := queuesql.ResendEvents(tx, t.Number, from, i)
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
