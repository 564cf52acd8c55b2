package tests

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"os"
	"os/exec"
	"strings"
	"testing"

	"yalvo/internal/machine/postgres"
	"yalvo/tests/scratch"
)

// runKey is set for a process that is to be a run of tests which goes on until it is killed.
const runKey = "YALVO_TESTS_RUN_UNTIL_THEY_ARE_KILLED"

func asRun() {
	if os.Getenv(runKey) == "" {
		return
	}
	dir, err := scratch.Folder()
	if err == nil {
		_, err = postgres.Start(context.Background(), postgres.Options{Dir: dir, Scratch: true, Log: scratch.Log()})
	}
	fmt.Println(dir, err)
	_, _ = io.Copy(io.Discard, os.Stdin) // it is killed before anything comes
	os.Exit(1)
}

// A run of tests that is killed leaves neither its PostgreSQL behind nor its folders.
func TestAKilledRunLeavesNothingBehind(t *testing.T) {
	t.Parallel()
	run := exec.Command(must(os.Executable())(t))
	run.Env = append(os.Environ(), runKey+"=yes")
	hold := must(run.StdinPipe())(t)
	defer hold.Close()
	said := must(run.StdoutPipe())(t)
	if err := run.Start(); err != nil {
		t.Fatal(err)
	}
	dir, problem, _ := strings.Cut(strings.TrimSpace(must(bufio.NewReader(said).ReadString('\n'))(t)), " ")
	same(t, "what went wrong", problem, "<nil>")
	if len(processesIn(t, dir)) == 0 {
		t.Error("no PostgreSQL works in", dir)
	}
	if err := run.Process.Kill(); err != nil {
		t.Fatal(err)
	}
	_ = run.Wait() // it was killed
	until(t, "it has gone", func() bool {
		_, err := os.Stat(dir)
		return os.IsNotExist(err) && len(processesIn(t, dir)) == 0
	})
}
