package main

import (
	"html"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/creack/pty"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// section gives what stands under a heading of the README.
func section(t *testing.T, heading string) string {
	text, err := os.ReadFile("../../README.md")
	require.NoError(t, err)
	_, after, found := strings.Cut(string(text), "\n## "+heading+"\n")
	require.True(t, found, heading)
	before, _, _ := strings.Cut(after, "\n## ")
	return before
}

// blocks gives the command lines of a section, a block each.
func blocks(section string) (all []string) {
	for _, m := range regexp.MustCompile("(?s)```\n(.*?)```").FindAllStringSubmatch(section, -1) {
		all = append(all, m[1])
	}
	return all
}

// The six commands of the README run as they stand, one after the other, in a shell of their own.
func TestReadmeRuns(t *testing.T) {
	shell := exec.Command("sh", "-e", "-x", "-c", blocks(section(t, "The work, in six commands"))[0])
	shell.Dir = t.TempDir()
	out, err := shell.CombinedOutput()
	require.NoError(t, err, string(out))
	assert.Contains(t, string(out), "F1 ")
}

// The document and the record that the README shows are those of the first project, as the program
// fills it.
func TestReadmeShowsWhatIsSo(t *testing.T) {
	text, err := os.ReadFile("../../README.md")
	require.NoError(t, err)
	var shown []string
	for _, m := range regexp.MustCompile(`<pre>(.*?)</pre>`).FindAllStringSubmatch(string(text), -1) {
		shown = append(shown, html.UnescapeString(strings.ReplaceAll(m[1], "<br>", "\n")))
	}
	require.Len(t, shown, 2)
	dir := t.TempDir()
	_, err = run(dir, "new", "bridges")
	require.NoError(t, err)
	first, err := os.ReadFile(filepath.Join(dir, "bridges", "documents", "first.txt"))
	require.NoError(t, err)
	assert.Equal(t, strings.TrimSpace(string(first)), shown[0])
	out, err := onTerminal(t, filepath.Join(dir, "bridges"), "filler", "fill", "documents/first.txt")
	require.NoError(t, err)
	blanks := regexp.MustCompile(` +`)
	for _, line := range strings.Split(shown[1], "\n") {
		assert.Contains(t, blanks.ReplaceAllString(out, " "), blanks.ReplaceAllString(line, " "))
	}
}

// onTerminal runs a command on a terminal of its own, without colours, and gives what it prints.
func onTerminal(t *testing.T, dir string, args ...string) (string, error) {
	cmd := exec.Command(args[0], args[1:]...)
	cmd.Dir, cmd.Env = dir, append(os.Environ(), "NO_COLOR=1", "TERM=xterm")
	f, err := pty.StartWithSize(cmd, &pty.Winsize{Rows: 40, Cols: 100})
	require.NoError(t, err)
	defer f.Close()
	out, _ := io.ReadAll(f) // it ends with an error of the device
	return strings.ReplaceAll(string(out), "\r\n", "\n"), cmd.Wait()
}
