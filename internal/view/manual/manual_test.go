package manual_test

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"unicode"

	"github.com/charmbracelet/x/ansi"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/docs"
	"filler/internal/base/needs"
	"filler/internal/view/manual"
	"filler/internal/view/tones"
)

func plain(_ tones.Tone, s string) string { return s }

// Every page of docs/ can be asked for, and none is named that is not there.
func TestAllPagesAreNamed(t *testing.T) {
	files, err := filepath.Glob("../../../docs/*.md")
	require.NoError(t, err)
	var names []string
	for _, f := range files {
		names = append(names, strings.TrimSuffix(filepath.Base(f), ".md"))
	}
	assert.ElementsMatch(t, names, docs.Names)
}

var word = regexp.MustCompile(`[\p{L}\p{N}_]+`)

// Nothing that a page says is lost on the way to the terminal or to man, in whatever width: the
// words come in the same order, and no line but those of code and of long words is too wide.
func TestNoWordIsLost(t *testing.T) {
	dropped := regexp.MustCompile(`(?s)<!--.*?-->|\]\([^)]*\)|&lt;|&gt;|&amp;`)
	for _, p := range manual.Pages() {
		data, err := os.ReadFile("../../../docs/" + p.Name + ".md")
		require.NoError(t, err)
		text := regexp.MustCompile(`(?m)^!\[[^\]]*\]\([^)]*\)\n*|[ \n]\(\[[^\]]*\]\([^)]*\.png\)\)`).ReplaceAllString(string(data), "")
		code := map[string]bool{}
		for _, block := range regexp.MustCompile("(?ms)^ *```.*?^ *```|^    .*?$").FindAllString(text, -1) {
			for line := range strings.Lines(block) {
				code[strings.TrimSpace(line)] = true
			}
		}
		want := count(dropped.ReplaceAllString(regexp.MustCompile("(?m)^ *```[a-z]*$").ReplaceAllString(text, ""), "] "))
		whole := p.Terminal(10_000, plain)
		got := count(whole)
		for w, n := range want {
			if got[w] < n {
				t.Errorf("%s: %q stands %d times, not %d", p.Name, w, got[w], n)
			}
		}
		for _, width := range []int{40, 60, 100, 158} {
			shown := p.Terminal(width, plain)
			assert.Equal(t, letters(whole), letters(shown), "%s at %d", p.Name, width)
			for _, line := range strings.Split(shown, "\n") {
				if ansi.StringWidth(line) > width && !code[strings.TrimSpace(line)] && strings.Contains(strings.TrimSpace(line), " ") {
					t.Errorf("%s at %d: %q", p.Name, width, line)
				}
			}
		}
	}
}

// letters counts each letter and digit.
func letters(text string) map[rune]int {
	all := map[rune]int{}
	for _, r := range text {
		if unicode.IsLetter(r) || unicode.IsNumber(r) {
			all[r]++
		}
	}
	return all
}

func count(text string) map[string]int {
	all := map[string]int{}
	for _, w := range word.FindAllString(text, -1) {
		all[w]++
	}
	return all
}

// A section is asked for by its heading or its anchor; a link within a page leads to one.
func TestSections(t *testing.T) {
	one := manual.Find("scoring#risk")
	require.Len(t, one, 1)
	assert.Equal(t, "Risk", one[0].Title)
	assert.Equal(t, one, manual.Find("risk"))
	assert.Empty(t, manual.Find("no such thing"))
	topics := manual.Topics()
	link := regexp.MustCompile(`\[([a-z]+(?:#[^\]]+)?)\]`)
	for _, p := range manual.Pages() {
		for _, m := range link.FindAllStringSubmatch(p.Terminal(1000, func(tone tones.Tone, s string) string {
			if tone == tones.Faint {
				return "\x00" + s
			}
			return s
		}), -1) {
			if strings.Contains(m[0], "#") {
				assert.Contains(t, topics, m[1], p.Name)
			}
		}
	}
}

// What man makes of every page holds the page's words, and groff finds no fault in it.
func TestManPages(t *testing.T) {
	c := manual.Command{Name: "filler try", Short: "Try \\ things", Long: "One.\n.SH no heading\n'no request\n\n  copied --as-is 'so' \\n\n  .so too\n\nEnd.",
		Use: "filler try [A]", Flags: []manual.Flag{{"-o, --out FILE", ".B what comes out"}}, Others: []string{"filler(1)"}}
	pages := map[string][]byte{"try": c.Man(manual.Version{Program: "1"})}
	for _, p := range manual.Pages() {
		pages[p.Name] = p.Man(manual.Version{Program: "1"})
	}
	for name, page := range pages {
		for _, line := range bytes.Split(page, []byte("\n")) {
			for _, r := range string(line) {
				assert.False(t, unicode.IsControl(r) && r != '\t', "%s: %q", name, line)
			}
		}
	}
	needs.Program(t, "groff")
	shown := func(name string) string {
		cmd := exec.Command("groff", "-man", "-Tutf8", "-ww", "-Kutf8", "-rLL=110n", "-P-c", "-P-b", "-P-u")
		cmd.Stdin = bytes.NewReader(pages[name])
		var faults bytes.Buffer
		cmd.Stderr = &faults
		out, err := cmd.Output()
		require.NoError(t, err)
		for line := range strings.Lines(faults.String()) { // words that are too long for a line
			assert.Regexp(t, "can't break line|cannot (break|adjust) line|not fill", line, name)
		}
		return string(out)
	}
	for _, want := range []string{"Try \\ things", ".SH no heading", "'no request", "    copied --as-is 'so' \\n", ".so too", "-o, --out FILE", ".B what comes out"} {
		assert.Contains(t, shown("try"), want)
	}
	for _, p := range manual.Pages() {
		got, want := count(shown(p.Name)), count(p.Terminal(1000, plain))
		lost := 0
		for w, n := range want {
			if got[w] == 0 && n > 0 {
				lost++
			}
		}
		assert.LessOrEqual(t, lost, len(want)/20, "%s: words that hyphens break", p.Name)
	}
}
