package main

import (
	"os"
	"os/exec"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The guide's blocks run as they stand, in order, in an empty folder, and print what stands below
// them. Pages that go on in the same folder follow one another. Short runs take the guide alone.
func TestGuideRuns(t *testing.T) {
	for _, pages := range [][]string{{"guide", "choosing"}, {"local"}, {"scans"}, {"registers"}, {"programs"}, {"team"}, {"tuning"}} {
		t.Run(pages[0], func(t *testing.T) {
			large(t)
			t.Parallel()
			dir := t.TempDir()
			for _, page := range pages {
				at := dir
				for _, b := range guideBlocks(t, page) {
					var out string
					out, at = runBlock(t, at, b[0])
					inOrder(t, page, b[0], b[1], out)
				}
				dir = at
			}
		})
	}
}

var guideBlock = regexp.MustCompile("(?s)```sh\n(.*?)```\n(?:```text\n(.*?)```\n)?")

// guideBlocks gives the commands of a page with what they print.
func guideBlocks(t *testing.T, page string) (all [][2]string) {
	text, err := os.ReadFile("../../docs/" + page + ".md")
	require.NoError(t, err)
	for _, m := range guideBlock.FindAllStringSubmatch(string(text), -1) {
		all = append(all, [2]string{m[1], m[2]})
	}
	require.NotEmpty(t, all, page)
	return all
}

// runBlock runs a block in a folder, and says where it ended.
func runBlock(t *testing.T, dir, block string) (out, at string) {
	// A record may be flagged, which commands say with exit code 3.
	cmd := exec.Command("bash", "-e", "-c", "filler() { command filler \"$@\" || [ $? = 3 ]; }\n"+block+"\npwd")
	cmd.Dir, cmd.Env = dir, append(os.Environ(), "NO_COLOR=1", "LC_ALL=C.UTF-8")
	said, err := cmd.CombinedOutput()
	require.NoError(t, err, "%s\n%s", block, said)
	lines := strings.Split(strings.TrimRight(string(said), "\n"), "\n")
	return strings.Join(lines[:len(lines)-1], "\n"), lines[len(lines)-1]
}

var (
	times   = regexp.MustCompile(`\d+(\.\d+)? (ms|s)\b`)
	figures = regexp.MustCompile(`[+-]?\d[\d.,]*`)
)

// inOrder holds each line that a page shows against what came: … stands for any lines, or for the
// rest of one. Times are as they are. With FILLER_WRITE_DOCS=1 a line that differs in its figures
// alone takes its place in the page.
func inOrder(t *testing.T, page, block, shown, out string) {
	t.Helper()
	came := strings.Split(out, "\n")
	at := 0
	for _, line := range strings.Split(strings.TrimSpace(shown), "\n") {
		want, open := strings.CutSuffix(times.ReplaceAllString(line, "T"), "…")
		if want = strings.TrimRight(want, " "); want == "" {
			continue
		}
		next := lineLike(came[at:], want, open, func(s string) string { return s })
		if next < 0 && os.Getenv("FILLER_WRITE_DOCS") != "" && !open {
			if next = lineLike(came[at:], want, open, func(s string) string { return figures.ReplaceAllString(s, "N") }); next >= 0 {
				rewrite(t, page, shown, line, came[at+next])
			}
		}
		if !assert.True(t, next >= 0, "%s: after\n%s\nthis line does not come, or not in this order:\n%s\nwhat came:\n%s", page, block, want, out) {
			return
		}
		at += next + 1
	}
}

// lineLike gives the place of the first line that is the wanted one, as same reads both; -1 if none is.
func lineLike(lines []string, want string, open bool, same func(string) string) int {
	return slices.IndexFunc(lines, func(line string) bool {
		have := same(strings.TrimRight(times.ReplaceAllString(line, "T"), " "))
		return have == same(want) || open && strings.HasPrefix(have, same(want))
	})
}

// rewrite puts another line in the place of one that a page shows.
func rewrite(t *testing.T, page, shown, was, is string) {
	path := "../../docs/" + page + ".md"
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	from := strings.Index(string(text), shown) + strings.Index(shown, was)
	if !strings.Contains(string(text), shown) { // a line of it is another already
		from = strings.Index(string(text), was)
	}
	require.True(t, from >= 0, was)
	now := string(text[:from]) + is + string(text[from+len(was):])
	require.NoError(t, os.WriteFile(path, []byte(now), 0o644))
}
