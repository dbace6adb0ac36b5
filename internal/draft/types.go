package draft

import (
	"slices"
	"sort"
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/record/normalize"
	"filler/internal/schema"
)

var (
	wholeText   = lazy.New(`^[-+]?\d{1,15}$`)
	decimalText = lazy.New(`^[-+]?\d+([.,]\d+)?$`)
	unitText    = lazy.New(`^[-+]?\d+(?:[.,]\d+)?\s?([a-zµ°%]{1,4}[²³]?(?:/[a-z]{1,3})?)$`)
	moneyText   = lazy.New(`^(?:([A-Z]{3}|€)\s?)?([-+]?\d+(?:[.,]\d{3})*(?:[.,]\d{2})?)(?:\s?([A-Z]{3}|€))?$`)
	// Figures with groups of three digits and a decimal, and those beside them that have none.
	pointGrouped, pointPlain = lazy.New(`^[-+]?\d{1,3}(?:,\d{3})+\.\d+$`), lazy.New(`^[-+]?\d+(?:\.\d+)?$`)
	commaGrouped, commaPlain = lazy.New(`^[-+]?\d{1,3}(?:\.\d{3})+,\d+$`), lazy.New(`^[-+]?\d+(?:,\d+)?$`)
	timeText                 = lazy.New(`^(?:[01]?\d|2[0-3]):[0-5]\d(?: ?h)?$`)
)

// dateFormats are looked for in this order.
var dateFormats = []string{"YYYY-MM-DD", "D.M.YYYY", "D/M/YYYY", "M/D/YYYY", "D-M-YYYY", "D MMMM YYYY", "D MMM YYYY", "D. MMMM YYYY", "MMMM D, YYYY", "MMM D, YYYY", "YYYY/M/D"}

// typeText gives the type key of values as they are printed, with the keys
// that go with it.
func typeText(values []string, about string) string {
	var seen []string
	for _, v := range values {
		if v = strings.TrimRight(strings.TrimSpace(v), ".,;"); v != "" && v != "-" && !strings.EqualFold(v, "none") && !strings.EqualFold(v, "n/a") {
			seen = append(seen, v)
		}
	}
	about = schema.Quote(about)
	all := func(re *lazy.Regexp) bool { return len(seen) > 0 && every(seen, re.MatchString) }
	if formats := datesOf(seen); len(formats) > 0 {
		if len(formats) == 1 && formats[0] == "YYYY-MM-DD" {
			return "date: " + about
		}
		return "date: " + about + ", written: [" + strings.Join(quoted(formats), ", ") + "]"
	}
	switch {
	case len(seen) == 0:
		return "text: " + about
	case every(seen, func(s string) bool { _, known := normalize.YesNo(s); return known && len(s) > 1 }):
		return "boolean: " + about
	case all(wholeText) && !leadingZero(seen):
		return "integer: " + about
	case all(timeText):
		return "time: " + about
	case all(decimalText) && !leadingZero(seen):
		if comma(seen) {
			return "number: " + about + `, written: {decimal: ","}`
		}
		return "number: " + about
	}
	if signs := groupsOf(seen); signs != "" {
		return "number: " + about + ", written: " + signs
	}
	if unit := unitOf(seen); unit != "" {
		return "quantity: " + about + ", unit: " + schema.Quote(unit)
	}
	if keys, ok := moneyOf(seen); ok {
		return "money: " + about + keys
	}
	if of := choicesOf(seen); len(of) > 0 {
		return "choice: " + about + ", of: [" + strings.Join(quoted(of), ", ") + "]"
	}
	return "text: " + about
}

func every(list []string, holds func(string) bool) bool {
	for _, s := range list {
		if !holds(s) {
			return false
		}
	}
	return true
}

func quoted(list []string) []string {
	var out []string
	for _, s := range list {
		out = append(out, schema.Quote(s))
	}
	return out
}

// leadingZero: 007 is a mark, not a number.
func leadingZero(list []string) bool {
	for _, s := range list {
		if len(s) > 1 && s[0] == '0' && s[1] != '.' && s[1] != ',' {
			return true
		}
	}
	return false
}

func comma(list []string) bool {
	for _, s := range list {
		if strings.Contains(s, ",") {
			return true
		}
	}
	return false
}

// datesOf gives the formats that read all values as dates, the fewest first.
func datesOf(values []string) []string {
	if len(values) == 0 {
		return nil
	}
	var used []string
	left := values
	for _, text := range dateFormats {
		format, err := schema.ParseDateFormat(text)
		if err != nil {
			continue
		}
		var rest []string
		hit := false
		for _, v := range left {
			if _, ok := format.Read(v); ok {
				hit = true
			} else {
				rest = append(rest, v)
			}
		}
		if hit {
			used = append(used, text)
			left = rest
		}
	}
	if len(left) > 0 {
		return nil
	}
	return used
}

// groupsOf gives the signs of figures with a decimal each, of which some have groups of three
// digits: 1,150.00 beside 85.50.
func groupsOf(values []string) string {
	for _, in := range []struct {
		grouped, plain *lazy.Regexp
		written        string
	}{{pointGrouped, pointPlain, `{decimal: ".", group: ","}`}, {commaGrouped, commaPlain, `{decimal: ",", group: "."}`}} {
		if slices.ContainsFunc(values, in.grouped.MatchString) && every(values, func(s string) bool { return in.grouped.MatchString(s) || in.plain.MatchString(s) }) {
			return in.written
		}
	}
	return ""
}

func unitOf(values []string) string {
	unit := ""
	for _, v := range values {
		m := unitText.FindStringSubmatch(v)
		if m == nil || (unit != "" && m[1] != unit) {
			return ""
		}
		unit = m[1]
	}
	return unit
}

// moneyOf tells whether every value has a currency, and gives the keys that go
// with money: none is named where there are several.
func moneyOf(values []string) (keys string, ok bool) {
	currency, decimal, several := "", "", false
	for _, v := range values {
		m := moneyText.FindStringSubmatch(v)
		if m == nil || (m[1] == "") == (m[3] == "") {
			return "", false
		}
		code := m[1] + m[3]
		if of := lang.Sign.Meaning(code); of != "" {
			code = of
		}
		several = several || currency != "" && code != currency
		currency = code
		if i := strings.LastIndexAny(m[2], ".,"); i >= 0 && len(m[2])-i == 3 {
			decimal = m[2][i : i+1]
		}
	}
	text := ", currency: " + currency
	if several {
		text = ""
	}
	switch decimal {
	case ",":
		text += `, written: {decimal: ",", group: "."}`
	case ".":
		text += `, written: {decimal: ".", group: ","}`
	}
	return text, len(values) > 0
}

var (
	markText    = lazy.New(`^(?:\d{1,6}|[A-Z]{0,5}[-/. ]?\d[\dA-Z/.-]{0,14}|[A-Z]{1,2}|[IVXLC]{1,6})$`)
	numbersText = lazy.New(`^\d{1,6}(?: ?(?:,|\+|;|/|&| and | und | et | y ) ?\d{1,6})*$`)
)

// isMark tells figures and codes that may tell items apart.
func isMark(s string) bool { return markText.MatchString(s) && !strings.ContainsAny(s, ",") }

// severalNumbers tells values that list whole numbers, some of them more than one. 3,5 is one
// number with a decimal, where no value has more than one comma.
func severalNumbers(values []string) bool {
	several := false
	if every(values, func(v string) bool {
		v = strings.TrimSpace(v)
		return v == "" || v == "-" || v == "–" || decimalText.MatchString(v)
	}) {
		return false
	}
	for _, v := range values {
		v = strings.TrimRight(strings.TrimSpace(v), ".,;")
		switch {
		case v == "" || v == "-" || v == "–":
		case !numbersText.MatchString(v):
			return false
		default:
			several = several || !wholeText.MatchString(v)
		}
	}
	return several
}

// isName tells two or more words that all begin with a capital: who or what
// something is called is text, however few there are.
func isName(s string) bool {
	words := strings.Fields(s)
	for _, w := range words {
		if r, _ := utf8.DecodeRuneInString(w); !unicode.IsUpper(r) {
			return false
		}
	}
	return len(words) > 1
}

// choicesOf gives the values of a field that has few of them, each seen again.
// Names and codes are no choices.
func choicesOf(values []string) []string {
	distinct := map[string]int{}
	for _, v := range values {
		if len(v) > 24 || len(strings.Fields(v)) > 3 || isName(v) || strings.ContainsAny(v, "0123456789") {
			return nil
		}
		distinct[v]++
	}
	if len(distinct) < 2 || len(distinct) > 8 || len(values) < 2*len(distinct) {
		return nil
	}
	var list []string
	for v := range distinct {
		list = append(list, v)
	}
	sort.Strings(list)
	return list
}
