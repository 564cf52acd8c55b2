package main

import (
	"fmt"
	"syscall"
	"time"

	"yalvo/internal/machine/postgres"
)

// spent is processor time: in this process, which is the server that is measured and the load on it, and in
// PostgreSQL. It tells what something costs in an hour in which others have the machine too.
type spent struct{ here, database time.Duration }

// spent is all that has been spent so far.
func (b *bench) spent() (s spent, err error) {
	var own syscall.Rusage
	if err := syscall.Getrusage(syscall.RUSAGE_SELF, &own); err != nil {
		return s, err
	}
	s.here = time.Duration(own.Utime.Nano() + own.Stime.Nano())
	s.database, err = postgres.Spent(b.data)
	return s, err
}

// each is what one of many has cost since.
func (s spent) each(since spent, many int64) string {
	us := func(d time.Duration) int64 { return d.Microseconds() / max(1, many) }
	return fmt.Sprintf("%d+%d", us(s.here-since.here), us(s.database-since.database))
}
