package reading

import (
	"slices"
	"strings"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
)

// Units of three and more: kWh/(m²·a), W/m²K, kg per hectare and year. They are written in
// many ways, and are one where they are the same units over the same units.

// longUnit is what may be such a unit at the start of a text.
var longUnit = lazy.New(`^[\pL°µμ%][\pL²³]*(?:(?: ?[/·⋅*] ?|[ \x{00a0}])\(?[\pL²³]{1,12}\)?){1,5}`)

// longUnitOf reads a unit of several others: those above the stroke, and behind it those
// below, each in order, joined by points; "" for anything else, and for units of two.
func longUnitOf(text string) string {
	if len(text) > 60 || !strings.ContainsAny(text, "/·⋅* ") {
		return ""
	}
	var above, below []string
	side := &above
	for _, word := range strings.FieldsFunc(strings.ReplaceAll(text, "/", " / "), func(r rune) bool { return strings.ContainsRune(" \u00a0·⋅*()", r) }) {
		switch small := strings.ToLower(word); {
		case len(below) > 0 && isYearly(word):
		case word == "/" || lang.Per.Has(small) || len(above) > 0 && lang.PerEach.Has(small):
			side = &below
			continue
		case len(below) > 0 && (lang.ListAnd.Has(small) || lang.Filler.Has(small)):
			continue
		}
		units := unitsIn(word, side == &below)
		if units == nil || len(above)+len(below)+len(units) > 6 {
			return ""
		}
		*side = append(*side, units...)
	}
	if len(above) == 0 || len(above)+len(below) < 3 || len(below) == 0 {
		return ""
	}
	slices.Sort(above)
	slices.Sort(below)
	return strings.Join(above, ".") + "/" + strings.Join(below, ".")
}

// unitsIn gives the units that a word names: one, or two without a sign between, m²K. Below
// a stroke a is a year.
func unitsIn(word string, below bool) []string {
	if below && isYearly(word) {
		return []string{"year"}
	}
	if u := UnitOf(word); u != "" && !strings.Contains(u, "/") {
		return []string{u}
	}
	for i := range word {
		if i == 0 || len(word) > 8 {
			continue
		}
		head, tail := UnitOf(word[:i]), UnitOf(word[i:])
		if below && isYearly(word[i:]) {
			tail = "year"
		}
		if r, _ := utf8.DecodeRuneInString(word[i:]); head != "" && tail != "" && r != '²' && r != '³' && !strings.Contains(head+tail, "/") {
			return []string{head, tail}
		}
	}
	return nil
}

// isYearly tells the short words for a year that are articles elsewhere.
func isYearly(word string) bool { return word == "a" || word == "an" || word == "yr" }

// longUnitBehind reads such a unit at the start of a text, the longest one; end is 0 for none.
func longUnitBehind(text string) (unit string, end int) {
	m := longUnit.FindString(text)
	if m == "" || !strings.ContainsAny(m, "/") && !strings.Contains(m, " ") {
		return "", 0
	}
	for m != "" {
		opened := strings.Contains(m, "(") && !strings.Contains(m, ")")
		whole := !opened && !goesOn(m, text[len(m):])
		if last := strings.TrimRight(m, ")"); whole && !(strings.HasSuffix(m, " "+lastWord(last)) && lastWord(last) == "a" && !endsField(text[len(m):])) {
			if u := longUnitOf(m); u != "" {
				return m, len(m)
			}
		}
		at := strings.LastIndexAny(m, "/·⋅* \u00a0")
		if at < 0 {
			break
		}
		m = strings.TrimRight(m[:at], "/·⋅* \u00a0(")
	}
	return "", 0
}

// alsoOf tells whether a unit is another that is said to be of more: kWh/m² a year. more has
// the units that it is of besides.
func alsoOf(long, short string) (more []string, ok bool) {
	above, below, _ := strings.Cut(long, "/")
	aboveShort, belowShort, _ := strings.Cut(short, "/")
	if above != aboveShort {
		return nil, false
	}
	rest := strings.Split(below, ".")
	for _, u := range strings.FieldsFunc(belowShort, func(r rune) bool { return r == '.' }) {
		at := slices.Index(rest, u)
		if at < 0 {
			return nil, false
		}
		rest = slices.Delete(rest, at, at+1)
	}
	return rest, len(rest) > 0
}
