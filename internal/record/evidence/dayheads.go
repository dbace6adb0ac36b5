package evidence

import (
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// Days, numbers and hours as the heads and cells of tables have them: Tue 10, R1, 07-15.

// mostOfOrdinal is how many letters stand behind the number of a day at most: 10th.
const mostOfOrdinal = 2

// headsDay tells whether the head of a column says a day, as JSON, with no word of another: its number, the name of
// its day of the week, its month and its year, the first or the second at least.
func headsDay(head, json string) bool {
	day, err := time.Parse(time.DateOnly, strings.Trim(json, `"`))
	if err != nil {
		return false
	}
	number, named, month, cut, year := false, false, false, false, false
	for _, word := range strings.FieldsFunc(strings.ToLower(head), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) }) {
		figures := strings.TrimRightFunc(word, unicode.IsLetter)
		n, err := strconv.Atoi(figures)
		switch {
		case err == nil && len(word)-len(figures) > mostOfOrdinal:
			return false
		case err == nil && n == day.Day() && !number:
			number = true
		case err == nil && n == int(day.Month()) && !month:
			month = true
		case err == nil && (n == day.Year() || n == day.Year()%100):
			year = true
		case err != nil && beginsWeekday(word, reading.WeekdayNumber(day)):
			named, cut = true, cut || lang.Weekday.Meaning(word) == ""
		case err != nil && (isNumbered(lang.Month, word, int(day.Month())) || isNumbered(lang.ShortMonth, word, int(day.Month()))):
			month = true
		default:
			return false
		}
	}
	return (number || named) && !(cut && year) // 10 Mar 2032 is no Tuesday in February
}

// beginsWeekday tells whether a word is the name of a day of the week, or its begin: mar, for mardi.
func beginsWeekday(word, number string) bool {
	return slices.ContainsFunc(lang.Weekday.Names(number), func(name string) bool {
		name = strings.ToLower(name)
		return name == word || len(word) >= 2 && strings.HasPrefix(name, word)
	})
}

func isNumbered(k lang.Kind, word string, n int) bool { return k.Meaning(word) == strconv.Itoa(n) }

// fewestInitials is how many heads in a row are letters of days or months at least.
const fewestInitials = 5

// runOfLetters tells whether so many cells of a row are one or two letters each.
func runOfLetters(heads []heading) bool {
	n := 0
	for _, h := range heads {
		if utf8.RuneCountInString(h.said) <= 2 && strings.ContainsFunc(h.said, unicode.IsLetter) {
			n++
		}
	}
	return n >= fewestInitials
}

// inOrder gives the names of the days of a week or of the months, if all values of a field are such, by their number in
// their order, and the numbers of those values.
func inOrder(leaves map[string]*leaf) (names map[int][]string, order map[string]int) {
	for _, kind := range []lang.Kind{lang.Weekday, lang.Month} {
		names, order = map[int][]string{}, map[string]int{}
		for v := range leaves {
			parsed, err := value.Parse(v)
			if n, e := strconv.Atoi(kind.Meaning(schema.Spoken(parsed.Text))); err == nil && e == nil {
				order[v] = n
			}
		}
		if len(order) < len(leaves) {
			continue
		}
		for _, word := range kind.Words() {
			if n, err := strconv.Atoi(kind.Meaning(word)); err == nil {
				names[n] = append(names[n], word)
			}
		}
		return names, order
	}
	return map[int][]string{}, nil
}

// byInitials finds the heads that are the first letters of such names, in their order.
func (t *crosstab) byInitials(heads []heading, names map[int][]string, order map[string]int) {
	from := runOf(heads, names)
	if from < 0 {
		return
	}
	of := map[string]int{}
	for v, n := range order {
		if from+n-1 >= len(heads) {
			return
		}
		of[v] = from + n - 1
	}
	t.of = of
}

// runOf gives the first of the heads that are one or two letters each with which all names begin, in their order; -1
// where there are none.
func runOf(heads []heading, names map[int][]string) int {
	for from := range heads {
		n := 0
		for from+n < len(heads) && n < len(names) {
			said := strings.ToLower(heads[from+n].said)
			if said == "" || utf8.RuneCountInString(said) > 2 || !slices.ContainsFunc(names[n+1], func(name string) bool { return strings.HasPrefix(strings.ToLower(name), said) }) {
				break
			}
			n++
		}
		if n >= fewestInitials {
			return from
		}
	}
	return -1
}

// headsNumber tells whether the head of a column says a number, as JSON, and no other: R1, Week 3.
func headsNumber(head, json string) bool {
	return strings.TrimFunc(head, func(r rune) bool { return !unicode.IsDigit(r) }) == json
}

// hourRange is a cell with the hours of a shift, without a word: 07-15, 8.30-12, 9–5.
var hourRange = lazy.New(`^\s*(\d{1,2})(?:[:.h]?(\d{2}))?\s?[-–]\s?(\d{1,2})(?:[:.h]?(\d{2}))?h?\s*$`)

// hoursSay tells whether such a cell has a time, as JSON, for its first or its last; one that ends before it begins
// may end in the afternoon.
func hoursSay(cell, json string) bool {
	m := hourRange.FindStringSubmatch(cell)
	at, err := time.Parse(`"15:04"`, json)
	if m == nil || err != nil {
		return false
	}
	minutes := func(hour, minute string) int {
		h, _ := strconv.Atoi(hour)
		m, _ := strconv.Atoi(minute)
		return 60*h + m
	}
	first, last, said := minutes(m[1], m[2]), minutes(m[3], m[4]), 60*at.Hour()+at.Minute()
	return said == first || said == last || last < first && said == last+12*60
}

// oneHour is a cell with one end of the hours in which something is to come: by 10, bis 12.30.
var oneHour = lazy.New(`^\s*(\pL{2,9})\.? (\d{1,2})(?:[:.h](\d{2}))?\s*$`)

// hoursInRows places the times of items that stand nowhere in a cell of their row that has hours without a word: 7-9.
func (w *weigher) hoursInRows(h *homes) {
	for i, it := range h.list {
		for _, l := range it.leaves {
			if l.f.Kin().Type != schema.Time || l.fixed != nil || !h.own(i) || w.places[l.path].Found() {
				continue
			}
			row, start, _ := w.ix.rowAt(h.at[i])
			cells := cellsIn(row)
			for _, c := range cells {
				said := row[c[0]:c[1]]
				if m := oneHour.FindStringSubmatch(said); m != nil && (lang.Until.Has(m[1]) || lang.AtTime.Has(m[1])) {
					said = m[2] + ":" + (m[3] + "00")[:2] + "-" + m[2] + ":" + (m[3] + "00")[:2]
				}
				if len(row) <= longestLine && len(cells) >= leastCells && hoursSay(said, l.value) {
					w.restate(l, between(start+c[0], start+c[1]))
					break
				}
			}
		}
	}
}
