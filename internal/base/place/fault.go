// Package place reads YAML files so that every fault in them can be shown
// where it stands.
//
// Rules it keeps:
//
//   - A fault says the file, the line, the column, what is wrong and what to
//     do, in one line.
//   - All faults of a file are gathered, not only the first.
//   - YAML that surprises people is a fault here and not a surprise later:
//     repeated keys, aliases, tags, a second document, a value that a `#` cut
//     short. Files over MaxBytes are refused unread, and nesting is bounded
//     before the parser sees it.
//   - Scalars are handed on as they are written. Whether `no` is text or a
//     boolean is for the caller to say, who knows what should stand there.
package place

import (
	"fmt"
	"slices"
	"sort"
	"strings"

	"github.com/agext/levenshtein"
)

// Fault is one thing wrong at one place of a file.
type Fault struct {
	File string `json:"file"`
	Line int    `json:"line,omitempty"`   // from 1; 0 where the whole file is meant
	Col  int    `json:"column,omitempty"` // from 1, in characters
	Path string `json:"path,omitempty"`   // the keys that lead there
	Msg  string `json:"message"`          // what is wrong
	Hint string `json:"hint,omitempty"`   // what to do
	// Excerpt is the line that the fault stands in, where it is known.
	Excerpt string `json:"-"`
}

func (f Fault) Error() string {
	var b strings.Builder
	b.WriteString(f.File)
	if f.Line > 0 {
		fmt.Fprintf(&b, ":%d:%d", f.Line, f.Col)
	}
	b.WriteString(": ")
	if f.Path != "" {
		b.WriteString(f.Path + ": ")
	}
	b.WriteString(f.Msg)
	if f.Hint != "" {
		b.WriteString("; " + f.Hint)
	}
	return b.String()
}

// Faults are the faults of one file, in its order.
type Faults []Fault

func (fs Faults) Error() string {
	lines := make([]string, len(fs))
	for i, f := range fs {
		lines[i] = f.Error()
	}
	return strings.Join(lines, "\n")
}

// Err gives the faults as an error, in order of place, or nil if there is none.
func (fs Faults) Err() error {
	if len(fs) == 0 {
		return nil
	}
	sort.SliceStable(fs, func(i, j int) bool {
		if fs[i].Line != fs[j].Line {
			return fs[i].Line < fs[j].Line
		}
		return fs[i].Col < fs[j].Col
	})
	return fs
}

// Unique leaves out faults that say the same of the same place.
func (fs Faults) Unique() Faults {
	seen := map[Fault]bool{}
	var kept Faults
	for _, f := range fs {
		id := f
		id.Path = ""
		if !seen[id] {
			seen[id] = true
			kept = append(kept, f)
		}
	}
	return kept
}

// Nearest gives the known word that a misspelt one most likely means, or "".
func Nearest(word string, known []string) string {
	best, bestScore := "", 0.0
	for _, k := range known {
		score := levenshtein.Match(strings.ToLower(word), strings.ToLower(k), nil)
		if letters(word) == letters(k) {
			score = max(score, 0.9) // letters only out of order: txet
		}
		if score > bestScore {
			best, bestScore = k, score
		}
	}
	if bestScore < 0.6 {
		return ""
	}
	return best
}

func letters(word string) string {
	runes := []rune(strings.ToLower(word))
	slices.Sort(runes)
	return string(runes)
}

// Suggest is the hint for an unknown word: the nearest known one, or all.
func Suggest(word string, known []string) string {
	if near := Nearest(word, known); near != "" {
		return fmt.Sprintf("did you mean %q?", near)
	}
	return "known here: " + strings.Join(known, ", ")
}
