package evidence

import (
	"slices"

	"filler/internal/base/lazy"
	"filler/internal/schema"
)

// Short figures that stand in a document as a part of something else, or are another field's.

var (
	outward = lazy.New(`\b\p{Lu}{1,2}\d[\p{Lu}\d]? $`)
	inward  = lazy.New(`^\p{Lu}{2}\b`)
)

// inPostcode tells whether a figure stands in a postcode of letters and figures: the 2 of NC4 2QB.
func (ix *Index) inPostcode(s span) bool {
	before, behind := ix.Source[max(0, s.Start-6):s.Start], ix.Source[s.End:min(len(ix.Source), s.End+4)]
	return s.End-s.Start == 1 && outward.MatchString(before) && inward.MatchString(behind)
}

// ownBesideShared gives the one figure of an item's line that nobody took, for a number that was read from where
// another field has its value: 15 of a price for 14 minutes.
func (w *weigher) ownBesideShared(it *item, l *leaf, line int) (own span) {
	if t := l.f.Kin().Type; t != schema.Integer && t != schema.Number {
		return span{}
	}
	if w.startAt == nil {
		w.startAt = map[int][]*leaf{}
		for _, other := range w.leaves {
			if at := w.places[other.path]; at.Found() && !at.Basis {
				w.startAt[at.Start] = append(w.startAt[at.Start], other)
			}
		}
	}
	isOthers := func(other *leaf) bool { return other.f != l.f && other.item != it && other.item.parent != nil }
	if !slices.ContainsFunc(w.startAt[w.places[l.path].Start], isOthers) {
		return span{}
	}
	row, start, _ := w.ix.rowAt(line)
	from := start + len(listMark.FindString(row))
	for _, m := range figuresOf(row) {
		s := between(start+m[0], start+m[1])
		if s.Start < from || w.ix.InDate(s) || len(w.startAt[s.Start]) > 0 || w.isRead(it, s) {
			continue
		}
		if own.End > 0 {
			return span{}
		}
		own = s
	}
	return own
}
