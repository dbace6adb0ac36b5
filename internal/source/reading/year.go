package reading

import (
	"strconv"
	"strings"

	"filler/internal/base/lang"
)

// Years of days: in figures, in words, and apart from the day.

// yearFrom reads the year that begins with a token, in figures or in words, and gives its
// last token: 2031, two thousand and thirty-one, nineteen hundred and three.
func (tx *Text) yearFrom(i int) (year string, last int) {
	if year, ok := tx.year(i); ok {
		return year, i
	}
	if i < 0 || i >= len(tx.Tokens) || isDigit(tx.Tokens[i].Word[0]) {
		return "", 0
	}
	n, last := tx.phrase(i)
	if last < 0 {
		return "", 0
	}
	if n >= 10 && n <= 21 && last+1 < len(tx.Tokens) { // twenty thirty-one, nineteen hundred and three
		rest, end := tx.phrase(last + 1)
		switch {
		case end < 0 || tx.Source[tx.Tokens[last].End:tx.Tokens[last+1].Start] != " ":
		case rest >= 10 && rest <= 99:
			n, last = 100*n+rest, end
		case rest >= 100 && rest < 200 && lang.Number.Meaning(tx.Tokens[last+1].Word) == "100":
			n, last = 100*n+rest-100, end
		}
	}
	if n < 1000 || n > 2199 {
		return "", 0
	}
	return strconv.Itoa(n), last
}

// Bounds of the search for a year that stands apart, in words.
const (
	yearBehind = 8
	yearBefore = 12
)

// ofYearApart keeps a day whose year stands behind or before it with a word for year: in the
// year of Our Lord 1903; Anno 1892 am dritten Mai.
func (tx *Text) ofYearApart(i, after int, month string) bool {
	day, first := tx.dayBefore(tx.skipOf(i-1, -1))
	if day == "" || !tx.near(first, i) {
		return false
	}
	led := false
	for at := after; at < len(tx.Tokens) && at <= i+yearBehind && tx.near(at-1, at); at++ {
		word := tx.Tokens[at].Word
		if led {
			if year, last := tx.yearFrom(at); year != "" {
				tx.keepDay(first, last, year, month, day)
				tx.listed(first, year, month)
				return true
			}
		}
		if led = led || lang.YearLead.Has(word); !led && !lang.Filler.Has(word) && !lang.OrdinalOf.Has(word) && !lang.Article.Has(word) {
			break
		}
	}
	for at := first - 1; at >= 0 && at >= first-yearBefore && tx.near(at, at+1); at-- {
		if !lang.YearLead.Has(tx.Tokens[at].Word) {
			continue
		}
		if year, last := tx.yearFrom(at + 1); year != "" && last < first {
			tx.days.spans = append(tx.days.spans, Span{tx.Tokens[first].Start, tx.Tokens[i].End})
			tx.days.hasYear(year)
			if key := dayKey(year, month, day); key != "" {
				tx.days.at[key] = append(tx.days.at[key], Span{tx.Tokens[first].Start, tx.Tokens[i].End})
			}
			return true
		}
	}
	return false
}

// yearShift tells whether words behind a day without a year say of which year it is, by the one that the
// document is of: 19 August last year, am 3. Mai des Vorjahres.
func (tx *Text) yearShift(s Span) (years int, says bool) {
	i := tx.TokenAt(s.End)
	if i == 0 || !tx.near(i-1, i) {
		return 0, false
	}
	for _, words := range lang.YearShift.Words() {
		var want []string
		for _, t := range Tokenize(words) {
			want = append(want, t.Word)
		}
		if tx.Reads(i, want) {
			years, err := strconv.Atoi(lang.YearShift.Meaning(words))
			return years, err == nil
		}
	}
	return 0, false
}

// isOnlyYear tells whether a text has no day in full, and no other year than one: Summary of 2030.
func (tx *Text) isOnlyYear(year string) bool {
	if len(tx.days.years) > 0 || len(tx.ByWord[year]) == 0 {
		return false
	}
	for word := range tx.ByWord {
		if len(word) == 4 && word != year && (strings.HasPrefix(word, "19") || strings.HasPrefix(word, "20")) && strings.Trim(word, "0123456789") == "" {
			return false
		}
	}
	return true
}
