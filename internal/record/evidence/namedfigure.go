package evidence

import (
	"slices"
	"strings"

	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// Figures right behind the name of what they measure, without a sign between: Slope 4 %, pH 5.5, stones 5 %. A short
// figure of the field that stands somewhere else, with no name, is another's.

// mostByChance is how many figures an amount has at most that stands somewhere by chance.
const mostByChance = 3

// measuredOtherwise takes their places from short amounts and numbers that stand without their label, or outside of the
// stretches of their item, while those have another figure right behind the field's name, and none that is theirs.
func (w *weigher) measuredOtherwise(l *leaf, within []span) {
	at, t := w.places[l.path], l.f.Kin().Type
	if l.fixed != nil || !at.Found() || at.Basis || l.f.Concludes || t != schema.Quantity && t != schema.Number || !isByChance(w.ix.Source[at.Start:at.End]) {
		return
	}
	own, unit := amountIn(l)
	led := at.Led && isWithin(at, within)
	var found span
	for _, stretch := range within {
		if len(w.ix.Source[stretch.Start:stretch.End]) > longestLine && strings.Contains(l.f.Path, "[]") {
			return
		}
		for _, name := range w.labels(l.f) {
			if letters(strings.Join(name, "")) < 2 {
				continue
			}
			for _, s := range w.ix.wordsIn(name, stretch) {
				if w.isQualified(s) {
					continue
				}
				figure, key := w.figureBehind(s)
				if at.End <= s.Start && s.Start-at.End <= mostBeforeName { // 21 % VAT
					return
				}
				if led && (figure.End == 0 || figure.End > at.Start || w.ix.LineOf(s.Start) != at.Line-1) { // it is its label
					return
				}
				switch m := w.measureAt(figure); {
				case figure.End == 0 || m.Code != "" || m.Minor || t == schema.Quantity && m.Unit != unit:
				case value.EqualNumbers(key, own) || found.End > 0 && found != figure:
					return
				default:
					found = figure
				}
			}
		}
	}
	if found.End > 0 {
		w.places[l.path] = Place{Kind: l.lacking, Opposed: w.ix.LineOf(found.Start) + 1, Says: found}
	}
}

// isQualified tells whether a word right before a name makes it that of something else: gross weight.
func (w *weigher) isQualified(s span) bool {
	i := w.ix.TokenAt(s.Start) - 1
	if i < 0 || w.ix.Source[w.ix.Tokens[i].End:s.Start] != " " {
		return false
	}
	word := w.ix.Tokens[i].Word
	return !lang.Frequent.Has(word) && !lang.Article.Has(word) && !lang.ListAnd.Has(word) && !lang.OneUnit.Has(word)
}

// mostBeforeName is how many bytes a figure stands before its name at most, with its unit between.
const mostBeforeName = 6

// measureAt gives what a figure measures, nothing for none.
func (w *weigher) measureAt(figure span) reading.Measure {
	if figure.End == 0 {
		return reading.Measure{}
	}
	return w.ix.MeasureOf(figure)
}

// isWithin tells whether a place lies in one of some stretches.
func isWithin(at Place, within []span) bool {
	return slices.ContainsFunc(within, func(s span) bool { return s.Start <= at.Start && at.End <= s.End })
}

// isByChance tells a place with so few figures that they may stand there by chance.
func isByChance(said string) bool {
	n := 0
	for _, c := range said {
		if c >= '0' && c <= '9' {
			n++
		}
	}
	return n <= mostByChance
}

// amountIn gives the figure of a value, and its unit.
func amountIn(l *leaf) (figure, unit string) {
	v, err := value.Parse(l.value)
	if err != nil {
		return "", ""
	}
	if amount := v.Get("amount"); amount != nil {
		if u := v.Get("unit"); u != nil {
			unit = u.Text
		}
		return amount.Text, unit
	}
	return v.Text, ""
}

// figureBehind gives the figure right behind some words, or behind an is or at, with its one reading.
func (w *weigher) figureBehind(s span) (at span, key string) {
	line := w.ix.LineSpan(w.ix.LineOf(s.Start))
	keys, figures := w.ix.NumbersIn(between(s.End, min(line.End, s.End+labelReach)))
	if len(figures) == 0 || len(figures) > 1 && figures[1] == figures[0] || w.ix.InDate(figures[0]) {
		return span{}, ""
	}
	for _, word := range strings.Fields(strings.ToLower(w.ix.Source[s.End:figures[0].Start])) {
		if word = strings.Trim(word, "~≈"); word != "" && !lang.Is.Has(word) && !lang.AtTime.Has(word) && word != "of" {
			return span{}, ""
		}
	}
	if behind := w.ix.Source[figures[0].End:line.End]; joinsEnds(strings.TrimRight(firstWord(behind), " ")) { // a range
		return span{}, ""
	}
	return figures[0], keys[0]
}

func firstWord(text string) string {
	word, _, _ := strings.Cut(strings.TrimLeft(text, " "), " ")
	return word
}
