package evidence

import (
	"strings"
	"unicode"

	"filler/internal/base/lang"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// onceADay gives the places that say that something is done once a day, without a word for once: 500 mg daily; for
// a field that counts how often a day it is.
func (w *weigher) onceADay(f *schema.Field, text string) (found []span) {
	if text != "1" || !countsADay(f) {
		return nil
	}
	for _, words := range lang.EachDay.Words() {
		for _, s := range w.ix.find(words) {
			i := w.ix.TokenAt(s.Start) - 1
			if i >= 0 && strings.TrimSpace(w.ix.Source[w.ix.Tokens[i].End:s.Start]) == "" && saysTimes(w.ix.Tokens[i].Word) {
				continue
			}
			found = append(found, s)
		}
	}
	return found
}

// saysTimes tells a word that says how often, right before a word for a day: twice daily, 3x täglich.
func saysTimes(word string) bool {
	_, number := reading.NumberWord(word)
	first := []rune(word)[0]
	return number || unicode.IsDigit(first) || lang.Often.Has(word) || lang.Times.Has(word) || lang.HowOften.Has(word) || word == "x"
}

// countsADay tells a field that counts how often a day something is done.
func countsADay(f *schema.Field) bool {
	often, day := false, false
	for _, word := range wordsOf(f.SpokenName() + " " + f.About) {
		often = often || lang.HowOften.Has(word)
		day = day || reading.UnitOf(word) == "d" || lang.EachDay.Has(word)
	}
	return often && day
}
