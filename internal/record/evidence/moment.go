package evidence

import (
	"slices"
	"sort"
	"strconv"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// day finds a date, in whatever way documents write it.
func (w *weigher) day(f *schema.Field, text string, add func([]span, Kind, string)) {
	found := 0
	put := func(spans []span, kind Kind, exact string) {
		found += len(spans)
		add(spans, kind, exact)
	}
	put(w.inOneLine(text, w.ix.find), Restated, text)
	w.partDates(text, put)
	for _, format := range f.DateFormats() {
		short := format.Write(text)
		put(w.inOneLine(short, w.ix.find), Restated, "")
		if long := oneFigure.ReplaceAllString(short, "0$0"); long != short { // 07 Nov 31
			put(w.inOneLine(long, w.ix.find), Restated, "")
		}
	}
	put(w.ix.Days(text), Restated, "")
	if len(text) == len("2031") {
		put(w.ix.YearEnds(text), Restated, "")
		put(w.yearBehindWord(f, text), Restated, "")
	}
	if found == 0 && len(text) == len("2031-04") {
		put(w.ix.MonthsOfYear(text), Restated, "")
		put(w.later(f, text), Restated, "")
	}
	if !schema.IsISODate(text) {
		return
	}
	spans, open, others := w.ix.InFigures(f, text)
	put(spans, Restated, "")
	w.opposed = append(w.opposed, others...)
	if found == 0 || strings.Contains(f.Path, "[]") { // the row of an item may leave out the year that a head has
		put(w.ix.DaysOfYear(f, text), Restated, "")
		put(w.ix.NamedDays(text), Restated, "")
	}
	if found == 0 {
		put(w.ix.DaysOfMonth(text), Restated, "")
		put(w.dayInColumn(f, text), Restated, "")
	}
	if found == 0 {
		put(w.ix.OnWeekday(text), Restated, "")
		if !f.NamedBy(lang.Term) {
			put(w.ix.OnWeekdayBefore(text), Restated, "")
		}
		put(w.ix.OnRelativeDay(text), Restated, "")
		put(w.later(f, text), Restated, "")
	}
	w.open = append(w.open, open...)
}

// later gives the places of lengths of time that lead to a day, where the field is for the end of one, or
// where they lie back. Where the document has a day behind the field's own label, it is none of them.
func (w *weigher) later(f *schema.Field, day string) []span {
	found := w.ix.Later(day, !f.NamedBy(lang.Term))
	if len(found) > 0 && slices.ContainsFunc(w.ix.AllDays(), func(s span) bool { return w.led(f, s) }) {
		return nil
	}
	return found
}

// oneFigure is a day or a month of one figure.
var oneFigure = lazy.New(`\b\d\b`)

// inOneLine gives the places of a day as it is written; figures in two lines are no day.
func (w *weigher) inOneLine(text string, find func(string) []span) []span {
	found := find(text)
	if strings.ContainsFunc(text, unicode.IsLetter) {
		return found
	}
	return slices.DeleteFunc(found, func(s span) bool {
		said := w.ix.Source[s.Start:s.End]
		return strings.Contains(said, "\n") || strings.Contains(said, "  ") // of two cells
	})
}

// clock finds a time of day.
func (w *weigher) clock(f *schema.Field, text string, add func([]span, Kind, string)) {
	add(w.ix.find(text), Restated, text)
	zulu := w.ix.find(text + "z") // 08:12Z
	for i := range zulu {
		zulu[i].End--
	}
	add(zulu, Restated, "")
	if early, ok := twelveBefore(text); ok && w.ix.GoesByTwelve() {
		for _, spelling := range []string{early, strings.Replace(early, ":", ".", 1)} {
			add(slices.DeleteFunc(w.ix.find(spelling), func(s span) bool { return reading.HasHalf(w.ix.Source[s.End:]) }), Restated, "")
		}
	}
	all := []string{text}
	if len(text) == len("15:04") { // where documents print the seconds, too
		all = append(all, text+":00")
	}
	for _, text := range all {
		for _, spelling := range reading.Clocks(text) {
			add(w.ix.find(spelling), Restated, "")
		}
	}
	if text == "00:00" {
		for _, end := range []string{"24:00", "24.00", "24:00h"} {
			add(w.ix.find(end), Restated, "")
		}
	}
	add(w.ix.SpokenTimes(text), Restated, "")
	add(w.ix.FourFigures(text), Restated, "")
	if text = strings.Replace(text, ":", "", 1); len(text) == 4 {
		add(slices.DeleteFunc(w.ix.find(text), func(s span) bool { return !w.led(f, s) && !(w.ix.IsCell(s) && w.headed(f, s)) }), Restated, "")
	}
}

// twelveBefore gives the time that the clock of twelve hours shows for one of the afternoon.
func twelveBefore(text string) (string, bool) {
	hour, rest, ok := strings.Cut(text, ":")
	if n, err := strconv.Atoi(hour); ok && err == nil && n > 12 && n < 24 && len(rest) == 2 {
		return strconv.Itoa(n-12) + ":" + rest, true
	}
	return "", false
}

// rightHalf leaves out times of the other half of the day: 3:30 is not 3:30 pm.
func (w *weigher) rightHalf(text string, cands []candidate) []candidate {
	for i, c := range cands {
		cands[i].span = w.ix.WithHalf(c.span)
	}
	return slices.DeleteFunc(cands, func(c candidate) bool {
		if at := w.ix.RangeBegins(c.Start); at != "" {
			return at != text && at+":00" != text
		}
		if text == "24:00" || text == "00:00" && strings.HasPrefix(w.ix.Source[c.Start:c.End], "24") {
			return false
		}
		said := w.ix.Source[c.Start:c.End]
		if early, ok := twelveBefore(text); ok && strings.Replace(said, ".", ":", 1) == early && w.ix.GoesByTwelve() {
			return false
		}
		at, read := reading.TimeOfDay(said)
		return read && at != text && at+":00" != text && at != text+":00"
	})
}

// mostApart is how far a time may stand from its date, in bytes.
const mostApart = 120

// moment finds a date with a time: where both stand together, and the zone that is said
// there, or else the field's, gives the offset that the value has. Where neither says one
// the type asks for an offset all the same, and any will do.
func (w *weigher) moment(f *schema.Field, text string, add func([]span, Kind, string)) {
	if found := w.ix.find(text); len(found) > 0 {
		add(found, Restated, text)
		return
	}
	at, err := time.Parse(time.RFC3339, text)
	none := f.Zone == schema.NoZone
	if none {
		at, err = time.Parse(schema.LocalForm, text)
	}
	if err != nil {
		return
	}
	_, seconds := at.Zone()
	own := f.Location()
	for _, m := range w.nights(f, at.Format(schema.LocalForm)) {
		said := w.ix.offsets(m.time)
		switch right := slices.Contains(said, seconds/60); {
		case none, right, said == nil && own == nil, said == nil && at.In(own).Format(time.RFC3339) == at.Format(time.RFC3339):
			add([]span{m.span}, Restated, "")
		default:
			w.other = append(w.other, m.time)
		}
	}
	if own == nil || at.In(own).Format(schema.LocalForm) == at.Format(schema.LocalForm) {
		return
	}
	for _, m := range w.together(f, at.In(own).Format(schema.LocalForm)) { // given in another zone than it is printed in
		if w.ix.offsets(m.time) == nil {
			add([]span{m.span}, Restated, "")
		}
	}
}

// offsets gives the offsets that the zone behind a time may mean.
func (ix *Index) offsets(at span) []int {
	behind := ix.Source[at.End:min(len(ix.Source), at.End+40)]
	if line, _, more := strings.Cut(behind, "\n"); more {
		behind = line
	}
	return reading.OffsetBehind(strings.TrimRight(behind, " \t\r"), reading.IsISOTime(ix.Source, at.Start, at.End))
}

// stamps gives the places where a date and a time stand as one word: 2031-04-03T09:30.
func (ix *Index) stamps(date, clock string) (found []dated) {
	for from := 0; ; {
		i := strings.Index(ix.Source[from:], date+clock)
		if i < 0 {
			return found
		}
		start := from + i
		end := start + len(date) + len(clock)
		if rest := ix.Source[end:]; strings.HasPrefix(rest, ":00") {
			end += len(":00")
		}
		if from = end; end == len(ix.Source) || !strings.ContainsRune(":0123456789", rune(ix.Source[end])) {
			found = append(found, dated{between(start, end), between(start+len(date), end)})
		}
	}
}

// mostInNext is the last day of a month that a text may speak of which has only the month before.
const mostInNext = 10

// inMonthsDays gives the places of a day of the month with a time, as ships and aircraft have them, in a text that has
// a day of that month, or early in a month of the one before: 14/1130, 14/11:30, 141130Z.
func (ix *Index) inMonthsDays(date, clock string) (found []dated) {
	at, err := time.Parse(time.DateOnly, date)
	if err != nil || !ix.HasMonth(date[:7]) && (at.Day() > mostInNext || !ix.HasMonth(at.AddDate(0, 0, -at.Day()).Format("2006-01"))) {
		return nil
	}
	bare := strings.Replace(clock, ":", "", 1)
	for _, form := range [][2]string{{date[8:] + "/" + bare, ""}, {date[8:] + "/" + clock, ""}, {date[8:] + bare, "Z"}} {
		for from := 0; ; {
			i := strings.Index(ix.Source[from:], form[0]+form[1])
			if i < 0 {
				break
			}
			start := from + i
			end := start + len(form[0])
			from = end
			before, _ := utf8.DecodeLastRuneInString(ix.Source[:start])
			behind, _ := utf8.DecodeRuneInString(strings.TrimPrefix(ix.Source[end+len(form[1]):], "Z"))
			if !reading.IsWordRune(before) && before != '/' && !reading.IsWordRune(behind) && behind != '/' {
				found = append(found, dated{between(start, end), between(start+len(date[8:]), end)})
			}
		}
	}
	return found
}

// dated is a time with its date.
type dated struct {
	span
	time span
}

// together gives the places where a date and a time stand near each other.
func (w *weigher) together(f *schema.Field, local string) (found []dated) {
	date, clock, _ := strings.Cut(local, "T")
	clock = strings.TrimSuffix(clock, ":00")
	found = append(w.ix.stamps(date+"T", clock), w.ix.inMonthsDays(date, clock)...)
	var days, times []candidate
	gather := func(into *[]candidate) func([]span, Kind, string) {
		return func(spans []span, kind Kind, _ string) {
			for _, s := range spans {
				*into = append(*into, candidate{span: s, kind: kind})
			}
		}
	}
	open := w.open
	w.day(f, date, gather(&days)) // notes days that can be read in two ways, too
	// At 6:40 this morning, in a letter of that day.
	for _, s := range append(w.ix.OnWeekday(date), w.ix.OnRelativeDay(date)...) {
		if !slices.ContainsFunc(days, func(c candidate) bool { return c.span == s }) {
			days = append(days, candidate{span: s, kind: Restated})
		}
	}
	w.clock(f, clock, gather(&times))
	for i := range times { // 15:47:00 is no 15:47 with something behind it
		if seconds := secondsBehind.FindString(w.ix.Source[times[i].End:min(len(w.ix.Source), times[i].End+4)]); seconds == ":00" {
			times[i].End += len(seconds)
		} else if seconds != "" {
			times[i].span = span{}
		}
	}
	sort.Slice(days, func(i, j int) bool { return days[i].Start < days[j].Start })
	for _, t := range w.rightHalf(clock, times) {
		if t.span == (span{}) {
			continue
		}
		if d, apart := w.nearest(t.span, days); apart <= mostApart {
			found = append(found, dated{between(min(d.Start, t.Start), max(d.End, t.End)), t.span})
		}
	}
	if len(found) == 0 && w.isOnlyDay(date) {
		for _, t := range w.rightHalf(clock, times) {
			if t.span != (span{}) && !w.saysOtherDay(t.span, date) {
				found = append(found, dated{t.span, t.span})
			}
		}
	}
	for _, t := range w.rightHalf(clock, times) {
		if len(found) == 0 && t.span != (span{}) && w.isUnderDay(t.span, days) && !w.saysOtherDay(t.span, date) {
			found = append(found, dated{t.span, t.span})
		}
	}
	if len(found) > 0 || len(times) == 0 {
		w.open = open
	}
	return found
}

// isUnderDay tells whether one of the places of a day is the last one before a time that says a day, by another
// day too: tomorrow at 4:30 … back at 13 h.
func (w *weigher) isUnderDay(t span, days []candidate) bool {
	relative := w.ix.RelativeDays()
	if len(relative) > mostRelative || len(w.ix.AllDays()) > mostRelative {
		return false
	}
	last, is := 0, false
	for _, d := range days {
		if d.End <= t.Start && d.End > last {
			last, is = d.End, true
		}
	}
	ofRow := w.opensLine(t)
	isLater := func(s span) bool {
		if ofRow && s.Start < w.ix.LineSpan(w.ix.LineOf(t.Start)).Start && w.ix.opensWithTime(w.ix.LineOf(s.Start)) {
			return false // 16:40 nobody at home, again tomorrow: what that row says goes for no other
		}
		return s.Start >= last && s.Start < t.End
	}
	return is && !slices.ContainsFunc(w.ix.AllDays(), isLater) && !slices.ContainsFunc(relative, func(d reading.RelativeDay) bool { return isLater(d.Span) })
}

// opensLine tells whether a place is the first of its line, but for marks.
func (w *weigher) opensLine(s span) bool {
	begin := w.ix.LineSpan(w.ix.LineOf(s.Start)).Start
	return strings.Trim(w.ix.Source[begin:s.Start], " \t|*•·–-") == ""
}

// opensWithTime tells whether a line begins with a time of day: it is a row of a log.
func (ix *Index) opensWithTime(line int) bool {
	return timeBegins.MatchString(strings.TrimLeft(ix.Line(line+1), " \t|*•·–-"))
}

var timeBegins = lazy.New(`^\d{1,2}[:.]\d{2}(?:\D|$)`)

// isOnlyDay tells whether a document names one day, however often: its times are of that day.
func (w *weigher) isOnlyDay(day string) bool {
	all := w.ix.AllDays()
	return len(all) > 0 && len(all) <= maxPlaced && !slices.ContainsFunc(all, func(s span) bool {
		days := slices.DeleteFunc(slices.Clone(w.ix.DaysIn(s)), func(d string) bool { return len(d) < len(time.DateOnly) })
		return !slices.Equal(slices.Compact(days), []string{day})
	})
}

// mostRelative is how many words for days by another one a document has at most of which each time's line is asked.
const mostRelative = 500

// saysOtherDay tells whether the line of a time has a word for another day: yesterday, on Thursday.
func (w *weigher) saysOtherDay(t span, day string) bool {
	all := w.ix.RelativeDays()
	return len(all) > mostRelative || slices.ContainsFunc(all, func(d reading.RelativeDay) bool {
		return d.Day != day && w.ix.LineOf(d.Start) == w.ix.LineOf(t.Start)
	})
}

// nights gives the places of a date with a time; also those of midnight as the end of the
// day before, 24 Uhr, and of a time of the day behind the one that it stands with: 00:55 +1.
func (w *weigher) nights(f *schema.Field, local string) []dated {
	nextDay := func(m dated) bool { return saysNextDay(w.ix.Source[m.time.End:]) }
	found := slices.DeleteFunc(w.together(f, local), nextDay)
	if day, clock, ok := strings.Cut(local, "T"); ok && len(found) == 0 {
		if t, err := time.Parse(time.DateOnly, day); err == nil {
			eve := w.together(f, t.AddDate(0, 0, -1).Format(time.DateOnly)+"T"+clock)
			found = slices.DeleteFunc(eve, func(m dated) bool { return !nextDay(m) })
		}
	}
	date, midnight := strings.CutSuffix(local, "T00:00:00")
	if day, err := time.Parse(time.DateOnly, date); midnight && err == nil && len(found) == 0 {
		eve := day.AddDate(0, 0, -1).Format(time.DateOnly)
		found = append(w.together(f, eve+"T24:00:00"), w.together(f, eve+"T00:00:00")...)
	}
	return found
}

// nextDayMarks are those words and signs behind a time.
func nextDayMarks() []string { return append([]string{"+1"}, lang.NextDay.Names("1")...) }

// saysNextDay tells whether what stands behind a time says that it is of the next day.
func saysNextDay(behind string) bool {
	behind = strings.ToLower(strings.TrimLeft(behind[:min(len(behind), 40)], " \u00a0(,h"))
	return slices.ContainsFunc(nextDayMarks(), func(mark string) bool {
		rest, is := strings.CutPrefix(behind, strings.ToLower(mark))
		r, _ := utf8.DecodeRuneInString(rest)
		return is && !reading.IsWordRune(r)
	})
}

var secondsBehind = lazy.New(`^:\d{2}`)

// mostAside is how far from a time other days are looked at, in bytes.
const mostAside = 300

// nearest gives which of the places of a day, in order, is nearest to a time, and how far it is;
// a time that stands nearer to another day is of that one, and so is one in its line.
func (w *weigher) nearest(t span, days []candidate) (best span, apart int) {
	apart = mostApart + 1
	line := func(s span) int { return w.ix.LineOf(s.Start) }
	all := w.ix.AllDays() // in order
	from := sort.Search(len(all), func(i int) bool { return all[i].Start >= t.Start-mostAside })
	to := sort.Search(len(all), func(i int) bool { return all[i].Start > t.End+mostAside })
	ownLine := slices.ContainsFunc(all[from:to], func(d span) bool { return line(d) == line(t) })
	gap := func(d span) int {
		if lines := line(t) - line(d); lines > 1 || lines < -1 || lines != 0 && ownLine {
			return mostApart + 1
		}
		if at := max(d.Start-t.End, t.Start-d.End); at >= 0 {
			return at
		}
		if t.Start < d.Start && d.End == t.End { // twenty to seven this morning
			return 0
		}
		return mostApart + 1
	}
	first := sort.Search(len(days), func(i int) bool { return days[i].Start >= t.Start-mostAside })
	for _, d := range days[first:] {
		if d.Start > t.End+mostAside {
			break
		}
		if far := gap(d.span); far < apart {
			best, apart = d.span, far
		}
	}
	for _, d := range all[from:to] {
		if far := gap(d); far < apart && (d.End <= best.Start || d.Start >= best.End) {
			return span{}, mostApart + 1
		}
	}
	return best, apart
}
