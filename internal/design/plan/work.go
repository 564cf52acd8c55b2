package plan

// Work is one piece of maintenance. It is made by the function named after its
// step, which says what the members mean. Documents are meant by their row
// numbers.
type Work struct {
	Step    Step
	Subject Number // the count, copy, summary, timeline, reference, pair or trigger it is about
	Key     int64
	Doc     int64
	Rank    int64 // of an entry: its place in the order; of times, microseconds since 1970
	Amount  int64 // read by [Work.Delta], [Work.Own], [Work.Mark], [Work.Nth] or [Work.After]
}

// AddTo adds delta to a count in a document.
func AddTo(count Number, doc, delta int64) Work {
	return Work{Step: Add, Subject: count, Doc: doc, Amount: delta}
}

// Delta is what an [Add] adds.
func (w Work) Delta() int64 { return w.Amount }

// RecopyFrom brings the values of a document to every copy of them.
func RecopyFrom(kept Number, target int64) Work {
	return Work{Step: Recopy, Subject: kept, Doc: target}
}

// RecopyInto brings the values of a document to the copy that source holds.
func RecopyInto(kept Number, target, source int64) Work {
	return Work{Step: Recopy, Subject: kept, Doc: target, Key: source}
}

// Entry is a document in a kind of timeline, at its place in the order.
type Entry struct {
	Timeline    Number
	Author, Doc int64
	Rank        int64
}

// DeliverEntry brings an entry to its author's followers; own: to the author too.
func DeliverEntry(e Entry, own bool) Work {
	w := e.work(Deliver)
	if own {
		w.Amount = 1
	}
	return w
}

// Own tells whether a [Deliver] goes to the author's own timeline too.
func (w Work) Own() bool { return w.Amount != 0 }

// WithdrawEntry takes an entry out of the followers' and the author's timelines.
func WithdrawEntry(e Entry) Work { return e.work(Withdraw) }

func (e Entry) work(s Step) Work {
	return Work{Step: s, Subject: e.Timeline, Key: e.Author, Doc: e.Doc, Rank: e.Rank}
}

// SubscribeTo brings an author's entries into or out of an owner's timeline.
func SubscribeTo(timeline Number, owner, author int64) Work {
	return Work{Step: Subscribe, Subject: timeline, Key: author, Doc: owner}
}

// BringInto is [SubscribeTo] for a pair that was set: there is nothing to take
// out, unless other work of the two is due, which then does that.
func BringInto(timeline Number, owner, author int64) Work {
	w := SubscribeTo(timeline, owner, author)
	w.Amount = 1
	return w
}

// Fresh tells whether a subscription only brings in.
func (w Work) Fresh() bool { return w.Step == Subscribe && w.Amount != 0 }

// RefillOf brings older entries back into an owner's timeline.
func RefillOf(timeline Number, owner int64) Work { return RefillAfter(timeline, owner, 0) }

// RefillAfter is [RefillOf] for a timeline that was cut in a transaction: it
// waits until no transaction that ran beside that one is left.
func RefillAfter(timeline Number, owner, transaction int64) Work {
	return Work{Step: Refill, Subject: timeline, Doc: owner, Amount: transaction}
}

// After is the transaction a [Refill] waits for, 0 if it need not wait.
func (w Work) After() int64 { return w.Amount }

// TrimAll cuts the timelines of one kind to their length.
func TrimAll(timeline Number) Work { return Work{Step: Trim, Subject: timeline} }

// ContributionOf looks at what a document contributes to a summary.
func ContributionOf(summary Number, source int64) Work {
	return Work{Step: Contribute, Subject: summary, Doc: source}
}

// PairContribution looks at what the pair of source and target contributes.
func PairContribution(summary Number, source, target int64) Work {
	return Work{Step: Contribute, Subject: summary, Doc: source, Key: target}
}

// ChooseIn works out a summary in a document from its contributions.
func ChooseIn(summary Number, doc int64) Work { return Work{Step: Choose, Subject: summary, Doc: doc} }

// RefreshOf has a source shown anew wherever it contributes to a summary.
func RefreshOf(summary Number, source int64) Work {
	return Work{Step: Refresh, Subject: summary, Doc: source}
}

// DeliveryOf is work on how an author's entries get to readers: [ChooseDelivery],
// [Clear] or [Fill].
func DeliveryOf(s Step, timeline Number, author int64) Work {
	return Work{Step: s, Subject: timeline, Key: author}
}

// ReactTo carries out the steps of a trigger, for an event by its number.
func ReactTo(trigger Number, event int64) Work {
	return Work{Step: React, Subject: trigger, Doc: event}
}

// SendEvent sends an event to the address of the trigger's nth step.
func SendEvent(trigger Number, event int64, nth int) Work {
	return Work{Step: Send, Subject: trigger, Doc: event, Amount: int64(nth)}
}

// Nth is the step of the trigger that a [Send] belongs to.
func (w Work) Nth() int { return int(w.Amount) }

// Mark is what the ends of a removal carry along.
type Mark struct {
	Depth     int64 // how many triggers in a row led to it, below 256
	Forgotten int64 // the number under which it is forgotten, 0 if it is only removed
}

// EndOf ends what hung on a document that is gone.
func EndOf(s Step, subject Number, doc int64, m Mark) Work {
	return Work{Step: s, Subject: subject, Doc: doc, Amount: m.Forgotten<<8 | m.Depth}
}

// Mark reads what an end carries along.
func (w Work) Mark() Mark { return Mark{Depth: w.Amount & 0xff, Forgotten: w.Amount >> 8} }
