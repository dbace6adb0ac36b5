package cli

import (
	"bytes"
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/docs"
	"filler/internal/base/value"
)

// call runs a command line as Main does, without a terminal.
func call(in string, args ...string) (code int, out, errOut string) {
	var o, e bytes.Buffer
	a := &app{args: append([]string{"filler"}, args...), in: strings.NewReader(in), out: &o, err: &e}
	code = a.run(context.Background(), args)
	return code, o.String(), e.String()
}

// demoProject writes the demo, runs it, and works in its folder.
func demoProject(t *testing.T) {
	t.Helper()
	t.Chdir(t.TempDir())
	code, _, errOut := call("", "demo")
	require.Zero(t, code, errOut)
	t.Chdir("filler-demo")
}

// all gives a command and those below it.
func all(cmd *cobra.Command) []*cobra.Command {
	list := []*cobra.Command{cmd}
	for _, sub := range cmd.Commands() {
		list = append(list, all(sub)...)
	}
	return list
}

func words(cmd *cobra.Command) []string { return strings.Fields(cmd.CommandPath())[1:] }

// With --json every command prints JSON and nothing else, one value a line, and
// what only looks prints the same again.
func TestMachineForms(t *testing.T) {
	demoProject(t)
	letter := "documents/forms/FB-2031-04.txt"
	for _, c := range []struct {
		args  string
		codes []int
		looks bool
	}{
		{"runs", []int{0}, true}, {"score", []int{0}, true}, {"score --slice month --confusion bays[].deck --places", []int{0}, true},
		{"score --history", []int{0}, true}, {"score --steps", []int{0}, true}, {"score --straight-through 0.9", []int{0}, true}, {"score --at-least 0.999", []int{5}, true},
		{"errors", []int{0}, true}, {"errors --no-documents --no-fixes", []int{0}, true}, {"compare 1 1", []int{0}, true}, {"compare 1 1 --no-gold", []int{0}, true},
		{"validate", []int{3}, true}, {"trace " + letter, []int{0}, true}, {"trace " + letter + " --full", []int{0}, true}, {"read " + letter, []int{0}, true},
		{"read " + letter + " --words", []int{0}, true}, {"prompt " + letter, []int{0}, true}, {"prompt " + letter + " --style by-group", []int{0}, true},
		{"schema check", []int{0}, true}, {"schema outline", []int{0}, true}, {"gold status", []int{0}, true}, {"gold check", []int{0, 3}, true},
		{"fill " + letter, []int{0, 3}, false}, {"fill --dry-run", []int{0}, false}, {"repair --no-model", []int{0, 3}, false}, {"repeat -n 2 " + letter, []int{0, 3}, false},
		{"vary --sample 2 --changes spacing,case", []int{0}, false}, {"probe", []int{0}, false},
	} {
		args := append(strings.Fields(c.args), "--json")
		code, out, errOut := call("", args...)
		require.Contains(t, c.codes, code, "%s\n%s", c.args, errOut)
		require.NotEmpty(t, out, c.args)
		require.NotContains(t, out+errOut, "\x1b", c.args)
		for n, line := range strings.Split(strings.TrimSuffix(out, "\n"), "\n") {
			v, err := value.Parse(line)
			require.NoError(t, err, "%s, line %d: %.200s", c.args, n+1, line)
			require.Contains(t, []value.Kind{value.Object, value.Array}, v.Kind, "%s, line %d: %.200s", c.args, n+1, line)
			require.False(t, v.Repeats(), "%s, line %d says something twice", c.args, n+1)
		}
		require.NotContains(t, errOut, `{"`, c.args)
		if c.looks {
			_, again, _ := call("", args...)
			require.Equal(t, out, again, c.args)
		}
	}
}

// Every command and flag tells what it is for, shortly, and refuses what it does
// not know with one line.
func TestEveryCommandTellsItsUse(t *testing.T) {
	t.Chdir(t.TempDir())
	root := (&app{}).root()
	for _, cmd := range all(root)[1:] {
		if cmd.Hidden || cmd.Name() == "completion" || cmd.HasParent() && cmd.Parent().Name() == "completion" {
			continue
		}
		name := cmd.CommandPath()
		assert.LessOrEqual(t, len(cmd.Short), 90, name)
		assert.NotRegexp(t, `\.$`, cmd.Short, name)
		assert.Regexp(t, `^[A-Z]`, cmd.Short, name)
		code, out, errOut := call("", append(words(cmd), "--help")...)
		assert.Equal(t, []any{0, ""}, []any{code, errOut}, name)
		assert.Contains(t, out, "Usage:", name)
		if cmd.HasSubCommands() {
			code, out, errOut := call("", append(words(cmd), "nosuch")...)
			assert.Equal(t, []any{2, "", 1}, []any{code, out, strings.Count(errOut, "\n")}, name)
			assert.Contains(t, errOut, `has no command "nosuch"`, name)
		}
		for _, line := range strings.Split(out, "\n") {
			assert.LessOrEqual(t, len([]rune(line)), 130, "%s: %s", name, line)
		}
		cmd.LocalNonPersistentFlags().VisitAll(func(f *pflag.Flag) {
			assert.NotEmpty(t, f.Usage, "%s --%s", name, f.Name)
			assert.NotRegexp(t, `^[A-Z][a-z]|\.$`, f.Usage, "%s --%s", name, f.Name)
			if f.Value.Type() == "int" || f.Value.Type() == "float64" || f.Value.Type() == "int64" {
				code, out, errOut := call("", append(words(cmd), "--"+f.Name, "many")...)
				assert.Equal(t, []any{2, "", 1}, []any{code, out, strings.Count(errOut, "\n")}, "%s --%s: %s", name, f.Name, errOut)
				assert.Contains(t, errOut, "many", "what was given is named")
			}
		})
		code, out, errOut = call("", append(words(cmd), "--no-such-thing")...)
		assert.Equal(t, []any{2, "", 1}, []any{code, out, strings.Count(errOut, "\n")}, "%s: %s", name, errOut)
	}
}

// Every command that users see is told in one group of the first page.
func TestGroups(t *testing.T) {
	var told, there []string
	for _, g := range groups {
		told = append(told, g.commands...)
	}
	for _, cmd := range (&app{}).root().Commands() {
		if !cmd.Hidden {
			there = append(there, cmd.Name())
		}
	}
	assert.ElementsMatch(t, there, told)
}

// topic is where a command says to read more; on the page it is a link.
var topic = regexp.MustCompile(`filler help (` + strings.Join(docs.Names, "|") + `)\b`)

// asMarkdown makes blocks of code of lines that are indented.
func asMarkdown(long string) string {
	lines := strings.Split(topic.ReplaceAllString(long, "[$1]($1.md)"), "\n")
	var all []string
	for i, line := range lines {
		if copied := strings.HasPrefix(line, "  "); copied {
			if i > 0 && lines[i-1] != "" && !strings.HasPrefix(lines[i-1], "  ") {
				all = append(all, "")
			}
			line = "  " + line
		} else if i > 0 && line != "" && strings.HasPrefix(lines[i-1], "  ") {
			all = append(all, "")
		}
		all = append(all, line)
	}
	return strings.Join(all, "\n")
}

// docs/commands.md is what the program says of itself. FILLER_WRITE_DOCS=1 has the
// test write it.
func TestCommandsAreDocumented(t *testing.T) {
	var b strings.Builder
	b.WriteString("# Commands\n\nEvery command with its flags, as `--help` tells them. Every command also takes `-C, --project DIR` (work in\nthis project) and `--job NAME` (the job to work at, where `filler.yaml` has several).\n\nExit codes are told in the [README](../README.md).\n")
	for _, cmd := range all((&app{}).root())[1:] {
		if cmd.Hidden {
			continue
		}
		about := cmd.Short + "."
		if cmd.Long != "" {
			about = cmd.Long
		}
		cmd.InitDefaultHelpFlag()
		fmt.Fprintf(&b, "\n## %s\n\n%s\n", cmd.CommandPath(), asMarkdown(strings.TrimSpace(about)))
		if cmd.Runnable() {
			fmt.Fprintf(&b, "\n    %s\n", cmd.UseLine())
		}
		var rows []string
		cmd.LocalNonPersistentFlags().VisitAll(func(f *pflag.Flag) {
			kind, usage := pflag.UnquoteUsage(f)
			name := "--" + f.Name
			if f.Shorthand != "" {
				name = "-" + f.Shorthand + ", " + name
			}
			if kind != "" {
				name += " " + kind
			}
			if f.Name != "help" && !f.Hidden {
				rows = append(rows, fmt.Sprintf("| `%s` | %s |\n", name, strings.ReplaceAll(usage, "|", "\\|")))
			}
		})
		if len(rows) > 0 {
			b.WriteString("\n| flag | |\n|---|---|\n" + strings.Join(rows, ""))
		}
	}
	const file = "../../docs/commands.md"
	if os.Getenv("FILLER_WRITE_DOCS") != "" {
		require.NoError(t, os.WriteFile(file, []byte(b.String()), 0o644))
	}
	was, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.True(t, string(was) == b.String(), "docs/commands.md is behind: FILLER_WRITE_DOCS=1 go test ./internal/cli -run TestCommandsAreDocumented")
}

// Whatever is broken of a project's files, commands end with a documented code and
// a line that says something, and the ledger is as it was.
func TestBrokenFiles(t *testing.T) {
	demoProject(t)
	kept, err := os.ReadFile(".filler/ledger.db")
	if err != nil {
		found, _ := filepath.Glob(".*/*.db")
		require.NotEmpty(t, found)
		t.Fatalf("the ledger is %v", found)
	}
	gold, err := filepath.Glob("gold/documents/*/*.json")
	require.NoError(t, err)
	require.NotEmpty(t, gold)
	r := rand.New(rand.NewPCG(7, 7))
	files := []string{"filler.yaml", "schemas/inspection.yaml", "metadata.csv", "notes.csv", "records.jsonl", gold[0]}
	lines := []string{"score", "fill --dry-run", "schema check", "validate --records records.jsonl", "score --records records.jsonl", "gold check", "errors --no-fixes", "runs"}
	failed := 0
	trials := 120
	if testing.Short() {
		trials = 40
	}
	for trial := range trials {
		file := files[trial%len(files)]
		was, err := os.ReadFile(file)
		require.NoError(t, err)
		now := bytes.Clone(was)
		at := r.IntN(len(now))
		how := []string{"cut", "letter", "byte", "twice", "gone"}[r.IntN(5)]
		switch how {
		case "cut":
			now = now[:at]
		case "letter":
			now[at] = "{}[]:,\"'\n\t -#x"[r.IntN(14)]
		case "byte":
			now[at] = byte(r.IntN(256))
		case "twice":
			now = append(now[:at:at], was[at/2:]...)
		case "gone":
			now = append(now[:at:at], now[min(len(now), at+1+r.IntN(40)):]...)
		}
		require.NoError(t, os.WriteFile(file, now, 0o644))
		args := lines[r.IntN(len(lines))]
		code, _, errOut := call("", strings.Fields(args)...)
		require.NoError(t, os.WriteFile(file, was, 0o644))
		about := fmt.Sprintf("%s with %s broken (%s at %d): %d\n%s", args, file, how, at, code, errOut)
		require.Contains(t, []int{0, 1, 3, 5}, code, about)
		require.NotContains(t, errOut, "goroutine", about)
		require.NotContains(t, errOut, "runtime error", about)
		if code == 1 {
			failed++
			require.NotEmpty(t, strings.TrimSpace(errOut), about)
			for _, line := range strings.Split(strings.TrimSpace(errOut), "\n") {
				require.LessOrEqual(t, len(line), 700, about)
			}
		}
	}
	assert.Greater(t, failed, trials/8)
	now, err := os.ReadFile(".filler/ledger.db")
	require.NoError(t, err)
	assert.True(t, bytes.Equal(kept, now), "looking changes nothing")
}
