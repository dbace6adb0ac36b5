// Package codes says what each code that the program prints means, with an example and what to do:
// problems, error types, kinds of evidence, exit codes and steps of a trace.
//
// Rules it keeps:
//
//   - Every code that there is has an entry, and every entry is of a code that there is; a test
//     holds both.
//   - docs/codes.md is the same text.
package codes

import (
	_ "embed" // the text
	"strings"
)

// Text is all entries, as a page.
//
//go:embed codes.md
var Text string

// Entry says what a code means.
type Entry struct {
	Code, Kind string
	Means      string
	Example    string
	Do         string
}

// step ends the headings of steps whose names other codes have.
const step = "-step"

// All gives all entries, in the order of the page. The kind is its heading: Problems, Error types…
func All() (all []Entry) {
	kind := ""
	for line := range strings.Lines(Text) {
		line = strings.TrimRight(line, "\n")
		switch {
		case strings.HasPrefix(line, "# "):
			kind = line[2:]
		case strings.HasPrefix(line, "## "):
			all = append(all, Entry{Code: strings.TrimSuffix(line[3:], step), Kind: kind})
		case line == "":
		case strings.HasPrefix(line, "> "):
			all[len(all)-1].Example = line[2:]
		case all[len(all)-1].Means == "":
			all[len(all)-1].Means = line
		default:
			all[len(all)-1].Do = strings.TrimSpace(all[len(all)-1].Do + " " + line)
		}
	}
	return all
}

// Of gives the entries of a code: some are both a problem and a step of a trace.
func Of(code string) (found []Entry) {
	for _, e := range All() {
		if e.Code == strings.ToLower(code) {
			found = append(found, e)
		}
	}
	return found
}

// Names gives each code once.
func Names() (names []string) {
	seen := map[string]bool{}
	for _, e := range All() {
		if !seen[e.Code] {
			seen[e.Code] = true
			names = append(names, e.Code)
		}
	}
	return names
}
