package cli

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/view/manual"
)

var (
	topicNamed = regexp.MustCompile(`filler help ([a-z]+(?:#[a-z-]+)?)(?:, "([^"]+)")?`)
	lineNamed  = regexp.MustCompile("filler(?: -C \\S+)?((?: [a-z]+)+)((?: [^`\\n#|]*)?)")
	flagNamed  = regexp.MustCompile(`(?:^|[ \[(])(--[a-z][a-z-]*|-[a-zA-Z])\b`)
)

// Where help names a topic and a heading, they are there.
func TestHelpNamesPages(t *testing.T) {
	topics, seen := manual.Topics(), 0
	for _, cmd := range all((&app{}).root()) {
		_, more, _ := strings.Cut(cmd.Long, "Read more:")
		for _, m := range topicNamed.FindAllStringSubmatch(more, -1) {
			seen++
			topic := m[1]
			if m[2] != "" {
				topic += "#" + manual.Anchor(m[2])
			}
			assert.Contains(t, topics, topic, cmd.CommandPath())
		}
	}
	assert.Greater(t, seen, 60)
}

// Help shows each page by its name, also where a command is called so.
func TestHelpShowsPages(t *testing.T) {
	for _, page := range manual.Pages() {
		var out, stderr bytes.Buffer
		a := &app{args: []string{"filler"}, in: strings.NewReader(""), out: &out, err: &stderr}
		code := a.run(context.Background(), []string{"help", page.Name})
		assert.Zero(t, code, stderr.String())
		title, _, _ := strings.Cut(out.String(), "\n\n")
		assert.Contains(t, strings.ReplaceAll(title, "\n", " "), page.Title, page.Name)
	}
}

// No command's help holds a byte that is no text, nor a flag whose name is broken over two columns.
func TestHelpIsText(t *testing.T) {
	for _, cmd := range all((&app{}).root()) {
		var out, stderr bytes.Buffer
		a := &app{args: []string{"filler"}, in: strings.NewReader(""), out: &out, err: &stderr}
		require.Zero(t, a.run(context.Background(), append(strings.Fields(cmd.CommandPath())[1:], "--help")), stderr.String())
		usage := out.String()
		assert.Equal(t, -1, strings.IndexFunc(usage, func(r rune) bool { return r < ' ' && r != '\n' }), cmd.CommandPath())
		for _, line := range strings.Split(usage, "\n") {
			if strings.HasPrefix(strings.TrimSpace(line), "-") {
				name, _, _ := strings.Cut(strings.TrimSpace(line), "   ")
				assert.Zero(t, strings.Count(name, `"`)%2, "%s: %s", cmd.CommandPath(), line)
			}
		}
	}
}

// Whatever command line a page or a help text shows has a command and flags that
// the program knows.
func TestPagesNameCommands(t *testing.T) {
	texts := map[string]string{}
	pages, err := filepath.Glob("../../docs/*.md")
	require.NoError(t, err)
	for _, page := range append(pages, "../../README.md") {
		data, err := os.ReadFile(page)
		require.NoError(t, err)
		texts[page] = string(data)
	}
	for _, cmd := range all((&app{}).root()) {
		texts[cmd.CommandPath()+" --help"] = cmd.Long
	}
	root := (&app{}).root()
	seen := 0
	for where, text := range texts {
		text = strings.ReplaceAll(text, "\\\n", " ")
		for _, m := range lineNamed.FindAllStringSubmatch(text, -1) {
			cmd, rest, err := root.Find(strings.Fields(m[1]))
			if err != nil || cmd == root {
				continue // prose about the program
			}
			seen++
			if cmd.HasSubCommands() && len(rest) > 0 && isWord(rest[0]) {
				t.Errorf("%s: %q: there is no such command", where, strings.TrimSpace(m[0]))
			}
			for _, f := range flagNamed.FindAllStringSubmatch(" "+m[2], -1) {
				if !knows(cmd, f[1]) {
					t.Errorf("%s: %q: %s has no flag %s", where, strings.TrimSpace(m[0]), cmd.CommandPath(), f[1])
				}
			}
		}
	}
	assert.Greater(t, seen, 60)
}

func isWord(s string) bool { return regexp.MustCompile(`^[a-z]+$`).MatchString(s) }

func knows(cmd *cobra.Command, flag string) bool {
	if flag == "--help" || flag == "-h" {
		return true
	}
	find := func(set *pflag.FlagSet) bool {
		if name, long := strings.CutPrefix(flag, "--"); long {
			return set.Lookup(name) != nil
		}
		return set.ShorthandLookup(flag[1:]) != nil
	}
	return find(cmd.Flags()) || find(cmd.InheritedFlags()) || find(cmd.Root().PersistentFlags())
}

// What a flag takes is named by its kind, in capitals, never by one of its values.
func TestFlagsNameKinds(t *testing.T) {
	kind := regexp.MustCompile(`^(?:|int|float|[A-Z]+(?:\[?=[A-Z,]+\]?)?)$`)
	usages := map[string]string{}
	for _, cmd := range all((&app{}).root()) {
		cmd.LocalFlags().VisitAll(func(f *pflag.Flag) {
			name, _ := pflag.UnquoteUsage(f)
			assert.Regexp(t, kind, name, "%s --%s", cmd.CommandPath(), f.Name)
			for _, shared := range []string{"schema", "model", "gold", "records", "split", "reviewer"} {
				if f.Name == shared && cmd.Name() != "adjudicate" && cmd.Name() != "draft" {
					if was := usages[shared]; was != "" {
						assert.Equal(t, was, f.Usage, "%s --%s", cmd.CommandPath(), f.Name)
					}
					usages[shared] = f.Usage
				}
			}
		})
	}
}
