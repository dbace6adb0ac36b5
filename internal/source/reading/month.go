package reading

import (
	"fmt"
	"strconv"
	"strings"
	"sync"

	"filler/internal/base/lazy"
)

// months is the months of a source, made when they are first asked for.
type months struct {
	once, shortly sync.Once
	at            map[string][]Span // by the month as records hold it
	short         map[string][]Span // by the same without the century
}

// monthText is a month of a year, in words of any language or in figures.
var monthText = lazy.New(`(\pL{3,12})\.?,? (?:de )?(\d{4})|(?:^|[^\d./-])(\d{1,2})[/.](\d{4})`)

// Months gives the places where a month is written, as records hold it: 2032-04.
func (tx *Text) Months(month string) []Span {
	tx.months.once.Do(func() {
		tx.months.at = map[string][]Span{}
		for _, s := range tx.Stretches {
			tx.findMonths(s)
		}
	})
	if at := tx.months.at[month]; len(at) > 0 || len(month) < 5 {
		return at
	}
	tx.months.shortly.Do(func() {
		tx.months.short = map[string][]Span{}
		for _, s := range tx.Stretches {
			tx.findShortMonths(s)
			tx.findShortNamed(s)
		}
	})
	return tx.months.short[month[2:]]
}

// shortMonth is a month with a year of two figures, which stands for that of any century: 5/31.
// It may be many other things.
var shortMonth = lazy.New(`(0[1-9]|1[0-2]|[1-9])/'?(\d{2})`)

func (tx *Text) findShortMonths(s Span) {
	text := tx.Source[s.Start:s.End]
	for _, m := range tx.matches(shortMonth, s) {
		if m[0] > 0 && (isWordByte(text[m[0]-1]) || strings.IndexByte("./,-", text[m[0]-1]) >= 0) || m[1] < len(text) && (isWordByte(text[m[1]]) || strings.IndexByte("/-%", text[m[1]]) >= 0) {
			continue
		}
		n, _ := strconv.Atoi(text[m[2]:m[3]])
		key := fmt.Sprintf("%s-%02d", text[m[4]:m[5]], n)
		tx.months.short[key] = append(tx.months.short[key], Span{s.Start + m[0], s.Start + m[1]})
	}
}

// shortMonthNamed is a month by its name with two figures of a year behind an apostrophe: Aug. '29.
var shortMonthNamed = lazy.New(`(\pL{3,12})\.? ?['’](\d{2})\b`)

func (tx *Text) findShortNamed(s Span) {
	text := tx.Source[s.Start:s.End]
	for _, m := range tx.matches(shortMonthNamed, s) {
		if n, err := strconv.Atoi(monthNamed(text[m[2]:m[3]])); err == nil && n > 0 {
			key := fmt.Sprintf("%s-%02d", text[m[4]:m[5]], n)
			tx.months.short[key] = append(tx.months.short[key], Span{s.Start + m[0], s.Start + m[1]})
		}
	}
}

func (tx *Text) findMonths(s Span) {
	text := tx.Source[s.Start:s.End]
	tx.monthsWithSigns(s)
	for _, m := range tx.matches(monthText, s) {
		from, y, said := m[2], 4, ""
		if m[2] >= 0 {
			said = monthNamed(text[m[2]:m[3]])
		} else {
			from, y = m[6], 8
			said = text[m[6]:m[7]]
		}
		if n, err := strconv.Atoi(said); err == nil && n >= 1 && n <= 12 {
			key := fmt.Sprintf("%s-%02d", text[m[y]:m[y+1]], n)
			tx.months.at[key] = append(tx.months.at[key], Span{s.Start + from, s.Start + m[y+1]})
		}
	}
}

// Month reads a text that is a month in words and its year, Sept 2034, as ISO 8601 writes it; "" for any
// other.
func Month(text string) string {
	m := wholeMonth.FindStringSubmatch(strings.TrimSpace(text))
	if m == nil {
		return ""
	}
	n, err := strconv.Atoi(monthNamed(strings.ToLower(m[1])))
	if err != nil || n < 1 || n > 12 {
		return ""
	}
	return fmt.Sprintf("%s-%02d", m[2], n)
}

var wholeMonth = lazy.New(`^(\pL{3,12})\.?,? (?:de )?(\d{4})$`)
