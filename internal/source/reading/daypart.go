package reading

import (
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/schema"
)

// listed notes the days before a day that share its month and year: the 16th, 19th and
// 23 March 2032; vom 3. auf den 4. Februar 2032. They stay figures.
func (tx *Text) listed(first int, year, month string) {
	for at, left := first, mostListed; left > 0; left-- {
		next := at - 1
		for steps := 0; steps < 3 && next >= 0 && !isDigit(tx.Tokens[next].Word[0]); steps++ {
			next--
		}
		if next < 0 || !tx.near(next, at) {
			return
		}
		day := tx.dayOf(next)
		if day == "" || !joinsDays(tx.Source[tx.Tokens[next].End:tx.Tokens[at].Start]) || !tx.opensDay(next) {
			return
		}
		s := tx.Tokens[next].Span
		tx.between(next, at, year, month)
		if year == "" {
			if key := dayKey("2000", month, day); key != "" {
				tx.days.part[key[5:]] = append(tx.days.part[key[5:]], s)
			}
		} else if key := dayKey(year, month, day); key != "" {
			tx.days.at[key] = append(tx.days.at[key], s)
		}
		at = next
	}
}

// between notes the days between two, where words or a dash say that they last: from
// the 16th to the 18th May.
func (tx *Text) between(first, last int, year, month string) {
	gap := tx.Source[tx.Tokens[first].End:tx.Tokens[last].Start]
	until := strings.ContainsAny(gap, "-–")
	for _, w := range strings.Fields(strings.ToLower(strings.Trim(gap, " ."))) {
		until = until || lang.Until.Has(w)
	}
	a, errA := strconv.Atoi(tx.dayOf(first))
	b, errB := strconv.Atoi(tx.dayOf(last))
	if !until || year == "" || errA != nil || errB != nil {
		return
	}
	for day := a + 1; day < b && day <= 31; day++ {
		if key := dayKey(year, month, strconv.Itoa(day)); key != "" {
			tx.days.at[key] = append(tx.days.at[key], Span{tx.Tokens[first].Start, tx.Tokens[last].End})
		}
	}
}

// mostListed is how many days a month can have before another.
const mostListed = 30

// widestJoin is what parts cells, and no days of one month.
const widestJoin = "   "

// joinsDays tells whether what stands between two figures makes them days of one month.
func joinsDays(gap string) bool {
	words := strings.Fields(strings.ToLower(strings.Trim(gap, " .,&–-\u00a0\n")))
	if strings.Contains(gap, widestJoin) { // of another cell
		return false
	}
	if len(words) == 0 {
		return strings.ContainsAny(gap, ".,&–-")
	}
	if last := strings.Trim(words[len(words)-1], ".,"); len(words) == 1 && lang.Weekday.Has(last) { // 6 – Sat 15
		return strings.ContainsAny(gap, ",&–-")
	} else if len(words) > 1 && lang.Weekday.Has(last) {
		words = words[:len(words)-1] // Tuesday 6 and Wednesday 7
	}
	if last := words[len(words)-1]; len(words) > 1 && (lang.Article.Has(last) || lang.OnDay.Has(last)) {
		words = words[:len(words)-1] // 8th and the 9th
	}
	said := strings.Join(words, " ")
	return lang.DayJoin.Has(said)
}

// opensDay tells whether a figure may be a day: it is no part of a number or a code.
func (tx *Text) opensDay(i int) bool {
	start := tx.Tokens[i].Start
	if start == 0 {
		return true
	}
	c := tx.Source[start-1]
	return !isDigit(c) && strings.IndexByte("/.,-", c) < 0 || c == '.' && (start < 2 || !isDigit(tx.Source[start-2]))
}

// dayAndMonth reads a day and a month in figures without a year: 13.4., 30/4. They
// stay figures.
func (tx *Text) dayAndMonth(i int) {
	a, b := tx.Tokens[i], tx.Tokens[i+1]
	if len(a.Word) > 2 || len(b.Word) > 2 || strings.Trim(a.Word+b.Word, "0123456789") != "" || !tx.opensDay(i) {
		return
	}
	gap := strings.TrimRight(tx.Source[a.End:b.Start], " ")
	rest := tx.Source[b.End:]
	at := Span{a.Start, b.End}
	dashed := gap == "-" && len(a.Word) == 2 && len(b.Word) == 2 && !strings.HasPrefix(rest, "-") && tx.opensCell(at)
	if gap != "." && gap != "/" && !dashed || gap == "." && !strings.HasPrefix(rest, ".") || gap == "/" && strings.HasPrefix(rest, "/") {
		return
	}
	if rest = strings.TrimPrefix(rest, "."); rest != "" && isDigit(rest[0]) {
		return
	}
	if key := dayKey("2000", b.Word, a.Word); key != "" {
		tx.days.part[key[5:]] = append(tx.days.part[key[5:]], at)
	}
	if key := dayKey("2000", a.Word, b.Word); gap != "." && key != "" && a.Word != b.Word {
		tx.days.part[key[5:]] = append(tx.days.part[key[5:]], at)
	}
}

// opensCell tells whether a place is the first of its line or of a cell, and ends it.
func (tx *Text) opensCell(s Span) bool {
	before := tx.Source[strings.LastIndexByte(tx.Source[:s.Start], '\n')+1 : s.Start]
	behind, _, _ := strings.Cut(tx.Source[s.End:], "\n")
	opens := strings.TrimSpace(before) == "" || strings.HasSuffix(before, "  ") || strings.HasSuffix(strings.TrimSpace(before), "|")
	return opens && (behind == "" || strings.HasPrefix(behind, "  ") || strings.HasPrefix(strings.TrimSpace(behind), "|"))
}

// DaysOfMonth gives the places of a day without month and year, in a text that has
// another day of its month: on the 18th, am 18.
func (tx *Text) DaysOfMonth(day string) []Span {
	tx.findDays()
	if !schema.IsISODate(day) || !tx.days.months[day[:7]] {
		return nil
	}
	return tx.days.alone[strings.TrimLeft(day[8:], "0")]
}

// NamedDays gives the places of a day by the name of its weekday and its number, in a text that has another day within
// a month of it: Tue 3.
func (tx *Text) NamedDays(day string) (found []Span) {
	tx.findDays()
	t, err := time.Parse(time.DateOnly, day)
	if err != nil || !schema.IsISODate(day) {
		return nil
	}
	for _, s := range tx.days.named[strings.TrimLeft(day[8:], "0")] {
		if lang.Weekday.Meaning(tx.Tokens[tx.TokenAt(s.Start)].Word) == WeekdayNumber(t) {
			found = append(found, s)
		}
	}
	if len(found) > 0 && !tx.days.months[day[:7]] && !tx.isNearDay(t) {
		return nil
	}
	return found
}

// WeekdayNumber gives the number of the weekday of a day, from 1 for Monday.
func WeekdayNumber(t time.Time) string { return strconv.Itoa((int(t.Weekday())+6)%7 + 1) }

// mostNear is how many days a day by its weekday and number is from one that a text says in full at most: both come
// together again but months later.
const mostNear = 31

// isNearDay tells whether a text has a day in full that is near another.
func (tx *Text) isNearDay(t time.Time) bool {
	return slices.ContainsFunc(tx.daysInFull(false), func(d dayInFull) bool { return max(d.day.Sub(t), t.Sub(d.day)) <= mostNear*24*time.Hour })
}

// goesOnAsHours is what stands behind the first of two hours, or behind a time of day: Mo 17-18.30, Sat 10 am.
var goesOnAsHours = lazy.New(`^(?:[:.h/,-]\d| ?[-–] ?\d| ?(\pL+)(?: (\d))?)`)

// namesDay notes a figure behind the name of a weekday: Tue 3.
func (tx *Text) namesDay(i int) {
	t := tx.Tokens[i]
	day := strings.TrimLeft(tx.dayOf(i), "0")
	if day == "" || len(t.Word) > 2 || i == 0 || !lang.Weekday.Has(tx.Tokens[i-1].Word) || !slices.Contains([]string{" ", ". ", ", ", "."}, tx.Source[tx.Tokens[i-1].End:t.Start]) {
		return
	}
	if m := goesOnAsHours.FindStringSubmatch(tx.Source[t.End:min(len(tx.Source), t.End+20)]); m != nil && (m[1] == "" || lang.DayHalf.Has(m[1]) || lang.Oclock.Has(m[1]) || lang.Until.Has(m[1]) && m[2] != "") {
		return
	}
	tx.days.named[day] = append(tx.days.named[day], Span{tx.Tokens[i-1].Start, t.End})
}

// HasMonth tells whether a text has a day of a month of a year: 2031-04.
func (tx *Text) HasMonth(month string) bool {
	tx.findDays()
	return tx.days.months[month]
}

// dayAlone notes a figure that is a day by its ending or by the word before it.
func (tx *Text) dayAlone(i int) {
	t := tx.Tokens[i]
	if day := lang.Day.Meaning(t.Word); day != "" && tx.sameMonth(i+1) {
		tx.days.alone[day] = append(tx.days.alone[day], t.Span)
		return
	}
	if !isDigit(t.Word[0]) || len(t.Word) > 5 {
		return
	}
	day := strings.TrimLeft(tx.dayOf(i), "0")
	if day == "" || !tx.opensDay(i) {
		return
	}
	rest := tx.Source[t.End:]
	byEnding := strings.Trim(t.Word, "0123456789") != ""
	if byEnding && tx.ranksNext(i) {
		return
	}
	if byEnding || i > 0 && lang.OnDay.Has(tx.Tokens[i-1].Word) && tx.near(i-1, i) && (len(rest) < 2 || !isDigit(rest[0]) && !isDigit(rest[1])) {
		tx.days.alone[day] = append(tx.days.alone[day], t.Span)
	}
}

// ranksNext tells whether an ordinal within a line, with no word of a day before it, ranks the word right behind it:
// 2nd Eng., 3rd floor.
func (tx *Text) ranksNext(i int) bool {
	t := tx.Tokens[i]
	if i+1 >= len(tx.Tokens) || tx.Source[t.End:tx.Tokens[i+1].Start] != " " {
		return false
	}
	if r, _ := utf8.DecodeRuneInString(tx.Tokens[i+1].Word); !unicode.IsLetter(r) || lang.Frequent.Has(tx.Tokens[i+1].Word) {
		return false
	}
	begin := strings.LastIndexByte(tx.Source[:t.Start], '\n') + 1
	if strings.Trim(tx.Source[begin:t.Start], " \t|*•·–-") == "" {
		return false // 3rd Rain all day
	}
	before := tx.Tokens[max(0, i-1)]
	return i == 0 || !tx.near(i-1, i) || !lang.OnDay.Has(before.Word) && !lang.Article.Has(before.Word) && !lang.Until.Has(before.Word)
}

var glued = lazy.New(`^(\d{1,2})(\pL{3,9})(\d{2}|\d{4})$`)

// mayBeginDay tells whether a day can begin with a word that names no month: one with a figure, or the
// day of a month by its name.
func mayBeginDay(word string) bool {
	return strings.ContainsAny(word, "0123456789") || lang.Day.Has(word)
}

// dayGlued reads a day without a gap, as waybills and flight plans print it: 27SEP31, 05may2031. Of
// two figures the year is of this century or of the last.
func (tx *Text) dayGlued(i int) {
	word := tx.Tokens[i].Word
	if len(word) < len("1may31") || len(word) > len("27september2031") || !isDigit(word[0]) || !isDigit(word[len(word)-1]) {
		return
	}
	m := glued.FindStringSubmatch(word)
	if m == nil {
		return
	}
	month := monthNamed(m[2])
	if month == "" {
		return
	}
	if len(m[3]) == 4 {
		tx.keepDay(i, i, m[3], month, m[1])
		return
	}
	tx.keepDay(i, i, "19"+m[3], month, m[1])
	tx.keepDay(i, i, "20"+m[3], month, m[1])
}

// gluedMonth is a month with its day: Apr23.
var gluedMonth = lazy.New(`^(\pL{3,9})(\d{1,2})$`)

// eightFigures is a day in eight figures, year first, also with the time behind it.
var eightFigures = lazy.New(`^(\d{8})(?:t\d{2,6}z?)?$`)

// dayUnparted reads days in eight figures, and those whose month and day have no gap: Apr23, 2031.
func (tx *Text) dayUnparted(i int) {
	word := tx.Tokens[i].Word
	if m := gluedMonth.FindStringSubmatch(word); m != nil {
		if month := monthNamed(m[1]); month != "" {
			if year, ok := tx.year(i + 1); ok && tx.near(i, i+1) {
				tx.keepDay(i, i+1, year, month, m[2])
			}
		}
		return
	}
	if len(word) < 8 || !isDigit(word[0]) {
		return
	}
	m := eightFigures.FindStringSubmatch(word)
	if m == nil {
		return
	}
	at := Span{tx.Tokens[i].Start, tx.Tokens[i].Start + 8}
	seen := map[string]bool{}
	for _, parts := range [][3]string{{m[1][:4], m[1][4:6], m[1][6:]}, {m[1][4:], m[1][2:4], m[1][:2]}, {m[1][4:], m[1][:2], m[1][2:4]}} {
		if key := dayKey(parts[0], parts[1], parts[2]); key != "" && (parts[0][:2] == "19" || parts[0][:2] == "20") && !seen[key] {
			seen[key] = true
			tx.days.unparted[key] = append(tx.days.unparted[key], at)
		}
	}
	if len(seen) > 1 { // it may be any
		for key := range seen {
			tx.days.unparted[key] = tx.days.unparted[key][:len(tx.days.unparted[key])-1]
		}
	}
}

// dayRoman reads a day whose month is in Roman figures: 23.IV.2031, 23 IV 2031.
func (tx *Text) dayRoman(i int) {
	if i+2 >= len(tx.Tokens) || !isDigit(tx.Tokens[i].Word[0]) {
		return
	}
	said := tx.Source[tx.Tokens[i+1].Start:tx.Tokens[i+1].End]
	month := FromRoman(said)
	if month == 0 && len(said) == 1 {
		month = strings.Index("IVX", said) * 5 // V and X
		if said == "I" {
			month = 1
		}
	}
	day, year := tx.dayOf(i), tx.Tokens[i+2].Word
	if yearOf, ok := tx.year(i + 2); ok {
		year = yearOf
	} else if digits := stamped.FindString(year); len(digits) == 5 {
		year = digits[:4]
	}
	gap := func(a, b int) string { return strings.TrimSpace(tx.Source[tx.Tokens[a].End:tx.Tokens[b].Start]) }
	if before := gap(i, i+1); month < 1 || month > 12 || day == "" || len(year) != 4 || before != gap(i+1, i+2) || before != "" && before != "." && before != "/" && before != "-" {
		return
	}
	tx.keepDay(i, i+2, year, strconv.Itoa(month), day)
}

// shortYear reads two figures of a year behind a month in words: 3-Apr-31, 03 APR 31, 23 Apr '31. A
// number behind a gap may be anything else, so that it stands at the end of a clause, and measures nothing.
func (tx *Text) shortYear(i, after int, month string) bool {
	if after >= len(tx.Tokens) || !tx.near(i, after) || len(tx.Tokens[after].Word) != 2 || strings.Trim(tx.Tokens[after].Word, "0123456789") != "" {
		return false
	}
	day, first := tx.dayBefore(tx.skipOf(i-1, -1))
	if day == "" || !tx.near(first, i) {
		return false
	}
	gap := tx.Source[tx.Tokens[i].End:tx.Tokens[after].Start]
	switch before := tx.Source[tx.Tokens[first].End:tx.Tokens[i].Start]; {
	case gap == " '" || gap == " ’" || gap == "'" || gap == "’":
	case (gap == "-" || gap == "/" || gap == ".") && before == gap:
	case gap == " " && before == " ":
		rest := tx.Source[tx.Tokens[after].End:min(len(tx.Source), tx.Tokens[after].End+2)]
		if strings.TrimLeft(rest, " ") != "" && strings.IndexByte("\n,;)|\t", rest[0]) < 0 && rest != "  " && rest != ". " && rest != ".\n" || lang.Month.Has(tx.Tokens[i].Word) && !lang.ShortMonth.Has(tx.Tokens[i].Word) {
			return false
		}
	default:
		return false
	}
	at := Span{tx.Tokens[first].Start, tx.Tokens[after].End}
	tx.days.spans = append(tx.days.spans, at)
	for _, century := range []string{"19", "20"} {
		if key := dayKey(century+tx.Tokens[after].Word, month, day); key != "" {
			tx.days.short[key] = append(tx.days.short[key], at)
		}
	}
	return true
}

// wordsForDay reads a day of a month that is two words: twenty-third.
func (tx *Text) wordsForDay(i int) string {
	if i < 1 || i+1 >= len(tx.Tokens) {
		return ""
	}
	return lang.Day.Meaning(tx.Tokens[i].Word + "-" + tx.Tokens[i+1].Word)
}

// sameMonth tells whether words for the month that was named last begin with a token: the
// nineteenth of the same month, den neunzehnten desselben Monats.
func (tx *Text) sameMonth(i int) bool {
	for at := i; at <= tx.skipOf(i, 1); at++ {
		for _, words := range lang.SameMonth.Words() {
			var want []string
			for _, t := range Tokenize(words) {
				want = append(want, t.Word)
			}
			if tx.Reads(at, want) {
				return true
			}
		}
	}
	return false
}

// ofYear keeps of the places of a day without a year those that a field may so read.
func (tx *Text) ofYear(f *schema.Field, all []Span, day string) (found []Span) {
	for _, s := range all {
		said := strings.ReplaceAll(tx.Source[s.Start:s.End], " ", "")
		if tx.otherOrder(said, day) {
			continue
		}
		for _, sign := range []string{"/", "-"} {
			a, b, parted := strings.Cut(said, sign)
			if parted && sign == "-" && len(f.Written) == 0 || parted && len(f.Written) > 0 && !strings.Contains(strings.Join(f.DateReadings(a+sign+b+sign+day[:4]), " "), day) {
				said = ""
			}
		}
		if said == "" {
			continue
		}
		found = append(found, s)
	}
	return found
}
