package postgres

import (
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"
)

// tick is the unit of processor time of proc(5).
const tick = 10 * time.Millisecond

// Spent is the processor time that the server on a data folder has used, with its sessions, those that have ended too.
func Spent(data string) (spent time.Duration, err error) {
	server, err := os.ReadFile(filepath.Join(data, "postmaster.pid"))
	if err != nil {
		return 0, err
	}
	pid, _, _ := strings.Cut(string(server), "\n")
	all, err := filepath.Glob("/proc/[0-9]*/stat")
	if err != nil {
		return 0, err
	}
	for _, file := range all {
		text, err := os.ReadFile(file)
		if err != nil {
			continue // it has ended
		}
		ticks, err := ticksOf(string(text), pid, filepath.Base(filepath.Dir(file)))
		if err != nil {
			return 0, fmt.Errorf("%s: %w", file, err)
		}
		spent += time.Duration(ticks) * tick
	}
	return spent, nil
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

// SpentBy is the processor time that one process has used, with those that it started and that have ended.
func SpentBy(pid int) (time.Duration, error) {
	id := strconv.Itoa(pid)
	text, err := os.ReadFile(filepath.Join("/proc", id, "stat"))
	if err != nil {
		return 0, err
	}
	ticks, err := ticksOf(string(text), strconv.Itoa(pid), id)
	return time.Duration(ticks) * tick, err
}
