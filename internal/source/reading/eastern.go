package reading

import (
	"fmt"
	"strconv"
	"strings"

	"filler/internal/base/lazy"
)

// Days as Chinese, Japanese and Korean texts write them, each figure with its sign behind it:
// 2031年11月3日, 令和13年11月3日, 2031년 11월 3일.

// eras are the years before the first of an era of Japan.
var eras = map[string]int{"令和": 2018, "平成": 1988, "昭和": 1925}

var dayWithSigns = lazy.New(`(?:(令和|平成|昭和) ?(\d{1,2}|元)|(\d{4})) ?[年년] ?(\d{1,2}) ?[月월](?: ?(\d{1,2}) ?[日일])?`)

// eachWithSigns calls for the days of a stretch, and for the months without a day (day 0).
func (tx *Text) eachWithSigns(within Span, call func(year, month, day int, at Span)) {
	text := tx.Source[within.Start:within.End]
	if !strings.ContainsAny(text, "年년") {
		return
	}
	for _, m := range dayWithSigns.FindAllStringSubmatchIndex(text, -1) {
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

func (tx *Text) daysWithSigns(within Span) {
	tx.eachWithSigns(within, func(year, month, day int, at Span) {
		if key := dayKey(strconv.Itoa(year), strconv.Itoa(month), strconv.Itoa(day)); day > 0 && key != "" {
			tx.days.spans, tx.days.full = append(tx.days.spans, at), true
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
