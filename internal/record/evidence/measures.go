package evidence

import (
	"slices"
	"strings"
	"unicode"

	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// Schemas that programs write have no money and no quantities: an amount is a plain number, and
// a field of its own says its currency or unit, next to it or once for many: price and currency,
// size and size_unit. Such a field stands where the document says that of the amounts.

// saysMeasure tells what a value of a plain text or a choice is the name of, where its field is
// one for that: a currency by its code, or a unit as units are called here.
func saysMeasure(l *leaf) (code, unit string) {
	f := l.f.Kin()
	if f.Type != schema.Text && f.Type != schema.Choice || f.List != nil {
		return "", ""
	}
	v, err := value.Parse(l.value)
	if err != nil || v.Kind != value.String {
		return "", ""
	}
	if reading.HoldsCurrency(l.f) {
		code = reading.CurrencyCode(v.Text)
	}
	if code == "" && reading.HoldsUnit(l.f) {
		if unit = reading.UnitOf(v.Text); unit == "" && lang.Piece.Has(v.Text) {
			unit = pieces
		}
	}
	return code, unit
}

// pieces is the unit of what is counted.
const pieces = "pcs"

// measuresApart places the fields that say the currency or the unit of the numbers next to them,
// and tells which the document contradicts.
func (w *weigher) measuresApart() {
	money := map[value.Pointer]*leaf{} // what says the currency, by the group that it stands in
	for _, l := range w.leaves {
		switch code, unit := saysMeasure(l); {
		case l.fixed != nil:
		case code != "":
			money[l.path.Parent()] = l
		case unit != "":
			w.inUnitApart(l, unit)
		}
	}
	if len(money) == 0 {
		return
	}
	sums := map[*leaf][]*leaf{}
	for _, l := range w.leaves {
		if !isNumeral(l) {
			continue
		}
		for at := l.path; at != ""; {
			at = at.Parent()
			if of := money[at]; of != nil {
				sums[of] = append(sums[of], l)
				break
			}
		}
	}
	for _, l := range w.leaves {
		if money[l.path.Parent()] == l {
			code, _ := saysMeasure(l)
			w.inCurrencyApart(l, code, sums[l])
		}
	}
}

// isNumeral tells a value that is a number, as such or as a text.
func isNumeral(l *leaf) bool {
	switch l.f.Kin().Type {
	case schema.Number, schema.Integer:
		return true
	case schema.Text:
		return isBareFigure(strings.Trim(l.value, `"`))
	}
	return false
}

// inCurrencyApart places a currency by the sums that it is said of, as most of them have it, else by the
// document's others.
func (w *weigher) inCurrencyApart(l *leaf, code string, sums []*leaf) {
	own := w.places[l.path]
	var agreed Place
	with, against, other := 0, 0, 0
	for _, sum := range sums {
		switch w.withMeasure(sum, l, code, schema.Money) {
		case agrees:
			if with++; with == 1 {
				agreed = w.places[l.path]
			}
		case differs:
			if against++; other == 0 {
				other = w.places[sum.path].Line
			}
		}
	}
	if with > 0 && with >= against {
		w.places[l.path] = agreed
		return
	}
	w.places[l.path] = own
	is, others := w.ix.IsIn(code)
	switch priced := w.ix.Priced(code); {
	case own.Found() && own.Led:
	case other > 0:
		w.places[l.path] = Place{Kind: None, Against: other}
	case own.Found():
	case is && len(priced) > 0:
		w.said(l, w.ix.MeasureOf(priced[0]))
	case is:
		w.places[l.path] = Place{Kind: Inferred} // by its name, somewhere
	case others:
		w.places[l.path] = Place{Kind: None}
	}
}

// inUnitApart places a unit by the number that it is said of.
func (w *weigher) inUnitApart(l *leaf, unit string) {
	n := w.numberOf(l)
	if n == nil {
		return
	}
	own, at := w.places[l.path], w.places[n.path]
	switch said := w.withMeasure(n, l, unit, schema.Quantity); {
	case own.Found() && own.Led || said == agrees:
	case said == differs && !w.inCellBehind(at, own):
		w.places[l.path] = Place{Kind: None, Against: at.Line}
	case said == silent && at.Found() && own.Found() && w.ofOtherFigure(own, at):
		w.places[l.path] = Place{Kind: l.lacking}
	}
}

// ofOtherFigure tells a unit that stands right behind another figure than its own.
func (w *weigher) ofOtherFigure(own, at Place) bool {
	before := strings.TrimRight(w.ix.Source[:own.Start], " \u00a0")
	return before != "" && before[len(before)-1] >= '0' && before[len(before)-1] <= '9' && len(before) != at.End && own.Start-len(before) < 3
}

// inCellBehind tells a unit in a cell of its own, in the row of its figure behind it: 9.4   L   µg/l.
func (w *weigher) inCellBehind(at, own Place) bool {
	if !at.Found() || !own.Found() || own.Line != at.Line || own.Start < at.End {
		return false
	}
	edge := func(gap string) bool { return strings.Contains(gap, "  ") || strings.ContainsAny(gap, "\t|\n") }
	before := w.ix.Source[max(at.End, own.Start-2):own.Start]
	behind := w.ix.Source[own.End:]
	return edge(before) && (len(behind) < 2 || edge(behind[:2]))
}

// What a document says of the measure of a number: nothing, that it is so, or that it is another.
type agreement int

const (
	silent agreement = iota
	agrees
	differs
)

// withMeasure looks for a number and what another field says its measure is as one amount: 0.4 and kg
// stand in 400 g. It gives both their place where they have one, and tells what the document says.
func (w *weigher) withMeasure(n, l *leaf, measure string, kind schema.Type) agreement {
	name := map[schema.Type]string{schema.Money: "currency", schema.Quantity: "unit"}[kind]
	figure := strings.Trim(n.value, `"`)
	if kind == schema.Money && w.measureNamed(n.f.Kin()).hundredths {
		figure = reading.Hundredth(figure)
	}
	if at := w.places[n.path]; at.Found() && kind == schema.Quantity {
		if counted := w.countsPieces(between(at.Start, at.End)); measure == pieces || counted {
			return w.piecesAt(l, between(at.Start, at.End), measure, counted)
		}
	}
	both := value.Obj(value.Num(figure).Named("amount"), value.Str(measure).Named(name))
	cands, _ := w.known(w.amountField(n, measure, kind), &both, n.item.gone)
	at := w.places[n.path]
	if !at.Found() {
		if n.fixed != nil || len(cands) == 0 || n.f.Kin().Type == schema.Text {
			return silent
		}
		best := slices.MinFunc(cands, func(a, b candidate) int { return w.cost(n, a) - w.cost(n, b) })
		w.restate(n, best.span)
		w.said(l, reading.Measure{Where: best.span})
		return agrees
	}
	s := between(at.Start, at.End)
	m := w.ix.MeasureOf(s)
	if len(cands) == 0 && kind == schema.Money && m.Code == "" && n.fixed == nil && !at.Led && w.isItsOnly(n, l) { // a bare 2, where £22.00 stands
		w.places[n.path] = Place{Kind: None}
		return silent
	}
	as := slices.IndexFunc(cands, func(c candidate) bool { return c.Start < at.End && at.Start < c.End })
	switch {
	case as >= 0 && m.Code == "" && strings.ContainsFunc(w.ix.Source[cands[as].Start:cands[as].End], isSignOrLetter):
		w.said(l, reading.Measure{Where: cands[as].span})
		return agrees
	case m.Unit == "" && m.Code == "" && !m.Minor, kind == schema.Money && m.Code == "", kind == schema.Quantity && m.Unit == "":
		return silent
	case as >= 0:
		w.said(l, m)
		return agrees
	}
	if i := slices.IndexFunc(cands, func(c candidate) bool { return w.ix.LineOf(c.Start) == at.Line-1 }); i >= 0 && n.fixed == nil { // the 10 of 10 mg, and not that of 10 days
		w.restate(n, cands[i].span)
		w.said(l, reading.Measure{Where: cands[i].span})
		return agrees
	}
	return differs
}

// countsPieces tells whether a word for pieces stands behind a figure.
func (w *weigher) countsPieces(s span) bool {
	i := w.ix.TokenAt(s.End)
	return i < len(w.ix.Tokens) && strings.Trim(w.ix.Source[s.End:max(s.End, w.ix.Tokens[i].Start)], " \u00a0") == "" && lang.Piece.Has(w.ix.Tokens[i].Word)
}

// piecesAt compares a unit with pieces.
func (w *weigher) piecesAt(l *leaf, s span, measure string, counted bool) agreement {
	switch m := w.ix.MeasureOf(s); {
	case counted && measure == pieces:
		w.said(l, reading.Measure{Where: between(s.Start, w.ix.Tokens[w.ix.TokenAt(s.End)].End)})
		return agrees
	case counted || m.Unit != "" && m.Where != s:
		return differs
	}
	return silent
}

// isSignOrLetter tells what a measure is written in.
func isSignOrLetter(r rune) bool { return unicode.IsLetter(r) || unicode.Is(unicode.Sc, r) || r == '%' }

// isItsOnly tells the number that stands alone with its measure in a group.
func (w *weigher) isItsOnly(n, l *leaf) bool {
	parent := l.path.Parent()
	return n.path.Parent() == parent && !slices.ContainsFunc(l.item.leaves, func(other *leaf) bool {
		return other != n && other.path.Parent() == parent && isNumeral(other)
	})
}

// amountField gives the field that a number would be with its measure.
func (w *weigher) amountField(n *leaf, measure string, kind schema.Type) *schema.Field {
	key := amountOf{n.f, measure, kind}
	f := w.amounts[key]
	if f == nil {
		copied := *n.f
		f = &copied
		f.Type = kind
		if w.amounts == nil {
			w.amounts = map[amountOf]*schema.Field{}
		}
		w.amounts[key] = f
	}
	return f
}

// amountOf is a number's field with a measure.
type amountOf struct {
	f       *schema.Field
	measure string
	kind    schema.Type
}

// numberOf gives the number that a field says the unit of: the one that has its name, but for the
// word for unit; else the only one of its group, or the one right before it.
func (w *weigher) numberOf(l *leaf) *leaf {
	name := slices.DeleteFunc(strings.Fields(l.f.SpokenName()), lang.UnitWord.Has)
	var all []*leaf
	var before *leaf
	seen := false
	for _, other := range l.item.leaves {
		if seen = seen || other == l; other.path.Parent() != l.path.Parent() || !isNumeral(other) {
			continue
		}
		if words := strings.Fields(other.f.SpokenName()); len(name) > 0 && strings.HasPrefix(strings.Join(words, " ")+" ", strings.Join(name, " ")+" ") {
			return other
		}
		if all = append(all, other); !seen {
			before = other
		}
	}
	if len(all) == 1 {
		return all[0]
	}
	return before
}

// said places a measure where a figure has it: its word there, where the value is that word, else
// the figure with it. Where a head or a label says it, a place that it has already stays.
func (w *weigher) said(l *leaf, m reading.Measure) {
	own := w.places[l.path]
	text := w.ix.Source[m.Where.Start:m.Where.End]
	k := strings.LastIndex(text, m.Word)
	switch {
	case own.Found() && (k < 0 || m.Word == "" || own.Start >= m.Where.Start && own.End <= m.Where.End):
	case m.Word != "" && k >= 0 && value.Str(m.Word).String() == l.value:
		s := between(m.Where.Start+k, m.Where.Start+k+len(m.Word))
		w.places[l.path] = Place{Kind: Quoted, Start: s.Start, End: s.End, Line: w.ix.LineOf(s.Start) + 1, Tied: true}
	default:
		w.restate(l, m.Where)
	}
}

// restate gives a value a place that says it in other words.
func (w *weigher) restate(l *leaf, s span) {
	w.places[l.path] = Place{Kind: Restated, Start: s.Start, End: s.End, Line: w.ix.LineOf(s.Start) + 1, Tied: true}
}
