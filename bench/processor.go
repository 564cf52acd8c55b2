package main

import (
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"
)

// spent is processor time: in this process, which is the server that is measured and the load on it, and in
// PostgreSQL. It tells what something costs in an hour in which others have the machine too.
type spent struct{ here, database time.Duration }

// spent is all that has been spent so far. PostgreSQL's is of the server and its sessions, those that have ended too
// (proc(5): in ticks of a hundredth of a second).
func (b *bench) spent() (s spent, err error) {
	var own syscall.Rusage
	if err := syscall.Getrusage(syscall.RUSAGE_SELF, &own); err != nil {
		return s, err
	}
	s.here = time.Duration(own.Utime.Nano() + own.Stime.Nano())
	server, err := os.ReadFile(filepath.Join(b.data, "postmaster.pid"))
	if err != nil {
		return s, err
	}
	pid, _, _ := strings.Cut(string(server), "\n")
	all, err := filepath.Glob("/proc/[0-9]*/stat")
	if err != nil {
		return s, err
	}
	for _, file := range all {
		text, err := os.ReadFile(file)
		if err != nil {
			continue // it has ended
		}
		ticks, err := ticksOf(string(text), pid, filepath.Base(filepath.Dir(file)))
		if err != nil {
			return s, fmt.Errorf("%s: %w", file, err)
		}
		s.database += time.Duration(ticks) * 10 * time.Millisecond
	}
	return s, nil
}

// ticksOf are those of a process, if it is the server or a session of it.
func ticksOf(stat, server, pid string) (ticks int64, err error) {
	fields := strings.Fields(stat[strings.LastIndexByte(stat, ')')+1:]) // from the state on, the third
	const parent, user, endedSystem = 1, 11, 14
	last := user + 1
	switch {
	case pid == server:
		last = endedSystem
	case fields[parent] != server:
		return 0, nil
	}
	for _, field := range fields[user : last+1] {
		n, err := strconv.ParseInt(field, 10, 64)
		if err != nil {
			return 0, err
		}
		ticks += n
	}
	return ticks, nil
}

// each is what one of many has cost since.
func (s spent) each(since spent, many int64) string {
	us := func(d time.Duration) int64 { return d.Microseconds() / max(1, many) }
	return fmt.Sprintf("%d+%d", us(s.here-since.here), us(s.database-since.database))
}
