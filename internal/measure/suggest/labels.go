package suggest

import (
	"regexp"
	"slices"
	"strings"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/schema"
)

// label finds what is printed before a value: up to five words before a colon or the like, at
// the beginning of the line or of a sentence, or behind a comma, semicolon or bar.
var label = lazy.New(`(?:^|[,;|\t•*-]|[.!?)]\s)\s*((?:\p{L}[\p{L}\p{N}./'’&#°º№-]*\s?){1,5})\s*(?:[:=|\t]|\.{3,}|\s{2,})\s*$`)

func labelBefore(line string) string {
	m := label.FindStringSubmatch(line)
	if m == nil {
		return ""
	}
	word := strings.TrimSpace(m[1])
	if at := sentence.FindStringIndex(word); at != nil {
		word = word[at[1]-1:]
	}
	return word
}

// sentence finds where a sentence of two words or more ends and another begins; one word before
// a stop is an abbreviation.
var sentence = lazy.New(`^\S+ .*\. \p{Lu}`)

// known tells whether a label is printed_as already, or the field's own name.
func known(f *schema.Field, word string) bool {
	same := func(a string) bool {
		return strings.EqualFold(strings.TrimRight(a, ".:"), strings.TrimRight(word, ".:"))
	}
	return same(schema.Spoken(f.Name)) || slices.ContainsFunc(lang.Plain(word), func(plain string) bool {
		return strings.EqualFold(strings.TrimRight(plain, ".:"), schema.Spoken(f.Name))
	}) || slices.ContainsFunc(f.PrintedAs, same)
}

// lead finds words that a line begins with, right before a value and without a colon, as in
// "Stood at 436 Hz".
var lead = lazy.New(`^\s*(\p{L}{2,}(?: \p{L}{2,}){0,2}) $`)

// mostLed is on how many documents the same words have to lead to be a label: any line begins
// with some.
const mostLed = 3

// labels suggests words that stand before gold's values where the field is in error.
func (c *Collector) labels(f *schema.Field) (out []Suggestion) {
	found, spelt := map[string]*Suggestion{}, map[string]map[string]int{}
	erring, leads := map[string]bool{}, map[string]bool{}
	for _, w := range c.spellings(f) {
		word, leading := labelBefore(w.line[:w.from]), false
		if m := lead.FindStringSubmatch(w.line[:w.from]); word == "" && m != nil {
			word, leading = m[1], true
		}
		if word == "" || known(f, word) || inRow(w.line) && !strings.ContainsAny(w.line[:w.from], ":=") || c.isValue(w, word) {
			continue
		}
		key := strings.ToLower(word)
		if found[key] == nil {
			found[key], spelt[key], leads[key] = &Suggestion{}, map[string]int{}, true
		}
		spelt[key][word]++
		leads[key] = leads[key] && leading
		found[key].For = append(found[key].For, w.where)
		erring[key] = erring[key] || w.inError
	}
	for _, key := range sortedKeys(found) {
		s := found[key]
		if !erring[key] || leads[key] && documentsIn(s.For) < mostLed { // what is right without it needs no label
			continue
		}
		s.Edit = write(f, longer(f.PrintedAs, mostOf(spelt[key])), "printed_as").Edit
		s.Against = c.elsewhere(f, key, leads[key])
		order(s.For)
		out = append(out, *s)
	}
	return out
}

// cell finds what parts the cells of a row.
var cell = lazy.New(`\s*\|\s*|\t|\s{2,}`)

// inRow tells a row of three cells or more: what stands before one of them is another's value.
func inRow(line string) bool {
	cells := 0
	for _, c := range cell.Split(strings.TrimSpace(line), -1) {
		if c != "" {
			cells++
		}
	}
	return cells > 2
}

// isValue tells whether the words before a value are gold's value of another field.
func (c *Collector) isValue(w spelt, word string) bool {
	at := w.start + strings.LastIndex(w.line[:w.from], word)
	for p, place := range w.at.gold {
		if p != w.path && place.Found() && place.Start < at+len(word) && at < place.End {
			return true
		}
	}
	return false
}

// mostOf gives the most frequent of texts; of equals the first.
func mostOf(times map[string]int) (most string) {
	for _, text := range sortedKeys(times) {
		if most == "" || times[text] > times[most] {
			most = text
		}
	}
	return most
}

// elsewhere finds lines on which a label stands before something that is not the field's.
func (c *Collector) elsewhere(f *schema.Field, word string, leading bool) (out []Where) {
	at := regexp.MustCompile(`(?i)(?:^|[\s,;|])` + regexp.QuoteMeta(word) + `\s*[:=|\t]\s*\S`)
	if leading {
		at = regexp.MustCompile(`(?i)^\s*` + regexp.QuoteMeta(word) + ` \S`)
	}
	own := map[*gathered]map[int]bool{}
	for _, w := range c.spellings(f) {
		if own[w.at] == nil {
			own[w.at] = map[int]bool{}
		}
		own[w.at][w.where.Line] = true
	}
	for i := range c.cases {
		g := &c.cases[i]
		if g.Doc == nil {
			continue
		}
		for n, line := range strings.Split(g.Doc.Text, "\n") {
			if !own[g][n+1] && at.MatchString(line) {
				out = append(out, Where{g.Gold.Document, n + 1, strings.TrimSpace(line)})
			}
		}
	}
	return out
}
