package evidence

import (
	"slices"
	"sort"
	"strings"

	"filler/internal/base/lang"
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
	if f.Kin().Type == schema.Date {
		return l.newerDay(f, p, v)
	}
	if l.places[p].Found() || f.Concludes || f.Type != schema.Choice && v.Kind != value.Bool {
		return nil
	}
	var found []leftover
	says := ""
	switch {
	case f.Type == schema.Choice:
		if found = l.otherOption(f, p, v.Text); len(found) > 0 {
			says = found[0].option
		}
	case v.Text == "true":
		if found, says = l.deniedIn(f, p), "false"; len(found) == 0 {
			found = l.unnamedBesideNamed(f, p)
		}
	default:
		found, says = l.saidIn(f, p), "true"
	}
	if len(found) == 0 {
		found, says = l.unlikeOthers(f, p, v)
	}
	if len(found) > mostLeft {
		return nil
	}
	for _, left := range found {
		if !l.isOfOther(f, left) {
			line := l.line(left, f.Path, p)
			line.Says = says
			lines = append(lines, line)
		}
	}
	return lines
}

// newerDay gives the line of a mail that says another day by a weekday or the like, where a value stands
// in what the mail quotes, and nowhere above.
func (l *leaving) newerDay(f *schema.Field, p value.Pointer, v *value.Value) (lines []Line) {
	w, at := l.w, l.places[p]
	if !at.Found() || v.Kind != value.String || w.depth(at.Start) == 0 || saysFormer(f) {
		return nil
	}
	other := ""
	for _, day := range w.ix.RelativeDays() {
		if w.ix.Denial(day.Span) == reading.Denied {
			continue
		}
		if day.Day == v.Text && w.depth(day.Start) < w.depth(at.Start) || other != "" && other != day.Day {
			return nil
		}
		if day.Day != v.Text && w.depth(day.Start) < w.depth(at.Start) && l.isFree(day.Span) && f.IsDate(day.Day) {
			line := l.line(leftover{span: day.Span, form: aDay}, f.Path, p)
			line.Says = day.Day
			lines, other = append(lines, line), day.Day
		}
	}
	return lines[:min(1, len(lines))]
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

// saidIn gives where the name of a boolean stands in the lines of its item, said and not asked: (twin).
func (l *leaving) saidIn(f *schema.Field, p value.Pointer) (found []leftover) {
	ix := l.w.ix
	for _, region := range l.regions(l.itemOf(p)) {
		for _, m := range l.w.mentions(f, region) {
			if behind := strings.TrimLeft(ix.Source[m.End:], " ()[]"); behind != "" && strings.ContainsAny(behind[:1], ":?=") || l.w.labelsOther(f, m.span) || ix.NotYet(m.span) {
				continue
			}
			if m.denial != reading.Said {
				return nil
			}
			if l.isFree(m.span) {
				found = append(found, leftover{span: m.span})
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
	for _, m := range w.mentions(f, within) {
		if m.denial != reading.Denied {
			return nil, false
		}
		found = append(found, m.span)
	}
	for _, words := range w.labels(f) {
		if len(words) < 2 {
			continue
		}
		for _, not := range lang.Not.Words() { // repair kit not included
			found = append(found, w.ix.wordsIn(slices.Insert(slices.Clone(words), len(words)-1, not), within)...)
		}
	}
	return found, true
}
