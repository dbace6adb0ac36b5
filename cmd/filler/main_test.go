package main

import (
	"bytes"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"image/png"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/rogpeppe/go-internal/testscript"

	"filler/internal/ask/exchange"
	"filler/internal/base/needs"
	"filler/internal/demo/paper"
	"filler/internal/source/pdf"
	"filler/internal/standin"
	"filler/internal/store/pgtest"
)

func TestMain(m *testing.M) {
	pdf.Main()
	testscript.Main(m, map[string]func(){"filler": main})
}

func teeBody(r *http.Request, into io.Writer) io.ReadCloser {
	return struct {
		io.Reader
		io.Closer
	}{io.TeeReader(r.Body, into), r.Body}
}

// commands are what stories have beyond the program itself.
var commands = map[string]func(ts *testscript.TestScript, neg bool, args []string){
	// postgres starts a database server, and sets $LEDGER to the address of a database in it,
	// and $OTHER to that of another.
	"postgres": func(ts *testscript.TestScript, _ bool, _ []string) {
		s, end, err := pgtest.Launch()
		ts.Check(err)
		ts.Defer(end)
		for _, name := range []string{"ledger", "other"} {
			ts.Check(s.Make(name))
			ts.Setenv(strings.ToUpper(name), s.Address(name))
		}
	},
	// serve [MODE] starts a model server that fails in the way that MODE says,
	// and sets $URL. serve says FILE... starts one that answers with the files,
	// one after the other.
	"serve": func(ts *testscript.TestScript, _ bool, args []string) {
		p := &plainServer{limit: -1, answered: map[string]int{}}
		if len(args) > 0 {
			p.mode = args[0]
		}
		if p.mode == "says" {
			for _, file := range args[1:] {
				p.says = append(p.says, ts.ReadFile(file))
			}
		}
		if n, err := strconv.Atoi(strings.TrimPrefix(p.mode, "limit=")); err == nil && strings.HasPrefix(p.mode, "limit=") {
			p.mode, p.limit = "", n
		}
		s := httptest.NewServer(p)
		ts.Defer(func() {
			s.CloseClientConnections()
			s.Close()
		})
		ts.Setenv("URL", s.URL+"/v1")
		servers[ts.Getenv("WORK")] = p
	},
	// heal lifts what makes the server fail.
	"heal": func(ts *testscript.TestScript, _ bool, _ []string) {
		p := servers[ts.Getenv("WORK")]
		p.mu.Lock()
		defer p.mu.Unlock()
		p.mode, p.limit = "", -1
	},
	// once checks that the server has answered N requests, none of them twice.
	"once": func(ts *testscript.TestScript, _ bool, args []string) {
		p := servers[ts.Getenv("WORK")]
		p.mu.Lock()
		defer p.mu.Unlock()
		if strconv.Itoa(len(p.answered)) != args[0] {
			ts.Fatalf("%d different requests were answered, not %s", len(p.answered), args[0])
		}
		for body, n := range p.answered {
			if n > 1 {
				ts.Fatalf("a request was answered %d times: %.200s", n, body)
			}
		}
	},
	// unseen TEXT checks that no request held a text.
	"unseen": func(ts *testscript.TestScript, _ bool, args []string) {
		p := servers[ts.Getenv("WORK")]
		p.mu.Lock()
		defer p.mu.Unlock()
		for body := range p.answered {
			if strings.Contains(body, args[0]) {
				ts.Fatalf("a request held %q: %.300s", args[0], body)
			}
		}
	},
	// fills ARGS runs `filler ARGS`, which must fill every document; that some
	// records are flagged (exit code 3) is for the story to say.
	"fills": func(ts *testscript.TestScript, _ bool, args []string) {
		var exit *exec.ExitError
		if err := ts.Exec("filler", args...); errors.As(err, &exit) && exit.ExitCode() != 3 {
			ts.Fatalf("filler %v: %v", args, err)
		}
	},
	// bytes FILE HEX writes a file of bytes.
	"bytes": func(ts *testscript.TestScript, _ bool, args []string) {
		data, err := hex.DecodeString(args[1])
		ts.Check(err)
		ts.Check(os.WriteFile(ts.MkAbs(args[0]), data, 0o644))
	},
	// standin [--refuse SHAPES | --replay FILE] starts a stand-in of its own and sets $URL.
	"standin": func(ts *testscript.TestScript, _ bool, args []string) {
		o := standin.Options{Character: "steady"}
		if len(args) == 2 && args[0] == "--refuse" {
			o.Refuses = strings.Split(args[1], ",")
		}
		if len(args) == 2 && args[0] == "--replay" {
			var err error
			o.Replay, err = exchange.LoadRecording(ts.MkAbs(args[1]))
			ts.Check(err)
		}
		if len(args) == 2 && args[0] == "--script" {
			var err error
			o.Script, err = standin.LoadScript(ts.MkAbs(args[1]))
			ts.Check(err)
		}
		s, err := standin.Start("127.0.0.1:0", o)
		ts.Check(err)
		ts.Defer(s.Close)
		ts.Setenv("URL", s.URL)
	},
	// site FILE... serves the files of the work folder as they are at each
	// request, /moved on to the first, and sets $SITE.
	"site": func(ts *testscript.TestScript, _ bool, args []string) {
		files := http.FileServer(http.Dir(ts.Getenv("WORK")))
		s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if r.URL.Path == "/moved" {
				http.Redirect(w, r, "/"+args[0], http.StatusFound)
				return
			}
			files.ServeHTTP(w, r)
		}))
		ts.Defer(s.Close)
		ts.Setenv("SITE", s.URL)
	},
	// page FILE LINE... draws lines of text into a PNG, as a scanner would
	// see them.
	"page": func(ts *testscript.TestScript, _ bool, args []string) {
		sheet := paper.New(900, 80+60*len(args), 150)
		for i, line := range args[1:] {
			sheet.Line(60, 80+60*float64(i), line, paper.Style{Size: 14})
		}
		f, err := os.Create(ts.MkAbs(args[0]))
		ts.Check(err)
		ts.Check(png.Encode(f, sheet.Image))
		ts.Check(f.Close())
	},
	// answer IN OUT [reverse] [text=N] [cut=N] answers a file of requests as a server
	// would that works through files: in reverse order, the Nth reply as its text alone,
	// or cut in the middle.
	"answer": func(ts *testscript.TestScript, _ bool, args []string) {
		var lines []string
		for i, line := range strings.Split(strings.TrimSpace(ts.ReadFile(args[0])), "\n") {
			var asked struct {
				ID   string
				Body map[string]any
			}
			ts.Check(json.Unmarshal([]byte(line), &asked))
			delete(asked.Body, "response_format") // the plain server knows none
			body, err := json.Marshal(asked.Body)
			ts.Check(err)
			got := httptest.NewRecorder()
			(&plainServer{limit: -1, answered: map[string]int{}}).ServeHTTP(got, httptest.NewRequest("POST", "/v1/chat/completions", bytes.NewReader(body)))
			reply := fmt.Sprintf(`{"id":%q,"body":%s}`, asked.ID, strings.TrimSpace(got.Body.String()))
			if slices.Contains(args, fmt.Sprintf("text=%d", i)) {
				var said struct {
					Choices []struct {
						Message struct{ Content []struct{ Text string } }
					}
				}
				ts.Check(json.Unmarshal(got.Body.Bytes(), &said))
				reply = fmt.Sprintf(`{"text":%q,"id":%q}`, said.Choices[0].Message.Content[0].Text, asked.ID)
			}
			if slices.Contains(args, fmt.Sprintf("cut=%d", i)) {
				reply = reply[:len(reply)/2]
			}
			lines = append(lines, reply)
		}
		if slices.Contains(args, "reverse") {
			slices.Reverse(lines)
		}
		ts.Check(os.WriteFile(ts.MkAbs(args[1]), []byte(strings.Join(lines, "\n")+"\n"), 0o644))
	},
	// put FILE LINE... writes lines in which variables are set.
	// drop FILE KEY takes a member that holds an object out of one line of JSON.
	"drop": func(ts *testscript.TestScript, _ bool, args []string) {
		member := regexp.MustCompile(`,"` + regexp.QuoteMeta(args[1]) + `":\{[^{}]*\}`)
		ts.Check(os.WriteFile(ts.MkAbs(args[0]), member.ReplaceAll([]byte(ts.ReadFile(args[0])), nil), 0o644))
	},
	"put": func(ts *testscript.TestScript, _ bool, args []string) {
		ts.Check(os.WriteFile(ts.MkAbs(args[0]), []byte(strings.Join(args[1:], "\n")+"\n"), 0o644))
	},
	// lines FILE N checks how many lines a file has.
	"lines": func(ts *testscript.TestScript, _ bool, args []string) {
		if n := strings.Count(ts.ReadFile(args[0]), "\n"); strconv.Itoa(n) != args[1] {
			ts.Fatalf("%s has %d lines, not %s", args[0], n, args[1])
		}
	},
	// replace FILE OLD NEW edits a file as a user would.
	"replace": func(ts *testscript.TestScript, _ bool, args []string) {
		text := ts.ReadFile(args[0])
		if !strings.Contains(text, args[1]) {
			ts.Fatalf("%s does not hold %q", args[0], args[1])
		}
		ts.Check(os.WriteFile(ts.MkAbs(args[0]), []byte(strings.ReplaceAll(text, args[1], args[2])), 0o644))
	},
}

var servers = map[string]*plainServer{}

func TestStories(t *testing.T) {
	testscript.Run(t, testscript.Params{ContinueOnError: true, Dir: "testdata/script", Cmds: commands, Condition: condition, RequireUniqueNames: true, Setup: func(env *testscript.Env) error {
		keepCache(env)
		return nil
	}})
}

// condition tells what a machine has that a story needs.
func condition(what string) (bool, error) {
	all := os.Getenv("FILLER_NEEDS_ALL") != "" // a story without its program fails then
	switch what {
	case "postgres":
		return all || pgtest.Installed(), nil
	case "tesseract":
		return all || needs.Find(what) != "", nil
	}
	return false, fmt.Errorf("unknown condition %q", what)
}

// keepCache lets stories share the compiled PDF reader, which takes seconds to
// make.
func keepCache(env *testscript.Env) {
	if dir, err := os.UserCacheDir(); err == nil {
		env.Setenv("XDG_CACHE_HOME", dir)
	}
}

// TestProjects runs the same stories on two projects of different trades and
// with two servers that share no code.
func TestProjects(t *testing.T) {
	for _, project := range []string{"footbridge", "organ"} {
		for _, server := range []string{"standin:steady", "plain"} {
			t.Run(project+"/"+strings.ReplaceAll(server, ":", "-"), func(t *testing.T) {
				testscript.Run(t, testscript.Params{ContinueOnError: true, Dir: "testdata/script/projects", Cmds: commands, Setup: func(env *testscript.Env) error {
					keepCache(env)
					from := "testdata/projects/" + project
					if project == "footbridge" {
						from = "../../internal/demo/project"
					}
					if server == "plain" {
						s := httptest.NewServer(&plainServer{limit: -1, answered: map[string]int{}})
						env.Defer(s.Close)
						server = s.URL + "/v1"
					}
					env.Setenv("MODEL", server)
					docs, err := filepath.Glob(from + "/documents/*.*")
					if project == "footbridge" {
						docs, err = filepath.Glob(from + "/documents/forms/*.*")
					}
					env.Setenv("DOC", strings.TrimPrefix(docs[0], from+"/"))
					if err != nil {
						return err
					}
					return os.CopyFS(env.WorkDir+"/project", os.DirFS(from))
				}})
			})
		}
	}
}

// large leaves a test to `make long`, which looks at large amounts, and at ends that take their time.
func large(t *testing.T) {
	t.Helper()
	if testing.Short() {
		t.Skip("a part of make long")
	}
}

// TestInterrupted stops a run as Ctrl-C does, as a terminal that goes away does, and
// as a machine that shuts down: it ends soon, says how to go on, and the next go
// completes it.
func TestInterrupted(t *testing.T) {
	filler := build(t)
	for _, sig := range []os.Signal{os.Interrupt, syscall.SIGHUP, syscall.SIGTERM} {
		t.Run(sig.String(), func(t *testing.T) { stopped(t, filler, sig) })
	}
}

// TestStopsAtOnce stops what only reads and counts.
func TestStopsAtOnce(t *testing.T) {
	dir, filler := t.TempDir(), build(t)
	put := func(name, text string) {
		if err := os.WriteFile(dir+"/"+name, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	put("s.yaml", "schema: s\nfields:\n  no: {integer: Number.}\n")
	put("r.jsonl", strings.Repeat(`{"document":"a","record":{"no":"x"}}`+"\n", 1_000_000))
	for _, wait := range []time.Duration{300 * time.Millisecond, time.Second, 3 * time.Second} {
		cmd := start(t, dir, filler, "validate", "--records", "r.jsonl", "--schema", "s.yaml")
		time.Sleep(wait)
		cmd.Process.Signal(os.Interrupt)
		began := time.Now()
		err := cmd.Wait()
		if cmd.ProcessState.Sys().(syscall.WaitStatus).Signaled() {
			continue // on a busy machine it had not begun yet
		}
		if said := cmd.Stderr.(*strings.Builder).String(); cmd.ProcessState.ExitCode() != 1 || said != "stopped\n" {
			t.Fatalf("after the signal: %v, %q, %v", err, said, time.Since(began))
		}
		return
	}
	t.Fatal("ended by the signal itself, each time")
}

func stopped(t *testing.T, filler string, sig os.Signal) {
	dir := t.TempDir()
	p := &plainServer{limit: -1, answered: map[string]int{}, delay: 60 * time.Millisecond}
	s := httptest.NewServer(p)
	defer s.Close()
	if err := os.CopyFS(dir, os.DirFS("../../internal/demo/project")); err != nil {
		t.Fatal(err)
	}
	cmd := start(t, dir, filler, "fill", "--model", s.URL+"/v1", "-o", "first.jsonl")
	for {
		p.mu.Lock()
		n := len(p.answered)
		p.mu.Unlock()
		if n >= 3 {
			break
		}
		time.Sleep(time.Millisecond)
	}
	cmd.Process.Signal(sig)
	err := cmd.Wait()
	said := cmd.Stderr.(*strings.Builder).String()
	if cmd.ProcessState.ExitCode() != 1 || !strings.Contains(said, "continue with `filler fill --resume=1`") {
		t.Fatalf("after the signal: %v\n%s", err, said)
	}
	fills(t, dir, filler, "fill", "--resume", "-o", "all.jsonl")
	data, _ := os.ReadFile(dir + "/all.jsonl")
	if strings.Count(string(data), "\n") != 32 {
		t.Fatalf("32 records should have come out, not %d", strings.Count(string(data), "\n"))
	}
	for body, n := range p.answered {
		if n > 1 {
			t.Errorf("a request that came home after the interrupt was sent again: %.100s", body)
		}
	}
}
