package evidence

import (
	"maps"
	"slices"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"github.com/agext/levenshtein"

	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/record/normalize"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// What stands in the source but for a few characters, as OCR engines write it,
// is looked for only where a value was found in no other way.

// nearly gives how many edits a value of so many characters may be away: one
// in eight, and none below four.
func nearly(length int) int {
	if length < 4 {
		return 0
	}
	return max(1, length/8)
}

// nearlyUnsure is nearly where the OCR engine was in doubt: one in four, and none
// below three.
func nearlyUnsure(length int) int {
	if length < 3 {
		return 0
	}
	return max(1, length/4)
}

// near finds the places of a value but for a few characters: first where letters
// stand for figures in what can be nothing but figures, however many.
func (w *weigher) near(own *schema.Field, v *value.Value, add func([]span, Kind, string)) {
	if fx := w.ix.inFigures(); fx != nil && (v.Kind != value.String || strings.ContainsFunc(v.Text, unicode.IsDigit)) {
		there := &weigher{ground: &ground{names: w.names, heads: w.heads}, ix: fx, plain: true}
		var found []span
		for _, c := range there.candidates(own, v, false) {
			found = append(found, c.span)
		}
		if add(found, Lookalike, ""); len(found) > 0 {
			return
		}
	}
	f := own.Kin()
	switch {
	case v.Kind == value.Number:
		add(w.ix.likeFigures()[value.CanonicalNumber(v.Text)], Lookalike, "")
	case v.Kind == value.Object:
		name, own := f.Measure()
		if figure, m := v.Get("amount"), v.Get(name); figure != nil && figure.Kind == value.Number && (m == nil || own == "" || m.Text == own) {
			add(w.ix.likeFigures()[value.CanonicalNumber(figure.Text)], Lookalike, "")
		}
	case v.Kind != value.String:
	case f.Type == schema.Date:
		for _, format := range f.DateFormats() {
			if spelled := format.Write(v.Text); spelled != "" {
				add(w.inOneLine(spelled, w.ix.nearText), Lookalike, "")
			}
		}
	case f.Type == schema.Text:
		add(w.ix.inflected(v.Text), Restated, "")
		add(w.ix.nearText(v.Text), Lookalike, "")
	}
}

// likes are the numbers of a source in which letters stand for figures, made when
// they are first asked for.
type likes struct {
	once    sync.Once
	numbers map[string][]span
	figured sync.Once
	plain   *Index // with figures in place of the letters; nil: no letter stands for one
}

// looksLikeFigure tells a figure, and the letters that are misread for 0 and 1.
func looksLikeFigure(c byte) bool {
	return '0' <= c && c <= '9' || c == 'O' || c == 'o' || c == 'l' || c == 'I'
}

// figured gives a text with figures for letters in what consists, within some stretches of it, of
// figures, of such letters and of the signs that stand in figures, dates and times, each at its
// place; "" where no letter stands for one.
func figured(text string, within []span) string {
	var out []byte
	for _, s := range within {
		for at := s.Start; at < s.End; at++ {
			if !looksLikeFigure(text[at]) {
				continue
			}
			end := at + 1
			for end < s.End && (looksLikeFigure(text[end]) || strings.IndexByte(".,:/-", text[end]) >= 0 && end+1 < s.End && looksLikeFigure(text[end+1])) {
				end++
			}
			said := text[at:end]
			before, _ := utf8.DecodeLastRuneInString(text[:at])
			after, _ := utf8.DecodeRuneInString(text[end:])
			if strings.ContainsAny(said, "0123456789") && strings.ContainsAny(said, "OolI") && (at == 0 || !reading.IsWordRune(before)) && !reading.IsWordRune(after) {
				if out == nil {
					out = []byte(text)
				}
				copy(out[at:], normalize.AsFigures(said))
			}
			at = end - 1
		}
	}
	return string(out)
}

// inFigures gives an index of the source with figures for the letters in what has
// at least one figure and else nothing but such letters: l.lO.2O33 is 1.10.2033.
// Places are the same. nil where the source has none.
func (ix *Index) inFigures() *Index {
	ix.likes.figured.Do(func() {
		out := figured(ix.Source, ix.Stretches)
		if out == "" {
			return
		}
		var stretches [][2]int
		for _, s := range ix.Stretches {
			stretches = append(stretches, [2]int{s.Start, s.End})
		}
		same := &reading.Text{Source: out, Breaks: ix.Breaks} // letters have the length of figures
		ix.likes.plain = &Index{Text: same.Within(stretches), Unsure: ix.Unsure}
	})
	return ix.likes.plain
}

// likeFigures gives the numbers that stand in the source with letters in place
// of figures: 1O.5 is 10.5.
func (ix *Index) likeFigures() map[string][]span {
	ix.likes.once.Do(func() {
		ix.likes.numbers = map[string][]span{}
		for _, s := range ix.Stretches {
			for at := s.Start; at < s.End; {
				end := at
				for end < s.End && !strings.ContainsRune(" \t\n|;:()", rune(ix.Source[end])) {
					end++
				}
				word := strings.TrimRight(ix.Source[at:end], ".,")
				if figures := normalize.Figures(word); figures != "" && len(word) < 24 && strings.Trim(strings.TrimLeft(figures, "+-"), "0123456789.,'") == "" {
					for _, reading := range reading.Figures(figures) {
						ix.likes.numbers[reading] = append(ix.likes.numbers[reading], between(at, at+len(word)))
					}
				}
				at = end + 1
			}
		}
	})
	return ix.likes.numbers
}

// nearText finds windows of as many words as a text has that are few edits
// away, one of the words the same or the whole not longer than two.
func (ix *Index) nearText(text string) []span {
	want := reading.Tokenize(text)
	sure := nearly(utf8.RuneCountInString(text))
	most := sure
	if ix.Unsure != nil {
		most = nearlyUnsure(utf8.RuneCountInString(text))
	}
	if len(want) == 0 || most == 0 || len(want) > 12 {
		return nil
	}
	starts := map[int]bool{}
	for i, t := range want {
		for _, at := range ix.ByWord[t.Word] {
			starts[at-i] = true
		}
	}
	if len(want) <= 2 {
		for i, t := range ix.Tokens {
			if len(t.Word)-len(want[0].Word) <= most && len(want[0].Word)-len(t.Word) <= most {
				starts[i] = true
			}
		}
	}
	if len(starts) > maxNear {
		return nil
	}
	folded := joinWords(want)
	var found []span
	for _, at := range slices.Sorted(maps.Keys(starts)) {
		if at < 0 || at+len(want) > len(ix.Tokens) {
			continue
		}
		window := ix.Tokens[at : at+len(want)]
		if !together(ix, window) && !sameGaps(ix, window, text, want) {
			continue
		}
		other := joinWords(window)
		if d := len(other) - len(folded); d > most || -d > most {
			continue
		}
		distance := levenshtein.Distance(other, folded, nil)
		if distance > sure && (distance > most || !ix.Unsure(window[0].Start, window[len(window)-1].End)) {
			continue
		}
		if figuresIn(window) == figuresIn(want) || normalize.AsFigures(other) == normalize.AsFigures(folded) {
			found = append(found, between(window[0].Start, window[len(window)-1].End))
		}
	}
	return found
}

// inflected finds a text whose words have other endings of a noun: Wasserwerks
// Talquell for Wasserwerk Talquell.
func (ix *Index) inflected(text string) (found []span) {
	want := reading.Tokenize(text)
	if len(want) == 0 || len(want) > 12 {
		return nil
	}
	for i, t := range want {
		for _, at := range ix.formsOf(t.Word) {
			first := at - i
			if first < 0 || first+len(want) > len(ix.Tokens) {
				continue
			}
			window, same := ix.Tokens[first:first+len(want)], true
			for k := range want {
				same = same && sameNoun(want[k].Word, window[k].Word)
			}
			if same && together(ix, window) {
				found = append(found, between(window[0].Start, window[len(window)-1].End))
			}
		}
		if len(found) > 0 {
			return found
		}
	}
	return found
}

// formsOf gives the tokens that are a word, or it with another ending of a noun.
func (ix *Index) formsOf(word string) []int {
	all := ix.ByWord[word]
	if len(word) < 4 || strings.ContainsFunc(word, unicode.IsDigit) {
		return all
	}
	all = slices.Clip(all)
	for _, end := range lang.Inflection.Words() {
		all = append(all, ix.ByWord[word+end]...)
		if stem, ok := strings.CutSuffix(word, end); ok && len(stem) >= 4 {
			all = append(all, ix.ByWord[stem]...)
		}
	}
	return all
}

// mostForms is how many other forms of a label are looked for in a document.
const mostForms = 4

// withEndings gives the forms in which a document has the words of a label with other endings, but for
// those that are known: Rinds washed, for rind washed.
func (ix *Index) withEndings(words []string, known [][]string) (forms [][]string) {
	for k, word := range words {
		for _, other := range ix.formsOf(word) {
			from := other - k
			if from < 0 || from+len(words) > len(ix.Tokens) || ix.Tokens[other].Word == word {
				continue
			}
			form := make([]string, len(words))
			same := true
			for i := range words {
				form[i] = ix.Tokens[from+i].Word
				same = same && sameNoun(words[i], form[i])
			}
			has := func(o []string) bool { return slices.Equal(o, form) }
			if !same || slices.ContainsFunc(known, has) || slices.ContainsFunc(forms, has) {
				continue
			}
			if forms = append(forms, form); len(forms) == mostForms {
				return forms
			}
		}
	}
	return forms
}

// sameNoun tells whether two words are one but for an ending.
func sameNoun(a, b string) bool {
	if len(a) > len(b) {
		a, b = b, a
	}
	rest, ok := strings.CutPrefix(b, a)
	return a == b || ok && len(a) >= 4 && lang.Inflection.Has(rest) && !strings.ContainsFunc(a, unicode.IsDigit)
}

// figuresIn gives the figures of some words, letters that look like them taken
// for them: a value with another figure is another value, however near.
func figuresIn(tokens []reading.Token) string {
	var b strings.Builder
	for _, t := range tokens {
		word := t.Word
		if figures := normalize.Figures(word); figures != "" {
			word = figures
		}
		for _, r := range word {
			if r >= '0' && r <= '9' {
				b.WriteRune(r)
			}
		}
	}
	return b.String()
}

// maxNear bounds how many windows are compared for one value.
const maxNear = 20000

func joinWords(tokens []reading.Token) string {
	words := make([]string, len(tokens))
	for i, t := range tokens {
		words[i] = t.Word
	}
	return strings.Join(words, " ")
}

func together(ix *Index, window []reading.Token) bool {
	for i := 1; i < len(window); i++ {
		if window[i].Start < window[i-1].End || !closeBy(ix.Source[window[i-1].End:window[i].Start]) {
			return false
		}
	}
	return true
}

// sameGaps tells whether words stand as far apart as those of a text: A. Penrow is no
// end of a sentence.
func sameGaps(ix *Index, window []reading.Token, text string, want []reading.Token) bool {
	for i := 1; i < len(window); i++ {
		if ix.Source[window[i-1].End:window[i].Start] != text[want[i-1].End:want[i].Start] {
			return false
		}
	}
	return true
}

// otherUnits finds an amount that the source states in another unit.
func (w *weigher) otherUnits(f *schema.Field, figure, own string, add func([]span, Kind, string)) {
	if f.Type != schema.Quantity {
		return
	}
	for _, unit := range reading.Kindred(own) {
		if !w.ix.Names(unit) {
			continue
		}
		var with []span
		open, other := w.open, w.other // are of the field's own unit
		var twofold []span
		for _, amount := range append(w.ix.RoundedTo(figure, own, unit), reading.Convert(figure, own, unit)) {
			if amount == "" {
				continue
			}
			w.open = nil
			for _, s := range w.figures(f, amount, unit) {
				if m := w.ix.MeasureOf(s); m.Has(unit) {
					with = append(with, w.ix.WithPart(m.Where))
				}
			}
			twofold = append(twofold, slices.DeleteFunc(w.open, func(s span) bool { return !w.ix.MeasureOf(s).Has(unit) })...)
		}
		w.open, w.other = append(slices.Clip(open), twofold...), other
		add(with, Restated, "")
	}
}

func isFigure(f *schema.Field) bool {
	switch f.Type {
	case schema.Integer, schema.Number, schema.Money, schema.Quantity, schema.Date, schema.Time:
		return true
	}
	return false
}

// Misread tells whether a source has a value with letters that were plainly
// misread: figures within its words that are letters in the value, or letters
// that the field's pattern does not let stand. Then the value is the one that is
// meant.
func Misread(f *schema.Field, v *value.Value, source string) bool {
	if v != nil && isFigure(f.Kin()) {
		figures := value.Str(figured(source, []span{between(0, len(source))}))
		if figures.Text == "" {
			figures.Text = normalize.Figures(source)
		}
		if figures.Text == "" {
			return false
		}
		if v.Text != "" && figures.Text == v.Text {
			return true
		}
		_, to, ok := normalize.ByType(f.Kin(), &figures)
		figure, own := &to, v
		if v.Kind == value.Object {
			figure, own = to.Get("amount"), v.Get("amount")
		}
		return ok && figure != nil && own != nil && figure.Kind == own.Kind && (figure.Text == own.Text || figure.Kind == value.Number && value.EqualNumbers(figure.Text, own.Text))
	}
	if v == nil || v.Kind != value.String || normalize.AsFigures(strings.ToLower(source)) != normalize.AsFigures(strings.ToLower(v.Text)) {
		return false
	}
	if f.Pattern != nil {
		return f.Pattern.MatchString(v.Text) && !f.Pattern.MatchString(source)
	}
	said, meant := reading.Tokenize(source), reading.Tokenize(v.Text)
	if len(said) != len(meant) {
		return false
	}
	for i := range said {
		if said[i].Word == meant[i].Word {
			continue
		}
		mixed := strings.ContainsFunc(said[i].Word, unicode.IsDigit) && strings.ContainsFunc(said[i].Word, unicode.IsLetter)
		if !mixed || strings.ContainsFunc(meant[i].Word, unicode.IsDigit) && strings.ContainsFunc(meant[i].Word, unicode.IsLetter) {
			return false
		}
	}
	return true
}
