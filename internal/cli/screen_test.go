//go:build linux

package cli

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"os"
	"regexp"
	"strings"
	"testing"
	"unicode"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"
)

// terminalPair gives the two ends of a terminal of 100 columns: what a program
// writes to the second is read from the first, as it would reach the eye.
func terminalPair(t *testing.T) (*os.File, *os.File) {
	t.Helper()
	near, err := os.OpenFile("/dev/ptmx", os.O_RDWR|unix.O_NOCTTY, 0)
	require.NoError(t, err)
	require.NoError(t, unix.IoctlSetPointerInt(int(near.Fd()), unix.TIOCSPTLCK, 0))
	n, err := unix.IoctlGetInt(int(near.Fd()), unix.TIOCGPTN)
	require.NoError(t, err)
	far, err := os.OpenFile(fmt.Sprintf("/dev/pts/%d", n), os.O_RDWR|unix.O_NOCTTY, 0)
	require.NoError(t, err)
	require.NoError(t, unix.IoctlSetWinsize(int(far.Fd()), unix.TIOCSWINSZ, &unix.Winsize{Row: 40, Col: 100}))
	return near, far
}

// onTerminal runs a command line on a terminal and gives all bytes that came.
func onTerminal(t *testing.T, args ...string) string {
	t.Helper()
	near, far := terminalPair(t)
	defer near.Close()
	var all bytes.Buffer
	done := make(chan bool)
	go func() {
		_, _ = io.Copy(&all, near)
		close(done)
	}()
	a := &app{args: append([]string{"filler"}, args...), in: strings.NewReader(""), out: far, err: far, term: inspect(far, far)}
	require.True(t, a.term.out && a.term.err)
	a.run(context.Background(), args)
	far.Close()
	<-done
	return all.String()
}

// steers is every sequence that Filler itself sends: colours, and what the bar of
// a long run does to its line.
var steers = regexp.MustCompile(`\x1b\[(?:[0-9]{0,2}(?:;[0-9]{1,2})*m|[0-9]?K)`)

// hostile are signs that steer a terminal, hide, or turn the direction of writing.
const hostile = "\x1b[2J\x1b]0;owned\x07\x1b]8;;http://x.example\x1b\\\u009b31m\u202eevil\u2066\u200b\ufeff\x08\x7f\U000e0041"

// Whatever documents, replies, names and labels hold, no command sends a terminal
// anything but text, its own colours, line ends and tabs; and in the machine forms
// all is as it was.
func TestTerminalsAreNotSteered(t *testing.T) {
	t.Chdir(t.TempDir())
	put := func(name, text string) { require.NoError(t, os.WriteFile(name, []byte(text), 0o600)) }
	name := "a\x1b[31mx\u202ey.txt"
	put(name, "Name: Osier"+hostile+"Plank\nGrade: 2\nNote: "+hostile+"\n")
	put("b.txt", "Name: Heron Plank\nGrade: nine "+hostile+"\n")
	put("filler.yaml", "schema: s.yaml\ndocuments: [.]\nmetadata: meta.csv\nuse: m\ngold: gold\nmodels: {m: {at: 'standin:careful', name: \"m\\e[5mz\"}, n: {at: 'standin:hasty'}}\n")
	put("meta.csv", "document,val\x1b[7mley\nb.txt,w\x1b[2Jx\n")
	put("s.yaml", "schema: s\nabout: \"One visit.\\e[2J\"\nfields:\n  name: {text: \"Name.\\e[2J\\u202e\", required: true, printed_as: [\"Name\\u009b2J\", Name]}\n  grade: {integer: Grade., max: 1, required: true}\n  note: {text: Note.}\n")
	seen := ""
	for _, c := range []string{"schema check", "schema outline", "schema export", "read .", "read b.txt --words", "prompt b.txt", "probe", "fill", "fill --fresh -o out.jsonl", "fill --model n --fresh --name n\x1b[2J", "fill nothere\x1b[2J.txt", "runs", "validate", "validate --records out.jsonl",
		"trace b.txt", "trace b.txt --full", "gold draft", "gold status", "gold check", "gold sign --reviewer ann\x1b[2J", "score", "score --slice grade", "score --steps", "errors --all", "compare 1 2", "repair", "repair --records out.jsonl", "repeat b.txt -n 2", "vary --sample 1", "update b.txt", "ledger prune --dry-run",
		"schema draft b.txt", "fill --model x\u202ey", "errors --field \x1b[2J", "\x1b[2J", "read \x9b2J.txt", "trace " + name, "schema compare s.yaml s.yaml", "gold split"} {
		out := onTerminal(t, strings.Split(c, " ")...)
		seen += out
		rest := steers.ReplaceAllString(out, "")
		for _, r := range rest {
			switch {
			case r == '\n' || r == '\r' || r == '\t':
			case unicode.IsControl(r), unicode.Is(unicode.Bidi_Control, r), r == '\u200b', r == '\ufeff', r >= 0xe0000 && r < 0xe1000, r == unicode.ReplacementChar:
				require.Failf(t, "a terminal was steered", "%q: %U in %q", c, r, rest)
			}
		}
	}
	for _, shown := range []string{"␛[2J", "⟨U+202E⟩", "⟨U+009B⟩", "⟨U+200B⟩", "␇", "␡", "⟨U+E0041⟩", "\x1b[1m"} {
		assert.Contains(t, seen, shown)
	}
	_, out, _ := call("", "read", name, "--json")
	assert.Contains(t, out, "\u202e\u0065vil", "a machine's form is exact")
	_, out, _ = call("", "read", name)
	assert.Contains(t, out, hostile[:4], "and what is not shown on a terminal")
	assert.Equal(t, `⟨FF⟩a`, visible("\xffa"))
}

// What can't be written is told, by every command, and none says that it went
// well.
func TestFullDisk(t *testing.T) {
	demoProject(t)
	letter := "documents/forms/FB-2031-04.txt"
	for _, c := range []string{"version", "runs", "runs --json", "read " + letter, "read --json " + letter, "validate", "validate --json", "score", "score --json", "errors", "compare 1 1", "trace " + letter, "trace --json " + letter, "schema outline", "schema check", "schema export",
		"schema editor", "schema normalizers", "prompt " + letter, "probe --json", "gold status", "gold check --json", "fill --fresh " + letter, "fill --dry-run", "repair --no-model", "repeat -n 2 " + letter, "vary --sample 1", "schema draft " + letter, "--help", "fill --help"} {
		full, err := os.OpenFile("/dev/full", os.O_WRONLY, 0)
		require.NoError(t, err)
		var said bytes.Buffer
		args := strings.Fields(c)
		a := &app{args: append([]string{"filler"}, args...), in: strings.NewReader(""), out: full, err: &said, term: inspect(full, &said)}
		code := a.run(context.Background(), args)
		full.Close()
		assert.Equal(t, codeFailed, code, c)
		assert.Equal(t, 1, strings.Count(said.String(), "can't be written"), "%s: %s", c, said.String())
	}
}
