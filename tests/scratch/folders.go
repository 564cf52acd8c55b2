package scratch

import (
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"sync"
	"syscall"
)

// folders are all below one root, which a watcher removes if this process is killed.
var folders struct {
	once    sync.Once
	root    string
	err     error
	watcher *exec.Cmd
	alive   io.Closer // held until the end: the watcher waits for it to close
}

// Folder makes a folder that PostgreSQL's unprivileged user may enter. Main
// removes it when all tests have run.
func Folder() (string, error) {
	folders.once.Do(func() { folders.err = makeRoot() })
	if folders.err != nil {
		return "", folders.err
	}
	dir, err := os.MkdirTemp(folders.root, "")
	if err != nil {
		return "", err
	}
	return dir, os.Chmod(dir, 0o755)
}

// watch waits until the process that began it has ended, ends each PostgreSQL that still runs on a folder
// below the root, in an orderly way if it can, so that it leaves no shared memory, and removes that.
const watch = `
read -r gone
for lock in "$1"/*/postmaster.pid "$1"/*/*/postmaster.pid; do
	[ -f "$lock" ] || continue
	server=$(head -n 1 "$lock")
	kill -INT "$server"
	tries=0
	while kill -0 "$server" 2>/dev/null && [ $tries -lt 100 ]; do tries=$((tries + 1)); sleep 0.1; done
	kill -QUIT "$server" 2>/dev/null
done
until rm -rf "$1"; do sleep 0.1; done
`

func makeRoot() (err error) {
	if folders.root, err = os.MkdirTemp(memory(), "yalvo-test-"); err != nil {
		return err
	}
	if err := os.Chmod(folders.root, 0o755); err != nil {
		return err
	}
	w := exec.Command("sh", "-c", watch, "watcher", folders.root)
	w.SysProcAttr = &syscall.SysProcAttr{Setsid: true} // what interrupts the tests does not end it
	if folders.alive, err = w.StdinPipe(); err != nil {
		return err
	}
	folders.watcher = w
	return w.Start()
}

// removeFolders has the watcher remove them, and waits for it.
func removeFolders() error {
	if folders.watcher == nil {
		return nil
	}
	if err := errors.Join(folders.alive.Close(), folders.watcher.Wait()); err != nil {
		return fmt.Errorf("removing %s: %w", folders.root, err)
	}
	return nil
}

// memory is a folder that lies in memory, if there is one with room for all that tests make:
// hundreds of databases, of which nothing has to outlive them. Empty: there is none.
func memory() string {
	const folder, enough = "/dev/shm", 8 << 30
	var fs syscall.Statfs_t
	if err := syscall.Statfs(folder, &fs); err != nil || fs.Bavail*uint64(fs.Bsize) < enough {
		return ""
	}
	return folder
}
