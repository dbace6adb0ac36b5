package evidence

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// Values that stand in each other's fields: due and issued, net and gross. What a document prints
// before a value speaks of the one field or of the other, where it has a word of its name.

// behindOtherLabels takes their places from values whose label speaks of another field of their
// group and not of their own, while what that field has does not stand behind a label of its.
func (w *weigher) behindOtherLabels() {
	groups := map[value.Pointer][]*leaf{} // of a list of plain items one
	for _, l := range w.leaves {
		group := groups[l.path.Parent()]
		if !slices.ContainsFunc(group, func(other *leaf) bool { return other.f == l.f }) {
			groups[l.path.Parent()] = append(group, l)
		}
	}
	taken := map[*leaf]string{}
	for _, l := range w.leaves {
		if at := w.places[l.path]; l.fixed == nil && at.Found() && !at.Led && !at.Basis && at.Rivals == 0 {
			if label := w.othersLabel(l, groups[l.path.Parent()]); label != "" {
				taken[l] = label
			}
		}
	}
	for l, label := range taken {
		w.places[l.path] = Place{Kind: l.lacking, Under: label}
	}
}

// othersLabel gives the label of a value, where it is that of another field with a value; "" else.
func (w *weigher) othersLabel(l *leaf, group []*leaf) string {
	label := w.labelBefore(l)
	at := w.places[l.path]
	if t := l.f.Kin().Type; label != "" && (t == schema.Number || t == schema.Integer) && w.speaksOf(l.f, w.ix.Source[at.Start:at.End]) { // fourteen days
		return ""
	}
	if label != "" && w.isWholly(l, label, group) {
		return label
	}
	if label == "" || w.speaksOf(l.f, label) || w.speaksOf(l.f, w.wordsBehind(at)) {
		return ""
	}
	if saysPayable(label) {
		return ""
	}
	if strings.Contains(label, ":") && w.isSpeaker(l.f, label) {
		return "" // what who speaks says
	}
	said := wordsIn(label[strings.LastIndexByte(label, ':')+1:])
	if w.isTitle(said) || l.f.Kin().Type == schema.Text && endsInArticle(label) { // lets to the Hirer the Granary
		return ""
	}
	for _, other := range group {
		if other == l || other.f == l.f || other.f.Kin().Type != l.f.Kin().Type || isTimeText(other.value) && !isTimeText(l.value) {
			continue // words do not stand behind the label of a time that is kept as a text
		}
		at := w.places[other.path]
		if at.Found() && at.Start != w.places[l.path].Start && (other.value == l.value || w.isItsOwn(other.f, w.labelBefore(other), said)) {
			continue
		}
		if own := w.places[l.path]; at.Found() && at.End < own.Start && own.Start-at.End < labelReach && strings.HasPrefix(strings.TrimPrefix(w.ix.Source[at.End:own.Start], " "), label) {
			continue // 779 - 600 free = 179: it stands behind that one's own value
		}
		if own := w.places[l.path]; at.Found() && at.End <= own.Start && own.Start-at.End < labelReach && strings.Contains(w.ix.Source[at.Start:at.End], label[:strings.IndexByte(label+" ", ' ')]) && !strings.Contains(w.ix.Source[at.End:own.Start], label) {
			continue // Skerry Hall - lamps   5/11/2031: the word is of that one's value
		}
		if (w.isLabel(other.f, label) && !w.isLabel(l.f, label) || slices.ContainsFunc(w.calledBy(other.f).names, func(word string) bool {
			return anyAlike(said, word, sure) && !anyAlike(w.calledBy(l.f).names, word, perhaps)
		})) && (!endsInNumber(label) || endsInNumber(schema.Spoken(other.f.Name))) {
			if letters(w.ix.Source[w.places[l.path].Start:w.places[l.path].End]) <= 2 && !w.labelElsewhere(l) {
				return "" // it may stand anywhere by chance
			}
			return label
		}
	}
	return ""
}

// isWholly tells whether a label is, word for word, that of another field of a group with another value, and none of a
// value's own field: Net of VAT, for vat.
func (w *weigher) isWholly(l *leaf, label string, group []*leaf) bool {
	words := wordsOf(label)
	is := func(f *schema.Field) bool {
		return slices.ContainsFunc(w.labels(f), func(name []string) bool { return slices.Equal(name, words) })
	}
	if len(words) < 2 || is(l.f) || !slices.ContainsFunc(words, func(word string) bool { return !anyAlike(w.calledBy(l.f).names, word, perhaps) }) {
		return false // Customer, for customer no
	}
	return slices.ContainsFunc(group, func(other *leaf) bool {
		return other.f != l.f && other.f.Kin().Type == l.f.Kin().Type && other.value != l.value && is(other.f) && w.places[other.path].Start != w.places[l.path].Start && !w.isOwnValueBetween(other, l)
	})
}

// isOwnValueBetween tells whether another value stands right before one, behind the label that both have before them.
func (w *weigher) isOwnValueBetween(other, l *leaf) bool {
	a, b := w.places[other.path], w.places[l.path]
	return a.Found() && a.Line == b.Line && a.End <= b.Start && b.Start-a.End < labelReach
}

// isItsOwn tells whether a label is a field's: it has a word of its name, or one of its description that some other
// words lack.
func (w *weigher) isItsOwn(f *schema.Field, label string, others []string) bool {
	called := w.calledBy(f)
	return slices.ContainsFunc(wordsIn(label), func(word string) bool {
		return anyAlike(called.names, word, perhaps) || anyAlike(called.all, word, perhaps) && !anyAlike(others, word, sure)
	})
}

func isTimeText(json string) bool { return timeText.MatchString(strings.Trim(json, `"`)) }

// isTitle tells words that say what kind of document it is: Thorough examination TL/2251.
func (w *weigher) isTitle(said []string) bool {
	if w.all == nil || len(said) < 2 {
		return false
	}
	about := wordsIn(schema.Spoken(w.all.Name) + " " + w.all.About)
	return !slices.ContainsFunc(said, func(word string) bool { return !anyAlike(about, word, sure) })
}

// saysPayable tells a label of what is still to be paid: its net is no net sum.
func saysPayable(label string) bool {
	low := " " + strings.ToLower(label) + " "
	return slices.ContainsFunc(lang.Payable.Words(), func(words string) bool { return strings.Contains(low, " "+words+" ") })
}

// wordsBehind gives the words right behind a value, as far as its clause goes: 2 pallets.
func (w *weigher) wordsBehind(at Place) string {
	_, _, end := w.ix.rowAt(w.ix.LineOf(at.End))
	behind := w.ix.Source[at.End:max(at.End, min(end, at.End+labelReach))]
	if i := strings.IndexFunc(behind, func(r rune) bool { return unicode.IsDigit(r) || strings.ContainsRune("|\t,;.!?:", r) }); i >= 0 {
		behind = behind[:i]
	}
	words := strings.Fields(behind)
	return strings.Join(words[:min(2, len(words))], " ")
}

// labelElsewhere tells whether a word of a field's name stands before a figure that is not the value.
func (w *weigher) labelElsewhere(l *leaf) bool {
	names := w.calledBy(l.f).names
	for i, t := range w.ix.Tokens {
		if !slices.Contains(names, t.Word) {
			continue
		}
		for k := i + 1; k < len(w.ix.Tokens) && k <= i+3; k++ {
			next := w.ix.Tokens[k]
			if strings.ContainsAny(w.ix.Source[t.End:next.Start], "\n|;.!?)") {
				break
			}
			if strings.ContainsFunc(next.Word, unicode.IsDigit) {
				return true
			}
		}
	}
	return false
}

// endsInNumber tells a label or a name that ends in a word for a number: Employee no.
func endsInNumber(label string) bool {
	words := reading.Tokenize(label)
	return len(words) > 0 && lang.NumberLabel.Has(words[len(words)-1].Word)
}

// endsInArticle tells words of a sentence that an article ends: it is of the words behind them.
func endsInArticle(label string) bool {
	return lang.Article.Has(strings.ToLower(label[strings.LastIndexByte(label, ' ')+1:]))
}

// mostLabel is how many words before a value are its label.
const mostLabel = 4

// labelBefore gives the words before a value in its line, back to a figure, a comma, a stop or the
// edge of its cell; "" where a comma stands between, since they are of what is before it.
func (w *weigher) labelBefore(l *leaf) string {
	at := w.places[l.path]
	row, start, end := w.ix.rowAt(w.ix.LineOf(at.Start))
	if cell := w.ix.Rows()[max(start, at.Start-2):at.Start]; w.all != nil && l.f.Kin().Type == schema.Text && len(row) <= longestLine && (cell == "  " || strings.HasSuffix(cell, string(reading.NarrowGap))) {
		if head := w.topOf(between(at.Start, min(at.End, end))); head != "" && (w.labelled(head) != nil || w.isName[folded(head)]) {
			return head
		}
	}
	before := strings.TrimRight(w.ix.Source[max(start, at.Start-4*labelReach):at.Start], " (\"'“„«")
	if strings.HasSuffix(before, ",") {
		return ""
	}
	before = withoutMeasure(withoutLeader(strings.TrimRight(before, ":=-–> ")))
	if strings.Contains(before, "%") {
		before = ofPerCent.ReplaceAllString(before, "")
	}
	before = before[w.afterStop(before):]
	if i := strings.LastIndex(before, "  "); i >= 0 {
		before = before[i:]
	}
	words := strings.Fields(before)
	if s := between(at.Start, at.End); len(words) == 0 {
		if head := w.headOver(l.f, s); head != "" || isFigure(l.f.Kin()) {
			return head
		}
		return w.topOf(between(s.Start, min(s.End, w.ix.LineSpan(w.ix.LineOf(s.Start)).End)))
	}
	return strings.Join(words[max(0, len(words)-mostLabel):], " ")
}

// ofPerCent is the rate that a label ends in: VAT 20 %.
var ofPerCent = lazy.New(`\s+\(?\d{1,2}(?:[.,]\d{1,2})?\s?%\)?$`)

// longestCut is how many letters a word has at most that a stop cuts off within a label: Summa exkl. moms.
const longestCut = 6

// afterStop gives where the last clause of some words begins: behind a figure, a stop or the edge of a cell.
func (w *weigher) afterStop(text string) int {
	for end := len(text); ; {
		i := strings.LastIndexFunc(text[:end], func(r rune) bool { return unicode.IsDigit(r) || strings.ContainsRune("|\t,;.!?", r) })
		if i < 0 {
			return 0
		}
		_, size := utf8.DecodeRuneInString(text[i:])
		next, _ := utf8.DecodeRuneInString(strings.TrimPrefix(text[i+size:], " "))
		if text[i] == '.' && (unicode.IsLower(next) || i+1 == len(text) && w.isCutOff(text)) && i-strings.LastIndexByte(text[:i], ' ')-1 <= longestCut {
			end = i
			continue
		}
		return i + size
	}
}

// isCutOff tells whether some words end in what a stop leaves of a field's name: Arr.
func (w *weigher) isCutOff(text string) bool {
	words := wordsOf(text[strings.LastIndexByte(text, ' ')+1:])
	return len(words) == 1 && w.all != nil && w.fieldsByLabel()[words[0]] != nil
}

// withoutLeader drops the dots that lead from a label to its value: Engineer ......
func withoutLeader(label string) string {
	trimmed := strings.TrimRight(label, " ._…·")
	if len(label)-len(trimmed) < len("...") {
		return label
	}
	return strings.TrimRight(trimmed, ": ")
}

// withoutMeasure drops a currency behind a label: TOTAL  EUR.
func withoutMeasure(label string) string {
	i := strings.LastIndexByte(label, ' ')
	if i < 0 || !lang.Code.Has(label[i+1:]) {
		return label
	}
	return strings.TrimRight(label[:i], " ")
}

// labelsOther tells whether a stretch is the label of another field, with a colon behind
// it: "Dog: Moss" does not say of what sex it is.
func (w *weigher) labelsOther(f *schema.Field, s span) bool {
	if rest := strings.TrimLeft(w.ix.Source[s.End:], " "); w.all == nil || !strings.HasPrefix(rest, ":") {
		return false
	}
	other := w.fieldsByLabel()[folded(w.ix.Source[s.Start:s.End])]
	return other != nil && other != f && !w.led(f, s)
}

// fieldsByLabel gives the fields by their labels and names.
func (w *weigher) fieldsByLabel() map[string]*schema.Field {
	if w.others == nil {
		w.others = map[string]*schema.Field{}
		for _, leaf := range w.all.Leaves() {
			for _, name := range w.labels(leaf) {
				w.others[strings.Join(name, " ")] = leaf
			}
		}
	}
	return w.others
}

// mostEndWords is how many words of a label are looked at before its colon, at most.
const mostEndWords = 4

// endsOthersLabel tells whether a word ends the label of another field, with a colon behind it: what follows is that
// one's.
func (w *weigher) endsOthersLabel(f *schema.Field, i int) bool {
	t := w.ix.Tokens[i]
	if w.all == nil || !strings.HasPrefix(strings.TrimLeft(w.ix.Source[t.End:min(len(w.ix.Source), t.End+4)], " \""), ":") {
		return false
	}
	words := ""
	for n := 0; n < mostEndWords && i-n >= 0; n++ {
		words = strings.TrimSpace(w.ix.Tokens[i-n].Word + " " + words)
		if other := w.fieldsByLabel()[words]; other != nil && other != f {
			return true
		}
	}
	return false
}

// inOthersCell tells whether a wide gap, and then the whole label of another field, stands before a place: Reported in
// "Received 2 Aug 2032   Reported 5 Aug 2032".
func (w *weigher) inOthersCell(f *schema.Field, s span) bool {
	if w.all == nil {
		return false
	}
	row, start, _ := w.ix.rowAt(w.ix.LineOf(s.Start))
	before := row[:max(0, min(len(row), s.Start-start))]
	before = before[max(0, len(before)-labelReach):]
	i := strings.LastIndex(strings.TrimRight(before, ": "), "  ")
	if i < 0 {
		return false
	}
	label := strings.Join(wordsOf(before[i:]), " ")
	other := w.fieldsByLabel()[label]
	return label != "" && other != nil && other != f && !slices.ContainsFunc(w.labels(f), func(name []string) bool { return strings.Join(name, " ") == label })
}

// endsLonger tells whether the words from one token to another end a longer label, which is that of another field:
// Summa exkl. moms, for moms.
func (w *weigher) endsLonger(f *schema.Field, first, last int) bool {
	if w.all == nil {
		return false
	}
	var words []string
	for i := max(0, first-mostEndWords); i <= last; i++ {
		words = append(words, w.ix.Tokens[i].Word)
	}
	for len(words) > last-first+1 {
		if other := w.fieldsByLabel()[strings.Join(words, " ")]; other != nil && other != f && w.ix.LineOf(w.ix.Tokens[last+1-len(words)].Start) == w.ix.LineOf(w.ix.Tokens[last].Start) {
			return true
		}
		words = words[1:]
	}
	return false
}

// wordsIn gives the words of a label that mean something by themselves.
func wordsIn(label string) (all []string) {
	for _, t := range reading.Tokenize(label) {
		if utf8.RuneCountInString(t.Word) > 2 && !lang.Frequent.Has(t.Word) {
			all = append(all, t.Word)
		}
	}
	return all
}

// called are the words that a field goes by.
type called struct {
	names []string // of its name, and of what documents print before it
	all   []string // of its description as well
}

func (w *weigher) calledBy(f *schema.Field) called {
	c, known := w.called[f]
	if !known {
		for _, name := range w.namesOf(f) {
			c.names = append(c.names, wordsIn(name)...)
		}
		c.all = append(slices.Clone(c.names), wordsIn(f.About)...)
		if w.called == nil {
			w.called = map[*schema.Field]called{}
		}
		w.called[f] = c
	}
	return c
}

// speaksOf tells whether a label has a word of a field's name, or of its description.
func (w *weigher) speaksOf(f *schema.Field, label string) bool {
	all := w.calledBy(f).all
	return slices.ContainsFunc(wordsIn(label), func(word string) bool { return anyAlike(all, word, perhaps) })
}

// How many letters two words begin with alike that are one but for their endings.
const (
	perhaps = 3
	sure    = 5
)

// anyAlike tells whether a word is one of several, but for its ending.
func anyAlike(words []string, word string, least int) bool {
	return slices.ContainsFunc(words, func(other string) bool {
		short, long := word, other
		if len(short) > len(long) {
			short, long = long, short
		}
		n := 0
		for n < len(short) && short[n] == long[n] {
			n++
		}
		return n == len(long) || n >= least && 3*n >= 2*len(short)
	})
}

// namesOf gives a field's name, also as the document spells it, and what is printed before its values.
func (w *weigher) namesOf(f *schema.Field) []string {
	name := f.SpokenName()
	names := append([]string{name}, w.ix.Spelled(name)...)
	whole := schema.Spoken(f.Name)
	if whole != name { // a_boire: à boire
		names = append(names, w.ix.Spelled(whole)...)
	}
	if strings.Contains(whole, " ") {
		names = append(names, strings.ReplaceAll(whole, " ", "")) // "nightWork": true
	}
	if f.Kin().Type == schema.Boolean {
		for _, lead := range lang.BooleanLead.Words() { // "isBlocked": true
			if word := lead + strings.ReplaceAll(folded(whole), " ", ""); len(w.ix.ByWord[word]) > 0 {
				names = append(names, word)
			}
		}
	}
	if group := w.groupNamed(f); group != "" {
		names = append(names, group) // Site: Churchyard, for the name in site
	}
	if predicate := w.predicateOf(f); predicate != "" {
		names = append(names, predicate)
	}
	if label := w.withoutUnit(f, whole); label != "" {
		names = append(names, label)
	}
	if label := f.BareLabel(); label != "" && !w.isOthersName(f, label) {
		names = append(names, label)
	}
	return append(names, f.PrintedAs...)
}

// withoutUnit gives the name of a field of figures without the unit at its end, which documents print behind the figure:
// No claims: 6 years, for no_claims_years. "" for other names.
func (w *weigher) withoutUnit(f *schema.Field, name string) string {
	words := strings.Fields(name)
	if t := f.Kin().Type; t != schema.Number && t != schema.Integer && t != schema.Quantity || len(words) < 2 {
		return ""
	}
	last := words[len(words)-1]
	words = words[:len(words)-1]
	if len(words) > 1 && words[len(words)-1] == "in" {
		words = words[:len(words)-1]
	}
	label := strings.Join(words, " ")
	if reading.UnitOf(last) == "" || letters(label) <= shortestCut || lang.Frequent.Has(label) || w.isOthersName(f, label) {
		return ""
	}
	return label
}

// isOthersName tells whether another field is called so.
func (w *weigher) isOthersName(f *schema.Field, label string) bool {
	return w.all != nil && slices.ContainsFunc(w.all.Leaves(), func(other *schema.Field) bool {
		return other != f && folded(schema.Spoken(other.Name)) == folded(label)
	})
}

// groupNamed gives the name of the group whose own name a field is; "" for others.
func (w *weigher) groupNamed(f *schema.Field) string {
	if w.groups == nil {
		w.groups = map[*schema.Field]string{}
		if w.all != nil {
			w.all.Root.Walk(func(group *schema.Field, _ int) {
				if group.Type != schema.Group || group.Name == "" {
					return
				}
				for _, kid := range group.Fields {
					if lang.NameWord.Has(kid.Name) && kid.Type == schema.Text {
						w.groups[kid] = schema.Spoken(group.Name)
					}
				}
			})
		}
	}
	return w.groups[f]
}
