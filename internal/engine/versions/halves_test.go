package versions

import (
	"errors"
	"testing"
)

// When a half waits for what the other half, or a client, holds, it gives up; the stretch is
// done as one when nobody is at it any more, and what a half has done is not counted twice.
func TestAHalfThatFailsIsDoneWithTheOther(t *testing.T) {
	waited := errors.New("it has waited for a lock")
	release := make(chan struct{})
	ended := 0
	fails := func() (int64, error) { close(release); return 0, waited }
	late := func() (int64, error) { <-release; ended++; return 7, nil } // ends after the other has failed
	whole := func() (int64, error) {
		if ended != 1 {
			t.Error("the stretch is done as one while a half is at it")
		}
		return 12, nil
	}
	for name, halves := range map[string][2]func() (int64, error){
		"the first": {fails, late}, "the second": {late, fails}} {
		release, ended = make(chan struct{}), 0
		if written, halved, err := inHalves(halves[0], halves[1], whole); written != 12 || halved || err != nil {
			t.Errorf("%s fails: %d written, halved %t, %v", name, written, halved, err)
		}
	}
	release, ended = make(chan struct{}), 0
	broken := errors.New("the database has gone")
	if _, halved, err := inHalves(fails, late, func() (int64, error) { return 0, broken }); halved ||
		!errors.Is(err, broken) {
		t.Errorf("the whole fails too: halved %t, %v", halved, err)
	}
	never := func() (int64, error) { t.Error("both halves are done, and so is the whole"); return 0, nil }
	five := func() (int64, error) { return 5, nil }
	if written, halved, err := inHalves(five, five, never); written != 10 || !halved || err != nil {
		t.Errorf("both are done: %d written, halved %t, %v", written, halved, err)
	}
}
