// Package localdb runs a PostgreSQL server of the program's own on loopback,
// from Debian's packages. A directory goes in, the address of a running
// server comes out; the data stays in the directory.
package localdb

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
)

// Server is a running server.
type Server struct {
	URL    string // of the database "fanfold"
	Data   string // the directory of its data
	launch func(context.Context) (*Server, error)

	mu       sync.Mutex
	cmd      *exec.Cmd
	done     chan error
	stopping bool
}

// ErrMissing is returned when PostgreSQL is not installed.
var ErrMissing = errors.New("PostgreSQL is not installed; install Debian's package postgresql")

// Start starts a server on the data in dir, making it first if there is none.
// As root it runs as the user postgres, since the server refuses root. settings
// are set beside the server's own: "fsync=off" is for data that may be lost.
func Start(ctx context.Context, dir string, settings ...string) (*Server, error) {
	bin, err := binaries()
	if err != nil {
		return nil, err
	}
	dir, err = filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	attr, err := credential()
	if err != nil {
		return nil, err
	}
	dir = reachable(dir)
	if err := stopLeftover(bin, dir, attr); err != nil {
		return nil, err
	}
	password, err := create(bin, dir, attr)
	if err != nil {
		return nil, err
	}
	port, err := freePort()
	if err != nil {
		return nil, err
	}
	start := func(ctx context.Context) (*Server, error) {
		return launch(ctx, bin, dir, attr, password, port, settings)
	}
	s, err := start(ctx)
	if err == nil {
		s.launch = start
	}
	return s, err
}

// Restart stops the server and starts it again at the same address.
func (s *Server) Restart(ctx context.Context) (*Server, error) {
	if err := s.Stop(); err != nil {
		return nil, err
	}
	again, err := s.launch(ctx)
	if err == nil {
		again.launch = s.launch
	}
	return again, err
}

func binaries() (string, error) {
	found, err := filepath.Glob("/usr/lib/postgresql/*/bin/postgres")
	if err != nil || len(found) == 0 {
		return "", ErrMissing
	}
	slices.Sort(found)
	return filepath.Dir(found[len(found)-1]), nil
}

// credential is how to run as the user postgres; nil when not root.
func credential() (*syscall.Credential, error) {
	if os.Geteuid() != 0 {
		return nil, nil
	}
	u, err := user.Lookup("postgres")
	if err != nil {
		return nil, fmt.Errorf("PostgreSQL does not run as root, and there is no user postgres: %w", err)
	}
	uid, err := strconv.ParseUint(u.Uid, 10, 32)
	gid, err2 := strconv.ParseUint(u.Gid, 10, 32)
	if err := errors.Join(err, err2); err != nil {
		return nil, err
	}
	return &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}, nil
}

// reachable returns dir, or, when root works in a place that the user
// postgres cannot enter, a directory of its own elsewhere.
func reachable(dir string) string {
	if os.Geteuid() != 0 {
		return dir
	}
	for up := filepath.Dir(dir); up != "/"; up = filepath.Dir(up) {
		if info, err := os.Stat(up); err == nil && info.Mode().Perm()&0o001 == 0 {
			sum := sha256.Sum256([]byte(dir))
			return filepath.Join("/var/tmp", "fanfold-"+hex.EncodeToString(sum[:6]))
		}
	}
	return dir
}

// Remove deletes the data of a server that is not running.
func Remove(dir string) error {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return err
	}
	return errors.Join(os.RemoveAll(reachable(dir)), os.RemoveAll(dir))
}

// stopLeftover stops a server that an earlier, killed program left behind.
func stopLeftover(bin, dir string, attr *syscall.Credential) error {
	if _, err := os.Stat(filepath.Join(dir, "data", "postmaster.pid")); err != nil {
		return nil
	}
	out, err := run(attr, filepath.Join(bin, "pg_ctl"), "stop", "-D", filepath.Join(dir, "data"), "-m", "fast", "-w")
	if err != nil && !strings.Contains(out, "No such process") && !strings.Contains(out, "PID file") && !strings.Contains(out, "Is server running") {
		return fmt.Errorf("stop the PostgreSQL left running in %s: %s", dir, out)
	}
	return nil
}

func run(attr *syscall.Credential, name string, args ...string) (string, error) {
	cmd := exec.Command(name, args...)
	cmd.Dir = "/"
	cmd.SysProcAttr = &syscall.SysProcAttr{Credential: attr}
	out, err := cmd.CombinedOutput()
	return strings.TrimSpace(string(out)), err
}

// create makes the data directory unless it is there, and returns the
// password kept beside it.
func create(bin, dir string, attr *syscall.Credential) (string, error) {
	secret := filepath.Join(dir, "password")
	if _, err := os.Stat(filepath.Join(dir, "data", "PG_VERSION")); err == nil {
		password, err := os.ReadFile(secret)
		return strings.TrimSpace(string(password)), err
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return "", fmt.Errorf("make %s: %w", dir, err)
	}
	if err := os.RemoveAll(filepath.Join(dir, "data")); err != nil { // half made
		return "", err
	}
	var b [18]byte
	_, _ = rand.Read(b[:]) // never fails: see crypto/rand
	password := hex.EncodeToString(b[:])
	if err := os.WriteFile(secret, []byte(password+"\n"), 0o600); err != nil {
		return "", err
	}
	if attr != nil {
		if err := errors.Join(os.Chown(dir, int(attr.Uid), int(attr.Gid)), os.Chown(secret, int(attr.Uid), int(attr.Gid))); err != nil {
			return "", err
		}
	}
	out, err := run(attr, filepath.Join(bin, "initdb"), "-D", filepath.Join(dir, "data"), "-U", "fanfold",
		"--pwfile", secret, "--auth", "scram-sha-256", "--encoding", "UTF8", "--locale", "C.UTF-8", "--no-sync")
	if err != nil {
		return "", fmt.Errorf("make the database in %s: %s", dir, out)
	}
	return password, nil
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

func launch(ctx context.Context, bin, dir string, attr *syscall.Credential, password string, port int, settings []string) (*Server, error) {
	log, err := os.OpenFile(filepath.Join(dir, "log"), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o644)
	if err != nil {
		return nil, err
	}
	defer log.Close()
	s := &Server{done: make(chan error, 1), Data: filepath.Join(dir, "data")}
	s.cmd = exec.Command(filepath.Join(bin, "postgres"), "-D", filepath.Join(dir, "data"), "-p", strconv.Itoa(port),
		"-c", "listen_addresses=127.0.0.1", "-c", "unix_socket_directories=", "-c", "max_connections=60")
	for _, set := range settings {
		s.cmd.Args = append(s.cmd.Args, "-c", set)
	}
	s.cmd.Dir, s.cmd.Stdout, s.cmd.Stderr = "/", log, log
	// Ctrl-C is ours to handle; and should we be killed, so is the server.
	s.cmd.SysProcAttr = &syscall.SysProcAttr{Credential: attr, Setpgid: true, Pdeathsig: syscall.SIGINT}
	started := make(chan error)
	go func() {
		runtime.LockOSThread() // the death signal is bound to this thread
		err := s.cmd.Start()
		started <- err
		if err == nil {
			s.done <- s.cmd.Wait()
		}
	}()
	if err := <-started; err != nil {
		return nil, fmt.Errorf("start PostgreSQL: %w", err)
	}
	admin := fmt.Sprintf("postgres://fanfold:%s@127.0.0.1:%d/postgres?sslmode=disable", password, port)
	if err := s.ready(ctx, admin, filepath.Join(dir, "log")); err != nil {
		return nil, errors.Join(err, s.Stop())
	}
	s.URL = fmt.Sprintf("postgres://fanfold:%s@127.0.0.1:%d/fanfold?sslmode=disable", password, port)
	return s, nil
}

// ready waits until the server answers, and makes the database.
func (s *Server) ready(ctx context.Context, admin, log string) error {
	ctx, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	for {
		conn, err := pgx.Connect(ctx, admin)
		if err == nil {
			defer conn.Close(ctx)
			var there bool
			if err := conn.QueryRow(ctx, "select exists (select from pg_database where datname = 'fanfold')").Scan(&there); err != nil {
				return err
			}
			if !there {
				_, err = conn.Exec(ctx, "create database fanfold")
			}
			return err
		}
		select {
		case died := <-s.done:
			s.done <- died
			return fmt.Errorf("PostgreSQL ended at once (%w); its log is %s", died, log)
		case <-ctx.Done():
			return fmt.Errorf("PostgreSQL does not answer: %w", err)
		case <-time.After(50 * time.Millisecond):
		}
	}
}

// Stop stops the server and waits for it.
func (s *Server) Stop() error {
	s.mu.Lock()
	s.stopping = true
	cmd, done := s.cmd, s.done
	s.mu.Unlock()
	if err := cmd.Process.Signal(syscall.SIGINT); err != nil && !errors.Is(err, os.ErrProcessDone) {
		return fmt.Errorf("stop PostgreSQL: %w", err)
	}
	done <- <-done // whoever else waits may know, too
	return nil
}

// Keep starts the server again whenever it ends by itself, until the context does or it
// is stopped, and tells of it.
func (s *Server) Keep(ctx context.Context, tell func(text string)) {
	for {
		s.mu.Lock()
		done := s.done
		s.mu.Unlock()
		select {
		case <-ctx.Done():
			return
		case ended := <-done:
			done <- ended
		}
		s.mu.Lock()
		stopping := s.stopping
		s.mu.Unlock()
		if stopping || ctx.Err() != nil {
			return
		}
		tell("the database stopped by itself; starting it again")
		again, err := s.launch(ctx)
		for err != nil {
			tell(fmt.Sprintf("the database does not start: %v", err))
			select {
			case <-ctx.Done():
				return
			case <-time.After(startAgainAfter):
			}
			again, err = s.launch(ctx)
		}
		s.mu.Lock()
		s.cmd, s.done = again.cmd, again.done
		stopping = s.stopping
		s.mu.Unlock()
		if stopping {
			_ = again.Stop() // it was stopped meanwhile
			return
		}
	}
}

// startAgainAfter is how long a server that did not start waits to be started again.
const startAgainAfter = 2 * time.Second
