package reading

import (
	"math/big"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"filler/internal/base/lang"
)

// later is the lengths of time of a text, once asked for.
type later struct {
	once sync.Once
	all  []length
	from []dayInFull // the days that they may lead from
}

// length is a length of time in whole days or months, as a text says it.
type length struct {
	Span
	days, months int
	ago          bool
}

// mostLengths is how many of them a text may have: more often, some day or other comes of any two.
const mostLengths = 24

// longestKey is the most bytes of a number of days, as keys of numbers have it: 3660e0, 15e-1.
const longestKey = 6

// lengths gives them: 30 days net, valid for two years, drei Wochen.
func (tx *Text) lengths() []length {
	tx.later.once.Do(func() {
		for _, figure := range tx.figuresInOrder() {
			if len(figure.key) > longestKey {
				continue
			}
			if n, ok := new(big.Rat).SetString(figure.key); ok {
				m := tx.MeasureOf(figure.Span)
				tx.addLength(m.Where, n, m.Unit)
			}
		}
		for _, i := range tx.oneOf() { // in a month, vor einer Woche
			tx.addLength(Span{tx.Tokens[i-1].Start, tx.Tokens[i].End}, big.NewRat(1, 1), UnitOf(tx.Tokens[i].Word))
		}
		if len(tx.later.all) > mostLengths {
			tx.later.all = nil
		}
		if len(tx.later.all) > 0 {
			tx.findDays()
			tx.later.from = tx.daysInFull(true)
		}
	})
	return tx.later.all
}

// addLength notes a length of time, if it is one of whole days or months: half a year, but no half month.
func (tx *Text) addLength(at Span, n *big.Rat, unit string) {
	per := map[string]int64{"d": 1, "wk": 7, "month": 1, "year": 12}[unit]
	if per == 0 || len(tx.later.all) > mostLengths {
		return
	}
	n = new(big.Rat).Mul(n, big.NewRat(per, 1))
	if !n.IsInt() || n.Sign() <= 0 || n.Cmp(big.NewRat(mostLasting, 1)) > 0 || slices.ContainsFunc(tx.later.all, func(l length) bool { return l.Start < at.End && at.Start < l.End }) {
		return
	}
	l := length{Span: at, ago: tx.isAgo(at)}
	if unit == "d" || unit == "wk" {
		l.days = int(n.Num().Int64())
	} else {
		l.months = int(n.Num().Int64())
	}
	tx.later.all = append(tx.later.all, l)
}

// mostLasting is how many days or months it has at most.
const mostLasting = 3660

// isAgo tells whether words beside a length of time say that it lies back: two weeks ago, vor drei Tagen.
func (tx *Text) isAgo(s Span) bool {
	first, last := tx.TokenAt(s.Start), tx.TokenAt(s.End)
	words := ""
	for i := first - 1; i >= 0 && i >= first-3; i-- { // il y a
		if words = strings.TrimRight(tx.Tokens[i].Word+" "+words, " "); lang.AgoBefore.Has(words) {
			return true
		}
	}
	return last < len(tx.Tokens) && tx.near(last-1, last) && lang.Ago.Has(tx.Tokens[last].Word)
}

// Later gives the places of lengths of time that lead to a day or a month from another day of the text:
// 30 days net, next visit in six weeks; only to a day before it where back. A term of months or years
// may end on the day before.
func (tx *Text) Later(day string, back bool) (found []Span) {
	layout := map[int]string{len("2006-01-02"): time.DateOnly, len("2006-01"): "2006-01"}[len(day)]
	if layout == "" {
		return nil
	}
	for _, l := range tx.lengths() {
		for _, d := range tx.later.from {
			if back && !l.ago {
				break
			}
			to := l.from(d.day)
			if to.Format(layout) == day || l.months > 0 && to.AddDate(0, 0, -1).Format(layout) == day {
				found = append(found, l.Span)
				break
			}
		}
	}
	return found
}

// from gives the day as much later, or before: a month behind the 31st is the last of a shorter one.
func (l length) from(day time.Time) time.Time {
	days, months := l.days, l.months
	if l.ago {
		days, months = -days, -months
	}
	to := day.AddDate(0, months, 0)
	if to.Day() != day.Day() {
		to = to.AddDate(0, 0, -to.Day())
	}
	return to.AddDate(0, 0, days)
}

// MonthsOfYear gives the places of a month by its name alone, in a text with other days of this year, or
// of the year before where the month comes behind its last one: in a letter of November 2026 "in
// February" is that of 2027.
func (tx *Text) MonthsOfYear(month string) (found []Span) {
	if t, err := time.Parse("2006-01", month); err != nil {
		return nil
	} else if last := tx.lastMonth(t.Year() - 1); !tx.hasYear(month[:4]) && (last == "" || last <= month[5:]) {
		return nil
	}
	number, seen := strings.TrimLeft(month[5:], "0"), map[string]bool{} // languages share names
	for _, name := range append(lang.Month.Names(number), lang.ShortMonth.Names(number)...) {
		if name = strings.ToLower(name); seen[name] {
			continue
		}
		seen[name] = true
		for _, i := range tx.ByWord[name] {
			if tx.monthAlone(i) {
				found = append(found, tx.Tokens[i].Span)
			}
		}
	}
	return found
}

func (tx *Text) hasYear(year string) bool {
	tx.findDays()
	return tx.days.years[year]
}

// lastMonth gives the last month of a year of which the text has a day; "" for none.
func (tx *Text) lastMonth(year int) (last string) {
	tx.findDays()
	for month := range tx.days.months {
		if month[:4] == strconv.Itoa(year) {
			last = max(last, month[5:])
		}
	}
	return last
}

// monthAlone tells whether the name of a month stands for one, with neither a day nor a year beside it.
func (tx *Text) monthAlone(i int) bool {
	for _, next := range []int{i - 1, i + 1} {
		if _, isYear := tx.year(next); isYear && !strings.ContainsAny(tx.Source[tx.Tokens[min(i, next)].End:tx.Tokens[max(i, next)].Start], "|\n") {
			return false
		}
	}
	if tx.InDate(tx.Tokens[i].Span) {
		return false
	}
	t := tx.Tokens[i]
	if lang.Month.Has(t.Word) && !tx.english(i) && !wordsToo[t.Word] {
		return true
	}
	before := strings.TrimRight(tx.Source[:t.Start], " *")
	begins := before == "" || strings.ContainsAny(before[len(before)-1:], ".!?\n|") // as words of a sentence do
	return startsNoun(tx.Source[t.Start:]) && (lang.Month.Has(t.Word) || tx.isShortMonth(i)) && (!begins || tx.opensCell(t.Span))
}
