package evidence

import (
	"slices"
	"strings"

	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// Mail quotes older mail, line by line behind a >, and what an older mail says may
// be said otherwise by now.

// older takes the place away of amounts, quantities and days that stand in a mail
// quoted more deeply than most of the record, where a newer part has another of
// the kind that no value comes from.
func (w *weigher) older() {
	if !strings.Contains(w.ix.Source, "\n>") && !strings.HasPrefix(w.ix.Source, ">") && w.history() > len(w.ix.Breaks) {
		return
	}
	at := make([]int, 0, 4) // how many values stand at each depth
	for _, l := range w.chosen {
		d := w.depth(w.places[l.path].Start)
		for len(at) <= d {
			at = append(at, 0)
		}
		at[d]++
	}
	newest, most := 0, 0
	for d, n := range at {
		if n > most {
			newest, most = d, n
		}
	}
	for _, l := range w.chosen {
		place := w.places[l.path]
		d := w.depth(place.Start)
		if d == 0 || saysFormer(l.f) {
			continue
		}
		newer := newest
		if d <= newest { // most stands there, and what a newer mail changes is an amount
			if newer = d - 1; l.f.Kin().Type == schema.Date || w.standsAbove(l, newer) {
				continue
			}
		}
		if s, has := w.newerThan(l, place, newer); has {
			w.places[l.path] = Place{Kind: l.lacking, Opposed: w.ix.LineOf(s.Start) + 1}
		}
	}
}

// standsAbove tells whether a value stands in a part quoted no more deeply than that, too.
func (w *weigher) standsAbove(l *leaf, depth int) bool {
	return slices.ContainsFunc(l.cands, func(c candidate) bool { return w.depth(c.Start) <= depth })
}

// depth counts the marks of quoting before a line; what a mail quotes without marks has one.
func (w *weigher) depth(offset int) (n int) {
	at := w.ix.LineOf(offset)
	for _, r := range w.ix.Line(at + 1) {
		if r == '>' {
			n++
		} else if r != ' ' {
			break
		}
	}
	if n == 0 && at >= w.history() {
		return 1
	}
	return n
}

// history gives the line with which earlier messages begin; of a document of many entries each
// message is as good as the next.
func (w *weigher) history() int {
	if w.all != nil && w.all.EachEntry() {
		return len(w.ix.Breaks) + 1
	}
	return w.ix.History()
}

// newerThan gives a value of the kind, in a part that is quoted less deeply, that no value of the
// record comes from.
func (w *weigher) newerThan(l *leaf, place Place, newest int) (s span, has bool) {
	free := func(s reading.Span) bool {
		for _, other := range w.chosen {
			if p := w.places[other.path]; p.Start < s.End && s.Start < p.End {
				return false
			}
		}
		return w.depth(s.Start) <= newest
	}
	switch l.f.Kin().Type {
	case schema.Date:
		for _, s := range w.ix.AllDays() {
			if free(s) && !w.ofMail(s) {
				return s, true
			}
		}
	case schema.Money, schema.Quantity, schema.Number, schema.Integer:
		own := w.ix.MeasureOf(between(place.Start, place.End))
		if figure, ok := w.ix.FigureIn(between(place.Start, place.End)); ok {
			own = w.ix.MeasureOf(figure)
		}
		if own.Unit == "" && own.Code == "" {
			return s, false
		}
		for _, s := range w.ix.AllNumbers() {
			if m := w.ix.MeasureOf(s); m.Unit == own.Unit && m.Code == own.Code && free(m.Where) && !w.ix.InDate(s) {
				return s, true
			}
		}
	}
	return s, false
}

// ofMail tells whether a day is that of a mail: it stands in its header, or in the line above what it
// quotes, On 13 March 2034 at 11:02 Ida Marsh wrote:
func (w *weigher) ofMail(s span) bool {
	text := w.ix.Source
	line := w.ix.LineSpan(w.ix.LineOf(s.Start))
	if head, _, _ := strings.Cut(text, "\n\n"); strings.HasPrefix(text, "From:") && line.End <= len(head) {
		return true
	}
	return strings.HasPrefix(strings.TrimLeft(text[line.End:], " \n"), ">")
}

// saysGone tells a group that says of itself that it was cancelled, withdrawn or deleted: what is
// struck out is its very own.
func saysGone(f *schema.Field, v *value.Value) bool {
	for i := range v.Kids {
		kid := f.Child(v.Kids[i].Name)
		if kid == nil {
			continue
		}
		switch of, said := kid.Kin(), v.Kids[i]; {
		case of.Type == schema.Choice && said.Kind == value.String && takesBack(said.Text, lang.Removal):
			return true
		case of.Type == schema.Boolean && said.Text == "true" && takesBack(schema.Spoken(kid.Name), lang.Removal):
			return true
		}
	}
	return false
}

// takenBack tells whether the text takes a place back from a field: not what a change began with, raised
// from 18 to 21, where the field is for that.
func (w *weigher) takenBack(f *schema.Field, s span) bool {
	return w.ix.TakenBack(s) && !(w.ix.Replaced(s) && (f.NamedBy(lang.RangeFirst) || saysFormer(f)))
}

// saysFormer tells a field for what was so once, and may be struck out: old_price.
func saysFormer(f *schema.Field) bool {
	return takesBack(schema.Spoken(f.Name), lang.Former)
}

func takesBack(text string, kind lang.Kind) bool {
	text = strings.ToLower(schema.Spoken(text))
	return kind.Has(text) || slices.ContainsFunc(strings.Fields(text), func(word string) bool { return kind.Has(word) || kind == lang.Former && lang.Removal.Has(word) })
}
