package evidence

import (
	"slices"
	"sort"
	"strings"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// choose places the leaves: first what stands in one place only, since that
// tells where its item is, then the rest in the order of the record, which is
// mostly that of the document.
func (w *weigher) choose() {
	defer w.older()
	defer w.single()
	waiting := append([]*leaf(nil), w.leaves...)
	sort.SliceStable(waiting, func(i, j int) bool { return len(waiting[i].cands) < 2 && len(waiting[j].cands) > 1 })
	for _, l := range waiting {
		total := len(l.cands)
		if total == 0 {
			w.places[l.path] = Place{Kind: l.lacking, Against: l.against.other, Open: l.against.open, Opposed: l.against.opposed, Back: l.against.back, Says: l.against.at}
			continue
		}
		cands := l.inRegion()
		best := cands[0]
		bestCost := w.cost(l, best)
		for _, c := range cands[1:] {
			if cost := w.cost(l, c); cost < bestCost {
				best, bestCost = c, cost
			}
		}
		if w.isAnothers(l, best) {
			w.places[l.path] = Place{Kind: l.lacking}
			continue
		}
		line := w.ix.LineOf(best.Start)
		l.item.take(best.span, line)
		w.claimed[claim{l.f, best.span}] = true
		w.taken[best.span] = true
		if l.fixed != nil {
			w.places[l.path] = *l.fixed
			continue
		}
		w.chosen = append(w.chosen, l)
		w.places[l.path] = Place{Kind: best.kind, Start: best.Start, End: best.End, Line: line + 1, Rivals: total - 1, Led: best.led, Tied: best.led || l.item.region != nil && l.item.region.holds(best.span)}
	}
}

// single places a count of one by the article right before what is counted: une
// robe, a kettle.
func (w *weigher) single() {
	for _, l := range w.leaves {
		if at := w.places[l.path]; at.Found() || l.f.Type != schema.Integer || l.value != "1" || l.fixed != nil {
			continue
		}
		if s := w.oneOfIts(l.f); s.End > 0 {
			w.places[l.path] = Place{Kind: Restated, Start: s.Start, End: s.End, Line: w.ix.LineOf(s.Start) + 1, Tied: true}
			continue
		}
		for _, other := range l.item.leaves {
			what := w.places[other.path]
			if i := w.ix.TokenAt(what.Start) - 1; other.f.Type == schema.Text && what.Found() && i >= 0 && lang.OneUnit.Has(w.ix.Tokens[i].Word) && w.ix.Source[w.ix.Tokens[i].End:what.Start] == " " {
				t := w.ix.Tokens[i]
				w.places[l.path] = Place{Kind: Restated, Start: t.Start, End: t.End, Line: w.ix.LineOf(t.Start) + 1, Tied: true}
				break
			}
		}
	}
}

// oneOfIts gives the article before the name of what a field of the record itself counts: four
// adults and a dog, for dogs.
func (w *weigher) oneOfIts(f *schema.Field) span {
	if strings.Contains(f.Path, "[]") {
		return span{}
	}
	for _, name := range w.labels(f) {
		for _, i := range w.ix.ByWord[lang.Singular(name[0])] {
			if len(name) == 1 && i > 0 && lang.OneUnit.Has(w.ix.Tokens[i-1].Word) && w.ix.Source[w.ix.Tokens[i-1].End:w.ix.Tokens[i].Start] == " " {
				return w.ix.Tokens[i-1].Span
			}
		}
	}
	return span{}
}

// isAnothers tells a count of a list's item that is found outside of its region
// alone, in that of another item. What stands before the first or behind the last
// may be said of all of them, but for what tells the items apart.
func (w *weigher) isAnothers(l *leaf, c candidate) bool {
	if w.inOthersRow(l, c) {
		return true
	}
	_, isKey := w.heads[l.f]
	if !isKey && w.isOfEach(c.span) {
		return false
	}
	if l.fixed != nil || c.led || l.item.region == nil || l.item.region.holds(c.span) {
		return false
	}
	if l.f.Type != schema.Integer && !(isKey && l.f.Type == schema.Text && strings.Trim(w.ix.Source[c.Start:c.End], "0123456789") == "") {
		return false
	}
	if m := w.ix.MeasureOf(c.span); m.Unit != "" || m.Code != "" {
		return true
	}
	if isKey && c.End-c.Start <= 3 && l.item.sure() && len(l.item.row) > 2 {
		return true
	}
	for _, other := range l.item.row {
		if other.region.holds(c.span) {
			return c.End-c.Start <= 3 && other.sure() && l.item.sure()
		}
	}
	return false
}

// nearEach is how many words a figure and the word that says that each has it are apart at most.
const nearEach = 3

// isOfEach tells whether a word in the clause of a figure says that each of several has it: 20 seeds each, each
// with 20 seeds.
func (w *weigher) isOfEach(s span) bool {
	first := w.ix.TokenAt(s.Start)
	if first >= len(w.ix.Tokens) {
		return false
	}
	for _, step := range []int{1, -1} {
		for i := first + step; i >= 0 && i < len(w.ix.Tokens) && i >= first-nearEach && i <= first+nearEach; i += step {
			t, beside := w.ix.Tokens[i], w.ix.Tokens[i-step]
			if gap := w.ix.Source[min(t.End, beside.End):max(t.Start, beside.Start)]; reading.EndsClause(gap) || strings.ContainsAny(gap, ",\n") {
				break
			}
			if lang.Apiece.Has(t.Word) {
				return true
			}
		}
	}
	return false
}

// figure is what may be a value in a cell.
var figure = lazy.New(`\d[\d.,'/:]*`)

// mostCells bounds how many figures of an item's region are looked at.
const mostCells = 40

// inOthersRow tells a figure that is found in the row of another item alone, while the
// item's own row has another figure under the same head.
func (w *weigher) inOthersRow(l *leaf, c candidate) bool {
	own := l.item.region
	if l.fixed != nil || c.led || own == nil || own.holds(c.span) || !l.item.sure() {
		return false
	}
	switch l.f.Type {
	case schema.Integer, schema.Number, schema.Money, schema.Quantity, schema.Date:
	default:
		return false
	}
	for _, other := range l.item.row {
		if other == l.item || !other.region.holds(c.span) || !other.sure() {
			continue
		}
		head := w.ix.HeadOf(c.span)
		if head == "" {
			return false
		}
		row := w.ix.Source[own.Start:own.End]
		for _, m := range figure.FindAllStringIndex(row, mostCells) {
			if w.ix.HeadOf(span{Start: own.Start + m[0], End: own.Start + m[1]}) == head {
				return true
			}
		}
		return false
	}
	return false
}

// inRegion gives the candidates in the region of the leaf's item, or of what that
// stands in; all of them where none is.
func (l *leaf) inRegion() []candidate {
	for it := l.item; it != nil; it = it.parent {
		if it.region != nil {
			if inside := it.region.of(l.cands); len(inside) > 0 {
				return inside
			}
		}
	}
	return l.cands
}

// longest drops the candidates that lie inside another: `steel` in a place
// where `steel plate` stands for the same choice.
func longest(cands []candidate) []candidate {
	if len(cands) < 2 {
		return cands
	}
	sort.SliceStable(cands, func(i, j int) bool {
		if cands[i].Start != cands[j].Start {
			return cands[i].Start < cands[j].Start
		}
		return cands[i].End > cands[j].End
	})
	kept := cands[:1]
	for _, c := range cands[1:] {
		if last := kept[len(kept)-1]; c.End > last.End {
			kept = append(kept, c)
		}
	}
	return kept
}

// mostHeads bounds how many cells are looked at for the head of their column.
const mostHeads = 200

// narrow keeps the candidates that a label leads, if any are led: one before them on their
// line, or the head of the column that they stand in.
func (w *weigher) narrow(f *schema.Field, cands []candidate) []candidate {
	var led []candidate
	looked := 0
	isLed := slices.ContainsFunc(cands, func(c candidate) bool { return c.led })
	for _, c := range cands {
		if !c.led && isLed && looked < mostHeads && w.ix.IsCell(c.span) {
			looked++
			c.led = w.headed(f, c.span)
		}
		if c.led {
			led = append(led, c)
		}
	}
	if len(led) > 0 {
		return led
	}
	return cands
}

// headed tells whether the head of a cell's column is a label of the field.
func (w *weigher) headed(f *schema.Field, s span) bool { return w.isCalled(f, w.ix.HeadOf(s)) }

// isCalled tells whether a text is a label of the field, and nothing more.
func (w *weigher) isCalled(f *schema.Field, head string) bool {
	if head == "" {
		return false
	}
	words := reading.Tokenize(head)
	if shortened.MatchString(head) && w.shortens(f, folded(head)) {
		return true
	}
	return slices.ContainsFunc(w.labels(f), func(name []string) bool {
		return slices.EqualFunc(words, name, func(t reading.Token, word string) bool { return t.Word == word })
	})
}

// shortened is a head of one word that is cut off: Med., Qty., or of four letters at least without a stop: Disc%.
var shortened = lazy.New(`^(?:\pL{3,}\.|\pL{4,} ?%?)$`)

// shortens tells whether a word is the begin of a field's name, and of that of no other field of its group.
func (w *weigher) shortens(f *schema.Field, word string) bool {
	if w.all == nil || utf8.RuneCountInString(word) < shortestName {
		return false
	}
	begins := func(f *schema.Field) bool {
		return slices.ContainsFunc(w.labels(f), func(name []string) bool {
			return len(name) == 1 && strings.HasPrefix(name[0], word) && name[0] != word
		})
	}
	return begins(f) && !slices.ContainsFunc(w.all.Leaves(), func(other *schema.Field) bool { return other != f && groupOf(other) == groupOf(f) && begins(other) })
}

// outside is what a place outside of an item's region costs.
const outside = 4000

// cost says how badly a candidate fits the places of its item. What stands
// before the item's first value counts double, since items run downwards; a
// place on the line of a placed value counts least.
func (w *weigher) cost(l *leaf, c candidate) int {
	cost := 0
	if c.kind != Quoted {
		cost += 8
	}
	if w.claimed[claim{l.f, c.span}] {
		cost += 400 // another item has its value there
	}
	if w.taken[c.span] {
		cost += 350 // another field has its value there
	}
	for it := l.item; it != nil; it = it.parent {
		if it.region != nil && !it.region.holds(c.span) {
			cost += outside
		}
	}
	for it := l.item; it != nil; it = it.parent {
		switch {
		case len(it.placed) > 0:
			return cost + w.distance(it.placed, c.span)
		case it.prior != nil && it.prior.last >= 0:
			return cost + follow(it.prior.last, c.Start)
		}
	}
	return cost + c.Start/64 // nothing to go by: the first place
}

func (w *weigher) distance(placed []spot, c span) int {
	best := 1 << 40
	line := w.ix.LineOf(c.Start)
	for _, p := range placed {
		gap, lines := max(0, c.Start-p.End), line-p.line
		if c.Start < p.Start {
			gap, lines = 2*max(0, p.Start-c.End), -2*lines
		}
		best = min(best, gap+100*lines)
	}
	return best
}

// follow prefers the nearest place behind the item before.
func follow(prior, start int) int {
	if start >= prior {
		return start - prior
	}
	return 10*(prior-start) + 1000
}

// known gives the candidates of a value, found once for all items that hold
// it: those that a label leads, if any are led; and the line of what speaks
// against it, if it stands nowhere.
func (w *weigher) known(f *schema.Field, v *value.Value, gone bool) ([]candidate, says) {
	key := sought{f, v.Kind, v.Text, gone}
	if v.Kind == value.Object {
		key.text = v.Named("").String()
	}
	cands, ok := w.found[key]
	if !ok {
		w.other, w.open, w.opposed, w.back = nil, nil, nil, nil
		cands = w.narrow(f, longest(w.candidates(f, v, gone)))
		w.found[key] = cands
		switch {
		case len(cands) > 0:
		case len(w.open) > 0:
			w.against[key] = says{open: w.ix.LineOf(w.open[0].Start) + 1, at: w.open[0]}
		case len(w.opposed) > 0:
			w.against[key] = says{opposed: w.ix.LineOf(w.opposed[0].Start) + 1, at: w.opposed[0]}
		case len(w.other) > 0 && !slices.ContainsFunc(w.other, func(s span) bool { return s != w.other[0] }):
			w.against[key] = says{other: w.ix.LineOf(w.other[0].Start) + 1, at: w.other[0]}
		case len(w.back) > 0:
			w.against[key] = says{back: w.ix.LineOf(w.back[0].Start) + 1, at: w.back[0]}
		}
	}
	return cands, w.against[key]
}
