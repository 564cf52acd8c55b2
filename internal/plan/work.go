package plan

// Lane separates work that must not wait for work of another kind: a like's
// count is not held up by a fan-out to a million.
type Lane int16

// The lanes.
const (
	Counting   Lane = 1 // counts and sums
	Copying    Lane = 2 // copies and choices
	Delivering Lane = 3 // entries of timelines
	Ending     Lane = 4 // what follows a removed document
	Tidying    Lane = 5 // what nobody waits for
	Reacting   Lane = 6 // the steps of the developer's triggers
	Sending    Lane = 7 // what these send elsewhere
)

// Lanes are all lanes.
var Lanes = []Lane{Counting, Copying, Delivering, Ending, Tidying, Reacting, Sending}

// String is the lane's name.
func (l Lane) String() string {
	return [...]string{"?", "counting", "copying", "delivering", "ending", "tidying", "reacting", "sending"}[l]
}

// Step is a kind of maintenance. Every step looks at the facts as they are
// when it runs, not as they were when it became due, so steps may run late,
// twice or in any order. Adding is the exception: it runs exactly once.
type Step int16

// The steps, and what the members of a [Work] mean for each.
const (
	Add          Step = 1  // Subject count: add Amount to document Doc
	Recopy       Step = 2  // Subject copy: bring document Doc's values to those that point at it; Key: to that document only
	Deliver      Step = 3  // Subject timeline: entry Doc of author Key to the author's followers; Amount 1: and to the author
	Withdraw     Step = 4  // Subject timeline: entry Doc of author Key out of the followers' and the author's timelines
	Relate       Step = 5  // Subject timeline: author Key's entries into or out of owner Doc's timeline, as the pair now is
	Refill       Step = 6  // Subject timeline: older entries of owner Doc come back into a timeline that was cut
	EndReference Step = 7  // Subject reference: what pointed at document Doc, which is gone; Amount, as of all ends: how many triggers deep
	EndFrom      Step = 8  // Subject pair: pairs from document Doc, which is gone
	EndTo        Step = 9  // Subject pair: pairs to document Doc, which is gone
	EndNested    Step = 10 // Subject collection: documents under document Doc, which is gone
	EndTimeline  Step = 11 // Subject timeline: the entries of owner Doc, who is gone
	Trim         Step = 12 // Subject timeline: cut what lies beyond the length, owner by owner
	Weigh        Step = 13 // Subject summary: what document Doc contributes; of pairs, what the pair of Doc contributes to Key
	Choose       Step = 14 // Subject summary: work out the value in document Doc from the contributions
	Reaudience   Step = 16 // Subject timeline: whether author Key is collected from when read, by the number of followers
	Clear        Step = 17 // Subject timeline: the entries of author Key, who is collected from, out of all timelines
	Fill         Step = 18 // Subject timeline: the entries of author Key, who is no longer collected from, into the followers' timelines
	React        Step = 19 // Subject reaction: the steps of a trigger, for what was fired under number Doc
	Send         Step = 20 // Subject reaction: what was fired under number Doc to the address of step Amount
	EndFrozen    Step = 21 // Subject copy: frozen copies of document Doc, which is to be forgotten
	Reshow       Step = 15 // Subject summary: what it shows of document Doc has changed, wherever that contributes
)

// Lane is the lane the step runs in.
func (s Step) Lane() Lane {
	switch s {
	case Add, Weigh:
		return Counting
	case Recopy, Choose, Reshow:
		return Copying
	case Deliver, Withdraw, Relate, Refill, Reaudience, Clear, Fill:
		return Delivering
	case Trim:
		return Tidying
	case React:
		return Reacting
	case Send:
		return Sending
	}
	return Ending
}

// String is the step's name.
func (s Step) String() string {
	return [...]string{"?", "add", "recopy", "deliver", "withdraw", "relate", "refill", "end-reference", "end-from", "end-to", "end-nested", "end-timeline", "trim", "weigh", "choose", "reshow", "reaudience", "clear", "fill", "react", "send", "end-frozen"}[s]
}

// Work is one piece of maintenance. Documents are meant by their row numbers.
type Work struct {
	Step    Step
	Subject Number
	Key     int64 // entries: the author; else as the step says
	Doc     int64
	Rank    int64 // entries: the place in the order; of times, microseconds since 1970
	Amount  int64
}
