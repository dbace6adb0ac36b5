// Package score measures filled records against gold.
//
// Rules it keeps (the definitions, with a worked example, are in
// docs/scoring.md):
//
//   - Every leaf that gold or the record has gets exactly one outcome.
//   - A ratio with nothing under its bar does not exist; it is not 0 and not 1.
//   - A document that is not counted is named, with the reason.
package score

import (
	"filler/internal/base/value"
	"filler/internal/record/pair"
	"filler/internal/schema"
)

// Outcome is what became of a leaf.
type Outcome uint8

// The outcomes.
const (
	Blank  Outcome = iota // neither side has a value
	Right                 // both have the same value
	Wrong                 // both have a value, and they differ
	Missed                // only gold has one
	Extra                 // only the record has one
)

var outcomeNames = [...]string{"blank", "right", "wrong", "missed", "extra"}

func (o Outcome) String() string { return outcomeNames[o] }

// Leaf is one leaf of a gold record and the one it is paired with.
type Leaf struct {
	Field   *schema.Field
	Gold    *value.Value // nil where gold has no such place
	Filled  *value.Value
	Outcome Outcome
	// The places, where Walk was asked for them; "" where a side has none.
	GoldPath, FilledPath value.Pointer
	Lone                 bool // it lies in an item that has no pair
	// Below is how many steps below the field's own place the leaf stands: 0, but for what a
	// map holds.
	Below int
}

// Own gives the place of the field whose leaf stands at a place.
func (l *Leaf) Own(p value.Pointer) value.Pointer {
	if p == "" {
		return p
	}
	for range l.Below {
		p = p.Parent()
	}
	return p
}

// Items counts the items of a list.
type Items struct{ Found, Missed, Extra int }

// Visitor hears of every leaf and of every list item.
type Visitor struct {
	Leaf  func(l Leaf)
	Item  func(list *schema.Field, inGold, inFilled bool)
	Paths bool // whether leaves should say where they are
	// Beyond has an item that gold has not stand behind the last of gold's, where
	// it would be put.
	Beyond bool
	// TooLong hears of lists that are too long for the best pairing; may be nil.
	TooLong func(list *schema.Field)
}

// Walk pairs a gold record with a filled one and tells every leaf. Either may
// be nil: then all leaves of the other are missed, or extra.
func Walk(s *schema.Schema, gold, filled *value.Value, v Visitor) {
	w := walker{Visitor: v, alike: gold != nil && isShared(gold, filled)}
	w.field(s.Root, sided{v: gold}, sided{v: filled})
	if w.matching != nil {
		w.matching.End()
	}
}

// sided is a value on one side, where it stands, and what of it was made ready.
type sided struct {
	v     *value.Value
	at    value.Pointer
	ready pair.Ready
}

type walker struct {
	Visitor
	matching *pair.Matching // nil until a list is paired
	alike    bool           // both sides say the same here and below
	lone     bool           // here and below lies in an item that has no pair
}

// nowhere is the place of what an unpaired item has on the other side.
const nowhere = value.Pointer("\x00")

func (w *walker) key(p value.Pointer, name string) value.Pointer {
	if !w.Paths || p == nowhere {
		return p
	}
	return p.Key(name)
}

func (w *walker) index(p value.Pointer, i int) value.Pointer {
	switch {
	case !w.Paths || p == nowhere:
		return p
	case i < 0:
		return nowhere
	}
	return p.Index(i)
}

func known(p value.Pointer) value.Pointer {
	if p == nowhere {
		return ""
	}
	return p
}

// kid gives the field at i of a group.
func (w *walker) kid(s *sided, i int, name string) sided {
	return sided{s.v.GetAt(i, name), w.key(s.at, name), s.ready.Kid(i)}
}

func (w *walker) field(f *schema.Field, gold, filled sided) {
	switch f.Type {
	case schema.Group:
		for i, kid := range f.Fields {
			w.field(kid, w.kid(&gold, i, kid.Name), w.kid(&filled, i, kid.Name))
		}
	case schema.List:
		w.list(f, &gold, &filled)
	default:
		if !f.Scored() {
			return
		}
		w.leaf(f, gold, filled, 0)
	}
}

// leaf tells a leaf, or what a map holds name by name.
func (w *walker) leaf(f *schema.Field, gold, filled sided, below int) {
	g, d := pair.HasEntries(f, gold.v), pair.HasEntries(f, filled.v)
	if !g && !d {
		l := Leaf{Field: f, Gold: gold.v, Filled: filled.v, GoldPath: known(gold.at), FilledPath: known(filled.at), Lone: w.lone, Below: below}
		switch {
		case !w.alike:
			l.Outcome = outcome(f, gold.v, filled.v)
		case pair.Has(gold.v):
			l.Outcome = Right
		}
		w.Leaf(l)
		return
	}
	if !g && pair.Has(gold.v) { // one value, where the other side has several
		w.leaf(f, gold, sided{at: nowhere}, below)
	}
	var x, y *value.Value
	if g {
		x = gold.v
	}
	if d {
		y = filled.v
	}
	pair.Entries(x, y, func(name string, a, b *value.Value) {
		w.leaf(f, sided{v: a, at: w.key(gold.at, name)}, sided{v: b, at: w.key(filled.at, name)}, below+1)
	})
	if !d && pair.Has(filled.v) {
		w.leaf(f, sided{at: nowhere}, filled, below)
	}
}

// list pairs the items of a list. Of lists that say the same, nothing below is
// compared again.
func (w *walker) list(f *schema.Field, gold, filled *sided) {
	g, d := pair.Items(gold.v), pair.Items(filled.v)
	was := w.alike
	if w.alike = was || pair.Same(g, d); w.alike {
		for i := range g {
			if w.Item != nil {
				w.Item(f, true, true)
			}
			w.field(f.Item, sided{v: &g[i], at: w.index(gold.at, i)}, sided{v: &d[i], at: w.index(filled.at, i)})
		}
		w.alike = was
		return
	}
	if w.TooLong != nil && pair.IsTooMany(len(g), len(d)) {
		w.TooLong(f)
	}
	beyond := len(g)
	tell := func(p pair.Pair, same bool, x, y pair.Ready) {
		if w.Item != nil {
			w.Item(f, p.Gold >= 0, p.Filled >= 0)
		}
		ig := w.index(gold.at, p.Gold)
		if w.Beyond && p.Gold < 0 {
			ig, beyond = w.index(gold.at, beyond), beyond+1
		}
		in := w.lone
		w.lone, w.alike = in || p.Gold < 0 || p.Filled < 0, same
		w.field(f.Item, sided{at(g, p.Gold), ig, x}, sided{at(d, p.Filled), w.index(filled.at, p.Filled), y})
		w.lone, w.alike = in, false
	}
	if w.matching == nil {
		w.matching = pair.Begin()
	}
	w.matching.Lists(f, g, d, gold.ready, filled.ready, tell)
}

func at(items []value.Value, i int) *value.Value {
	if i < 0 {
		return nil
	}
	return &items[i]
}

func outcome(f *schema.Field, gold, filled *value.Value) Outcome {
	switch g, d := pair.Has(gold), pair.Has(filled); {
	case g && d:
		if pair.Right(f, gold, filled) {
			return Right
		}
		return Wrong
	case g:
		return Missed
	case d:
		return Extra
	}
	return Blank
}

// Counts are outcomes, counted.
type Counts struct{ Right, Wrong, Missed, Extra, Blank int }

// Add counts one more outcome.
func (c *Counts) Add(o Outcome) {
	switch o {
	case Right:
		c.Right++
	case Wrong:
		c.Wrong++
	case Missed:
		c.Missed++
	case Extra:
		c.Extra++
	default:
		c.Blank++
	}
}

// Errors gives how many leaves are wrong, missed or extra.
func (c Counts) Errors() int { return c.Wrong + c.Missed + c.Extra }

// Plus gives the sum of two counts.
func (c Counts) Plus(o Counts) Counts {
	return Counts{c.Right + o.Right, c.Wrong + o.Wrong, c.Missed + o.Missed, c.Extra + o.Extra, c.Blank + o.Blank}
}

// minus gives what was added since.
func (c Counts) minus(o Counts) Counts {
	return Counts{c.Right - o.Right, c.Wrong - o.Wrong, c.Missed - o.Missed, c.Extra - o.Extra, c.Blank - o.Blank}
}

// Ratio is a number from 0 to 1 that may not exist.
type Ratio struct {
	Value  float64
	Exists bool
}

func ratio(over, under int) Ratio {
	if under == 0 {
		return Ratio{}
	}
	return Ratio{float64(over) / float64(under), true}
}

// Precision is right / (right + wrong + extra).
func (c Counts) Precision() Ratio { return ratio(c.Right, c.Right+c.Wrong+c.Extra) }

// Recall is right / (right + wrong + missed).
func (c Counts) Recall() Ratio { return ratio(c.Right, c.Right+c.Wrong+c.Missed) }

// F1 is 2 right / (2 right + 2 wrong + extra + missed).
func (c Counts) F1() Ratio {
	return ratio(2*c.Right, 2*c.Right+2*c.Wrong+c.Extra+c.Missed)
}

// Accuracy is right / (right + wrong + missed + extra).
func (c Counts) Accuracy() Ratio { return ratio(c.Right, c.Right+c.Wrong+c.Missed+c.Extra) }

// Mean gives the mean of the ratios that exist.
func Mean(ratios []Ratio) Ratio {
	sum, n := 0.0, 0
	for _, r := range ratios {
		if r.Exists {
			sum, n = sum+r.Value, n+1
		}
	}
	if n == 0 {
		return Ratio{}
	}
	return Ratio{sum / float64(n), true}
}
