package evidence

import (
	"strings"

	"filler/internal/base/lang"
	"filler/internal/schema"
)

// Ranges in the lines of items, as the depths of layers: 0-24 cm, 24-41 cm, 41-83 cm. Where a field's values begin the
// ranges of the other items, one that ends its own item's range is the other field's.

// inOwnEnds takes their places from values that stand at the other end of their item's range than those of the
// other items do.
func (w *weigher) inOwnEnds(h *homes) {
	if len(h.list) <= fewestInOrder {
		return
	}
	type atEnd struct {
		l    *leaf
		end  int
		said span
	}
	byField := map[*schema.Field][]atEnd{}
	for i, it := range h.list {
		if !h.own(i) {
			continue
		}
		for _, l := range it.leaves {
			if at := w.places[l.path]; l.fixed == nil && at.Found() && !at.Basis && at.Line-1 == h.at[i] && isFigure(l.f.Kin()) {
				if end, said := w.endAt(at); end != noEnd {
					byField[l.f] = append(byField[l.f], atEnd{l, end, said})
				}
			}
		}
	}
	for _, all := range byField {
		count := map[int]int{}
		for _, a := range all {
			count[a.end]++
		}
		for _, a := range all {
			if most := count[firstEnd+lastEnd-a.end]; most < fewestInOrder || 2*count[a.end] > most {
				continue
			}
			if _, other := w.endsIn(a.said, a.end); candidateAt(a.l.cands, other) == nil {
				w.places[a.l.path] = Place{Kind: a.l.lacking, Range: w.ix.Source[a.said.Start:a.said.End]}
			}
		}
	}
}

// endAt tells which end of a range a figure is, and gives the range.
func (w *weigher) endAt(at Place) (end int, said span) {
	if !w.isJoinedBeside(at) {
		return noEnd, span{}
	}
	_, figures := w.ix.NumbersIn(w.ix.LineSpan(at.Line - 1))
	for k, s := range figures {
		if s.Start >= at.End || at.Start >= s.End {
			continue
		}
		first := k+1 < len(figures) && joinsEnds(w.ix.Source[s.End:max(s.End, figures[k+1].Start)])
		last := k > 0 && joinsEnds(w.ix.Source[figures[k-1].End:max(figures[k-1].End, s.Start)])
		switch {
		case first && !last:
			return firstEnd, between(s.Start, figures[k+1].End)
		case last && !first:
			return lastEnd, between(figures[k-1].Start, s.End)
		}
		return noEnd, span{}
	}
	return noEnd, span{}
}

// besideRange is how many bytes around a figure the sign of a range stands at most.
const besideRange = 6

// isJoinedBeside tells whether the sign of a range, or a word for until, stands right beside a place.
func (w *weigher) isJoinedBeside(at Place) bool {
	around := w.ix.Source[max(0, at.Start-besideRange):at.Start] + w.ix.Source[at.End:min(len(w.ix.Source), at.End+besideRange)]
	if strings.ContainsAny(around, "-–—…→") {
		return true
	}
	first, behind := w.ix.TokenAt(at.Start), w.ix.TokenAt(at.End)
	return first > 0 && lang.Until.Has(w.ix.Tokens[first-1].Word) || behind < len(w.ix.Tokens) && lang.Until.Has(w.ix.Tokens[behind].Word)
}

// endsIn gives the figure at one end of a range, and that at the other.
func (w *weigher) endsIn(said span, end int) (own, other span) {
	_, figures := w.ix.NumbersIn(said)
	if len(figures) < 2 {
		return said, said
	}
	own, other = figures[0], figures[len(figures)-1]
	if end == lastEnd {
		own, other = other, own
	}
	return own, other
}
