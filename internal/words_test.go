package internal

import (
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// retired are words that the project does not speak any more, whatever they are
// part of, with what stands in their place.
var retired = map[string]string{
	`tid(?:y|ies|ied|ying|iers?)`:   "normalize, normalizer",
	`mend(?:s|ed|ing)?`:             "correct, fix, repair, lenient parsing",
	`cur(?:e|es|ed|able)`:           "suggested fix",
	`anew`:                          "again",
	`misses`:                        "errors",
	`flawed|flaws?`:                 "flagged",
	`by (?:two|several|many) hands`: "in parallel",
	`bears? out|bore out`:           "has evidence",
	`reckon(?:s|ed|ing)?`:           "compute",
	`house rules`:                   "instructions",
	`--(?:label|by|part|record|dry|in|cause|causes|no-cures|tidy-only)(?:[= ]|$)`: "a flag of docs/commands.md",
	`gold (?:take|settle|agree)`:  "gold draft, adjudicate, agreement",
	`cut-short|item-invented`:     "truncated, item-extra",
	`exact records|records exact`: "fully correct records",
	`proven`:                      "target met",
}

// retiredKeys are keys of our YAML, as they stand at the start of a line or in
// braces.
var retiredKeys = regexp.MustCompile("(?m)(?:^\\s*|[{,`]\\s*)(labels|least|most|tidy|parts|facts): ")

// TestPlainWords reads all code, stories and docs for words that were given up.
func TestPlainWords(t *testing.T) {
	type rule struct {
		find *regexp.Regexp
		say  string
	}
	var rules []rule
	for word, say := range retired {
		if !strings.HasPrefix(word, "--") {
			word = `\b(?:` + word + `)\b`
		}
		rules = append(rules, rule{regexp.MustCompile(`(?im)` + word), say})
	}
	read := 0
	look := func(path string) {
		if path == "cli/licences.txt" {
			return // others' words
		}
		data, err := os.ReadFile(path)
		require.NoError(t, err)
		read++
		text := strings.NewReplacer(`\n`, "\n", `\t`, "\t").Replace(string(data))
		for _, r := range rules {
			if at := r.find.FindStringIndex(text); at != nil {
				t.Errorf("%s: %q; say %s", path, around(text, at[0]), r.say)
			}
		}
		if strings.HasSuffix(path, ".go") {
			return
		}
		if at := retiredKeys.FindStringIndex(text); at != nil {
			t.Errorf("%s: a key that was given up: %q", path, around(text, at[0]))
		}
	}
	for _, root := range []string{".", "../cmd", "../docs", "../README.md", "../CONTRIBUTING.md", "../CHANGELOG.md", "../Makefile"} {
		err := filepath.WalkDir(root, func(path string, entry fs.DirEntry, err error) error {
			if err != nil || entry.IsDir() || strings.Contains(path, "testdata/fuzz") || filepath.Base(path) == "words_test.go" {
				return err
			}
			if strings.Contains(path, "demo/project/") && !strings.HasSuffix(path, ".yaml") {
				return nil // documents speak as they like
			}
			switch filepath.Ext(path) {
			case ".go", ".md", ".yaml", ".txtar", ".sql", ".txt", "":
				look(path)
			}
			return nil
		})
		require.NoError(t, err)
	}
	assert.Greater(t, read, 200)
}

func around(text string, at int) string {
	return strings.Join(strings.Fields(text[max(0, at-30):min(len(text), at+40)]), " ")
}
