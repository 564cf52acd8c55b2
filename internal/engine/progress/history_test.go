package progress

import (
	"testing"
	"time"
)

func TestTheHistoryHoldsAnHour(t *testing.T) {
	r := &Reader{}
	began := time.Date(2031, 5, 4, 3, 2, 1, 0, time.UTC)
	for i := range 1000 {
		r.history.add(Sample{began.Add(time.Duration(i) * historyEvery), int64(i), 0})
	}
	got := r.History()
	if len(got) != 360 || got[0].Due != 640 || got[359].Due != 999 {
		t.Errorf("%d samples, from %+v to %+v", len(got), got[0], got[len(got)-1])
	}
	got[0].Due = -1
	if r.History()[0].Due != 640 {
		t.Error("who reads the history changes it")
	}
}
