package evidence

import (
	"strings"

	"filler/internal/base/lang"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// Sheets of a month say it once, and of each row the day alone.

// dayInColumn gives the places of the figure of a day that is a cell by itself, but for a weekday, where the last
// month before it is the day's: 3. under Tag, on a sheet of March 2031.
func (w *weigher) dayInColumn(f *schema.Field, day string) (found []span) {
	if !strings.Contains(f.Path, "[]") || len(w.ix.Months(day[:len("2031-03")])) == 0 {
		return nil
	}
	figure := strings.TrimLeft(day[len("2031-03-"):], "0")
	for _, word := range []string{figure, "0" + figure} {
		for _, i := range w.ix.ByWord[word] {
			s := w.ix.Tokens[i].Span
			if w.isDayCell(f, s) && w.isUnderMonth(s, day[:len("2031-03")]) {
				found = append(found, s)
			}
		}
	}
	return found
}

// isDayCell tells a figure that is the first cell of a row, or stands under its field's head, with a weekday at most.
func (w *weigher) isDayCell(f *schema.Field, s span) bool {
	row, start, _ := w.ix.rowAt(w.ix.LineOf(s.Start))
	cells := cellsIn(row)
	for k, c := range cells {
		if start+c[0] > s.Start || start+c[1] < s.End || len(cells) < 2 {
			continue
		}
		for _, t := range reading.Tokenize(row[c[0]:c[1]]) {
			if start+c[0]+t.Start != s.Start && !lang.Weekday.Has(t.Word) {
				return false
			}
		}
		head := w.topOf(between(start+c[0], start+c[1]))
		return w.isCalled(f, head) || k == 0 && (head == "" || !w.isSibling(f, head))
	}
	return false
}

// isUnderMonth tells whether the last month that stands before a place, and is no part of a day, is this one.
func (w *weigher) isUnderMonth(s span, month string) bool {
	last, is := 0, false
	for _, m := range w.ix.AllMonths() {
		if m.End <= s.Start && m.End > last && !w.ix.InDate(m) {
			last, is = m.End, false
		}
	}
	for _, m := range w.ix.Months(month) {
		is = is || m.End == last
	}
	return is
}
