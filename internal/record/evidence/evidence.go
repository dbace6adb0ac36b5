package evidence

import (
	"fmt"
	"slices"
	"strings"
	"unicode"

	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// Kind says how a value stands in the source.
type Kind string

// The kinds, from tight to loose.
const (
	Quoted    Kind = "quoted"
	Restated  Kind = "restated"
	Lookalike Kind = "lookalike" // but for a few characters
	Pictured  Kind = "pictured"  // on a page picture, at the place that the model names
	Inferred  Kind = "inferred"  // found nowhere, and the schema lets the model conclude it
	None      Kind = "none"
)

// Place is the evidence of one value.
type Place struct {
	Kind       Kind
	Start, End int           // bytes of the source text, half-open; 0, 0 where none was found
	Line       int           // of the source text, from 1
	Basis      bool          // the place is that of the words that an inferred value rests on
	Rivals     int           // other places where the value stands
	Led        bool          // a label of the field stands before it
	Tied       bool          // it is led, or stands in the region of its item
	Against    int           // of a figure that stands nowhere as it is: the line, from 1, of the only one with another unit, currency or sign
	Open       int           // likewise, the line of one that can be read as another number too
	Opposed    int           // of a boolean or a choice that stands nowhere: the line that says the opposite, or another option
	Back       int           // of a value that the document takes back, as by striking it out: the first such line
	Says       reading.Span  // the words of the line that speaks against it, as far as they are known
	Misplaced  int           // of a value of an item that stands in the line of another item alone: that line
	InParts    bool          // likewise, but in another part or sentence: its own may stand in the same line
	Under      string        // of a value behind or under the label of another field: that label; with Column: what heads its cell
	Column     int           // of a figure in another column than those of all other items, or than what it is under says: its line
	Whole      reading.Span  // of a text that breaks off: the words that stand there
	Range      string        // of a value that stands at the other end of a range: that range
	Unnamed    string        // of a value in a map: its name, where that is printed nowhere and those of the others are
	Again      value.Pointer // of the first value of an item: the item before it that comes from the same words
	Page       int           // from 1; 0 where the document has no pages
	Box        [4]int
	Boxes      [][4]int // one a line, where the value runs over several
	Document   string   // where it is another than the record's own
}

// Found reports whether the value stands in the source.
func (p Place) Found() bool { return p.End > p.Start }

// isContradicted tells a value of which its own cell or line says otherwise.
func (p Place) isContradicted() bool { return p.Column > 0 || p.Opposed > 0 }

// JSON gives the machine form.
func (p Place) JSON() value.Value {
	v := value.Obj(value.Str(string(p.Kind)).Named("kind"))
	if p.Found() {
		v.Kids = append(v.Kids, value.Num(fmt.Sprint(p.Start)).Named("start"), value.Num(fmt.Sprint(p.End)).Named("end"), value.Num(fmt.Sprint(p.Line)).Named("line"))
	}
	if p.Page > 0 {
		v.Kids = append(v.Kids, value.Num(fmt.Sprint(p.Page)).Named("page"), boxJSON(p.Box).Named("box"))
	}
	if len(p.Boxes) > 1 {
		all := value.List()
		for _, b := range p.Boxes {
			all.Kids = append(all.Kids, boxJSON(b))
		}
		v.Kids = append(v.Kids, all.Named("boxes"))
	}
	if p.Basis {
		v.Kids = append(v.Kids, value.Boolean(true).Named("basis"))
	}
	if p.Document != "" {
		v.Kids = append(v.Kids, value.Str(p.Document).Named("document"))
	}
	if p.Rivals > 0 {
		v.Kids = append(v.Kids, value.Num(fmt.Sprint(p.Rivals)).Named("rivals"))
	}
	return v
}

func boxJSON(b [4]int) value.Value {
	v := value.List()
	for _, n := range b {
		v.Kids = append(v.Kids, value.Num(fmt.Sprint(n)))
	}
	return v
}

// Places is the evidence of a record, by path.
type Places map[value.Pointer]Place

// JSON gives the places in the order of their paths in the record.
func (ps Places) JSON(record *value.Value) value.Value {
	out := value.Obj()
	record.Walk(func(p value.Pointer, _ *value.Value) bool {
		if place, ok := ps[p]; ok {
			out.Kids = append(out.Kids, place.JSON().Named(string(p)))
		}
		return true
	})
	return out
}

// Of finds the evidence of every value in a record.
func Of(s *schema.Schema, record *value.Value, ix *Index) Places { return With(s, record, ix, nil) }

// With is Of where the places of some values are known, also that they stand
// nowhere: they stay, and tell where the other values of their items are.
func With(s *schema.Schema, record *value.Value, ix *Index, known Places) Places {
	if o := open(s, record, ix); o != nil {
		return o.back(s, with(o.s, &o.record, ix, o.forth(s, record, known)))
	}
	return with(s, record, ix, known)
}

func with(s *schema.Schema, record *value.Value, ix *Index, known Places) Places {
	w := &weigher{ground: ix.groundOf(s, forPlaces), ix: ix, fixed: known, places: Places{}, claimed: map[claim]bool{}, taken: map[span]bool{}}
	defer ix.keepGround(w.ground)
	w.root = &item{last: -1}
	w.collect(s.Root, "", w.root, record)
	w.findRegions([]*item{w.root}, region{End: len(ix.Source)})
	w.choose()
	w.inRuns()
	w.measuresApart()
	w.compared()
	w.rowsOfOthers(w.root)
	w.inOwnSlots(w.root.lists)
	w.inOwnColumns()
	w.inCrosstabs()
	w.besideNames()
	w.ticked()
	w.answeredByAbout()
	w.countsOfSums()
	w.countedOtherwise()
	w.endsOfRanges()
	w.inRoles()
	w.behindOtherLabels()
	w.namesOfEntries(w.root)
	w.joined(w.root)
	w.breaksOff()
	return w.places
}

// Words gives the place where words stand letter for letter but for case,
// spacing and punctuation; false if they do not.
func (ix *Index) Words(words string) (Place, bool) {
	found := ix.find(words)
	if strings.TrimSpace(words) == "" || len(found) == 0 {
		return Place{}, false
	}
	s := found[0]
	return Place{Kind: Inferred, Start: s.Start, End: s.End, Line: ix.LineOf(s.Start) + 1, Basis: true, Rivals: len(found) - 1}, true
}

// telling is how many letters and figures a value has that does not stand somewhere by
// chance: a 2, or a no, stands in most documents.
const telling = 6

// RestsOn gives the place of a value that comes with the words it rests on: its own, where
// a label leads to it or it stands among these words; else that of the words. A value whose
// words are not there counts as found only where it does not stand somewhere by chance.
func (ix *Index) RestsOn(own Place, words string, v *value.Value) Place {
	basis, found := ix.Words(words)
	switch {
	case own.Found() && own.Led:
		return own
	case found && own.Found() && ix.within(words, own):
		return own
	case found:
		return basis
	case own.Found() && (v.Kind != value.String || letters(v.Text) < telling):
		return Place{Kind: Inferred}
	}
	return own
}

// within tells whether a place lies where the words stand, the first time or a later one.
func (ix *Index) within(words string, own Place) bool {
	for _, s := range ix.find(words) {
		if s.Start <= own.Start && own.End <= s.End {
			return true
		}
	}
	return false
}

func letters(text string) (n int) {
	for _, r := range text {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			n++
		}
	}
	return n
}

// candidate is one place where a value may stand.
type candidate struct {
	span
	kind Kind
	led  bool // one of the field's labels stands before it
}

// leaf is a value that looks for its place.
type leaf struct {
	path    value.Pointer
	item    *item
	cands   []candidate
	f       *schema.Field
	lacking Kind // what it is where no place is found
	against says
	fixed   *Place
	value   string // as JSON
}

// item is a list item or the record itself: values of one item stand together.
type item struct {
	parent *item
	prior  *item  // the item before it in its list
	placed []spot // the first places found in it, those of items within it too
	last   int    // where the last of them starts; -1: none
	leaves []*leaf
	gone   bool // it says of itself that it was cancelled, withdrawn, deleted
	lists  [][]*item
	row    []*item // the items of its list that have a region
	region *region // where it stands, as far as all items of its list together tell; may be nil
}

// maxPlaced bounds how many places of an item others are measured against.
const maxPlaced = 16

// spot is a place with its line.
type spot struct {
	span
	line int
}

// take notes a place found in the item.
func (it *item) take(s span, line int) {
	for ; it != nil; it = it.parent {
		if len(it.placed) < maxPlaced {
			it.placed = append(it.placed, spot{s, line})
		}
		it.last = max(it.last, s.Start)
	}
}

type weigher struct {
	*ground
	ix            *Index
	places        Places
	leaves        []*leaf
	open          []span        // where the figure that is looked for can be read as another number too
	counting      map[span]bool // where the name of a count stands before numbers, and whether they come to it
	opposed       []span        // where words stand that say the opposite of a boolean, or another option
	back          []span        // where the value stands and the document takes it back
	other         []span        // where the figure that is looked for stands with another measure or sign
	claimed       map[claim]bool
	taken         map[span]bool
	linesOfLeaves map[*leaf]*linesOf // once asked for
	plain         bool               // nothing is looked for but for a few characters
	root          *item
	chosen        []*leaf // that have a place
	fixed         Places
	startAt       map[int][]*leaf // which values begin at a place, once asked for
	touched       map[int]bool    // the lines, from 0, that values were read from
}

func (w *weigher) collect(f *schema.Field, p value.Pointer, it *item, v *value.Value) {
	switch {
	case v.Empty():
	case f.Type == schema.Group && v.Kind == value.Object:
		it.gone = it.gone || saysGone(f, v)
		for i := range v.Kids {
			if kid := f.Child(v.Kids[i].Name); kid != nil {
				w.collect(kid, p.Key(kid.Name), it, &v.Kids[i])
			}
		}
	case f.Type == schema.List && v.Kind == value.Array:
		var prior *item
		var items []*item
		for i := range v.Kids {
			kid := &item{parent: it, prior: prior, last: -1, gone: it.gone}
			w.collect(f.Item, p.Index(i), kid, &v.Kids[i])
			prior = kid
			items = append(items, kid)
		}
		it.lists = append(it.lists, items)
	case f.IsLeaf():
		l := &leaf{path: p, item: it, f: f, lacking: None, value: v.Named("").String()}
		if at, ok := w.fixed[p]; ok {
			l.fixed = &at
			if !at.Found() {
				w.places[p] = at
				it.leaves = append(it.leaves, l)
				return
			}
			l.cands = []candidate{{between(at.Start, at.End), at.Kind, at.Led}}
			w.keep(l)
			return
		}
		l.cands, l.against = w.known(f, v, it.gone || saysFormer(f))
		if f.AllowsInferred() {
			l.lacking = Inferred
		}
		w.keep(l)
	}
}

func (w *weigher) keep(l *leaf) {
	w.leaves = append(w.leaves, l)
	l.item.leaves = append(l.item.leaves, l)
}

// says is what lines say of a figure that stands nowhere as it is: lines from 1, 0
// for none, and the words that say it.
type says struct {
	other, open, opposed, back int
	at                         span
}

// claim is a place that the value of a field in one item has taken.
type claim struct {
	f *schema.Field
	s span
}

// sought is a value of a field, whichever item it stands in.
type sought struct {
	f    *schema.Field
	kind value.Kind
	text string
	gone bool // what the text takes back counts
}

// candidates gives the places where the value of a field may stand.
func (w *weigher) candidates(own *schema.Field, v *value.Value, gone bool) []candidate {
	f := own.Kin()
	var cands []candidate
	seen := map[span]bool{}
	add := func(spans []span, kind Kind, exact string) {
		for _, s := range spans {
			if seen[s] {
				continue
			}
			seen[s] = true
			k := kind
			if exact != "" && w.ix.Source[s.Start:s.End] == exact {
				k = Quoted
			}
			cands = append(cands, candidate{s, k, w.led(own, s)})
		}
	}
	w.counting = nil
	switch {
	case v.Kind == value.Object:
		w.amount(f, v, add)
	case v.Kind == value.Number && w.inNamed(own, v, add):
	case v.Kind == value.Number:
		add(slices.DeleteFunc(w.figures(f, v.Text, ""), func(s span) bool { return isShortFigure(v) && w.ix.InDate(s) }), Restated, v.Text)
		if len(cands) == 0 || f.Type == schema.Integer && strings.Contains(own.Path, "[]") { // it may stand in the line of another item alone
			w.derived(f, v.Text, add)
		}
		if f.Type == schema.Integer {
			add(w.behindInitial(own, v.Text), Restated, "")
		}
	case v.Kind == value.Bool:
		add(w.yesNo(f, v.Text == "true"), Restated, "")
		says := map[string][]span{}
		if len(cands) == 0 && !strings.Contains(own.Path, "[]") { // she has not been neutered yet
			all := between(0, len(w.ix.Source))
			if at, denied := w.deniedNames(own, all); denied {
				says["false"] = at
			}
			says["true"] = w.saidNames(own, all)
		}
		byTheWay := func(s span) bool { return w.isByTheWay(own, s) }
		add(slices.DeleteFunc(slices.Clone(says[v.Text]), byTheWay), Restated, "")
		if len(cands) == 0 {
			w.opposed = w.yesOrNo(f, v.Text != "true", true)
		}
		if len(w.opposed) == 0 && len(cands) == 0 {
			w.opposed = slices.DeleteFunc(append(says["true"], says["false"]...), byTheWay)
		}
	case v.Kind != value.String:
	case f.Type == schema.Date:
		w.day(f, v.Text, add)
	case f.Type == schema.Time:
		w.clock(f, v.Text, add)
		cands = w.rightHalf(v.Text, cands)
	case f.Type == schema.DateTime:
		w.moment(f, v.Text, add)
	default:
		add(w.ix.find(v.Text), Restated, v.Text)
		switch {
		case f.Type == schema.Choice:
			w.synonyms(f, v.Text, add)
			w.country(own, v.Text, add)
			if len(cands) == 0 {
				w.opposed = w.otherOptions(own, v.Text)
			}
		case f.Type == schema.Text && len(cands) == 0:
			w.gluedToLabel(own, v.Text, add)
			w.inPieces(v.Text, add)
			w.encoded(v.Text, add)
			if len(cands) == 0 {
				add(w.ix.FindOtherwiseSet(v.Text), Restated, "")
			}
			w.country(own, v.Text, add)
		}
	}
	cands = w.countsBeforeNumbers(cands)
	cands = slices.DeleteFunc(cands, func(c candidate) bool {
		if !gone && w.takenBack(own, c.span) {
			w.back = append(w.back, c.span)
			return true
		}
		return f.Type == schema.Text && isBareFigure(v.Text) && w.inLongerFigure(c.span) || isShortFigure(v) && (w.ix.InDate(c.span) && !w.numbered(own, c.span) || !c.led && (w.ix.inPostcode(c.span) || w.ix.inMonth(c.span))) || w.inCompound(f, v, c.span) || f.Type == schema.Choice && w.labelsOther(own, c.span)
	})
	if len(cands) == 0 && !own.AllowsInferred() && !w.plain {
		w.near(own, v, add)
	}
	return w.inCapitals(own, v, cands)
}

// labelReach is how many bytes before a value its label is looked for.
const labelReach = 48

// led reports whether a label of the field, or its name, stands before s in
// the same line.
func (w *weigher) led(f *schema.Field, s span) bool {
	first := w.ix.TokenAt(s.Start)
	if w.inOthersCell(f, s) {
		return false
	}
	for at := first - 1; at >= 0; at-- {
		t := w.ix.Tokens[at]
		if t.End < s.Start-labelReach || w.ix.LineOf(t.Start) != w.ix.LineOf(s.Start) {
			return false
		}
		for _, name := range w.labels(f) {
			if begin := at - len(name) + 1; begin >= 0 && w.ix.Reads(begin, name) && w.ix.LineOf(w.ix.Tokens[begin].Start) == w.ix.LineOf(s.Start) {
				return !w.endsLonger(f, begin, at)
			}
		}
		if at < first-1 && w.endsOthersLabel(f, at) {
			return false
		}
	}
	return false
}

// labels gives the folded words of a field's labels and name.
func (w *weigher) labels(f *schema.Field) [][]string {
	if names, ok := w.names[f]; ok {
		return names
	}
	var names [][]string
	for _, name := range append(w.namesOf(f), w.heads[f]...) {
		if words := wordsOf(name); len(words) > 0 {
			names = append(names, words)
			names = append(names, w.ix.withEndings(words, names)...)
			if spoken := schema.Spoken(f.Name); len(words) > 1 || !strings.Contains(spoken, " ") || words[0] != strings.ReplaceAll(spoken, " ", "") { // chain. is not short for chain free
				names = append(names, w.cutShort(words)...)
			}
		}
	}
	w.names[f] = names
	return names
}
