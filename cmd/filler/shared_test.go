package main

import (
	"bytes"
	"fmt"
	"image"
	"image/png"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/standin"
	"filler/internal/store/pgtest"
	"filler/internal/store/postgres"
)

// pool is a model server that counts, a ledger that machines share, and a project.
type pool struct {
	t      *testing.T
	server *countingServer
	pg     *pgtest.Server
	at     string // the ledger
	dir    string // the project
	one    string // the records of one machine
}

// newPool makes a pool with n documents, and fills them on one machine for comparison.
func newPool(t *testing.T, n int, delay time.Duration, atOnce string) *pool {
	p := &pool{t: t, pg: pgtest.Start(t)}
	alone := httptest.NewServer(standin.Handler(standin.Options{}))
	defer alone.Close()
	one := bridges(t, alone.URL+"/v1", n, "")
	out, err := run(one, "fill", "-o", "out.jsonl")
	require.NoError(t, err, out)
	p.one = withoutRun(t, filepath.Join(one, "out.jsonl"))

	p.server = &countingServer{times: map[string]int{}, inner: standin.Handler(standin.Options{Delay: delay})}
	s := httptest.NewServer(p.server)
	t.Cleanup(s.Close)
	p.at = p.pg.Database(t)
	p.dir = bridges(t, s.URL+"/v1", n, "")
	file := filepath.Join(p.dir, "filler.yaml")
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	text = []byte(strings.Replace(string(text), "at_once: 2", "at_once: "+atOnce, 1))
	require.NoError(t, os.WriteFile(file, append(text, "ledger: "+p.at+"\n"...), 0o644))
	return p
}

var ofRun = regexp.MustCompile(`"run":\d+`)

func withoutRun(t *testing.T, file string) string {
	data, err := os.ReadFile(file)
	require.NoError(t, err)
	return ofRun.ReplaceAllString(string(data), `"run":0`)
}

// worker starts a worker in an empty folder.
func (p *pool) worker(at string, args ...string) *exec.Cmd {
	cmd := exec.Command("filler", append([]string{"worker"}, args...)...)
	cmd.Dir = p.t.TempDir()
	cmd.Env = append(os.Environ(), "FILLER_LEDGER="+at)
	said, err := os.Create(filepath.Join(cmd.Dir, "said"))
	require.NoError(p.t, err)
	cmd.Stdout, cmd.Stderr = said, said
	require.NoError(p.t, cmd.Start())
	p.t.Cleanup(func() {
		cmd.Process.Kill()
		cmd.Wait()
		said.Close()
		if text, err := os.ReadFile(said.Name()); p.t.Failed() && err == nil {
			p.t.Logf("a worker said:\n%s", text)
		}
	})
	return cmd
}

// fill starts a run in the project.
func (p *pool) fill(args ...string) *exec.Cmd {
	cmd := exec.Command("filler", append([]string{"fill"}, args...)...)
	cmd.Dir = p.dir
	require.NoError(p.t, cmd.Start())
	p.t.Cleanup(func() { cmd.Process.Kill(); cmd.Wait() })
	return cmd
}

// begun waits until the ledger holds a run.
func (p *pool) begun() {
	require.Eventually(p.t, func() bool {
		l, err := postgres.OpenToRead(p.at)
		if err != nil {
			return false
		}
		defer l.Close()
		runs, err := l.Runs()
		return err == nil && len(runs) > 0
	}, time.Minute, 20*time.Millisecond)
}

// left gives how many documents are not done.
func (p *pool) left() int {
	l, err := postgres.OpenToRead(p.at)
	require.NoError(p.t, err)
	defer l.Close()
	_, left, err := l.Left(1)
	require.NoError(p.t, err)
	return left
}

// check holds the run against that of one machine: each document once, with the same record, and
// no request that was answered asked again.
func (p *pool) check() { p.checkBut(0) }

// checkBut is check for a run of which so many requests may have been answered twice.
func (p *pool) checkBut(most int) {
	p.t.Helper()
	out, err := run(p.dir, "fill", "--resume=1", "-o", "out.jsonl")
	require.NoError(p.t, err, out)
	require.Equal(p.t, p.one, withoutRun(p.t, filepath.Join(p.dir, "out.jsonl")))
	l, err := postgres.OpenToRead(p.at)
	require.NoError(p.t, err)
	defer l.Close()
	answered := map[string]int{}
	require.NoError(p.t, l.Bodies(1, func(request []byte, status int, _ []byte) error {
		if status == http.StatusOK {
			answered[string(request)]++
		}
		return nil
	}))
	twice := 0
	for body, times := range answered {
		if times > 1 {
			twice++
		}
		require.LessOrEqual(p.t, times, 2, body)
		require.LessOrEqual(p.t, twice, most, "paid twice:\n%s", body)
	}
	totals, err := l.Totals(1)
	require.NoError(p.t, err)
	assert.GreaterOrEqual(p.t, totals.Exchanges, p.server.count(), "every request that the server had is in the ledger")
}

// untouched gives how many documents wait that no process has died with. Those that one has died
// with are worked on last, one by one, so that the document that kills is found.
func (p *pool) untouched() (n int) {
	conn, err := pgx.Connect(p.t.Context(), p.at)
	require.NoError(p.t, err)
	defer conn.Close(p.t.Context())
	require.NoError(p.t, conn.QueryRow(p.t.Context(), "SELECT count(*) FROM filler.task WHERE NOT done AND deaths = 0").Scan(&n))
	return n
}

// Workers killed at any moment, and others put in their place: nothing is lost, nothing is done
// twice, and no document is blamed. Whoever began the run is killed, too.
//
// Killing ends with the documents that no process has died with: the others are held alone, for
// about as long as the time between two kills here, and four in a row would rightly be blamed.
func TestWorkersKilled(t *testing.T) {
	large(t)
	kills, n := 200, 4000
	p := newPool(t, n, 60*time.Millisecond, "12")
	first := p.fill()
	p.begun()
	r := rand.New(rand.NewPCG(5, 29))
	hands := []*exec.Cmd{first}
	for range 3 {
		hands = append(hands, p.worker(p.at))
	}
	done := 0
	for ; done < kills && p.untouched() > 50; done++ {
		p.server.wait(p.server.count() + r.IntN(8))
		time.Sleep(time.Duration(r.IntN(60)) * time.Millisecond)
		at := r.IntN(len(hands))
		require.NoError(t, hands[at].Process.Kill())
		hands[at].Wait()
		hands[at] = p.worker(p.at)
	}
	require.Greater(t, done, kills*2/3, "most kills came while there was work")
	for began := time.Now(); p.left() > 0 && time.Since(began) < 5*time.Minute; {
		time.Sleep(100 * time.Millisecond)
	}
	if left := p.left(); left > 0 {
		out, err := run(p.dir, "runs", "workers")
		t.Fatalf("%d documents are left, and workers are there:\n%s %v", left, out, err)
	}
	p.check()
}

// The last worker at a run is told to end: the run is not stopped, and another goes on with it.
func TestLastWorkerEnds(t *testing.T) {
	large(t)
	p := newPool(t, 100, 60*time.Millisecond, "4")
	first := p.fill()
	p.begun()
	hand := p.worker(p.at)
	p.server.wait(p.server.count() + 20)
	require.NoError(t, first.Process.Kill())
	first.Wait()
	p.server.wait(p.server.count() + 20)
	require.NoError(t, hand.Process.Signal(syscall.SIGTERM))
	hand.Wait()
	require.Positive(t, p.left())
	require.NoError(t, p.worker(p.at, "--until-done").Wait())
	require.Zero(t, p.left())
	p.check()
}

// cable is a line to the database that can be cut and joined again.
type cable struct {
	mu    sync.Mutex
	cut   bool
	conns []net.Conn
	at    string
}

func newCable(t *testing.T, port int, database string) *cable {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { listener.Close() })
	c := &cable{at: fmt.Sprintf("postgres://postgres@%s/%s?connect_timeout=3", listener.Addr(), database)}
	go func() {
		for {
			from, err := listener.Accept()
			if err != nil {
				return
			}
			to, err := net.Dial("tcp", "127.0.0.1:"+strconv.Itoa(port))
			c.mu.Lock()
			if err != nil || c.cut {
				c.mu.Unlock()
				from.Close()
				continue
			}
			c.conns = append(c.conns, from, to)
			c.mu.Unlock()
			go func() { io.Copy(from, to); from.Close() }()
			go func() { io.Copy(to, from); to.Close() }()
		}
	}()
	return c
}

func (c *cable) set(cut bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.cut = cut; cut {
		for _, conn := range c.conns {
			conn.Close()
		}
		c.conns = nil
	}
}

// A worker that is cut off from the database for long is thought dead, and others do its work.
// When it is back it notices: what it held is not its own any more, and nothing is paid twice but
// what was under way then.
func TestWorkerCutOff(t *testing.T) {
	large(t) // it waits until a worker is thought dead
	p := newPool(t, 600, 700*time.Millisecond, "16")
	first := p.fill()
	p.begun()
	line := newCable(t, p.pg.Port(), pgtest.Name(p.at))
	away := p.worker(line.at, "--until-done")
	p.server.wait(p.server.count() + 20)
	time.Sleep(2 * time.Second)
	line.set(true)
	time.Sleep(17 * time.Second)
	line.set(false)
	require.NoError(t, first.Wait())
	require.NoError(t, away.Wait(), "it goes on, and ends as the others do")
	p.check()
	assert.LessOrEqual(t, p.server.count(), 600+16, "twice at most what was under way when the line was cut")
}

// A database that is started again in mid-run, in good order or after a crash, delays a run and
// does not end it. A crash may take the last rights to send with it, so that what was under way then
// is sent by two.
func TestDatabaseStartsAgain(t *testing.T) {
	large(t)
	p := newPool(t, 200, 60*time.Millisecond, "8")
	first := p.fill()
	p.begun()
	hand := p.worker(p.at, "--until-done")
	for _, end := range []func(){p.pg.Down, p.pg.Kill} {
		p.server.wait(p.server.count() + 20)
		end()
		time.Sleep(500 * time.Millisecond)
		require.NoError(t, p.pg.Up())
	}
	require.NoError(t, first.Wait())
	require.NoError(t, hand.Wait())
	p.checkBut(2 * 8)
}

// A document that ends every worker that reads it is set aside, by name, after the worker that had
// others beside and three that had nothing else; the others are filled.
func TestADocumentThatKills(t *testing.T) {
	large(t)
	p := newPool(t, 40, 20*time.Millisecond, "4")
	var page bytes.Buffer
	require.NoError(t, png.Encode(&page, image.NewGray(image.Rect(0, 0, 40, 40))))
	require.NoError(t, os.WriteFile(filepath.Join(p.dir, "documents", "0007-scan.png"), page.Bytes(), 0o644))
	file := filepath.Join(p.dir, "filler.yaml")
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, append(text, "ocr: {command: [/bin/sh, -c, 'kill -9 $PPID', '{image}'], gives: text}\n"...), 0o644))
	_ = p.fill().Wait()
	p.begun()
	ended := 1
	for ; ended < 10; ended++ {
		if p.worker(p.at, "--until-done").Wait() == nil {
			break
		}
	}
	assert.Equal(t, 4, ended)
	out, err := run(p.dir, "runs", "progress", "1", "--json")
	require.NoError(t, err, out)
	assert.Contains(t, out, `"done":41`)
	assert.Contains(t, out, `"failed":1`)
	out, err = run(p.dir, "trace", "0007-scan.png")
	require.NoError(t, err, out)
	assert.Contains(t, out, "set aside")
}

// A database whose disk is full ends the run in one line that says so; with room again it goes on,
// and nothing that was answered is paid twice.
func TestDatabaseDiskFull(t *testing.T) {
	large(t)
	disk, err := os.MkdirTemp("", "filler-disk-")
	require.NoError(t, err)
	defer os.Remove(disk)
	if out, err := exec.Command("mount", "-t", "tmpfs", "-o", "size=110m,mode=755", "tmpfs", disk).CombinedOutput(); err != nil {
		t.Skipf("left out: no small disk can be made here (%s)", strings.TrimSpace(string(out)))
	}
	defer exec.Command("umount", "-l", disk).Run()
	t.Setenv("TMPDIR", disk)
	p := newPool(t, 300, 20*time.Millisecond, "8")
	filler := filepath.Join(disk, "filling")
	first := exec.Command("filler", "fill")
	first.Dir = p.dir
	var said bytes.Buffer
	first.Stderr = &said
	require.NoError(t, first.Start())
	p.begun()
	p.server.wait(30)
	out, err := exec.Command("sh", "-c", "cat /dev/zero > "+filler+" 2>/dev/null; true").CombinedOutput()
	require.NoError(t, err, string(out))
	assert.Error(t, first.Wait())
	assert.Contains(t, said.String(), "the disk of the database is full; free space, then continue with `filler fill --resume`")
	require.NoError(t, os.Remove(filler))
	p.check()
}

// What is kept of a run for workers elsewhere holds no key, header or password; a worker that lacks
// a header says so, and one that has it works.
func TestASharedLedgerKeepsNoKeys(t *testing.T) {
	p := newPool(t, 6, 0, "2")
	file := filepath.Join(p.dir, "filler.yaml")
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	sound := strings.Replace(string(text), "name: careful", "name: careful, key_from: POOL_KEY, headers: {X-Team: ossel-header-71}", 1)
	require.NoError(t, os.WriteFile(file, []byte(sound), 0o644))
	t.Setenv("POOL_KEY", "ossel-key-4417")
	cmd := p.fill()
	p.begun()
	require.NoError(t, cmd.Process.Kill())
	cmd.Wait()
	conn, err := pgx.Connect(t.Context(), p.at)
	require.NoError(t, err)
	defer conn.Close(t.Context())
	for _, table := range []string{"run", "worker", "task", "exchange", "pace", "share", "flight"} {
		rows, err := conn.Query(t.Context(), "SELECT row_to_json(x)::text FROM filler."+table+" x")
		require.NoError(t, err)
		all, err := pgx.CollectRows(rows, pgx.RowTo[string])
		require.NoError(t, err)
		assert.NotContains(t, strings.Join(all, "\n"), "ossel-", table)
	}
	alone := exec.Command("filler", "worker", "--until-done")
	alone.Dir, alone.Env = t.TempDir(), append(os.Environ(), "FILLER_LEDGER="+p.at)
	said, err := alone.CombinedOutput()
	require.NoError(t, err)
	if p.left() > 0 {
		assert.Contains(t, string(said), "run 1 is left to others: model m needs what a ledger does not keep (headers X-Team)")
	}
	assert.NotContains(t, string(said), "ossel-")
	_, err = run(p.dir, "worker", "--until-done")
	require.NoError(t, err)
	assert.Zero(t, p.left())
}
