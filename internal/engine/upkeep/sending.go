package upkeep

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"sync"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/design/expr"
	"yalvo/internal/design/plan"
	"yalvo/internal/engine/metering"
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
		w.Meter.Add(metering.Of{Kind: metering.Along, Name: "trigger " + trigger.Name},
			metering.Counts{Times: 1, Sent: 1})
		return queuesql.FinishLeased(ctx, w.Store, l.due)
	}
	parked, failErr := queuesql.FailDue(ctx, w.Store, l.due, err, running.IsHopeless(err), w.Patience.Pause)
	w.logFailure("sending", parked, err, "trigger", trigger.Name, "attempt", l.due.Attempts+1)
	return failErr
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
	return receivers.Post(ctx, client, step.URL, step.Key, receivers.Event{
		ID: fmt.Sprint(event.N), Source: "/apps/" + v.Plan.Design.App,
		Type:    fmt.Sprintf("app.%s.%s.%s", v.Plan.Design.App, of, trigger.On),
		Subject: event.Subject, Time: event.At.UTC(), Data: data}, w.Patience.Answer)
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
