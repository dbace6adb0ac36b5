// Package pgtest starts PostgreSQL servers for tests: real ones, on loopback, in a folder of their
// own, which are gone when the test ends.
package pgtest

import (
	"context"
	"filler/internal/base/needs"
	"fmt"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"
)

// Server is a running server.
type Server struct {
	bin     string
	dir     string
	port    int
	options []string
	running *exec.Cmd
}

// as makes a command that does not run as root, which the server refuses to be.
func as(args ...string) *exec.Cmd {
	if me, err := user.Current(); err == nil && me.Uid == "0" {
		args = append([]string{"setpriv", "--reuid=postgres", "--regid=postgres", "--clear-groups", "--"}, args...)
	}
	return exec.Command(args[0], args[1:]...)
}

// Start starts a server with options such as fsync=off.
func Start(t testing.TB, options ...string) *Server {
	t.Helper()
	needs.Program(t, initdb)
	s, err := launch(options)
	require.NoError(t, err)
	t.Cleanup(s.remove)
	return s
}

var shared struct {
	once sync.Once
	is   *Server
	err  error
}

// Shared gives one server for all tests of a package that need nothing of it but databases; it does
// not care for crashes. The package's TestMain calls Main.
func Shared(t testing.TB) *Server {
	t.Helper()
	needs.Program(t, initdb)
	shared.once.Do(func() { shared.is, shared.err = launch([]string{"fsync=off"}) })
	require.NoError(t, shared.err)
	return shared.is
}

// Main runs the tests of a package, and ends the server that they share.
func Main(m *testing.M) {
	code := m.Run()
	if shared.is != nil {
		shared.is.remove()
	}
	os.Exit(code)
}

// initdb makes the files of a server.
const initdb = "/usr/lib/postgresql/*/bin/initdb"

func launch(options []string) (*Server, error) {
	dir, err := os.MkdirTemp("", "filler-pg-")
	if err != nil {
		return nil, err
	}
	if me, err := user.Current(); err == nil && me.Uid == "0" {
		if err := exec.Command("chown", "postgres", dir).Run(); err != nil {
			return nil, err
		}
	}
	s := &Server{bin: filepath.Dir(needs.Find(initdb)), dir: dir, options: options}
	if out, err := as(filepath.Join(s.bin, "initdb"), "-D", dir+"/data", "-U", "postgres", "-A", "trust", "-E", "UTF8", "--no-sync", "--locale=C").CombinedOutput(); err != nil {
		return nil, fmt.Errorf("initdb: %w: %s", err, out)
	}
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	s.port = listener.Addr().(*net.TCPAddr).Port
	listener.Close()
	return s, s.Up()
}

func (s *Server) remove() {
	s.end(os.Interrupt)
	os.RemoveAll(s.dir)
}

// Up starts the server again, and waits until it answers.
func (s *Server) Up() error {
	args := []string{filepath.Join(s.bin, "postgres"), "-D", s.dir + "/data", "-k", s.dir, "-p", strconv.Itoa(s.port), "-c", "listen_addresses=127.0.0.1", "-c", "max_connections=200"}
	for _, o := range s.options {
		args = append(args, "-c", o)
	}
	s.running = as(args...)
	if err := s.running.Start(); err != nil {
		return err
	}
	var err error
	for range 1200 {
		var conn *pgx.Conn
		if conn, err = pgx.Connect(context.Background(), s.Address("postgres")); err == nil {
			return conn.Close(context.Background())
		}
		time.Sleep(50 * time.Millisecond)
	}
	return err
}

func (s *Server) end(how os.Signal) {
	if s.running != nil {
		s.running.Process.Signal(how)
		s.running.Wait()
		s.running = nil
	}
}

// Down stops the server in good order; Kill at once, as when its machine fails.
func (s *Server) Down() { s.end(os.Interrupt) }
func (s *Server) Kill() { s.end(syscall.SIGQUIT) }

// Port is where it listens.
func (s *Server) Port() int { return s.port }

// Dir is where its data lie.
func (s *Server) Dir() string { return s.dir }

// Address gives the address of a database.
func (s *Server) Address(database string) string {
	return fmt.Sprintf("postgres://postgres@127.0.0.1:%d/%s", s.port, database)
}

var made atomic.Int64

// Database makes a new database and gives its address.
func (s *Server) Database(t testing.TB) string {
	t.Helper()
	name := fmt.Sprintf("d%d_%d", os.Getpid(), made.Add(1))
	s.Do(t, "postgres", "CREATE DATABASE "+name)
	return s.Address(name)
}

// Launch starts a server where no test stands for it; end ends it.
func Launch() (s *Server, end func(), err error) {
	if s, err = launch([]string{"fsync=off"}); err != nil {
		return nil, nil, err
	}
	return s, s.remove, nil
}

// Installed tells whether there is PostgreSQL on this machine.
func Installed() bool { return needs.Find(initdb) != "" }

// Make makes a database.
func (s *Server) Make(name string) error { return s.do("postgres", "CREATE DATABASE "+name) }

// Do runs a statement.
func (s *Server) Do(t testing.TB, database, statement string) {
	t.Helper()
	require.NoError(t, s.do(database, statement), statement)
}

func (s *Server) do(database, statement string) error {
	conn, err := pgx.Connect(context.Background(), s.Address(database))
	if err != nil {
		return err
	}
	defer conn.Close(context.Background())
	_, err = conn.Exec(context.Background(), statement, pgx.QueryExecModeSimpleProtocol)
	return err
}

// Name gives the database that an address names.
func Name(address string) string { return address[strings.LastIndexByte(address, '/')+1:] }

// Pool starts a pool that hands the server's connections out by transaction, and gives the address
// of a database through it; the test is left out, by name, where none is installed.
func (s *Server) Pool(t testing.TB, address string) string {
	t.Helper()
	bin := needs.Program(t, "pgbouncer", "/usr/sbin/pgbouncer")
	dir := filepath.Join(s.dir, fmt.Sprint("pool", made.Add(1)))
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	port := listener.Addr().(*net.TCPAddr).Port
	listener.Close()
	require.NoError(t, as("mkdir", dir).Run())
	require.NoError(t, os.WriteFile(dir+"/users", []byte("\"postgres\" \"\"\n"), 0o644))
	require.NoError(t, os.WriteFile(dir+"/ini", fmt.Appendf(nil, "[databases]\n* = host=127.0.0.1 port=%d\n[pgbouncer]\nlisten_addr = 127.0.0.1\nlisten_port = %d\nauth_type = trust\nauth_file = %s/users\npool_mode = transaction\ndefault_pool_size = 10\nmax_client_conn = 500\nunix_socket_dir =\n", s.port, port, dir), 0o644))
	pool := as(bin, "-q", dir+"/ini")
	require.NoError(t, pool.Start())
	t.Cleanup(func() { pool.Process.Kill(); pool.Wait() })
	through := fmt.Sprintf("postgres://postgres@127.0.0.1:%d/%s?default_query_exec_mode=cache_describe", port, Name(address))
	require.Eventually(t, func() bool {
		conn, err := pgx.Connect(context.Background(), through)
		if err == nil {
			conn.Close(context.Background())
		}
		return err == nil
	}, 20*time.Second, 50*time.Millisecond)
	return through
}
