package cli

import (
	"bytes"
	"context"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

func TestFigures(t *testing.T) {
	assert.Equal(t, []string{"0", "999", "1,000", "1,234,567", "-1,234"}, []string{thousands(0), thousands(999), thousands(1000), thousands(1234567), thousands(-1234)})
	assert.Equal(t, []string{"0", "0.000382", "0.0115", "1.50", "1234.00"}, []string{money(0), money(382_000), money(11_500_000), money(1_500_000_000), money(1_234_000_000_000)})
	assert.Equal(t, []string{"0.3 s", "12 s", "3 min", "2.5 h"}, []string{seconds(300 * time.Millisecond), seconds(12 * time.Second), seconds(200 * time.Second), seconds(150 * time.Minute)})
	assert.Equal(t, []string{"1 field", "2 fields", "0 fields"}, []string{plural(1, "field"), plural(2, "field"), plural(0, "field")})
	assert.Equal(t, []string{"abc", "ab…", "…", "日…"}, []string{clip("abc", 3), clip("abcd", 3), clip("abc", 1), clip("日本語", 4)})
}

func TestTable(t *testing.T) {
	var out bytes.Buffer
	a := &app{out: &out, term: terminal{out: true, width: 30}}
	tb := a.newTable("field", ">right", "note")
	tb.row("a", 3, "short")
	tb.row("bays[].number", field{"12", bad}, "a note that is longer than fits")
	tb.rule()
	tb.row("all", 15, "")
	tb.print()
	assert.Equal(t, strings.Join([]string{
		"field          right  note",
		strings.Repeat("─", 30),
		"a                  3  short",
		"bays[].number     12  a note…",
		strings.Repeat("─", 30),
		"all               15",
		"",
	}, "\n"), out.String())
}

// Without a terminal nothing is coloured and nothing is cut.
func TestPipesGetPlainText(t *testing.T) {
	var out bytes.Buffer
	a := &app{out: &out}
	tb := a.newTable("field")
	tb.row(field{strings.Repeat("x", 300), bad})
	tb.print()
	assert.NotContains(t, out.String(), "\x1b")
	assert.Contains(t, out.String(), strings.Repeat("x", 300))
	t.Setenv("NO_COLOR", "1")
	assert.False(t, inspect(&out, &out).colour)
}

// Wrong use is told in one line, with exit code 2; what can't be done with 1.
func TestExitCodes(t *testing.T) {
	t.Chdir(t.TempDir())
	for _, c := range []struct {
		args string
		code int
		says string
	}{
		{"version", 0, ""}, {"", 0, ""}, {"fill --help", 0, ""}, {"nothing", 2, `there is no command "nothing"; see`}, {"scoree", 2, `there is no command "scoree"; did you mean "score"?`}, {"fill --nothing", 2, "unknown flag: --nothing"}, {"gold plan --margin abc", 2, "--margin is a number, not \"abc\""}, {"fill --seed x", 2, "--seed is a whole number, not \"x\""},
		{"read", 2, "no document is named"}, {"prompt a b", 2, "2 documents are named"}, {"schema bogus", 2, `has no command "bogus"`}, {"schema chek", 2, `did you mean "check"?`},
		{"trace", 2, "no document is named"}, {"runs x", 2, "has no command"}, {"standin --character rude", 2, "has no character"}, {"standin --busy 3", 2, "from 0 to 1"},
		{"fill --resume x.txt", 2, "name none"}, {"fill --as-run 1 --model x", 2, "leave out --schema, --model and --resume"}, {"schema draft", 2, "no samples are named"},
		{"fill", 1, "no filler.yaml"}, {"score", 1, "no filler.yaml"}, {"runs", 1, "no project and no runs"}, {"read x", 1, "there is no such file"}, {"schema check x", 1, "there is no such file"},
		{"-C nowhere runs", 1, "can't work in this folder"}, {"schema import x", 1, "can't be read"}, {"schema compare a b", 1, "a is not a file"},
	} {
		var out, errOut bytes.Buffer
		a := &app{args: []string{"filler"}, in: strings.NewReader(""), out: &out, err: &errOut}
		code := a.run(context.Background(), strings.Fields(c.args))
		assert.Equal(t, c.code, code, "%s\n%s", c.args, errOut.String())
		assert.Contains(t, errOut.String(), c.says, c.args)
		if c.code == 2 {
			assert.Equal(t, 1, strings.Count(errOut.String(), "\n"), "%s\n%s", c.args, errOut.String())
			assert.Contains(t, errOut.String(), "--help`")
		}
	}
}
