// Package codes says what each code that the program prints means, with an example and what to do:
// problems, error types, kinds of evidence, exit codes and steps of a trace.
//
// Rules it keeps:
//
//   - Every code that there is has an entry, and every entry is of a code that there is; a test
//     holds both.
//   - docs/codes.md is where they are told, and is read from there.
package codes

import (
	"strings"

	"filler/docs"
)

// Entry says what a code means.
type Entry struct {
	Code, Kind string
	Means      string
	Example    string
	Do         string
}

// All gives all entries, in the order of the page. The kind is its heading: Problems, Error types…
func All() (all []Entry) {
	page, err := docs.Files.ReadFile("codes.md")
	if err != nil {
		panic(err) // it is part of the program
	}
	kind := ""
	for line := range strings.Lines(string(page)) {
		line = strings.TrimRight(line, "\n")
		switch {
		case strings.HasPrefix(line, "## "):
			kind = line[3:]
		case strings.HasPrefix(line, "### "):
			all = append(all, Entry{Code: line[4:], Kind: kind})
		case line == "" || kind == "":
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
