package evidence

import (
	"slices"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lazy"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// Short figures that stand in a document as a part of something else: the 15 of 19:15, the 2 of NC4 2QB.

var (
	hourBefore   = lazy.New(`(?:^|\D)(?:[01]?\d|2[0-4]):$`)
	minuteBehind = lazy.New(`^:[0-5]\d(?:\D|$)`)
	capitals     = lazy.New(`^\p{Lu}{2,}`)
)

// isStray tells whether a figure is the hour or the minute of a time, or begins a code of letters that are no unit
// and no currency.
func (ix *Index) isStray(s span) bool {
	before, behind := ix.Source[max(0, s.Start-4):s.Start], ix.Source[s.End:min(len(ix.Source), s.End+16)]
	switch n := s.End - s.Start; {
	case n == 2 && hourBefore.MatchString(before), n <= 2 && minuteBehind.MatchString(behind):
		return true
	}
	code := capitals.FindString(behind)
	next, _ := utf8.DecodeRuneInString(behind[len(code):])
	if m := ix.MeasureOf(s); code == "" || m.Unit != "" || m.Code != "" || unicode.IsLower(next) {
		return false
	}
	return reading.UnitOf(code) == ""
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
