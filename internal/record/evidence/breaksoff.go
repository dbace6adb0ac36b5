package evidence

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/schema"
)

// mostGoesOn is how many words there may be, behind a text that breaks off, to the end of its cell or
// labelled line: of more, what was read may be all that was asked for.
const mostGoesOn = 3

// breaksOff marks texts that break off: in the middle of a name (Osterley, of Osterley & Finch), or in a
// cell or behind their own label, with a few words to go and nothing between. A text that stands whole
// as well is none, nor is one whose neighbours another value has, or whose field asks for a part of a name.
func (w *weigher) breaksOff() {
	if w.plain {
		return
	}
	c := cutter{weigher: w}
	whole, cut := map[*schema.Field]bool{}, map[*leaf]span{}
	for _, l := range w.chosen {
		place := w.places[l.path]
		if !isName(l.f) || l.f.Pattern != nil || place.Kind != Quoted || l.fixed != nil || len(l.cands) > maxPlaces {
			continue
		}
		all := span{}
		for _, at := range l.cands {
			s := c.wholeOf(l, at.span)
			if s == at.span {
				all = span{}
				break
			}
			if at.Start == place.Start {
				all = s
			}
		}
		if all.End > 0 && c.isRead(l, between(place.Start, place.End), all) {
			all = span{}
		}
		if all.End > 0 {
			cut[l] = all
		} else {
			whole[l.f] = true
		}
	}
	several := map[*schema.Field]int{}
	for l := range cut {
		several[l.f]++
	}
	for l, s := range cut {
		if several[l.f] == 1 || whole[l.f] { // else it is how all items of a list are read
			place := w.places[l.path]
			place.Whole = s
			w.places[l.path] = place
		}
	}
}

// cutter knows which words of a text values were read from, and which name fields.
type cutter struct {
	*weigher
	read  map[int][]*leaf // the values that a word is of, by tokens
	names map[string]bool
}

// wholeOf gives the words that stand where a value of a field breaks off, or its own where it does not.
func (c *cutter) wholeOf(l *leaf, s span) span {
	first, last := c.ix.TokenAt(s.Start), c.ix.TokenAt(s.Start)
	for last+1 < len(c.ix.Tokens) && c.ix.Tokens[last+1].End <= s.End {
		last++
	}
	if first == len(c.ix.Tokens) || s.End < c.ix.Tokens[last].End || s.Start > c.ix.Tokens[first].Start || !c.isPiece(first) || !c.isPiece(last) {
		return s
	}
	from, to := first, last
	isPart := c.asksForPart(l.f)
	for to+1 < len(c.ix.Tokens) && c.isJoined(to, isPart) && (to == last && c.isCapital(to) || c.isName(to)) && c.isName(to+1) {
		to++
	}
	if from > 0 && c.isJoined(from-1, isPart || first < last || c.capitalised()) && c.isName(from) && c.isName(from-1) && c.beginsPiece(from-1) {
		from--
	}
	if from == first && to == last && !isPart {
		from, to = c.cellAround(l.f, first, last)
	}
	if from == first && to == last || c.leadsOn(to) {
		return s
	}
	return between(c.ix.Tokens[from].Start, c.ix.Tokens[to].End)
}

// capitalised tells a text in a language whose nouns have capitals: Blech Streuselkuchen is no name.
func (c *cutter) capitalised() bool { return lang.Guess(c.ix.Source).Code == "de" }

// isJoined tells whether a word and the one behind it may be of one name: Paul Ketteridge, Osterley & Finch.
// Where a field asks for a part of a name, only a sign joins two.
func (c *cutter) isJoined(at int, isPart bool) bool {
	gap := c.ix.Source[c.ix.Tokens[at].End:c.ix.Tokens[at+1].Start]
	return gap == " " && !isPart || gap == " & "
}

// cellAround gives the first and the last word of the cell or the labelled line in which a text stands at an
// end, where nothing but a few small words stand at its other end.
func (c *cutter) cellAround(f *schema.Field, first, last int) (from, to int) {
	table := c.isInTable(first)
	switch {
	case c.beginsPiece(first) && (table || c.led(f, c.ix.Tokens[first].Span)):
		goesOn := c.isSmall
		if c.isCode(last) {
			goesOn = c.isCode
		}
		for to = last; !c.ix.endsCell(to) && to-last <= mostGoesOn && goesOn(to+1) && c.isJoined(to, false); {
			to++
		}
		if to-last <= mostGoesOn && !(to > last && lang.Frequent.Has(c.ix.Tokens[last+1].Word)) && c.endsPiece(to) {
			return first, to
		}
	case table && c.endsPiece(last) && c.isSmall(first):
		for from = first; from > 0 && c.ix.sameCell(from-1) && first-from <= mostGoesOn && c.isSmall(from-1) && c.isJoined(from-1, false); {
			from--
		}
		if first-from <= mostGoesOn && !lang.Frequent.Has(c.ix.Tokens[from].Word) && c.ix.cellOf(from) == from {
			return from, last
		}
	}
	return first, last
}

// isSmall tells whether a word is in small letters, and measures nothing.
func (c *cutter) isSmall(at int) bool {
	t := c.ix.Tokens[at]
	r, _ := utf8.DecodeRuneInString(c.ix.Source[t.Start:])
	return unicode.IsLower(r) && len(t.Word) > 1 && !isUnitWord(t.Word) && !c.namesField(t.Word)
}

// isPiece tells whether a word may be one of a name or a code: it is no figure alone.
func (c *cutter) isPiece(at int) bool { return c.isWord(at) || c.isCode(at) }

// isCode tells whether a word is one of a code: SK 4471X, AB 12 CDE.
func (c *cutter) isCode(at int) bool {
	t := c.ix.Tokens[at]
	word := c.ix.Source[t.Start:t.End]
	return strings.IndexFunc(word, unicode.IsLower) < 0 && !lang.Code.Has(t.Word) && !isUnitWord(t.Word) && !c.namesField(t.Word)
}

// endsPiece tells whether a word ends its cell, with no sign behind it.
func (c *cutter) endsPiece(at int) bool {
	behind := c.ix.Source[c.ix.Tokens[at].End:]
	return behind == "" || slices.ContainsFunc([]string{"\n", "  ", "\t", " |", "|"}, func(end string) bool { return strings.HasPrefix(behind, end) })
}

// isWord tells whether a word has small letters and no figures.
func (c *cutter) isWord(at int) bool {
	word := c.ix.Source[c.ix.Tokens[at].Start:c.ix.Tokens[at].End]
	return strings.IndexFunc(word, unicode.IsLower) >= 0 && strings.IndexFunc(word, unicode.IsDigit) < 0
}

// isCapital tells whether a word begins with a capital and ends in small letters: no DipPFS, no kWh.
func (c *cutter) isCapital(at int) bool {
	t := c.ix.Tokens[at]
	word := c.ix.Source[t.Start:t.End]
	if word == "s" && at > 0 && t.Start-c.ix.Tokens[at-1].End <= len("’") {
		return c.isCapital(at - 1) // St Petroc's
	}
	first, _ := utf8.DecodeRuneInString(word)
	end, _ := utf8.DecodeLastRuneInString(word)
	return unicode.IsUpper(first) && unicode.IsLower(end) && c.isWord(at)
}

// isName tells whether a word can be one of a name: it is no day, month or title, and names no field.
func (c *cutter) isName(at int) bool {
	word := c.ix.Tokens[at].Word
	if !c.isCapital(at) || lang.Weekday.Has(word) || lang.Month.Has(word) || lang.ShortMonth.Has(word) || lang.Title.Has(word) || isUnitWord(word) || lang.Frequent.Has(word) {
		return false
	}
	return !c.namesField(word)
}

func isUnitWord(word string) bool { return lang.Unit.Has(word) || lang.Currency.Has(word) }

// namesField tells whether a word is one of a field's name or label, or ends in one: Weerstation.
func (c *cutter) namesField(word string) bool {
	if c.names == nil {
		c.names = map[string]bool{}
		for _, l := range c.leaves {
			for _, name := range c.calledBy(l.f).names {
				c.names[name] = true
			}
		}
	}
	if c.names[word] {
		return true
	}
	for name := range c.names {
		if strings.HasSuffix(word, name) {
			return true
		}
	}
	return false
}

// beginsPiece tells whether a word stands right behind a colon or a bracket, or begins its cell in a row of several.
func (c *cutter) beginsPiece(at int) bool {
	before := strings.TrimRight(c.ix.Source[:c.ix.Tokens[at].Start], " ")
	return strings.HasSuffix(before, ":") || strings.HasSuffix(before, "(") || c.ix.cellOf(at) == at && c.isInTable(at)
}

// isInTable tells whether the line of a word has several cells.
func (c *cutter) isInTable(at int) bool {
	line := c.ix.LineSpan(c.ix.LineOf(c.ix.Tokens[at].Start))
	text := strings.TrimSpace(c.ix.Source[line.Start:line.End])
	return strings.Contains(text, "   ") || strings.Count(text, "|") > 1 || strings.Contains(text, "\t")
}

// leadsOn tells whether what goes on behind a value is the label of what stands behind it.
func (c *cutter) leadsOn(at int) bool {
	for n := 0; n < mostGoesOn; n++ {
		if behind := c.ix.Source[c.ix.Tokens[at].End:]; behind != "" && strings.IndexByte(":=#", behind[0]) >= 0 {
			return true
		}
		if c.ix.endsCell(at) {
			return false
		}
		at++
	}
	return false
}

// isRead tells whether a word of the whole belongs to another value, but for one of the same field that stands whole where s
// breaks off.
func (c *cutter) isRead(l *leaf, s, whole span) bool {
	if c.read == nil {
		c.read = map[int][]*leaf{}
		for _, o := range c.leaves {
			at := c.places[o.path]
			for k := c.ix.TokenAt(at.Start); at.Found() && k < len(c.ix.Tokens) && c.ix.Tokens[k].Start < at.End; k++ {
				c.read[k] = append(c.read[k], o)
			}
		}
	}
	for k := c.ix.TokenAt(whole.Start); k < len(c.ix.Tokens) && c.ix.Tokens[k].Start < whole.End; k++ {
		if t := c.ix.Tokens[k]; s.Start <= t.Start && t.End <= s.End {
			continue
		}
		if slices.ContainsFunc(c.read[k], func(o *leaf) bool {
			at := c.places[o.path]
			return o != l && !(o.f == l.f && at.Start <= s.Start && s.End <= at.End)
		}) {
			return true
		}
	}
	return false
}

// asksForPart tells whether a field is for a part of a name.
func (c *cutter) asksForPart(f *schema.Field) bool {
	return slices.ContainsFunc(c.calledBy(f).names, lang.NamePart.Has)
}
