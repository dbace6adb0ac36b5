package reading

import (
	"fmt"
	"strconv"
	"strings"

	"filler/internal/base/lazy"
	"filler/internal/schema"
)

// Days as Chinese, Japanese and Korean texts write them, each figure with its sign behind it:
// 2031年11月3日, 令和13年11月3日, 2031년 11월 3일; and times likewise, 下午3点20分. Vietnamese has words before
// the figures.

// eras are the years before the first of an era of Japan.
var eras = map[string]int{"令和": 2018, "平成": 1988, "昭和": 1925}

var dayWithSigns = lazy.New(`(?:(令和|平成|昭和) ?(\d{1,2}|元)|(\d{4})) ?[年년] ?(\d{1,2}) ?[月월](?: ?(\d{1,2}) ?[日일])?`)

// eachWithSigns calls for the days of a stretch, and for the months without a day (day 0).
func (tx *Text) eachWithSigns(within Span, call func(year, month, day int, at Span)) {
	text := tx.Source[within.Start:within.End]
	if strings.Contains(text, " năm ") {
		for _, m := range dayInVietnamese.FindAllStringSubmatchIndex(text, -1) {
			day, _ := strconv.Atoi(text[m[2]:m[3]])
			month, _ := strconv.Atoi(text[m[4]:m[5]])
			year, _ := strconv.Atoi(text[m[6]:m[7]])
			call(year, month, day, Span{within.Start + m[0], within.Start + m[1]})
		}
	}
	if !strings.ContainsAny(text, "年년") {
		return
	}
	for _, m := range tx.matches(dayWithSigns, within) {
		group := func(n int) string {
			if m[2*n] < 0 {
				return ""
			}
			return text[m[2*n]:m[2*n+1]]
		}
		year, _ := strconv.Atoi(group(3))
		if era := group(1); era != "" {
			of, err := strconv.Atoi(group(2))
			if err != nil { // 元年, the first
				of = 1
			}
			year = eras[era] + of
		}
		month, _ := strconv.Atoi(group(4))
		day, _ := strconv.Atoi(group(5))
		call(year, month, day, Span{within.Start + m[0], within.Start + m[1]})
	}
}

// dayInVietnamese is ngày 3 tháng 4 năm 2031.
var dayInVietnamese = lazy.New(`(?i)ngày (\d{1,2}) tháng (\d{1,2}) năm (\d{4})`)

// timeWithSigns is 14时25分, 午後3時半, 오후 3시 20분.
var timeWithSigns = lazy.New(`(?:(上午|早上|凌晨|午前|오전)|(下午|晚上|午後|夜|오후))? ?(\d{1,2}) ?[时時点點시](?: ?(\d{1,2}) ?[分분]|(半|반))?`)

// timesWithSigns keeps the times of day of a stretch whose figures have their signs behind them.
func (tx *Text) timesWithSigns(within Span) {
	text := tx.Source[within.Start:within.End]
	if !strings.ContainsAny(text, "时時点點시") {
		return
	}
	for _, m := range tx.matches(timeWithSigns, within) {
		hour, err := strconv.Atoi(text[m[6]:m[7]])
		minute := 0
		if m[8] >= 0 {
			minute, _ = strconv.Atoi(text[m[8]:m[9]])
		} else if m[10] >= 0 {
			minute = 30
		}
		if m[2] < 0 && m[4] < 0 && m[8] < 0 && m[10] < 0 && strings.ContainsAny(text[m[7]:m[1]], "点點") { // 3点, three of something
			continue
		}
		switch {
		case m[4] >= 0 && hour < 12:
			hour += 12
		case m[2] >= 0 && hour == 12:
			hour = 0
		}
		if at := fmt.Sprintf("%02d:%02d", hour, minute); err == nil && schema.IsTime(at) {
			tx.clocks.at[at] = append(tx.clocks.at[at], Span{within.Start + m[0], within.Start + m[1]})
		}
	}
}

func (tx *Text) daysWithSigns(within Span) {
	tx.eachWithSigns(within, func(year, month, day int, at Span) {
		if key := dayKey(strconv.Itoa(year), strconv.Itoa(month), strconv.Itoa(day)); day > 0 && key != "" {
			tx.days.spans = append(tx.days.spans, at)
			tx.days.hasYear(strconv.Itoa(year))
			tx.days.at[key] = append(tx.days.at[key], at)
		}
	})
}

func (tx *Text) monthsWithSigns(within Span) {
	tx.eachWithSigns(within, func(year, month, day int, at Span) {
		if day == 0 && month >= 1 && month <= 12 {
			key := fmt.Sprintf("%04d-%02d", year, month)
			tx.months.at[key] = append(tx.months.at[key], at)
		}
	})
}
