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
	Trimming   Lane = 5 // timelines that outgrew their length; nobody waits for it
	Reacting   Lane = 6 // the steps of the developer's triggers
	Sending    Lane = 7 // what these send elsewhere
)

// Lanes are all lanes.
var Lanes = []Lane{Counting, Copying, Delivering, Ending, Trimming, Reacting, Sending}

var laneNames = [...]string{"?", "counting", "copying", "delivering", "ending", "trimming", "reacting", "sending"}

// String is the lane's name.
func (l Lane) String() string { return laneNames[l] }

// Upkeep tells whether work of the lane brings a duplicate in line. What is
// sent elsewhere is nobody's duplicate, and nobody waits for a trim.
func (l Lane) Upkeep() bool { return l != Trimming && l != Sending }
