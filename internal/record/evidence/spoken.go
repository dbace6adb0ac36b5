package evidence

import (
	"slices"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/record/normalize"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// nought gives the words that say nothing was counted, behind a label of the
// field, and of a field that is a change those that say there was none.
func (w *weigher) nought(f *schema.Field) (found []span) {
	if f.Type == schema.Quantity || f.Type == schema.Money || f.Type == schema.Number {
		found = append(found, w.noneOf(f)...)
		for _, word := range lang.Nought.Words() {
			for _, s := range w.ix.find(word) {
				if w.ix.IsCell(s) || w.ledBy(f, s) || w.ix.EndsLabelled(s) {
					found = append(found, s)
				}
			}
		}
	}
	if f.Type == schema.Integer {
		for _, word := range lang.Nought.Words() {
			for _, s := range w.ix.find(word) {
				if w.led(f, s) || w.ix.IsCell(s) || w.ix.BeforeNoun(s) || w.saidOf(f, s) {
					found = append(found, s)
				}
			}
		}
	}
	if f.Type == schema.Integer || f.Type == schema.Number {
		for _, s := range w.ix.find("ø") { // before a figure it is a diameter
			if w.ix.IsCell(s) || w.ix.EndsLabelled(s) {
				found = append(found, s)
			}
		}
	}
	if len(f.Minus)+len(f.Plus) > 0 && f.Type != schema.Money {
		for _, word := range lang.Unchanged.Words() {
			found = append(found, w.ix.find(word)...)
		}
	}
	return found
}

// saidOf tells whether a word for none stands before a word of a field's name or description: nobody
// was hurt, no paying guests. Only words that say nothing by themselves may stand between.
func (w *weigher) saidOf(f *schema.Field, s span) bool {
	var own []string
	for _, name := range append(w.labels(f), wordsOf(f.About)) {
		own = append(own, name...)
	}
	for i, end := w.ix.TokenAt(s.End), s.End; i < len(w.ix.Tokens) && i < w.ix.TokenAt(s.End)+4; i++ {
		t := w.ix.Tokens[i]
		switch {
		case reading.EndsClause(w.ix.Source[end:max(end, t.Start)]):
			return false
		case slices.ContainsFunc(own, func(word string) bool { return isFormOf(t.Word, word) }):
			return true
		case !lang.Is.Has(t.Word) && !lang.Frequent.Has(t.Word) && !lang.Filler.Has(t.Word) && !lang.Article.Has(t.Word):
			return false
		}
		end = t.End
	}
	return false
}

// isFormOf tells whether two words that say something are forms of one: verletzt, Verletzte.
func isFormOf(a, b string) bool {
	if lang.Frequent.Has(a) || lang.Number.Has(a) || min(len(a), len(b)) < shortestOfMany {
		return false
	}
	if n := len(a) - 1; len(a) == len(b) && n >= shortestOfMany && a[:n] == b[:n] && strings.IndexByte("aeio", a[n]) >= 0 && strings.IndexByte("aeio", b[n]) >= 0 { // astenuto, astenuti
		return true
	}
	return lang.Singular(a) == lang.Singular(b) || len(a) > 5 && len(b) > 5 && (strings.HasPrefix(a, b) || strings.HasPrefix(b, a)) && max(len(a)-len(b), len(b)-len(a)) < 3
}

// noneOf gives the words that say that there is none of a field, by its own name or
// label: no discount, ohne Anzahlung.
func (w *weigher) noneOf(f *schema.Field) (found []span) {
	for _, word := range lang.Nought.Words() {
		for _, s := range w.ix.find(word) {
			for _, label := range w.labels(f) {
				if first := w.ix.TokenAt(s.End); w.ix.Reads(first, label) && w.ix.Source[s.End:w.ix.Tokens[first].Start] == " " {
					found = append(found, between(s.Start, w.ix.Tokens[first+len(label)-1].End))
				}
			}
		}
	}
	return found
}

// free gives the words that say that something costs nothing.
func (w *weigher) free() (found []span) {
	for _, word := range lang.Free.Words() {
		found = append(found, w.ix.find(word)...)
	}
	return found
}

// partDates finds dates that go no further than the month or the year.
func (w *weigher) partDates(text string, add func([]span, Kind, string)) {
	if _, err := time.Parse("2006-01", text); err == nil {
		add(w.ix.Months(text), Restated, "")
	}
}

func (w *weigher) synonyms(f *schema.Field, chosen string, add func([]span, Kind, string)) {
	for _, o := range f.Of {
		if o.Value != chosen {
			continue
		}
		found := w.ix.find(schema.Spoken(o.Value))
		add(found, Restated, "")
		for _, also := range o.Also {
			if f.List != nil && len(f.List.Meant(also)) > 1 {
				continue // it means others as well
			}
			more := w.ix.find(also)
			found = append(found, more...)
			add(more, Restated, "")
		}
		if len(found) == 0 && f.List == nil {
			add(w.manyOf(f, o), Restated, "")
			add(w.halfDay(f, o), Restated, "")
		}
	}
}

// halfDay finds an option that names a half of the day by its short sign: am, for morning, where no other option names
// that half.
func (w *weigher) halfDay(f *schema.Field, o schema.Option) (found []span) {
	half := lang.DayHalf.Meaning(schema.Spoken(o.Value))
	if half == "" || slices.ContainsFunc(f.Of, func(other schema.Option) bool {
		return other.Value != o.Value && lang.DayHalf.Meaning(schema.Spoken(other.Value)) == half
	}) {
		return nil
	}
	return w.ix.find(half)
}

// shortestOfMany is how many letters a word has at least whose plural is looked for.
const shortestOfMany = 4

// manyOf finds an option by a plural of its word: radiators, Planken; none that is another
// option, or one of its words.
func (w *weigher) manyOf(f *schema.Field, o schema.Option) (found []span) {
	for _, name := range append([]string{schema.Spoken(o.Value)}, o.Also...) {
		if utf8.RuneCountInString(name) < shortestOfMany || strings.ContainsFunc(name, func(r rune) bool { return !unicode.IsLetter(r) }) {
			continue
		}
		for _, end := range lang.Inflection.Words() {
			other := name + end
			if !slices.ContainsFunc(f.Of, func(o schema.Option) bool {
				return strings.EqualFold(o.Value, other) || slices.ContainsFunc(o.Also, func(also string) bool { return strings.EqualFold(also, other) })
			}) {
				found = append(found, w.ix.find(other)...)
			}
		}
	}
	return found
}

// yesNo finds the words for true or false behind a label of the field, and those
// that it declares wherever they stand.
func (w *weigher) yesNo(f *schema.Field, want bool) []span { return w.yesOrNo(f, want, false) }

// yesOrNo is yesNo; where surely is set, only of what is said in so many words: behind a
// label with a colon, and with no word near that may deny it.
func (w *weigher) yesOrNo(f *schema.Field, want, surely bool) []span {
	led := w.led
	if surely {
		led = w.ledBy
	}
	var found, other []span
	for says, words := range map[bool][]string{true: f.Yes, false: f.No} {
		for _, word := range words {
			for _, s := range w.ix.find(word) {
				if strings.HasPrefix(strings.TrimLeft(w.ix.Source[s.End:], " "), ":") { // a label: Castrated: no
					continue
				}
				switch denial := w.ix.Denial(s); {
				case denial == reading.Unsure && surely:
				case denial == reading.Unsure, (says == (denial == reading.Said)) == want:
					found = append(found, s)
				default:
					other = append(other, s)
				}
			}
		}
	}
	for _, t := range w.ix.Tokens {
		b, known := normalize.YesNo(t.Word)
		if t.Word == "0" || t.Word == "1" { // alarm=0
			b, known = t.Word == "1", w.isAssigned(t.Span)
		}
		if known && b == want && (led(f, t.Span) || w.behindKin(f, t.Span)) && !w.isOfOther(f, t.Span) && (t.Start == 0 || w.ix.Source[t.Start-1] != '=' || w.ledBy(f, t.Span)) {
			found = append(found, t.Span)
		}
	}
	return slices.DeleteFunc(found, func(s span) bool { // the fit of not fit
		return slices.ContainsFunc(other, func(o span) bool { return o.Start <= s.Start && s.End <= o.End && o != s })
	})
}

// isAssigned tells a place that is all that stands behind an equals sign: alarm=0, but neither alarm=0.5 nor
// a = 0 + b.
func (w *weigher) isAssigned(s span) bool {
	rest := w.ix.Source[s.End:]
	return s.Start > 0 && w.ix.Source[s.Start-1] == '=' && (rest == "" || strings.IndexByte(" \n\t;,|&", rest[0]) >= 0)
}

// assignedTo gives the one word before the equals sign at the end of a text: 04:00 room=.
func assignedTo(text string) (name string, is bool) {
	name, is = strings.CutSuffix(text, "=")
	return name[strings.LastIndexAny(name, " \t;,&")+1:], is
}

// otherOptions gives where the words for another option than the chosen one stand behind a
// label of the field.
func (w *weigher) otherOptions(own *schema.Field, chosen string) (found []span) {
	f := own.Kin()
	if f.List != nil {
		return nil
	}
	for _, o := range f.Of {
		if o.Value == chosen {
			continue
		}
		w.synonyms(f, o.Value, func(spans []span, _ Kind, _ string) {
			for _, s := range append(spans, w.ix.find(o.Value)...) {
				if w.ledBy(own, s) && w.ix.Denial(s) == reading.Said {
					found = append(found, s)
				}
			}
		})
	}
	return found
}

// ledBy tells whether a label of the field with a colon stands right before a place: all
// that is said there is the value.
func (w *weigher) ledBy(f *schema.Field, s span) bool {
	line := w.ix.LineSpan(w.ix.LineOf(s.Start))
	before := strings.TrimRight(w.ix.Source[min(line.Start, s.Start):s.Start], " \t")
	label, ok := strings.CutSuffix(before, ":")
	if name, is := assignedTo(before); is {
		label, ok = name, true
	}
	if !ok {
		p, is := w.pairOf(s)
		return is && p.f == f
	}
	label = strings.TrimRight(label, " \t")
	for _, sign := range []string{"  ", "\t", "|", ":"} { // what stands apart has a label of its own
		label = label[strings.LastIndex(label, sign)+1:]
	}
	if !strings.ContainsFunc(label, unicode.IsLetter) {
		return w.led(f, s)
	}
	words := wordsOf(label)
	return slices.ContainsFunc(w.labels(f), func(name []string) bool {
		return placeOf(name, words, func(a, b string) bool { return a == b }) >= 0
	})
}
