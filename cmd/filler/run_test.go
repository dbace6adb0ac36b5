package main

import (
	"bufio"
	"bytes"
	"encoding/json"
	"filler/internal/base/needs"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
)

var built = sync.OnceValues(func() (string, error) {
	dir, err := os.MkdirTemp("", "filler-test")
	if err != nil {
		return "", err
	}
	exe := filepath.Join(dir, "filler")
	cmd := exec.Command("go", "build", "-o", exe, ".")
	cmd.Env = append(os.Environ(), "CGO_ENABLED=0")
	out, err := cmd.CombinedOutput()
	if err != nil {
		err = fmt.Errorf("%w: %s", err, out)
	}
	return exe, err
})

// build gives the built program.
func build(t *testing.T) string {
	t.Helper()
	exe, err := built()
	if err != nil {
		t.Fatal(err)
	}
	return exe
}

func start(t *testing.T, dir, program string, args ...string) *exec.Cmd {
	t.Helper()
	cmd := exec.Command(program, args...)
	cmd.Dir = dir
	cmd.Stdout, cmd.Stderr = new(strings.Builder), new(strings.Builder)
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	return cmd
}

// fills runs the program to its end and gives the process, for what it used.
// All documents must be filled; some records may be flagged (exit code 3).
func fills(t *testing.T, dir, program string, args ...string) *exec.Cmd {
	t.Helper()
	cmd := start(t, dir, program, args...)
	cmd.Wait()
	if got := cmd.ProcessState.ExitCode(); got != 0 && got != 3 {
		t.Fatalf("filler %s: exit code %d\n%s", strings.Join(args, " "), got, cmd.Stderr)
	}
	return cmd
}

// TestMany fills 2,000 documents, each different: every record comes out, in
// document order, and the memory does not grow with their number.
func TestMany(t *testing.T) {
	filler := build(t)
	peak := func(n int) int64 {
		dir := t.TempDir()
		if err := os.CopyFS(dir, os.DirFS("../../internal/demo/start")); err != nil {
			t.Fatal(err)
		}
		os.RemoveAll(dir + "/documents")
		os.Mkdir(dir+"/documents", 0o755)
		for i := range n {
			text := fmt.Sprintf("Report no.: FB-2031-%02d\nBridge: Plank %d\nVisited: %d.%d.2031\n\nDefects\n- decay, grade %d\n", i%100, i, 1+i%28, 1+i%12, i%4)
			if err := os.WriteFile(fmt.Sprintf("%s/documents/%05d.txt", dir, i), []byte(text), 0o644); err != nil {
				t.Fatal(err)
			}
		}
		cmd := fills(t, dir, filler, "fill", "-o", "records.jsonl")
		checkOrder(t, dir+"/records.jsonl", n)
		return needs.PeakMemory(cmd.ProcessState)
	}
	few, many := peak(300), peak(1200)
	t.Logf("peak memory: %d kB for 300 documents, %d kB for 1,200", few, many)
	if float64(many) > 1.3*float64(few) {
		t.Errorf("memory grows with the number of documents: %d kB for 300, %d kB for 1,200", few, many)
	}
}

func checkOrder(t *testing.T, file string, n int) {
	t.Helper()
	data, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	lines := bufio.NewScanner(bytes.NewReader(data))
	i := 0
	for ; lines.Scan(); i++ {
		var l struct {
			Document string
			Record   struct{ Bridge *string }
			Evidence map[string]struct{ Kind string }
		}
		if err := json.Unmarshal(lines.Bytes(), &l); err != nil {
			t.Fatal(err)
		}
		if want := fmt.Sprintf("documents/%05d.txt", i); l.Document != want {
			t.Fatalf("line %d is of %s, not of %s", i+1, l.Document, want)
		}
		// A value that stands in the document must be that document's.
		if b := l.Record.Bridge; l.Evidence["/bridge"].Kind == "quoted" && !strings.HasPrefix(fmt.Sprintf("Plank %d", i), *b) {
			t.Fatalf("line %d holds the record of %s", i+1, *b)
		}
	}
	if i != n {
		t.Fatalf("%d records came out of %d documents", i, n)
	}
}
