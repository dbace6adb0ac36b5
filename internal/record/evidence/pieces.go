package evidence

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// gluedToLabel finds a number that stands in one word with a label of its field: UN1263.
func (w *weigher) gluedToLabel(f *schema.Field, text string, add func([]span, Kind, string)) {
	if len(text) < 2 || strings.Trim(text, "0123456789") != "" {
		return
	}
	for _, label := range w.labels(f) {
		if len(label) != 1 {
			continue
		}
		for _, i := range w.ix.ByWord[label[0]+text] {
			t := w.ix.Tokens[i]
			add([]span{between(t.End-len(text), t.End)}, Restated, text)
		}
	}
}

// inPieces finds a text that stands in the source whole, but not in one piece: without or
// with blanks and strokes within it, with the family name first, or wrapped in a column
// beside which other columns stand.
func (w *weigher) inPieces(text string, add func([]span, Kind, string)) {
	want := reading.Tokenize(text)
	if found := w.ix.squeezed(text); len(found) > 0 {
		add(found, Restated, "")
		return
	}
	if found := append(append(w.ix.turned(text, want), w.ix.sharedName(text, want)...), w.ix.nickNamed(text, want)...); len(found) > 0 {
		add(found, Restated, "")
		return
	}
	add(w.ix.inColumn(want), Restated, "")
}

// leastSqueezed is how many letters and figures a text has at least that may stand in
// other groups.
const leastSqueezed = 5

// mostGroup is how many bytes its first group has at most.
const mostGroup = 40

// squeezed finds a number or mark, one with figures, that is grouped otherwise:
// GB00TARN0012 is GB00 TARN 0012, and +49 3999 88214 is +49 (0)3999 / 88 21 4.
func (ix *Index) squeezed(text string) (found []span) {
	want := strings.Map(func(r rune) rune {
		if reading.IsWordRune(r) {
			return unicode.ToLower(r)
		}
		return -1
	}, text)
	if utf8.RuneCountInString(want) < leastSqueezed || !strings.ContainsAny(want, "0123456789") {
		return nil
	}
	all := []string{want}
	switch { // how a number is dialled abroad
	case strings.HasPrefix(strings.TrimSpace(text), "+"):
		all = append(all, "00"+want)
	case strings.HasPrefix(want, "00"):
		all = append(all, want[2:])
	}
	for _, want := range all {
		for n := 1; n <= min(len(want), mostGroup); n++ { // its first group
			for _, i := range ix.ByWord[want[:n]] {
				if last := ix.group(i, want); last >= 0 {
					found = append(found, between(ix.Tokens[i].Start, ix.Tokens[last].End))
				}
			}
		}
	}
	return found
}

// group gives the last of the words from one on that put together are a text; -1 where
// they are not.
func (ix *Index) group(first int, want string) int {
	rest := want[len(ix.Tokens[first].Word):]
	last := first
	for rest != "" {
		next := last + 1
		if next >= len(ix.Tokens) {
			return -1
		}
		t := ix.Tokens[next]
		gap := ix.Source[ix.Tokens[last].End:t.Start]
		if len(gap) > 4 || strings.Contains(gap, "  ") || strings.Trim(gap, " .-/()+·\u00a0\u202f\u2009") != "" {
			return -1
		}
		dropped := t.Word == "0" && strings.HasSuffix(gap, "(") && strings.HasPrefix(ix.Source[t.End:], ")") && rest[0] != '0'
		if !dropped && !strings.HasPrefix(rest, t.Word) {
			return -1
		}
		if !dropped {
			rest = rest[len(t.Word):]
		}
		last = next
	}
	return last
}

// mostNames is how many words a name has at most that is looked for with the family name
// first.
const mostNames = 5

// turned finds a name with its parts the other way round: Eefje Jansdochter as
// Jansdochter, Eefje. The comma stands where the family name ends, in the source or in
// the value; or the family name stands in capitals: GALIMBERTI Noemi.
func (ix *Index) turned(text string, want []reading.Token) (found []span) {
	if len(want) < 2 || len(want) > mostNames || strings.ContainsAny(text, "0123456789") {
		return nil
	}
	for k := 1; k < len(want); k++ {
		inValue := strings.HasPrefix(strings.TrimLeft(text[want[k-1].End:], "."), ",")
		other := text[want[k].Start:want[len(want)-1].End] + " " + text[want[0].Start:want[k-1].End]
		for _, s := range ix.find(other) {
			first := ix.TokenAt(s.Start)
			cut := first + len(want) - k // the first word behind the cut
			if cut <= 0 || cut >= len(ix.Tokens) {
				continue
			}
			gap := ix.Source[ix.Tokens[cut-1].End:ix.Tokens[cut].Start]
			apart := strings.HasPrefix(gap, ",") != inValue || !inValue && inCapitals(ix.Source[s.Start:ix.Tokens[cut-1].End]) && !inCapitals(ix.Source[ix.Tokens[cut].Start:s.End])
			if apart && strings.TrimSpace(strings.Trim(gap, ",.")) == "" {
				found = append(found, s)
			}
		}
	}
	return found
}

// inCapitals tells whether all letters of a text are capitals, two at least.
func inCapitals(text string) bool {
	return text == strings.ToUpper(text) && letters(text) > 1
}

// nickName is what stands between two parts of a name in brackets or quotation marks.
var nickName = lazy.New(`^ ?(?:\(["“„'‘]?[^()\n]{1,24}["”“'’]?\)|["“„][^"“”\n]{1,24}["”“]) ?$`)

// nickNamed finds a name within which another stands in brackets or quotation marks:
// Joseph ("Joe") Penhallow.
func (ix *Index) nickNamed(text string, want []reading.Token) (found []span) {
	if len(want) < 2 || len(want) > mostNames || strings.ContainsAny(text, "0123456789,") {
		return nil
	}
	for _, first := range ix.ByWord[want[0].Word] {
		at, k := first, 1
		for k < len(want) && at+1 < len(ix.Tokens) {
			next := at + 1
			for next < len(ix.Tokens) && next < at+4 && ix.Tokens[next].Word != want[k].Word {
				next++
			}
			if next == len(ix.Tokens) || ix.Tokens[next].Word != want[k].Word {
				break
			}
			if gap := ix.Source[ix.Tokens[at].End:ix.Tokens[next].Start]; gap != " " && !nickName.MatchString(gap) {
				break
			}
			at, k = next, k+1
		}
		if k == len(want) {
			found = append(found, between(ix.Tokens[first].Start, ix.Tokens[at].End))
		}
	}
	return found
}

// sharedName finds a name of which the end is said once for two: Gwen & Rob Tolliver, Mr and
// Mrs P Quayle.
func (ix *Index) sharedName(text string, want []reading.Token) (found []span) {
	if len(want) < 2 || len(want) > mostNames || strings.ContainsAny(text, "0123456789,") {
		return nil
	}
	rest := want[1:]
	for _, first := range ix.ByWord[want[0].Word] {
		last := first + 2 // Gwen & Rob Tolliver
		if first+1 < len(ix.Tokens) && lang.ListAnd.Has(ix.Tokens[first+1].Word) {
			last++
		} else if last < len(ix.Tokens) && strings.TrimSpace(ix.Source[ix.Tokens[first].End:ix.Tokens[first+1].Start]) != "&" {
			continue
		}
		if last+len(rest) > len(ix.Tokens) || !ix.sameWords(last, rest) || ix.Source[ix.Tokens[last-1].End:ix.Tokens[last].Start] != " " {
			continue
		}
		if r, _ := utf8.DecodeRuneInString(ix.Source[ix.Tokens[last-1].Start:]); unicode.IsUpper(r) {
			found = append(found, between(ix.Tokens[first].Start, ix.Tokens[last+len(rest)-1].End))
		}
	}
	return found
}

// mostLines is over how many lines a text in a column may run.
const mostLines = 12

// inColumn finds a text that runs over several lines of a column, while other columns
// stand beside it: each piece but the last ends its cell, and the next begins below.
func (ix *Index) inColumn(want []reading.Token) (found []span) {
	if len(want) < 2 {
		return nil
	}
	for _, first := range ix.ByWord[want[0].Word] {
		columns := []int{ix.column(first)}
		if head := ix.cellOf(first); head != first {
			columns = append(columns, ix.column(head))
		}
		if last := ix.below(first, want, columns); last >= 0 {
			found = append(found, between(ix.Tokens[first].Start, ix.Tokens[last].End))
		}
	}
	return found
}

// below reads the words of a text from one on, down a column that begins at one of some
// places, and gives the last; -1 where they do not stand there.
func (ix *Index) below(at int, want []reading.Token, columns []int) int {
	next := 1 // of want
	begun := ""
	for lines := 1; ; lines++ {
		for next < len(want) && begun == "" && at+1 < len(ix.Tokens) && ix.Tokens[at+1].Word == want[next].Word && ix.sameCell(at) {
			at, next = at+1, next+1
		}
		if next == len(want) && begun == "" {
			if lines == 1 { // then it is no text in pieces
				return -1
			}
			return at
		}
		if begun == "" && at+1 < len(ix.Tokens) && ix.sameCell(at) && ix.isBroken(at+1) && strings.HasPrefix(want[next].Word, ix.Tokens[at+1].Word) {
			at++ // ve- of ve-neer
			begun = ix.Tokens[at].Word
		}
		if begun == "" && !ix.endsCell(at) || lines == mostLines {
			return -1
		}
		down := ix.underneath(at, columns)
		switch {
		case down < 0:
			return -1
		case begun != "" && begun+ix.Tokens[down].Word == want[next].Word, begun == "" && ix.Tokens[down].Word == want[next].Word:
			at, next, begun = down, next+1, ""
		default:
			return -1
		}
	}
}

// sameCell tells whether the word behind one stands in its cell: in its line, with no gap
// of two blanks, tab or stroke between them.
func (ix *Index) sameCell(at int) bool {
	gap := ix.Source[ix.Tokens[at].End:ix.Tokens[at+1].Start]
	return closeBy(gap) && !strings.ContainsAny(gap, "\n\t|") && !strings.Contains(gap, "  ")
}

// endsCell tells whether nothing but signs stands behind a word in its cell.
func (ix *Index) endsCell(at int) bool { return at+1 >= len(ix.Tokens) || !ix.sameCell(at) }

// isBroken tells whether a word is broken by a hyphen at the end of its cell.
func (ix *Index) isBroken(at int) bool {
	return strings.HasPrefix(ix.Source[ix.Tokens[at].End:], "-") && ix.endsCell(at)
}

// cellOf gives the first word of the cell in which a word stands.
func (ix *Index) cellOf(at int) int {
	for at > 0 && ix.sameCell(at-1) {
		at--
	}
	return at
}

// column gives how many characters stand before a word in its line.
func (ix *Index) column(at int) int {
	start := ix.Tokens[at].Start
	return utf8.RuneCountInString(ix.Source[strings.LastIndexByte(ix.Source[:start], '\n')+1 : start])
}

// mostAskew is how many characters the lines of a column may begin apart.
const mostAskew = 2

// underneath gives the word that begins a cell of the next line, near one of some
// columns; -1 where none does.
func (ix *Index) underneath(at int, columns []int) int {
	line := ix.LineOf(ix.Tokens[at].Start) + 1
	for down := at + 1; down < len(ix.Tokens); down++ {
		switch now := ix.LineOf(ix.Tokens[down].Start); {
		case now < line:
		case now > line:
			return -1
		default:
			if ix.cellOf(down) != down {
				continue
			}
			for _, c := range columns {
				if off := ix.column(down) - c; off >= -mostAskew && off <= mostAskew {
					return down
				}
			}
		}
	}
	return -1
}
