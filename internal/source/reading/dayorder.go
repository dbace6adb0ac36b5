package reading

import (
	"slices"
	"strconv"
	"strings"
	"sync"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
)

// dayOrder is the order in which a text writes days in figures.
type dayOrder int

const (
	unordered dayOrder = iota
	dayFirst
	monthFirst
)

// orders is what a text tells of it, by the sign between the figures, once asked for.
type orders struct {
	once     sync.Once
	by       map[byte]dayOrder
	language string
	english  dayOrder // of a text in English
}

// orderOfDays tells in which order a text writes days with a sign between their figures: as those do
// that can be read in one way only, 18.03.2034, if none goes against them; where there is none, the
// day first in a text of a language that writes them so and no other way.
func (tx *Text) orderOfDays(sign byte) dayOrder {
	o := &tx.orders
	o.once.Do(func() {
		o.by, o.language = map[byte]dayOrder{}, lang.Guess(tx.Source).Code
		both := map[byte]bool{}
		for _, at := range tx.days.figures {
			for _, s := range at {
				said := strings.ReplaceAll(tx.Source[s.Start:s.End], " ", "")
				parts := strings.Fields(strings.Map(digitOrBlank, said))
				if len(parts) != 3 {
					continue
				}
				a, _ := strconv.Atoi(parts[0])
				b, _ := strconv.Atoi(parts[1])
				order := unordered
				switch {
				case a > 12 && b <= 12:
					order = dayFirst
				case b > 12 && a <= 12:
					order = monthFirst
				default:
					continue
				}
				sign := said[len(parts[0])]
				both[sign] = both[sign] || o.by[sign] != unordered && o.by[sign] != order
				o.by[sign] = order
			}
		}
		for sign := range both {
			if both[sign] {
				o.by[sign] = unordered
				o.language = "" // it goes by both
			}
		}
		if o.language == "en" {
			o.english = tx.orderInEnglish()
		}
	})
	if order, told := o.by[sign]; told {
		return order
	}
	switch {
	case o.language == "en":
		return o.english
	case lang.IsOwn(o.language):
		return dayFirst
	}
	return unordered
}

// zip is a state of the United States with the number of a post office.
var zip = lazy.New(`\b[A-Z]{2},? \d{5}(?:-\d{4})?\b`)

// dayFirstSign is the money or the tax of countries that write the day first, dayFirstZip a postcode
// of one: SY4 7QP.
var (
	dayFirstSign = lazy.New(`\b(?:GBP|EUR|VAT)\b`)
	dayFirstZip  = lazy.New(`\b[A-Z]{1,2}\d[A-Z\d]? \d[A-Z]{2}\b`)
)

// orderInEnglish tells whose English a text is, as far as its money and its addresses do: pounds sterling and
// euros, value added tax and British postcodes are of countries that write the day first, dollars with an address
// of the United States of one that does not.
func (tx *Text) orderInEnglish() dayOrder {
	lines := figureLinesOf(tx.Source)
	in := func(re *lazy.Regexp) bool {
		return slices.ContainsFunc(lines, func(s Span) bool { return re.MatchString(tx.Source[s.Start:s.End]) })
	}
	european := strings.ContainsAny(tx.Source, "£€") || in(dayFirstZip)
	for _, sign := range []string{"GBP", "EUR", "VAT"} {
		european = european || strings.Contains(tx.Source, sign) && dayFirstSign.MatchString(tx.Source)
	}
	american := strings.Contains(tx.Source, "$") && in(zip)
	switch {
	case european && !american:
		return dayFirst
	case american && !european:
		return monthFirst
	}
	return unordered
}

// What the order of days says of one that can be read in two ways.
const (
	perhaps = iota
	yes
	no
)

// inOrder tells whether figures that may be a day are that day, by the order in which the text writes
// its days; those that can be read in one way only are.
func (tx *Text) inOrder(at Span, day string) int {
	said := strings.ReplaceAll(tx.Source[at.Start:at.End], " ", "")
	parts := strings.Fields(strings.Map(digitOrBlank, said))
	if len(parts) != 3 || len(parts[0]) > 2 || day[5:7] == day[8:] || day[8:] > "12" {
		return yes
	}
	order := tx.orderOfDays(said[len(parts[0])])
	first, _ := strconv.Atoi(parts[0])
	d, _ := strconv.Atoi(day[8:])
	switch {
	case order == unordered:
		return perhaps
	case (order == dayFirst) == (first == d):
		return yes
	}
	return no
}

// otherOrder tells whether a day and a month in figures, 6/3, are those of another day by that order.
func (tx *Text) otherOrder(said, day string) bool {
	parts := strings.Fields(strings.Map(digitOrBlank, said))
	if len(parts) != 2 || len(parts[0]) > 2 || day[5:7] == day[8:] || day[8:] > "12" || len(said) <= len(parts[0]) {
		return false
	}
	order := tx.orderOfDays(said[len(parts[0])])
	first, _ := strconv.Atoi(parts[0])
	d, _ := strconv.Atoi(day[8:])
	return order != unordered && (order == dayFirst) != (first == d)
}

func digitOrBlank(r rune) rune {
	if r >= '0' && r <= '9' {
		return r
	}
	return ' '
}
