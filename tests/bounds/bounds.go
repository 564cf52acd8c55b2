// Package bounds is for tests that feed made-up input: whatever it is, work on it
// must end within a time and an amount of memory.
//
// In goes a test and a piece of work; a test that fails comes out if the work
// took more than is allowed. Not done here: the work is not cut off.
package bounds

import (
	"runtime"
	"testing"
	"time"
)

// What one input may take. Memory is all that was ever asked for, not what was in
// use at one time.
const (
	Time   = 3 * time.Second
	Memory = 256 << 20
)

// Hold runs work and fails the test if it took more than an input may take.
func Hold(t *testing.T, work func()) {
	t.Helper()
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	began := time.Now()
	work()
	took := time.Since(began)
	runtime.ReadMemStats(&after)
	if took > Time {
		t.Errorf("it took %v", took)
	}
	if asked := after.TotalAlloc - before.TotalAlloc; asked > Memory {
		t.Errorf("it asked for %d MB", asked>>20)
	}
}
