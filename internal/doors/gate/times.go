package gate

import "time"

// Times that a connection has.
const (
	queueTime  = 10 * time.Second  // for a place at the gate
	BodyTime   = 20 * time.Second  // until a body must be there
	UploadTime = 2 * time.Minute   // until a picture must be there
	HeaderTime = 10 * time.Second  // until a header must be there
	IdleTime   = 2 * time.Minute   // without a request
	answerTime = 100 * time.Second // from the request to the end of its answer; reads may wait for 60
	EventTime  = 30 * time.Second  // for an event of a live read
)

// MaxHeader is the most bytes the header of a request may have.
const MaxHeader = 32 << 10
