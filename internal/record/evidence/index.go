// Package evidence finds where in a source text the values of a record stand.
//
// Rules it keeps:
//
//   - A place begins and ends at a token boundary: the 3 of bay 3 is never a
//     part of 13, of 3.5 or of a date.
//   - `quoted` means that the value stands there letter for letter; `restated`
//     that it stands there in another spelling (a date, a number, a choice's
//     synonym, case, spacing); `inferred` that it was not found and need not be;
//     `none` that it was not found. Nothing is `quoted` that a reader with a
//     finger on the page would not find.
//   - Where a value stands in several places, the one nearest to the item's
//     other values is taken and the rivals are counted.
package evidence

import (
	"strings"

	"filler/internal/base/value"
	"filler/internal/source/reading"
)

// span is a place in the source text, half-open, in bytes.
type span = reading.Span

func between(start, end int) span { return span{Start: start, End: end} }

// Index makes a source text searchable. It is built once a document and may
// then be used by many goroutines.
type Index struct {
	*reading.Text
	likes   likes
	grounds grounds
	// Unsure tells whether the OCR engine was in doubt of the words between two
	// offsets; there a value may be a few more characters away. May be nil.
	Unsure func(start, end int) bool
}

// NewIndex indexes a source text.
func NewIndex(text string) *Index { return &Index{Text: reading.New(text)} }

// Within gives an index of some stretches of the same text alone, each [start,
// end) in bytes, in order: values are looked for nowhere else. Offsets stay
// those of the whole text.
func (ix *Index) Within(stretches [][2]int) *Index {
	return &Index{Text: ix.Text.Within(stretches), Unsure: ix.Unsure}
}

// find gives the places where text stands, letter for letter or in another
// case, spacing or punctuation.
func (ix *Index) find(text string) []span {
	want := reading.Tokenize(text)
	if len(want) == 0 {
		return ix.findSigns(text)
	}
	rarest := 0
	for i := range want {
		if len(ix.ByWord[want[i].Word]) < len(ix.ByWord[want[rarest].Word]) {
			rarest = i
		}
	}
	var found []span
	for _, at := range ix.ByWord[want[rarest].Word] {
		first := at - rarest
		if first < 0 || first+len(want) > len(ix.Tokens) || !ix.sameWords(first, want) && !ix.exactly(first, want, text) {
			continue
		}
		found = append(found, ix.grow(between(ix.Tokens[first].Start, ix.Tokens[first+len(want)-1].End), text, want))
	}
	return found
}

// exactly tells whether a text stands letter for letter where its words begin:
// then what stands between them is no matter, were it the end of a sentence.
func (ix *Index) exactly(first int, want []reading.Token, text string) bool {
	start := ix.Tokens[first].Start - want[0].Start
	return start >= 0 && strings.HasPrefix(ix.Source[start:], text)
}

func (ix *Index) sameWords(first int, want []reading.Token) bool {
	for i := range want {
		if ix.Tokens[first+i].Word != want[i].Word {
			return false
		}
		if i > 0 && !closeBy(ix.Source[ix.Tokens[first+i-1].End:ix.Tokens[first+i].Start]) && !ix.ordinal(first+i-1) {
			return false
		}
	}
	return true
}

// ordinal tells a figure with a full stop right before the next word, as the day
// in 3. March: that ends no sentence.
func (ix *Index) ordinal(at int) bool {
	t := ix.Tokens[at]
	return len(t.Word) <= 2 && t.Word[0] <= '9' && at+1 < len(ix.Tokens) && ix.Source[t.End:ix.Tokens[at+1].Start] == ". "
}

// closeBy reports whether what stands between two words still lets them be
// one phrase: no empty line, and no end of a sentence.
func closeBy(gap string) bool {
	return len(gap) <= 24 && !strings.Contains(gap, "\n\n") && !strings.Contains(gap, ". ")
}

// grow widens a place over the signs that the value has before its first and
// behind its last word, where they stand in the text as well.
func (ix *Index) grow(s span, text string, want []reading.Token) span {
	head, tail := text[:want[0].Start], text[want[len(want)-1].End:]
	if strings.HasSuffix(ix.Source[:s.Start], head) {
		s.Start -= len(head)
	}
	if strings.HasPrefix(ix.Source[s.End:], tail) {
		s.End += len(tail)
	}
	return s
}

// findSigns finds a text without letters and digits.
func (ix *Index) findSigns(text string) []span {
	if strings.TrimSpace(text) == "" {
		return nil
	}
	var found []span
	for _, s := range ix.Stretches {
		for from := s.Start; len(found) < 100; {
			i := strings.Index(ix.Source[from:s.End], text)
			if i < 0 {
				break
			}
			found = append(found, between(from+i, from+i+len(text)))
			from += i + len(text)
		}
	}
	return found
}

// isShortFigure tells a value that is a number of at most three digits: such a one
// stands in every date.
func isShortFigure(v *value.Value) bool {
	return (v.Kind == value.String || v.Kind == value.Number) && v.Text != "" && len(v.Text) <= 3 && strings.Trim(v.Text, "0123456789") == ""
}
