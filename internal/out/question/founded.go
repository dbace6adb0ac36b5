package question

import (
	"slices"
	"strconv"
	"strings"

	"github.com/shopspring/decimal"

	"filler/internal/base/lazy"
	"filler/internal/source/reading"
)

var (
	figureInWords = lazy.New(`\d+(?:[.,]\d+)*`)
	wordInWords   = lazy.New(`\pL+`)
)

// twofold are words for numbers that are other words too, in the same language or in
// another.
var twofold = map[string]bool{"once": true, "sei": true, "due": true, "neuf": true, "dos": true, "elf": true, "mille": true, "mil": true, "set": true}

// unfounded gives the figures of a sentence that stand in none of the texts.
func unfounded(sentence string, texts ...string) (figures []string) {
	known := map[string]bool{}
	for _, text := range texts {
		for _, f := range figureInWords.FindAllString(text, -1) {
			known[f] = true
			if d, err := decimal.NewFromString(strings.ReplaceAll(f, ",", "")); err == nil {
				known[d.String()] = true
			}
		}
		for _, w := range wordInWords.FindAllString(text, -1) {
			if n, ok := reading.NumberWord(strings.ToLower(w)); ok {
				known[strconv.Itoa(n)] = true
			}
		}
	}
	for _, f := range figureInWords.FindAllString(sentence, -1) {
		if !slices.ContainsFunc(plainFigures(f), func(plain string) bool { return known[plain] }) {
			figures = append(figures, f)
		}
	}
	for _, w := range wordInWords.FindAllString(sentence, -1) {
		lower := strings.ToLower(w)
		if n, ok := reading.NumberWord(lower); ok && n > 1 && !twofold[lower] && !known[strconv.Itoa(n)] {
			figures = append(figures, w)
		}
	}
	return figures
}

// plainFigures gives what a figure of a sentence may be, without signs between thousands and noughts that
// say nothing: 1,204.50 and 1.204,50 are 1204.5; 3,5 may be 3.5.
func plainFigures(f string) (all []string) {
	for _, group := range []string{",", "."} {
		text := strings.ReplaceAll(f, group, "")
		if d, err := decimal.NewFromString(strings.ReplaceAll(text, ",", ".")); err == nil {
			all = append(all, d.String())
		}
	}
	return append(all, f)
}
