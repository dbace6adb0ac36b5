package schema

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"

	"filler/internal/base/lang"
)

// DateFormat is one way in which documents write dates, such as D.M.YYYY or
// D MMMM YYYY. Its signs: D and DD (day, DD always two digits), M and MM
// (month), MMM and MMMM (short and full name of the month), YYYY, and YY where a
// pivot says of which hundred years. Formats without a day, or of a year alone,
// are for fields of that precision. All else stands for itself; white space
// stands for any white space.
type DateFormat struct {
	Pivot  int // the first of the hundred years that two digits mean; 0: none is declared
	Text   string
	finest string // day, month or year
	parts  []datePart
}

type datePart struct {
	sign    string // D, DD, M, MM, MMM, MMMM, YYYY, or "" for a literal
	literal string
}

var dateSigns = []string{"MMMM", "YYYY", "MMM", "DD", "MM", "YY", "D", "M"}

// ParseDateFormat reads a format; it must name day, month and year once each, or
// month and year, or the year.
func ParseDateFormat(text string) (DateFormat, error) {
	f := DateFormat{Text: text}
	count := map[byte]int{}
	for rest := text; rest != ""; {
		sign := leadingSign(rest)
		if sign != "" {
			f.parts = append(f.parts, datePart{sign: sign})
			count[sign[0]]++
			rest = rest[len(sign):]
			continue
		}
		if rest[0] == 'Y' {
			return f, errors.New("a year has four digits, or two with `pivot`")
		}
		f.parts = append(f.parts, datePart{literal: rest[:1]})
		rest = rest[1:]
	}
	if count['D'] > 1 || count['M'] > 1 || count['Y'] != 1 || count['M'] < count['D'] {
		return f, errors.New("a date format names day, month and year once each, as in D.M.YYYY or D MMMM YYYY, or month and year, as in M/YYYY")
	}
	f.finest = [3]string{"year", "month", "day"}[count['D']+count['M']]
	return f, nil
}

func leadingSign(s string) string {
	for _, sign := range dateSigns {
		if strings.HasPrefix(s, sign) {
			if len(s) > len(sign) && s[len(sign)] == sign[0] {
				return "" // MMMMM, YYYYY, YYY, DDD
			}
			return sign
		}
	}
	return ""
}

// Read reads text as a date in this format, the whole of it, and gives it as
// records hold it: YYYY-MM-DD, YYYY-MM or YYYY.
func (f DateFormat) Read(text string) (date string, ok bool) {
	year, month, day := 0, 1, 1
	rest := strings.TrimSpace(text)
	for _, p := range f.parts {
		ok := true
		switch {
		case p.sign == "":
			rest, ok = cutLiteral(rest, p.literal)
		case p.sign[0] == 'Y':
			year, rest, ok = cutDigits(rest, len(p.sign), len(p.sign))
			if ok && p.sign == "YY" {
				year, ok = f.century(year), f.Pivot > 0 && !startsWithDigit(rest)
			}
		case p.sign == "MMM" || p.sign == "MMMM":
			month, rest, ok = cutMonth(rest, p.sign == "MMMM")
		case p.sign[0] == 'M':
			month, rest, ok = cutDigits(rest, len(p.sign), 2)
		default:
			day, rest, ok = cutDigits(rest, len(p.sign), 2)
		}
		if !ok {
			return "", false
		}
	}
	t := time.Date(year, time.Month(month), day, 0, 0, 0, 0, time.UTC)
	if rest != "" || t.Day() != day || int(t.Month()) != month || year <= 0 {
		return "", false
	}
	return t.Format(layoutOf[f.finest]), true
}

// layoutOf gives how records hold dates of a precision.
var layoutOf = map[string]string{"day": "2006-01-02", "month": "2006-01", "year": "2006"}

// finer orders precisions.
var finer = map[string]int{"year": 0, "month": 1, "": 2, "day": 2}

// Suits tells whether a field of a precision may be written in the format.
func (f DateFormat) Suits(precision string) bool { return finer[f.finest] >= finer[precision] }

// century gives the year that two digits mean: of the hundred years from Pivot on.
func (f DateFormat) century(yy int) int { return f.Pivot + (yy-f.Pivot%100+100)%100 }

// Short reports whether the format writes years in two digits.
func (f DateFormat) Short() bool {
	for _, p := range f.parts {
		if p.sign == "YY" {
			return true
		}
	}
	return false
}

func startsWithDigit(s string) bool { return s != "" && s[0] >= '0' && s[0] <= '9' }

func cutLiteral(s, literal string) (string, bool) {
	if strings.TrimSpace(literal) == "" {
		cut := strings.TrimLeft(s, " \t\n\u00a0\u202f")
		return cut, len(cut) < len(s)
	}
	return strings.CutPrefix(s, literal)
}

func cutDigits(s string, least, most int) (int, string, bool) {
	n := 0
	for n < len(s) && n < most && s[n] >= '0' && s[n] <= '9' {
		n++
	}
	if n < least {
		return 0, s, false
	}
	v, err := strconv.Atoi(s[:n])
	return v, s[n:], err == nil
}

// cutMonth takes the name of a month, in any of the languages of package lang,
// from the head of a text: its full name or, where full is false, also a short
// one with or without a full stop.
func cutMonth(s string, full bool) (int, string, bool) {
	word := s
	if i := strings.IndexFunc(s, func(r rune) bool { return !unicode.IsLetter(r) }); i >= 0 {
		word = s[:i]
	}
	if m, err := strconv.Atoi(lang.Month.Meaning(word)); err == nil {
		return m, s[len(word):], true
	}
	if m, err := strconv.Atoi(lang.ShortMonth.Meaning(word)); err == nil && !full {
		return m, strings.TrimPrefix(s[len(word):], "."), true
	}
	return 0, s, false
}

// IsISODate tells a day as records hold it.
func IsISODate(text string) bool {
	_, err := time.Parse("2006-01-02", text)
	return err == nil
}

// Write gives a date, as records hold it, in this format; "" for one that does
// not say all that the format names.
func (f DateFormat) Write(date string) string {
	t, err := time.Parse(layoutOf[f.finest], date)
	if err != nil {
		return ""
	}
	var b strings.Builder
	for _, p := range f.parts {
		switch p.sign {
		case "":
			b.WriteString(p.literal)
		case "D":
			fmt.Fprintf(&b, "%d", t.Day())
		case "DD":
			fmt.Fprintf(&b, "%02d", t.Day())
		case "M":
			fmt.Fprintf(&b, "%d", int(t.Month()))
		case "MM":
			fmt.Fprintf(&b, "%02d", int(t.Month()))
		case "MMM":
			b.WriteString(t.Month().String()[:3])
		case "MMMM":
			b.WriteString(t.Month().String())
		case "YY":
			if f.century(t.Year()%100) == t.Year() {
				fmt.Fprintf(&b, "%02d", t.Year()%100)
				continue
			}
			fallthrough
		default:
			fmt.Fprintf(&b, "%04d", t.Year())
		}
	}
	return b.String()
}

// PlainDates are the formats that have one reading only; they are tried for
// every date, whatever the schema declares.
var PlainDates = mustFormats("YYYY-MM-DD", "YYYY-M-D", "YYYY/M/D", "D MMMM YYYY", "D MMM YYYY", "D. MMMM YYYY", "MMMM D, YYYY", "MMM D, YYYY", "MMMM D YYYY", "D-MMM-YYYY")

// figureDates are formats in figures, which a schema has to declare.
var figureDates = mustFormats("D.M.YYYY", "M.D.YYYY", "D/M/YYYY", "M/D/YYYY", "D-M-YYYY", "M-D-YYYY", "D. M. YYYY")

// PossibleFormats gives the formats in figures in which a text could be a date.
func PossibleFormats(text string) (formats []string) {
	for _, f := range figureDates {
		if _, ok := f.Read(text); ok {
			formats = append(formats, f.Text)
		}
	}
	return formats
}

func mustFormats(texts ...string) []DateFormat {
	var formats []DateFormat
	for _, t := range texts {
		f, err := ParseDateFormat(t)
		if err != nil {
			panic(err)
		}
		formats = append(formats, f)
	}
	return formats
}

// ReadDate reads text as a date in the field's formats or a plain one. It
// gives false also where two declared formats read it differently.
func (f *Field) ReadDate(text string) (date string, ok bool) {
	dates := f.DateReadings(text)
	if len(dates) != 1 {
		return "", false
	}
	return dates[0], true
}

// DateReadings gives the dates that text can mean in the field's formats and the
// plain ones, each once, as records hold them.
func (f *Field) DateReadings(text string) (dates []string) {
	for _, format := range f.DateFormats() {
		if date, hit := format.Read(text); hit && !slices.Contains(dates, date) {
			dates = append(dates, date)
		}
	}
	return dates
}

// DateFormats gives the formats in which documents may write the field: its own,
// and those that have one reading only.
func (f *Field) DateFormats() []DateFormat {
	all := append(append([]DateFormat(nil), f.Written...), PlainDates...)
	for _, format := range plainParts {
		if format.Suits(f.Precision) {
			all = append(all, format)
		}
	}
	return all
}

// plainParts are the formats of months and years that have one reading only.
var plainParts = mustFormats("YYYY-MM", "MMMM YYYY", "MMM YYYY", "MMMM, YYYY", "YYYY")
