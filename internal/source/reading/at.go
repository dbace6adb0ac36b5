package reading

import (
	"sort"
	"strconv"
	"strings"
	"sync"
)

// stood is something that stands in a place, as records hold it.
type stood struct {
	Span
	key string
}

// standing is what stands where, made when it is first asked for.
type standing struct {
	once    sync.Once
	numbers []stood
	days    []stood
	times   []stood
}

func (tx *Text) stand() *standing {
	tx.standing.once.Do(func() {
		for key, all := range tx.numbers {
			for _, f := range all {
				if !f.inWords {
					tx.standing.numbers = append(tx.standing.numbers, stood{f.Span, key})
				}
			}
		}
		tx.findDays()
		tx.Months("")
		tx.SpokenTimes("")
		for _, days := range []map[string][]Span{tx.days.at, tx.days.figures, tx.months.at} {
			for day, spans := range days {
				for _, s := range spans {
					tx.standing.days = append(tx.standing.days, stood{s, day})
				}
			}
		}
		for day, spans := range tx.days.part { // of every year that another day has
			for year := range tx.days.years {
				if _, err := strconv.Atoi(year); err == nil && len(year) == 4 {
					for _, s := range spans {
						tx.standing.days = append(tx.standing.days, stood{s, year + "-" + day})
					}
				}
			}
		}
		for at, spans := range tx.clocks.at {
			for _, s := range spans {
				tx.standing.times = append(tx.standing.times, stood{s, at})
			}
		}
		for _, all := range [][]stood{tx.standing.numbers, tx.standing.days, tx.standing.times} {
			sort.Slice(all, func(i, j int) bool {
				a, b := all[i], all[j]
				if a.Start != b.Start {
					return a.Start < b.Start
				}
				return a.End > b.End || a.End == b.End && strings.Compare(a.key, b.key) < 0
			})
		}
	})
	return &tx.standing
}

// inside gives what stands in a place and in no larger one of them, each with where it stands.
func inside(all []stood, s Span) (keys []string, at []Span) {
	i := sort.Search(len(all), func(i int) bool { return all[i].Start >= s.Start })
	end := -1
	for ; i < len(all) && all[i].Start < s.End; i++ {
		k := all[i]
		if k.End > s.End || k.Start < end && k.End < end {
			continue
		}
		end = max(end, k.End)
		keys, at = append(keys, k.key), append(at, k.Span)
	}
	return keys, at
}

// NumbersIn gives the readings of the figures that stand in a place, in their order, with
// where each stands.
func (tx *Text) NumbersIn(s Span) (keys []string, at []Span) { return inside(tx.stand().numbers, s) }

// DaysIn gives the days that what stands in a place may mean, months among them; those
// without a year in every year that the text names.
func (tx *Text) DaysIn(s Span) (days []string) {
	days, _ = inside(tx.stand().days, s)
	return days
}

// TimesIn gives the times of day that are said in a place.
func (tx *Text) TimesIn(s Span) (times []string) {
	times, _ = inside(tx.stand().times, s)
	return times
}
