package main

import (
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/charmbracelet/x/vt"
	"github.com/creack/pty"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
)

// terminal is the built program in a terminal, whose screen can be read.
type terminal struct {
	t   *testing.T
	cmd *exec.Cmd
	pty *os.File
	mu  sync.Mutex
	vt  *vt.Emulator
}

// inTerminal starts the program.
func inTerminal(t *testing.T, width, height int, env []string, args ...string) *terminal {
	t.Helper()
	cmd := exec.Command("filler", args...)
	cmd.Env = append(append(os.Environ(), "TERM=xterm-256color"), env...)
	f, err := pty.StartWithSize(cmd, &pty.Winsize{Rows: uint16(height), Cols: uint16(width)})
	require.NoError(t, err)
	w := &terminal{t: t, cmd: cmd, pty: f, vt: vt.NewEmulator(width, height)}
	go func() {
		buf := make([]byte, 1<<15)
		for {
			n, err := f.Read(buf)
			if err != nil {
				return
			}
			w.mu.Lock()
			w.vt.Write(buf[:n])
			w.mu.Unlock()
		}
	}()
	go func() { // what a terminal answers
		buf := make([]byte, 1024)
		for {
			n, err := w.vt.Read(buf)
			if err != nil {
				return
			}
			f.Write(buf[:n])
		}
	}()
	t.Cleanup(func() {
		cmd.Process.Kill()
		cmd.Wait()
		f.Close()
		w.vt.Close()
	})
	return w
}

// text gives what stands on the screen.
func (w *terminal) text() string {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.vt.String()
}

// sees waits until the screen has all these texts.
func (w *terminal) sees(texts ...string) {
	w.t.Helper()
	for end := time.Now().Add(20 * time.Second); ; time.Sleep(5 * time.Millisecond) {
		screen, missing := w.text(), ""
		for _, text := range texts {
			if !strings.Contains(screen, text) {
				missing = text
			}
		}
		if missing == "" {
			return
		}
		if time.Now().After(end) {
			w.t.Fatalf("the screen never has %q:\n%s", missing, screen)
		}
	}
}

func (w *terminal) types(keys string) {
	_, err := w.pty.WriteString(keys)
	require.NoError(w.t, err)
}

// resize gives the terminal another size.
func (w *terminal) resize(width, height int) {
	w.mu.Lock()
	w.vt.Resize(width, height)
	w.mu.Unlock()
	require.NoError(w.t, pty.Setsize(w.pty, &pty.Winsize{Rows: uint16(height), Cols: uint16(width)}))
}

// ends waits until the program has ended, and gives its exit code.
func (w *terminal) ends() int {
	done := make(chan bool)
	go func() {
		w.cmd.Wait()
		close(done)
	}()
	select {
	case <-done:
	case <-time.After(20 * time.Second):
		w.t.Fatalf("the program does not end:\n%s", w.text())
	}
	return w.cmd.ProcessState.ExitCode()
}

// orchard writes a project of two documents with drafts of their records.
func orchard(t *testing.T) string {
	t.Helper()
	dir := t.TempDir()
	write := func(name, text string) {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(dir, name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	write("filler.yaml", "schema: s.yaml\ndocuments: [documents]\ngold: gold\n")
	write("s.yaml", `schema: picking
fields:
  ref: {text: Number of the sheet., printed_as: [Sheet]}
  picked: {date: Day., written: [D MMMM YYYY]}
  rows:
    list: Rows of trees.
    key: [number]
    fields:
      number: {integer: Number of the row.}
      sort: {choice: Sort., of: {russet: {also: [brown]}, codlin: {}}}
`)
	for _, n := range []string{"1", "2"} {
		write("documents/"+n+".txt", "Sheet: OR-"+n+"\nPicked on "+n+" April 2031\nRow 1  brown\nRow 2  codlin\nSeen by 林檎 \x1b[2Jred\u202e\n")
		write("gold/documents/"+n+".txt.json", `{
  "document": "documents/`+n+`.txt",
  "state": "draft",
  "record": {"ref": "OR-`+n+`", "picked": "2031-04-09", "rows": [{"number": 1, "sort": "codlin"}]}
}`)
	}
	return dir
}

// decisions reads what a gold file keeps.
func decisions(t *testing.T, dir, n string) (record string, made map[string]string, state string) {
	data, err := os.ReadFile(filepath.Join(dir, "gold/documents/"+n+".txt.json"))
	require.NoError(t, err)
	v, err := value.ParseBytes(data)
	require.NoError(t, err)
	made = map[string]string{}
	if d := v.Get("decisions"); d != nil {
		for _, kid := range d.Kids {
			made[kid.Name] = kid.Text
		}
	}
	return v.Get("record").Named("").String(), made, v.Word("state")
}

// A document is reviewed by keys alone: right, taken, typed, a row added.
func TestReviewInATerminal(t *testing.T) {
	dir := orchard(t)
	w := inTerminal(t, 80, 24, nil, "-C", dir, "gold", "review", "--reviewer", "M. Harrow")
	w.sees("documents/1.txt", "1 of 2", "0 of", "OR-1", "▸", "Picked on", "stands in line 1", "enter right")
	assert.NotContains(t, w.text(), "\u202e")
	w.types("\r")
	w.sees("✓ ref", "stands nowhere")
	w.types("t")
	w.sees("→ 2031-04-01", "enter take")
	w.types("\r")
	w.sees("2031-04-01", "≠ picked")
	w.types("\r+") // its number is right, and a row is missing
	w.sees("rows 2", "likely “2” in line 4, y takes it")
	w.types("y")
	w.sees("≠   number  2")
	w.types("t\r")
	w.sees("≠   sort    codlin")
	w.types("e")
	w.sees("russet · codlin")
	w.types("ru\r")
	w.sees("documents/2.txt", "documents/1.txt is signed")
	record, made, state := decisions(t, dir, "1")
	assert.Equal(t, "reviewed", state)
	assert.Equal(t, `{"ref":"OR-1","picked":"2031-04-01","rows":[{"number":1,"sort":"russet"},{"number":2,"sort":"codlin"}]}`, record)
	assert.Equal(t, []string{"right", "taken", "changed", "taken"}, []string{made["/ref"], made["/picked"], made["/rows/0/sort"], made["/rows/1/number"]})
	w.types("u")
	w.sees("documents/1.txt")
	w.types("r")
	w.resize(120, 40)
	w.sees("w unsure · + add · - remove")
	w.types("?")
	w.sees("make two of the item")
	w.resize(40, 10)
	w.sees("too few")
	w.resize(80, 24)
	w.types(" q")
	assert.Equal(t, 0, w.ends())
}

// The program is killed at random moments and started again: what was seen as decided is
// decided, and no file is broken.
func TestReviewSurvivesKilling(t *testing.T) {
	dir := orchard(t)
	r := rand.New(rand.NewPCG(3, 1))
	acknowledged := map[string]string{}
	for range 12 {
		if _, _, state := decisions(t, dir, "2"); state == "reviewed" {
			dir = orchard(t)
		}
		w := inTerminal(t, 80, 24, []string{"NO_COLOR=1"}, "-C", dir, "gold", "review", "--reviewer", "M. Harrow", "documents/2.txt")
		w.sees("documents/2.txt")
		for range 1 + r.IntN(4) {
			w.types([]string{"w", "\r", "u", "r", "n"}[r.IntN(5)])
			time.Sleep(time.Duration(r.IntN(12)) * time.Millisecond)
		}
		if r.IntN(2) == 0 {
			w.cmd.Process.Signal(syscall.SIGKILL)
		} else {
			// What stands on the screen as decided is in the file.
			time.Sleep(150 * time.Millisecond)
			screen := w.text()
			w.cmd.Process.Signal(syscall.SIGKILL)
			_, made, _ := decisions(t, dir, "2")
			if strings.Contains(screen, "✓ ref") {
				assert.Equal(t, "right", made["/ref"], "%s", screen)
			}
			if strings.Contains(screen, "? ref") {
				assert.Equal(t, "unsure", made["/ref"], "%s", screen)
			}
			acknowledged = made
		}
		w.ends()
		record, _, _ := decisions(t, dir, "2")
		assert.Contains(t, record, `"ref":"OR-2"`, fmt.Sprint(acknowledged))
		if left, err := filepath.Glob(filepath.Join(dir, "gold/documents/*")); assert.NoError(t, err) {
			assert.LessOrEqual(t, len(left), 4, "%v", left)
		}
	}
}

// Words are dragged over with the mouse and become the value.
func TestReviewByMouse(t *testing.T) {
	dir := orchard(t)
	w := inTerminal(t, 100, 30, nil, "-C", dir, "gold", "review", "--reviewer", "M. Harrow", "--field", "picked")
	w.sees("Picked on 1 April 2031", "1 of 2 decisions")
	row, column := 0, 0
	for y, line := range strings.Split(w.text(), "\n") {
		if at := strings.Index(line, "1 April 2031"); at >= 0 {
			row, column = y, len([]rune(line[:at]))
		}
	}
	w.types(fmt.Sprintf("\x1b[<0;%d;%dM", column+1, row+1))
	w.sees("enter take")
	w.types(fmt.Sprintf("\x1b[<32;%d;%dM", column+10, row+1))
	w.types(fmt.Sprintf("\x1b[<0;%d;%dm", column+10, row+1))
	w.sees("2 of 2 decisions")
	record, made, _ := decisions(t, dir, "1")
	assert.Contains(t, record, `"picked":"2031-04-01"`)
	assert.Equal(t, "taken", made["/picked"])
}

// ran runs the program and gives what it prints.
func ran(t *testing.T, args ...string) string {
	t.Helper()
	out, err := exec.Command("filler", args...).CombinedOutput()
	if exit, ok := err.(*exec.ExitError); ok && exit.ExitCode() == 3 {
		err = nil
	}
	require.NoError(t, err, "%s", out)
	return string(out)
}

// What is put right in production stays: in exports, in later fills and updates; no
// figure takes it for the model's; it becomes gold only when it is asked for.
func TestReviewInProduction(t *testing.T) {
	dir := orchard(t)
	file := filepath.Join(dir, "filler.yaml")
	settings, err := os.ReadFile(file)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, append(settings, "models: {p: {at: printed}, m: {at: 'standin:careful'}}\nuse: p\n"...), 0o644))
	require.NoError(t, os.Rename(filepath.Join(dir, "gold"), filepath.Join(dir, "drafts")))
	ran(t, "-C", dir, "fill")
	w := inTerminal(t, 100, 30, nil, "-C", dir, "review", "1", "documents/1.txt", "--reviewer", "M. Harrow")
	w.sees("documents/1.txt", "1 of 1", "OR-1")
	w.types("\re7 May 2031\r")
	w.sees("≠ picked", "2031-05-07")
	w.types("q")
	w.ends()
	line := func(run string) string {
		out := filepath.Join(t.TempDir(), "out.jsonl")
		ran(t, "-C", dir, "export", run, "--to", "jsonl", "--evidence", "-o", out)
		data, err := os.ReadFile(out)
		require.NoError(t, err)
		first, _, _ := strings.Cut(string(data), "\n")
		return first
	}
	assert.Contains(t, line("1"), `"picked":"2031-05-07"`)
	assert.Contains(t, line("1"), `"now":"2031-05-07","reviewer":"M. Harrow"`)
	assert.Contains(t, line("1"), `"reviewed":{"reviewer":"M. Harrow"`)
	assert.NotContains(t, ran(t, "-C", dir, "trace", "documents/1.txt", "--run", "1"), "2031-05-07", "the run is as it was filled")

	ran(t, "-C", dir, "report", "1", "-o", "page.html")
	page, err := os.ReadFile(filepath.Join(dir, "page.html"))
	require.NoError(t, err)
	assert.Contains(t, string(page), "changed by M. Harrow on ", "a report tells of it beside the value that was filled")
	assert.Contains(t, string(page), "then &#34;2031-05-07&#34;")

	// Another model fills the same text: what was decided stays, the rest is its own.
	ran(t, "-C", dir, "fill", "--model", "m")
	assert.Contains(t, line("2"), `"picked":"2031-05-07"`)
	assert.Contains(t, ran(t, "-C", dir, "trace", "documents/1.txt", "--run", "2"), "2 values as M. Harrow decided on")
	ran(t, "-C", dir, "repair", "2")
	assert.Contains(t, line("3"), `"picked":"2031-05-07"`)

	// No figure takes it for the model's.
	require.NoError(t, os.Rename(filepath.Join(dir, "drafts"), filepath.Join(dir, "gold")))
	ran(t, "-C", dir, "gold", "sign", "documents", "--reviewer", "T. Brill")
	assert.Contains(t, ran(t, "-C", dir, "score", "2"), "decided by people in production, and in no figure: 2 values")

	// Decided to the end it can become gold, marked as what it is.
	w = inTerminal(t, 100, 30, nil, "-C", dir, "review", "2", "documents/1.txt", "--reviewer", "M. Harrow")
	w.sees("documents/1.txt", "≠ picked", "2 of")
	w.types("f")
	w.sees("Nothing is left to decide", "documents/1.txt is signed")
	w.types("q")
	w.ends()
	require.NoError(t, os.RemoveAll(filepath.Join(dir, "gold")))
	assert.Contains(t, ran(t, "-C", dir, "gold", "draft", "--from-review"), "1 draft from reviews written")
	data, err := os.ReadFile(filepath.Join(dir, "gold/documents/1.txt.json"))
	require.NoError(t, err)
	assert.Contains(t, string(data), `"review": "M. Harrow"`)
	assert.Contains(t, string(data), `"state": "draft"`)

	// Another text is another record.
	doc := filepath.Join(dir, "documents/1.txt")
	text, err := os.ReadFile(doc)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(doc, append(text, "Late addition.\n"...), 0o644))
	ran(t, "-C", dir, "fill", "--model", "m")
	assert.NotContains(t, line("4"), `"picked":"2031-05-07"`)
	assert.Contains(t, ran(t, "-C", dir, "trace", "documents/1.txt", "--run", "4"), "the document's text is another now: not heeded")
	ran(t, "-C", dir, "forget", "documents/1.txt")
	ledger, err := os.ReadFile(filepath.Join(dir, ".filler/ledger.db"))
	require.NoError(t, err)
	assert.NotContains(t, string(ledger), "M. Harrow")
}

// Where two reviewers differ, an adjudicator sees both and decides; what was decided is
// there when it goes on, and the gold is written of it.
func TestAdjudicateOnTheScreen(t *testing.T) {
	dir := orchard(t)
	read := func(name string) string {
		data, err := os.ReadFile(filepath.Join(dir, name))
		require.NoError(t, err)
		return string(data)
	}
	second := strings.NewReplacer(`"2031-04-09"`, `"2031-04-01"`, `"ref": "OR-1"`, `"ref": "OR-7"`, `[{"number": 1, "sort": "codlin"}]`, `[{"number": 1, "sort": "russet"}, {"number": 2, "sort": "codlin"}]`).Replace(read("gold/documents/1.txt.json"))
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "gold-second/documents"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "gold-second/documents/1.txt.json"), []byte(strings.Replace(second, `"draft"`, `"reviewed"`, 1)), 0o644))
	ran(t, "-C", dir, "gold", "sign", "documents/1.txt", "--reviewer", "T. Brill")
	args := []string{"-C", dir, "gold", "adjudicate", filepath.Join(dir, "gold"), filepath.Join(dir, "gold-second"), "--review", "--choices", filepath.Join(dir, "choices.jsonl"), "--reviewer", "M. Harrow"}
	w := inTerminal(t, 110, 30, nil, args...)
	w.sees("documents/1.txt", "0 of 5 decided", "OR-1 | OR-7", "the other says: OR-7", "codlin | russet", "rows 2")
	w.types("\r2")
	w.sees("2 of 5 decided", "≠ picked", "2031-04-01")
	w.types("q")
	assert.Equal(t, 1, w.ends(), "three differ and have no choice yet")
	w = inTerminal(t, 110, 30, nil, args...)
	w.sees("2 of 5 decided")
	w.types("2" + "2" + "eru\r")
	w.sees("Nothing is left to decide")
	w.types("q")
	assert.Equal(t, 0, w.ends(), "%s", w.text())
	assert.Contains(t, read("choices.jsonl"), `"path":"/rows/1/sort","first":null,"second":"codlin","choose":"value","value":"russet"`)
	record, _, state := decisions(t, dir, "1")
	assert.Equal(t, "reviewed", state)
	assert.Equal(t, `{"ref":"OR-1","picked":"2031-04-01","rows":[{"number":1,"sort":"russet"},{"number":2,"sort":"russet"}]}`, record)
}

// Of two runs only what differs is asked for.
func TestReviewTwoRuns(t *testing.T) {
	dir := orchard(t)
	file := filepath.Join(dir, "filler.yaml")
	settings, err := os.ReadFile(file)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, append(settings, "models: {p: {at: printed}, m: {at: 'standin:careful'}}\nuse: p\n"...), 0o644))
	ran(t, "-C", dir, "fill", "--model", "m")
	ran(t, "-C", dir, "fill")
	w := inTerminal(t, 110, 30, nil, "-C", dir, "review", "2", "--against", "1", "--reviewer", "M. Harrow", "documents/1.txt")
	w.sees("documents/1.txt", "the other says", " | ")
	screen := w.text()
	assert.NotContains(t, screen, "OR-1 |", "both say the same of it")
	for end := time.Now().Add(10 * time.Second); !strings.Contains(w.text(), "Nothing is left") && time.Now().Before(end); time.Sleep(150 * time.Millisecond) {
		w.types("2")
	}
	w.sees("Nothing is left to decide")
	w.types("q")
	w.ends()
	records := func(run string) string {
		out := filepath.Join(t.TempDir(), "out.jsonl")
		ran(t, "-C", dir, "export", run, "--to", "jsonl", "-o", out)
		data, err := os.ReadFile(out)
		require.NoError(t, err)
		v, err := value.Parse(strings.SplitN(string(data), "\n", 2)[0])
		require.NoError(t, err)
		return v.Get("record").Named("").String()
	}
	assert.Equal(t, records("1"), records("2"), "%s", screen)
}

// Pairs of names are decided on one by one: each decision is in the file at once, the last
// can be taken back, and a narrow screen shows what it can.
func TestNamesOnTheScreen(t *testing.T) {
	dir := t.TempDir()
	write := func(name, text string) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	write("s.yaml", "schema: permit\nentity: {key: [no]}\nfields: {no: Number., miller: {text: Miller., entity: true}}\n")
	write("r.jsonl", `{"document":"1.txt","record":{"no":"P1","miller":"Sefa Thornby"},"evidence":{"/miller":{"kind":"quoted","start":0,"end":1,"line":1}}}
{"document":"2.txt","record":{"no":"P2","miller":"Thornby, Sefa"}}
{"document":"3.txt","record":{"no":"P3","miller":"S. Thornby"}}
`)
	write("1.txt", "Miller Sefa Thornby\x1b[2J, of Weir Mill\n")
	same := filepath.Join(dir, "same.jsonl")
	w := inTerminal(t, 60, 16, nil, "graph", "same", "--decide", "--reviewer", "M. Harrow", "--schema", filepath.Join(dir, "s.yaml"), "--records", filepath.Join(dir, "r.jsonl"), "--same", same)
	w.sees("pair 1 of 3", "Thornby, Sefa", "next to permit P2", "y one thing")
	w.types("y")
	w.sees("pair 2 of 3 · one thing 1")
	data, err := os.ReadFile(same)
	require.NoError(t, err)
	require.Contains(t, string(data), `"same":true,"by":"M. Harrow"`)
	w.types("n")
	w.sees("pair 3 of 3 · one thing 1 · two 1 · left 1")
	w.types("u")
	w.sees("pair 2 of 3 · one thing 1 · two 0 · left 2", "taken back")
	w.types("x")
	w.sees("x means nothing here")
	w.types("nn")
	w.sees("every pair is decided")
	w.types("q")
	require.Equal(t, 0, w.ends())
	data, err = os.ReadFile(same)
	require.NoError(t, err)
	require.Equal(t, 3, strings.Count(string(data), "\n"))
}
