package evidence

import (
	"slices"
	"strings"
	"unicode/utf8"

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

// inMonth tells whether a figure is that of a month: the 8 of 08/2021.
func (ix *Index) inMonth(s span) bool {
	before, _ := utf8.DecodeLastRuneInString(ix.Source[:s.Start])
	return s.End-s.Start <= 2 && !strings.ContainsRune("/.-", before) && monthBehind.MatchString(ix.Source[s.End:min(len(ix.Source), s.End+8)])
}

var monthBehind = lazy.New(`^[/.](?:19|20)\d\d(?:[^\d/.]|[/.]?$|[/.]\D)`)

// ofYear gives the places of a number before its year: Week 43/2031. One that may be a month counts behind a label
// of its field alone.
func (w *weigher) ofYear(f *schema.Field, text string) (found []span) {
	for _, i := range w.ix.ByWord[text] {
		s := w.ix.Tokens[i].Span
		if w.numbered(f, s) || yearBehind.MatchString(w.ix.Source[s.End:]) && (len(text) > 2 || text > "12" && len(text) == 2) && (s.Start == 0 || strings.ContainsRune(" \n\t(", rune(w.ix.Source[s.Start-1]))) {
			found = append(found, s)
		}
	}
	return found
}

// numbered tells a figure right behind a label of its field and before a year: No. 7/2031.
func (w *weigher) numbered(f *schema.Field, s span) bool {
	first := w.ix.TokenAt(s.Start)
	return yearBehind.MatchString(w.ix.Source[s.End:]) && slices.ContainsFunc(w.labels(f), func(name []string) bool {
		begin := first - len(name)
		return begin >= 0 && w.ix.Reads(begin, name) && strings.Trim(w.ix.Source[w.ix.Tokens[first-1].End:s.Start], " .:#") == ""
	})
}

var yearBehind = lazy.New(`^/(?:19|20)\d\d\b`)

// ownBesideShared gives the one figure of an item's line that nobody took, for a number that was read from where
// another field has its value: 15 of a price for 14 minutes.
func (w *weigher) ownBesideShared(it *item, l *leaf, line int) span {
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
	return w.onlyFigure(line, func(s span) bool {
		return !w.ix.InDate(s) && len(w.startAt[s.Start]) == 0 && !w.isRead(it, s)
	})
}
