package evidence

import (
	"sort"
	"strings"
	"unicode/utf8"

	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// What contests a choice or a boolean that stands nowhere, so that the model concluded it: the
// words for one other option stand in the lines of its item, or the document denies what is
// said to be true. A model may still be right: a letter with a question may be a complaint.

// contesting gives the lines that contest a value of the record; none for one whose field
// says that it is concluded.
func (l *leaving) contesting(f *schema.Field, p value.Pointer, v *value.Value) (lines []Line) {
	if l.places[p].Found() || f.Concludes {
		return nil
	}
	var found []leftover
	switch f.Type {
	case schema.Choice:
		found = l.otherOption(f, p, v.Text)
	case schema.Boolean:
		if v.Kind == value.Bool && v.Text == "true" {
			found = l.deniedIn(f, p)
		}
	}
	if len(found) > mostLeft {
		return nil
	}
	for _, left := range found {
		if !l.isOfOther(f, left) {
			lines = append(lines, l.line(left, f.Path, p))
		}
	}
	return lines
}

// otherOption gives where the words for an option stand that was not chosen; nothing where
// those of several do.
func (l *leaving) otherOption(f *schema.Field, p value.Pointer, chosen string) (found []leftover) {
	other := ""
	for _, region := range l.regions(l.itemOf(p)) {
		for _, left := range l.choices(f, region) {
			if left.option == chosen || other != "" && left.option != other {
				return nil
			}
			other = left.option
			found = append(found, left)
		}
	}
	return found
}

// deniedIn gives where the name of a boolean is denied in the lines of its item.
func (l *leaving) deniedIn(f *schema.Field, p value.Pointer) (found []leftover) {
	for _, region := range l.regions(l.itemOf(p)) {
		places, all := l.w.deniedNames(f, region)
		if !all {
			return nil
		}
		for _, s := range places {
			if l.isFree(s) {
				found = append(found, leftover{span: s})
			}
		}
	}
	return found
}

// wordsIn gives where words, in small letters, stand in a stretch.
func (ix *Index) wordsIn(words []string, within span) (found []span) {
	all := ix.ByWord[words[0]]
	from := sort.Search(len(all), func(k int) bool { return ix.Tokens[all[k]].Start >= within.Start })
	for _, i := range all[from:] {
		if ix.Tokens[i].Start >= within.End {
			break
		}
		if last := i + len(words) - 1; last < len(ix.Tokens) && ix.Reads(i, words) {
			found = append(found, between(ix.Tokens[i].Start, ix.Tokens[last].End))
		}
	}
	return found
}

// shortestName is how many letters the name of a boolean has at least to be looked for in
// prose.
const shortestName = 3

// deniedNames gives where the document denies what a boolean is called, in a stretch of it, and
// whether it says the name nowhere there without a denial.
func (w *weigher) deniedNames(f *schema.Field, within span) (found []span, all bool) {
	for _, words := range w.labels(f) {
		if utf8.RuneCountInString(strings.Join(words, "")) < shortestName {
			continue
		}
		for _, s := range w.ix.wordsIn(words, within) {
			if w.ix.Denial(s) != reading.Denied {
				return nil, false
			}
			found = append(found, s)
		}
	}
	return found, true
}
