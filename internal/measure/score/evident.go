package score

import (
	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/record"
)

// Evident sets evidence beside accuracy: what of the filled values stands in the
// source.
type Evident struct {
	Known bool // records came with evidence
	// Filled values with and without a place in the source; wrong ones are wrong
	// or extra.
	RightWith, RightWithout, WrongWith, WrongWithout int
	// Of right values whose gold has a place: how many stand there.
	SamePlace, OtherPlace int
}

// placed looks at the places of one document's values.
type placed struct {
	filled, gold *value.Value
	compare      bool
}

// places gives what looks at the places of a document; nil where its record has
// none.
func (sc *Scorer) places(g *gold.Record, l *record.Line) *placed {
	if len(l.Evidence.Kids) == 0 {
		return nil
	}
	sc.report.Evident.Known = true
	return &placed{&l.Evidence, &g.Places, sc.options.Places}
}

func (p *placed) leaf(e *Evident, l Leaf) {
	if l.FilledPath == "" || l.Outcome == Blank || l.Outcome == Missed {
		return
	}
	from, to, found := spanOf(placeAt(p.filled, l.FilledPath, &l))
	right := l.Outcome == Right
	switch {
	case right && found:
		e.RightWith++
	case right:
		e.RightWithout++
	case found:
		e.WrongWith++
	default:
		e.WrongWithout++
	}
	if !p.compare || !right || !found {
		return
	}
	if a, b, ok := spanOf(placeAt(p.gold, l.GoldPath, &l)); ok {
		if a < to && from < b {
			e.SamePlace++
		} else {
			e.OtherPlace++
		}
	}
}

// placeAt gives the place of a leaf; of an entry of a map that of the map, where no more is known.
func placeAt(places *value.Value, at value.Pointer, l *Leaf) *value.Value {
	if place := places.Get(string(at)); place != nil {
		return place
	}
	return places.Get(string(l.Own(at)))
}

// spanOf reads the bytes that a place spans.
func spanOf(place *value.Value) (from, to int, found bool) {
	if place == nil {
		return 0, 0, false
	}
	start, end := place.Get("start"), place.Get("end")
	if start == nil || end == nil {
		return 0, 0, false
	}
	from, ok := value.ArrayIndex(start.Text)
	to, ok2 := value.ArrayIndex(end.Text)
	return from, to, ok && ok2 && to > from
}
