package evidence

import (
	"slices"
	"strconv"
	"strings"

	"filler/internal/base/lang"
	"filler/internal/schema"
)

// Documents number things and leave it to the reader to count them: photos 4 to 8 are five, sheets 2, 5 and 9
// are three.

// mostNumbers is how many numbers one enumeration has at most.
const mostNumbers = 24

// countedThrough gives the places where a field's name stands before numbers of things that come to a count. One
// number alone counts only where the document numbers such things elsewhere, from one to another.
func (w *weigher) countedThrough(f *schema.Field, text string) (found []span) {
	want, err := strconv.Atoi(text)
	if err != nil || want < 1 || strings.HasSuffix(f.Path, "[]") { // what is numbered itself, and no count
		return nil
	}
	var alone []span
	through := false
	w.counting = map[span]bool{}
	for _, of := range w.enumerations(f) {
		through = through || of.ranges
		w.counting[of.span] = false
		switch {
		case of.n != want:
		case of.n > 1:
			found = append(found, of.span)
		default:
			alone = append(alone, of.span)
		}
	}
	if through {
		found = append(found, alone...)
	}
	for _, s := range found {
		w.counting[s] = true
	}
	return found
}

// countsBeforeNumbers drops the figures that number something, where other numbers come to the count itself: of
// one photo the 9 of photo 9, and not the 1 of photos 1 to 3.
func (w *weigher) countsBeforeNumbers(cands []candidate) []candidate {
	if len(w.counting) == 0 || !slices.ContainsFunc(cands, func(c candidate) bool { return w.counting[c.span] }) {
		return cands
	}
	return slices.DeleteFunc(cands, func(c candidate) bool {
		if w.counting[c.span] {
			return false
		}
		for s, counts := range w.counting {
			if !counts && s.Start <= c.Start && c.End <= s.End {
				return true
			}
		}
		return false
	})
}

// enumeration is a name with the numbers behind it.
type enumeration struct {
	span
	n      int  // how many things they are of
	ranges bool // whether some stand for all between two
}

// enumerations gives those behind a field's names, found once.
func (w *weigher) enumerations(f *schema.Field) []enumeration {
	all, known := w.enumerated[f]
	if !known {
		for _, i := range w.numberedNouns(f) {
			if s, n, ranges := w.numbersFrom(i); n > 0 {
				all = append(all, enumeration{s, n, ranges})
			}
		}
		if w.enumerated == nil {
			w.enumerated = map[*schema.Field][]enumeration{}
		}
		w.enumerated[f] = all
	}
	return all
}

// numberedNouns gives where a field's names of one word in the plural stand, also in the singular.
func (w *weigher) numberedNouns(f *schema.Field) (all []int) {
	for _, name := range w.labels(f) {
		if len(name) != 1 {
			continue
		}
		one := lang.Singular(name[0])
		if one == name[0] {
			continue
		}
		for _, word := range slices.Compact(slices.Sorted(slices.Values([]string{name[0], one, one + "s"}))) {
			all = append(all, w.ix.ByWord[word]...)
		}
	}
	slices.Sort(all)
	return slices.Compact(all)
}

// numbersFrom reads the numbers behind a word, each by itself or from one to another: how many they are, and
// whether any are so joined.
func (w *weigher) numbersFrom(noun int) (s span, n int, ranges bool) {
	s = w.ix.Tokens[noun].Span
	last, joined := 0, false
	for i := noun + 1; i < len(w.ix.Tokens) && i <= noun+mostNumbers; i++ {
		t := w.ix.Tokens[i]
		gap := strings.TrimSpace(w.ix.Source[w.ix.Tokens[i-1].End:t.Start])
		number, err := strconv.Atoi(t.Word)
		switch {
		case strings.Contains(gap, "\n") || len(gap) > 3:
			return s, n, ranges
		case err != nil && n > 0 && gap == "" && (lang.Until.Has(t.Word) || lang.ListAnd.Has(t.Word)):
			joined = lang.Until.Has(t.Word)
			continue
		case err != nil || len(t.Word) > mostCounted:
			return s, n, ranges
		case joined || gap == "-" || gap == "–":
			if number <= last || n == 0 {
				return s, 0, ranges
			}
			n, ranges = n+number-last, true
		case n > 0 && gap != "," && gap != "" && gap != "/" && gap != "&":
			return s, n, ranges
		default:
			n++
		}
		last, joined, s.End = number, false, t.End
	}
	return s, n, ranges
}
