package plan

// Step is a kind of maintenance. Every step looks at the facts as they are
// when it runs, not as they were when it became due. So steps may run late,
// twice or in any order. [Add] is the exception: it runs exactly once.
type Step int16

// The steps. Their numbers are stored. What the members of a [Work] mean for
// each is said by its constructor.
const (
	Add            Step = 1  // add to a count
	Recopy         Step = 2  // bring values to the copies of them
	Deliver        Step = 3  // bring an entry to its author's followers
	Withdraw       Step = 4  // take an entry out again
	Subscribe      Step = 5  // an author's entries into or out of one timeline, as the pairs now are
	Refill         Step = 6  // older entries come back into a timeline that was cut
	EndReference   Step = 7  // what pointed at a document that is gone
	EndFrom        Step = 8  // pairs from a document that is gone
	EndTo          Step = 9  // pairs to a document that is gone
	EndNested      Step = 10 // documents under a document that is gone
	EndTimeline    Step = 11 // entries of an owner who is gone
	Trim           Step = 12 // cut what lies beyond the length, owner by owner
	Contribute     Step = 13 // what a source contributes to a summary
	Choose         Step = 14 // work out a summary from its contributions
	Refresh        Step = 15 // what a summary shows of a source has changed
	ChooseDelivery Step = 16 // whether an author is collected from, by the number of followers
	Clear          Step = 17 // entries of an author who is collected from, out of all timelines
	Fill           Step = 18 // entries of an author who no longer is, into the followers' timelines
	React          Step = 19 // the steps of a trigger
	Send           Step = 20 // what a trigger sends
	EndFrozen      Step = 21 // frozen copies of a document that is to be forgotten
)

var stepNames = [...]string{"?", "add", "recopy", "deliver", "withdraw", "subscribe", "refill", "end-reference",
	"end-from", "end-to", "end-nested", "end-timeline", "trim", "contribute", "choose", "refresh", "choose-delivery",
	"clear", "fill", "react", "send", "end-frozen"}

// String is the step's name.
func (s Step) String() string { return stepNames[s] }

// Lane is the lane the step runs in.
func (s Step) Lane() Lane {
	switch s {
	case Add, Contribute:
		return Counting
	case Recopy, Choose, Refresh:
		return Copying
	case Deliver, Withdraw, Subscribe, Refill, ChooseDelivery, Clear, Fill:
		return Delivering
	case Trim:
		return Trimming
	case React:
		return Reacting
	case Send:
		return Sending
	}
	return Ending
}
