package postgres

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
)

// Options says how to run the server.
type Options struct {
	Dir     string // its folder, made if missing
	Scratch bool   // data that nobody will miss: no waiting for the disk
	Log     *slog.Logger
}

// Server is a running PostgreSQL.
type Server struct {
	dir     string // the service's folder
	data    string // PostgreSQL's own, within it
	port    int
	secret  string
	process *os.Process
	logged  int64         // how long its log was when it was started
	exited  chan struct{} // closed when a server that this process started has ended
	lock    *os.File
	log     *slog.Logger
}

// The superuser and the database that the service uses.
const (
	superuser = "yalvo"
	database  = "yalvo"
)

// ErrInUse says that another service runs on the folder.
var ErrInUse = errors.New("the data folder is in use by another service")

// Start makes sure that a server runs on the folder: a new one, or the one
// that an earlier service left behind. It returns when the server answers.
func Start(ctx context.Context, o Options) (*Server, error) {
	bin, err := programs()
	if err != nil {
		return nil, err
	}
	as, err := unprivileged()
	if err != nil {
		return nil, err
	}
	dir, err := filepath.Abs(o.Dir)
	if err != nil {
		return nil, err
	}
	if err := checkFolder(dir, as); err != nil {
		return nil, err
	}
	s := &Server{dir: dir, data: filepath.Join(dir, "postgres"), log: o.Log}
	if s.lock, err = lockFolder(dir); err != nil {
		return nil, err
	}
	if err := s.run(ctx, bin, as, o.Scratch); err != nil {
		s.lock.Close()
		return nil, err
	}
	return s, nil
}

func (s *Server) run(ctx context.Context, bin string, as *account, scratch bool) error {
	if err := s.prepare(ctx, bin, as); err != nil {
		return err
	}
	if s.adopt(ctx) {
		s.log.Info("took over the PostgreSQL that an earlier service left running", "port", s.port)
		return s.createDatabase(ctx)
	}
	if err := s.launchUntilAlone(ctx, bin, as, scratch); err != nil {
		return err
	}
	if err := s.createDatabase(ctx); err != nil {
		return errors.Join(err, s.Stop())
	}
	return nil
}

// launchUntilAlone starts a server. Where one was killed its children may live
// on for a moment, and until they have noticed a new one does not start.
func (s *Server) launchUntilAlone(ctx context.Context, bin string, as *account, scratch bool) error {
	for began := time.Now(); ; {
		if err := s.launch(bin, as, scratch); err != nil {
			return err
		}
		err := s.waitUntilReady(ctx)
		if err == nil {
			return nil
		}
		if !strings.Contains(s.newLog(), othersLiveOn) || time.Since(began) > 20*time.Second {
			return errors.Join(err, s.Stop())
		}
	}
}

// othersLiveOn is what PostgreSQL says then.
const othersLiveOn = "pre-existing shared memory block"

// lockFolder keeps two services off one folder. The kernel drops the lock with
// the process, so a killed service leaves none behind.
func lockFolder(dir string) (*os.File, error) {
	lock, err := os.OpenFile(filepath.Join(dir, "service.lock"), os.O_CREATE|os.O_RDWR, 0o644)
	if err != nil {
		return nil, fmt.Errorf("the data folder %s: %w", dir, err)
	}
	if err := syscall.Flock(int(lock.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		holder, readErr := os.ReadFile(lock.Name())
		lock.Close()
		if readErr != nil {
			holder = []byte("unknown")
		}
		return nil, fmt.Errorf("%w: %s (process %s); stop it, or name another folder with --data", ErrInUse, dir,
			strings.TrimSpace(string(holder)))
	}
	if err := lock.Truncate(0); err != nil {
		lock.Close()
		return nil, err
	}
	if _, err := lock.WriteAt([]byte(strconv.Itoa(os.Getpid())), 0); err != nil {
		lock.Close()
		return nil, err
	}
	return lock, nil
}

// prepare makes the database cluster if there is none. A cluster is made
// aside and moved into place, so that an interrupted one is never used.
func (s *Server) prepare(ctx context.Context, bin string, as *account) error {
	secretFile := filepath.Join(s.dir, "secret")
	if _, err := os.Stat(filepath.Join(s.data, "PG_VERSION")); err == nil {
		secret, err := os.ReadFile(secretFile)
		if err != nil {
			return fmt.Errorf("the folder %s has a database but its password cannot be read: %w", s.dir, err)
		}
		s.secret = strings.TrimSpace(string(secret))
		return checkVersion(bin, s.data)
	}
	s.secret = rand.Text()
	fresh := s.data + ".new"
	if err := os.RemoveAll(fresh); err != nil {
		return err
	}
	if err := os.Mkdir(fresh, 0o700); err != nil {
		return err
	}
	if err := os.WriteFile(secretFile, []byte(s.secret), 0o600); err != nil {
		return err
	}
	if as != nil {
		if err := errors.Join(os.Chown(fresh, int(as.uid), int(as.gid)),
			os.Chown(secretFile, int(as.uid), int(as.gid))); err != nil {
			return err
		}
	}
	s.log.Info("making a new database", "folder", s.dir)
	cmd := exec.CommandContext(ctx, filepath.Join(bin, "initdb"), "--pgdata", fresh, "--username", superuser,
		"--pwfile", secretFile,
		"--auth", "scram-sha-256", "--encoding", "UTF8", "--locale", "C.UTF-8", "--no-sync")
	cmd.Dir, cmd.SysProcAttr = s.dir, as.attributes()
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("initdb failed: %w\n%s", err, out)
	}
	return os.Rename(fresh, s.data)
}

func checkVersion(bin, data string) error {
	have, err := os.ReadFile(filepath.Join(data, "PG_VERSION"))
	if err != nil {
		return err
	}
	out, err := exec.Command(filepath.Join(bin, "postgres"), "--version").Output()
	if err != nil {
		return fmt.Errorf("postgres --version: %w", err)
	}
	want := strings.TrimSpace(string(have))
	for _, word := range strings.Fields(string(out)) {
		if strings.HasPrefix(word, want+".") || word == want {
			return nil
		}
	}
	return fmt.Errorf("the folder's data was made by PostgreSQL %s, and installed is %s: install version %s, or name "+
		"another folder with --data", want, strings.TrimSpace(string(out)), want)
}

// adopt finds a server that still runs on the folder, by PostgreSQL's own lock
// file: process id in line 1, port in line 4. A file that no server answers for is stale.
func (s *Server) adopt(ctx context.Context) bool {
	text, err := os.ReadFile(filepath.Join(s.data, "postmaster.pid"))
	if err != nil {
		return false
	}
	lines := strings.Split(string(text), "\n")
	if len(lines) < 4 {
		return false
	}
	pid, pidErr := strconv.Atoi(strings.TrimSpace(lines[0]))
	port, portErr := strconv.Atoi(strings.TrimSpace(lines[3]))
	if pidErr != nil || portErr != nil || syscall.Kill(pid, 0) != nil {
		return false
	}
	if !s.isOurs(pid) {
		s.disown(lines)
		return false
	}
	s.port = port
	answered, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	if s.waitUntilReady(answered) != nil {
		return false
	}
	process, err := os.FindProcess(pid)
	if err != nil {
		return false
	}
	s.process = process
	return true
}

// isOurs tells whether a process is a PostgreSQL on the folder, and not
// something else that has got its number since. It works in its data folder.
func (s *Server) isOurs(pid int) bool {
	process := fmt.Sprintf("/proc/%d/", pid)
	name, err := os.ReadFile(process + "comm")
	if err != nil {
		return true // not to be told here
	}
	in, err := os.Readlink(process + "cwd")
	return strings.TrimSpace(string(name)) == "postgres" && (err != nil || in == s.data)
}

// nobody is a number that no process can have (PID_MAX_LIMIT of Linux).
const nobody = "4194304"

// disown takes the process number out of PostgreSQL's lock file, whose process
// is gone: a server would not start while something has that number. The rest
// of the file tells it whether other processes of the old one still live.
func (s *Server) disown(lines []string) {
	lines[0] = nobody
	lock := filepath.Join(s.data, "postmaster.pid")
	if err := os.WriteFile(lock, []byte(strings.Join(lines, "\n")), 0o600); err != nil {
		s.log.Warn("PostgreSQL's lock file names another program's process and could not be changed", "file", lock,
			"error", err)
	}
}

// checkOwner sees that the data folder belongs to the account that PostgreSQL
// runs as: a copy made as root does not.
func (s *Server) checkOwner(as *account) error {
	info, err := os.Stat(s.data)
	if err != nil {
		return err
	}
	owner, is := info.Sys().(*syscall.Stat_t)
	if as == nil || !is || owner.Uid == as.uid {
		return nil
	}
	return fmt.Errorf("the folder %s does not belong to the user that PostgreSQL runs as, most likely because it "+
		"was copied: "+
		"copy with `cp -a`, or run `chown -R %d:%d %s`", s.data, as.uid, as.gid, s.data)
}

func (s *Server) launch(bin string, as *account, scratch bool) error {
	if err := s.checkOwner(as); err != nil {
		return err
	}
	port, err := s.choosePort()
	if err != nil {
		return err
	}
	s.port = port
	logFile, err := os.OpenFile(filepath.Join(s.dir, "postgres.log"), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o644)
	if err != nil {
		return err
	}
	defer logFile.Close()
	if before, err := logFile.Stat(); err == nil {
		s.logged = before.Size()
	}
	args := []string{"-D", s.data, "-p", strconv.Itoa(port)}
	for name, value := range settings(scratch) {
		args = append(args, "-c", name+"="+value)
	}
	cmd := exec.Command(filepath.Join(bin, "postgres"), args...)
	cmd.Dir, cmd.Stdout, cmd.Stderr, cmd.SysProcAttr = s.data, logFile, logFile, as.attributes()
	if err := cmd.Start(); err != nil {
		return fmt.Errorf("starting PostgreSQL: %w", err)
	}
	s.process, s.exited = cmd.Process, make(chan struct{})
	go func() {
		defer close(s.exited)
		if err := cmd.Wait(); err != nil {
			s.log.Warn("PostgreSQL ended", "error", err, "log", logFile.Name())
		}
	}()
	return nil
}

// settings that differ from PostgreSQL's own. All of them keep an acknowledged
// commit durable, but for scratch data.
func settings(scratch bool) map[string]string {
	set := map[string]string{
		"listen_addresses":             "127.0.0.1",
		"unix_socket_directories":      "",
		"shared_buffers":               "512MB",
		"max_wal_size":                 "4GB",
		"checkpoint_timeout":           "15min",
		"wal_compression":              "on",
		"max_connections":              "100",
		"max_locks_per_transaction":    "256",
		"random_page_cost":             "1.1",
		"jit":                          "off",
		"autovacuum_naptime":           "10s",
		"autovacuum_vacuum_cost_delay": "0",
		"log_min_messages":             "warning",
		"timezone":                     "UTC",
	}
	if scratch {
		set["fsync"], set["synchronous_commit"], set["full_page_writes"] = "off", "off", "off"
		set["max_connections"] = "300" // tests share it, each with services of its own
	}
	return set
}

// choosePort takes the port the folder's server had before, if that is free:
// services that were connected to it find it again.
func (s *Server) choosePort() (int, error) {
	note := filepath.Join(s.dir, "port")
	if text, err := os.ReadFile(note); err == nil {
		if had, err := strconv.Atoi(strings.TrimSpace(string(text))); err == nil {
			if l, err := net.Listen("tcp", fmt.Sprintf("127.0.0.1:%d", had)); err == nil {
				return had, l.Close()
			}
		}
	}
	port, err := freePort()
	if err != nil {
		return 0, err
	}
	return port, os.WriteFile(note, []byte(strconv.Itoa(port)+"\n"), 0o644)
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, fmt.Errorf("no free port on loopback for the database: %w", err)
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

func (s *Server) waitUntilReady(ctx context.Context) error {
	deadline, cancel := context.WithTimeout(ctx, 2*time.Minute) // a killed server replays its log first
	defer cancel()
	for {
		conn, err := pgx.Connect(deadline, s.address("postgres"))
		if err == nil {
			return conn.Close(deadline)
		}
		var refused *pgconn.PgError
		if errors.As(err, &refused) && strings.HasPrefix(refused.Code, "28") { // invalid authorization
			return fmt.Errorf("PostgreSQL runs, and does not take the password in %s: it is not the one the "+
				"folder was "+
				"made with", filepath.Join(s.dir, "secret"))
		}
		select {
		case <-s.exited:
			return fmt.Errorf("PostgreSQL did not start:\n%s", s.lastLog())
		case <-deadline.Done():
			return fmt.Errorf("PostgreSQL does not answer on port %d: %w", s.port, err)
		case <-time.After(20 * time.Millisecond):
		}
	}
}

func (s *Server) createDatabase(ctx context.Context) error {
	conn, err := pgx.Connect(ctx, s.address("postgres"))
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	var there bool
	if err := conn.QueryRow(ctx, "SELECT EXISTS (SELECT 1 FROM pg_database WHERE datname = $1)",
		database).Scan(&there); err != nil || there {
		return err
	}
	_, err = conn.Exec(ctx, "CREATE DATABASE "+database)
	return err
}

// lastLog is the end of what the log got since the server was started.
func (s *Server) lastLog() string {
	lines := strings.Split(strings.TrimSpace(s.newLog()), "\n")
	return strings.Join(lines[max(0, len(lines)-8):], "\n")
}

func (s *Server) newLog() string {
	text, err := os.ReadFile(filepath.Join(s.dir, "postgres.log"))
	if err != nil {
		return err.Error()
	}
	return string(text[min(s.logged, int64(len(text))):])
}

// Address is the URL of the service's database.
func (s *Server) Address() string { return s.address(database) }

// AddressOf is the URL of another database on the same server.
func (s *Server) AddressOf(database string) string { return s.address(database) }

func (s *Server) address(db string) string {
	u := url.URL{Scheme: "postgres", User: url.UserPassword(superuser, s.secret),
		Host: net.JoinHostPort("127.0.0.1", strconv.Itoa(s.port)), Path: "/" + db, RawQuery: "sslmode=disable"}
	return u.String()
}

// Kill ends the server as a crash would: at once, with nothing put in order.
// Its folder is left to whoever starts a server on it next.
func (s *Server) Kill() error {
	defer s.lock.Close()
	if s.process == nil {
		return errors.New("there is no server to kill")
	}
	if err := s.process.Kill(); err != nil {
		return err
	}
	for !s.hasEnded() {
		time.Sleep(5 * time.Millisecond)
	}
	return nil
}

// Stop ends the server: connections are cut, what was committed is on disk.
func (s *Server) Stop() error { return s.StopBy(time.Now().Add(30 * time.Second)) }

// StopBy is [Server.Stop] by a time. A server that has not put everything in order
// by then is ended without: when it starts again, it replays its log. One that
// does not even hear that is killed.
func (s *Server) StopBy(deadline time.Time) error {
	defer s.lock.Close()
	if s.process == nil {
		return nil
	}
	for _, step := range []struct {
		signal syscall.Signal
		until  time.Time
	}{{syscall.SIGINT, deadline.Add(-1500 * time.Millisecond)}, {syscall.SIGQUIT,
		deadline.Add(-500 * time.Millisecond)},
		{syscall.SIGKILL, deadline}} {
		if err := s.process.Signal(step.signal); err != nil && !errors.Is(err, os.ErrProcessDone) {
			return fmt.Errorf("stopping PostgreSQL: %w", err)
		}
		for !s.hasEnded() && time.Now().Before(step.until) {
			time.Sleep(20 * time.Millisecond)
		}
		if s.hasEnded() {
			return nil
		}
		s.log.Warn("PostgreSQL takes long to stop", "signal", step.signal)
	}
	return fmt.Errorf("PostgreSQL (process %d) does not stop", s.process.Pid)
}

func (s *Server) hasEnded() bool {
	if s.exited == nil { // adopted: not our child, so only a signal can tell
		return syscall.Kill(s.process.Pid, 0) != nil
	}
	select {
	case <-s.exited:
		return true
	default:
		return false
	}
}
