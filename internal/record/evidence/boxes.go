package evidence

import (
	"slices"
	"sort"
	"strings"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/record/normalize"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// Boxes of forms say what booleans and choices are, and nothing says it better: [x] yes [ ] no.
// Where none is ticked, an empty one says what its own boolean is, and nothing of choices; where boxes can't
// be told apart, nothing is told.

// box is a box with the words that go with it.
type box struct {
	reading.Box
	words, group []string // of its label, and of what heads its row
	said         string   // its label, folded
}

// boxes are those of a document, in order.
type boxes struct {
	all    []box
	row    map[string][]box // by what heads their row, folded
	group  map[span][]box   // by where that stands
	line   map[int][]box
	ticked bool // whether any is
}

// mostBoxes is among how many boxes those of an item are looked for that has no stretch of its own.
const mostBoxes = 200

func (w *weigher) boxed() *boxes {
	if w.boxes != nil {
		return w.boxes
	}
	w.boxes = &boxes{row: map[string][]box{}, group: map[span][]box{}, line: map[int][]box{}}
	for _, b := range w.ix.Boxes() {
		label, head := w.ix.Source[b.Label.Start:b.Label.End], w.ix.Source[b.Group.Start:b.Group.End]
		one := box{b, wordsOf(label), wordsOf(head), folded(label)}
		w.boxes.all = append(w.boxes.all, one)
		w.boxes.row[folded(head)] = append(w.boxes.row[folded(head)], one)
		w.boxes.group[b.Group] = append(w.boxes.group[b.Group], one)
		line := w.ix.LineOf(b.Label.Start)
		w.boxes.line[line] = append(w.boxes.line[line], one)
		w.boxes.ticked = w.boxes.ticked || b.Ticked
	}
	return w.boxes
}

// ticked places booleans and choices by the boxes of the document, and tells which they contradict.
func (w *weigher) ticked() {
	if len(w.boxed().all) == 0 {
		return
	}
	for _, l := range w.leaves {
		if l.fixed != nil || l.value == "null" || !w.boxes.ticked && l.f.Kin().Type != schema.Boolean { // an empty box says no by itself
			continue
		}
		var fits, against box
		known := false
		switch l.f.Kin().Type {
		case schema.Boolean:
			fits, against, known = w.tickedAs(l, w.boxesOf(l))
		case schema.Choice:
			fits, against, known = w.tickedOption(l, w.boxesOf(l))
		case schema.Text:
			against = w.tickedInPlace(l)
			known = against.End > 0
		}
		switch {
		case !known:
		case fits.End > 0:
			at := w.places[l.path]
			if !at.Found() || at.Start < fits.Label.Start || at.End > fits.Label.End {
				w.restate(l, w.saidBy(fits))
				at = w.places[l.path]
			}
			at.Led, at.Rivals = true, 0
			w.places[l.path] = at
		case !l.f.Concludes && (w.boxes.ticked || !w.saidBeside(l)):
			w.places[l.path] = Place{Kind: l.lacking, Opposed: w.ix.LineOf(against.Start) + 1}
		}
	}
}

// saidBeside tells whether a field is spoken of outside of boxes, too: [ ] lift out … Lift out is wanted.
func (w *weigher) saidBeside(l *leaf) bool {
	for _, name := range w.labels(l.f) {
		at := w.ix.ByWord[name[0]]
		if len(at) > mostBoxes { // not in boxes alone
			return true
		}
		for _, i := range at {
			t := w.ix.Tokens[i]
			if w.ix.Reads(i, name) && !slices.ContainsFunc(w.boxes.line[w.ix.LineOf(t.Start)], func(b box) bool {
				return b.Label.Start <= t.Start && t.End <= b.Label.End || b.Group.Start <= t.Start && t.End <= b.Group.End
			}) {
				return true
			}
		}
	}
	return false
}

// saidBy gives where a box says what it says: at its words, or at itself where they head a column.
func (w *weigher) saidBy(b box) span {
	if w.ix.LineOf(b.Label.Start) != w.ix.LineOf(b.Start) {
		return b.Span
	}
	return b.Label
}

// boxesOf gives the boxes that may be of a value's item: those of the row that its name heads, else those
// in its region. What is one of a list of options has those of what the list is in.
func (w *weigher) boxesOf(l *leaf) []box {
	it := l.item
	if strings.HasSuffix(l.f.Path, "[]") {
		it = it.parent
	}
	for _, name := range it.leaves {
		v, err := value.Parse(name.value)
		if it.parent == nil || name.f.Kin().Type != schema.Text || err != nil || v.Text == "" {
			continue
		}
		if own := w.boxes.row[folded(v.Text)]; len(own) > 0 {
			return own
		}
	}
	for r := it; r != nil; r = r.parent {
		if r.region != nil {
			return w.boxesIn(r.region.Start, r.region.End)
		}
	}
	if it.parent != nil && len(w.boxes.all) > mostBoxes {
		return nil
	}
	return w.boxes.all
}

// boxesIn gives the boxes in a stretch.
func (w *weigher) boxesIn(start, end int) []box {
	all := w.boxed().all
	from := sort.Search(len(all), func(i int) bool { return all[i].Start >= start })
	to := sort.Search(len(all), func(i int) bool { return all[i].Start >= end })
	return all[from:max(from, to)]
}

// tickedAs gives the box that says what a boolean is, if it says what the record does, or that
// says otherwise: the one with its name, or the ticked one of yes and no behind its name.
func (w *weigher) tickedAs(l *leaf, boxes []box) (fits, against box, known bool) {
	best := 0
	var open box // of yes and no behind its name, where neither is ticked
	for _, b := range boxes {
		says, how := b.Ticked, w.namedBy(l.f, b.words)
		if yes, is := normalize.YesNo(strings.ToLower(w.ix.Source[b.Label.Start:b.Label.End])); is && how == 0 {
			if says, how = yes, w.namedBy(l.f, b.group); !b.Ticked {
				if how == whole {
					open = b
				}
				continue
			}
		}
		switch {
		case how == 0 || how < best:
			continue
		case how > best:
			fits, against, best = box{}, box{}, how
		}
		if says == (l.value == "true") {
			fits = b
		} else {
			against = b
		}
	}
	if best == 0 && open.End > 0 {
		return fits, open, !w.saidBeside(l)
	}
	return fits, against, best > 0 && (fits.End == 0 || against.End == 0)
}

// How words name a field.
const (
	inPart = 1 // a few words more
	whole  = 2
)

// mostBesides is how many words a label may have besides a name.
const mostBesides = 6

// namedBy tells how the words of a box name a field; 0 where they don't, or deny it.
func (w *weigher) namedBy(f *schema.Field, words []string) int {
	best := 0
	for _, name := range w.labels(f) {
		best = max(best, wordsNamed(words, name))
	}
	if best == 0 && len(words) == 1 && w.shortens(f, words[0]) {
		return whole
	}
	if best == 0 && len(words) <= 2*mostBesides && slices.ContainsFunc(w.labels(f), func(name []string) bool { return namedLoosely(words, name) }) {
		return inPart
	}
	return best
}

// namedLoosely tells whether all words of a name stand among some words, in any order and with other endings:
// may_swim, "My child may take part in swimming".
func namedLoosely(words, name []string) bool {
	long := 0
	for _, word := range name {
		if utf8.RuneCountInString(word) >= shortestStem {
			long++
		}
		if !slices.Contains(words, word) && !(len(word) >= shortestStem && anyAlike(words, word, shortestStem)) {
			return false
		}
	}
	return long > 0 && len(name) > 1 && !slices.ContainsFunc(words, func(word string) bool { return lang.Not.Has(word) || lang.Nought.Has(word) || lang.No.Has(word) })
}

// shortestStem is how many letters a word has at least whose other forms are looked for.
const shortestStem = 4

func wordsNamed(words, name []string) int {
	at := placeOf(name, words, func(a, b string) bool { return sameNoun(lang.PlainLetters(a), lang.PlainLetters(b)) })
	if at < 0 {
		return 0
	}
	besides := slices.Concat(words[:at], words[at+len(name):])
	switch {
	case len(besides) == 0:
		return whole
	case len(besides) > mostBesides || slices.ContainsFunc(besides, func(word string) bool { return lang.Not.Has(word) || lang.Nought.Has(word) || lang.No.Has(word) }):
		return 0
	}
	return inPart
}

// placeOf gives where some words stand among others, one behind the other; -1 if they don't.
func placeOf(some, words []string, same func(a, b string) bool) int {
	for at := 0; at+len(some) <= len(words); at++ {
		if slices.EqualFunc(words[at:at+len(some)], some, same) {
			return at
		}
	}
	return -1
}

// tickedOption gives the box of the chosen option if it is ticked, or the ticked one of another option of
// the same group.
func (w *weigher) tickedOption(l *leaf, boxes []box) (fits, against box, known bool) {
	f := l.f.Kin()
	chosen, err := value.Parse(l.value)
	if err != nil {
		return fits, against, false
	}
	for _, b := range w.groupOf(l.f, boxes) {
		switch {
		case !b.Ticked:
		case w.optionOf(f, b) == chosen.Text:
			return b, against, true
		default:
			against = b
		}
	}
	return fits, against, against.End > 0
}

// groupOf gives the boxes of a choice's options, those under its name if there are; none where two groups
// may be meant.
func (w *weigher) groupOf(own *schema.Field, boxes []box) []box {
	groups, options := map[span][]box{}, map[span]map[string]bool{}
	for _, b := range boxes {
		if option := w.optionOf(own.Kin(), b); option != "" {
			if groups[b.Group] = append(groups[b.Group], b); options[b.Group] == nil {
				options[b.Group] = map[string]bool{}
			}
			options[b.Group][option] = true
		}
	}
	var named, others [][]box
	for at, of := range groups {
		switch {
		case at.End > 0 && w.speaksOf(own, w.ix.Source[at.Start:at.End]):
			named = append(named, of)
		case len(options[at]) > 1:
			others = append(others, of)
		}
	}
	switch {
	case len(named) == 1:
		return named[0]
	case len(named) == 0 && len(others) == 1:
		return others[0]
	}
	return nil
}

// tickedInPlace gives the ticked box beside one that is not, whose words are a text of the record.
func (w *weigher) tickedInPlace(l *leaf) (against box) {
	at := w.places[l.path]
	beside := w.boxes.line[w.ix.LineOf(at.Start)]
	i := slices.IndexFunc(beside, func(b box) bool {
		return at.Found() && b.Label.Start <= at.Start && at.End <= b.Label.End && folded(w.ix.Source[at.Start:at.End]) == b.said
	})
	if i < 0 || beside[i].Ticked {
		return against
	}
	group := w.boxes.group[beside[i].Group]
	if beside[i].Group.End == 0 {
		group = beside
	}
	for _, b := range group {
		switch {
		case b.Ticked && b.said == beside[i].said:
			return box{}
		case b.Ticked:
			against = b
		}
	}
	return against
}

// optionOf gives the option that a box is of; "" for none or several.
func (w *weigher) optionOf(f *schema.Field, b box) string {
	found, best := "", 0
	for _, o := range f.Of {
		for _, name := range append([]string{schema.Spoken(o.Value)}, o.Also...) {
			of := wordsOf(name)
			switch how := wordsNamed(b.words, of); {
			case how == 0 || how < best || len(of) == 0:
			case how > best:
				found, best = o.Value, how
			case found != o.Value:
				found = ""
			}
		}
	}
	return found
}

// boxesLeft gives the line of the ticked box that says what a boolean or a choice without a value is.
func (l *leaving) boxesLeft(f *schema.Field, p value.Pointer) []Line {
	if !l.w.boxed().ticked {
		return nil
	}
	var own []box
	for _, r := range l.regions(l.itemOf(p)) {
		own = append(own, l.w.boxesIn(r.Start, r.End)...)
	}
	var fits, against box
	switch f.Kin().Type {
	case schema.Boolean:
		fits, against, _ = l.w.tickedAs(&leaf{f: f, value: "true"}, own)
	case schema.Choice:
		fits, against, _ = l.w.tickedOption(&leaf{f: f, value: `""`}, own)
	}
	says := "true"
	if fits.End == 0 {
		fits, says = against, "false"
	}
	if !fits.Ticked {
		return nil
	}
	if f.Kin().Type == schema.Choice {
		says = l.w.optionOf(f.Kin(), fits)
	}
	line := l.line(leftover{span: l.w.saidBy(fits), form: aChoice, option: says}, f.Path, p)
	line.Says = says
	return []Line{line}
}

// optionsLeft gives the lines of ticked boxes whose options a list of the record lacks.
func (l *leaving) optionsLeft() (lines []Line) {
	if !l.w.boxed().ticked {
		return nil
	}
	l.s.Root.Walk(func(f *schema.Field, _ int) {
		if f.Type != schema.List || f.Item == nil || f.Item.Kin().Type != schema.Choice || strings.Contains(f.Path, "[]") {
			return
		}
		at := l.record
		for _, name := range strings.Split(f.Path, ".") {
			if at != nil {
				at = at.Get(name)
			}
		}
		for _, b := range l.w.groupOf(f.Item, l.w.boxes.all) {
			says := l.w.optionOf(f.Item.Kin(), b)
			if b.Ticked && (at == nil || !slices.ContainsFunc(at.Kids, func(v value.Value) bool { return v.Text == says })) {
				lines = append(lines, l.line(leftover{span: l.w.saidBy(b), form: aChoice, option: says}, f.Path, ""))
			}
		}
	})
	return lines
}
