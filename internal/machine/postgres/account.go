package postgres

import (
	"errors"
	"io/fs"
	"os"
	"os/user"
	"strconv"
	"syscall"
)

// account is the unprivileged user that PostgreSQL runs as when the service is root.
type account struct {
	name     string
	uid, gid uint32
}

// unprivileged is nil when the service is an ordinary user itself.
func unprivileged() (*account, error) {
	if os.Geteuid() != 0 {
		return nil, nil
	}
	for _, name := range []string{"postgres", "nobody"} {
		u, err := user.Lookup(name)
		if err != nil {
			continue
		}
		uid, uidErr := strconv.ParseUint(u.Uid, 10, 32)
		gid, gidErr := strconv.ParseUint(u.Gid, 10, 32)
		if err := errors.Join(uidErr, gidErr); err != nil {
			return nil, err
		}
		return &account{name, uint32(uid), uint32(gid)}, nil
	}
	return nil, errors.New("PostgreSQL refuses to run as root, and there is neither a user postgres nor nobody: make " +
		"one, or name a running server with --database")
}

func (a *account) mayEnter(dir fs.FileInfo) bool {
	stat := dir.Sys().(*syscall.Stat_t)
	mode := dir.Mode().Perm()
	switch {
	case stat.Uid == a.uid:
		return mode&0o100 != 0
	case stat.Gid == a.gid:
		return mode&0o010 != 0
	}
	return mode&0o001 != 0
}

// attributes makes a process run as the account, out of reach of the
// terminal's Ctrl-C: the service stops it in its own time.
func (a *account) attributes() *syscall.SysProcAttr {
	attr := &syscall.SysProcAttr{Setpgid: true}
	if a != nil {
		attr.Credential = &syscall.Credential{Uid: a.uid, Gid: a.gid}
	}
	return attr
}
