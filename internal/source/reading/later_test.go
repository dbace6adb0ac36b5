package reading

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// A day or a month comes from another day of the text and the length of time that it says.
func TestLater(t *testing.T) {
	for _, c := range [][3]string{
		{"Invoice of 3 November 2026, 30 days net", "2026-12-03", "30 days"},
		{"Invoice of 3 November 2026, payable within fourteen days", "2026-11-17", "fourteen days"},
		{"Rechnung vom 3. November 2026, zahlbar in zwei Wochen", "2026-11-17", "zwei Wochen"},
		{"Tested 31 January 2032; again in one month", "2032-02-29", "one month"},
		{"Vertrag ab 1. April 2031 auf 24 Monate", "2033-03-31", "24 Monate"},
		{"Lease from 1 April 2031 for 2 years", "2033-04-01", "2 years"},
		{"12 May 2031. The hull was scraped three weeks ago.", "2031-04-21", "three weeks"},
		{"12 May 2031. The hull was scraped three weeks ago.", "2031-06-02", ""},
		{"Brief vom 12. Mai 2031: vor drei Tagen kam der Prüfer", "2031-05-09", "drei Tagen"},
		{"Lettre du 12 mai 2031 : il y a deux semaines", "2031-04-28", "deux semaines"},
		{"Visited 5 November 2026. Back in: 6 weeks", "2026-12", "6 weeks"},
		{"Invoice of 3 November 2026, 30 days net", "2026-12-04", ""},
		{"Invoice 05/11/2026, 30 days net", "2026-12-05", "30 days"}, // a field may say how it is written
		{"Invoice 05/11/2026, 30 days net", "2026-06-10", "30 days"},
		{"10. November 2026. Nächster Termin in einem halben Jahr.", "2027-05", "halben Jahr"},
		{"10 November 2026. Again in a month.", "2026-12-10", "a month"},
		{"10 November 2026. Guarantee: one and a half years", "2028-05-10", "one and a half years"},
		{"Lettre du 12 mai 2031 : dans une semaine", "2031-05-19", "une semaine"},
		{"10 November 2026. Lasted half a month.", "2026-11-25", ""},
		{"Invoice of 3 November 2026, 30 dogs", "2026-12-03", ""},
		{"30 days net", "2026-12-03", ""},
		{"Invoice of 3 November 2026, 30 days net", "2026", ""},
	} {
		assert.Equal(t, c[2], said(c[0], New(c[0]).Later(c[1], false)), "%s: %s", c[0], c[1])
	}
	many := "From 3 November 2026: " + strings.Repeat("8 days, ", mostLengths+1)
	assert.Empty(t, New(many).Later("2026-11-11", false))
	assert.Empty(t, New("Invoice of 3 November 2026, 30 days net").Later("2026-12-03", true))
	assert.Len(t, New("12 May 2031: scraped three weeks ago").Later("2031-04-21", true), 1)
}

// A month by its name alone is of the year of the text, or of the next where it comes behind its days.
func TestMonthsOfYear(t *testing.T) {
	for _, c := range [][3]string{
		{"4 November 2026: again in February", "2027-02", "February"},
		{"4. November 2026: wieder im Februar", "2027-02", "Februar"},
		{"4 November 2026: again in February", "2028-02", ""},
		{"4 November 2026: painted in February", "2026-02", "February"},
		{"4 March 2026: again in July", "2026-07", "July"},
		{"4 March 2026: again in July", "2027-07", ""},
		{"4 March 2026: next visit: May", "2026-05", "May"},
		{"4 March 2026\nMay I ask?", "2026-05", ""},
		{"4 March 2026. It may rain.", "2026-05", ""},
		{"4 March 2026. They march on.", "2026-03", ""},
		{"| 4 March 2026 | May |", "2026-05", "May"},
		{"4 November 2026: again in Feb.", "2027-02", "Feb"},
		{"4 November 2026: on 3 February", "2027-02", ""},
		{"4 November 2026: since February 2019", "2026-02", ""},
		{"again in February", "2027-02", ""},
	} {
		assert.Equal(t, c[2], said(c[0], New(c[0]).MonthsOfYear(c[1])), "%s: %s", c[0], c[1])
	}
}

// Months are added as calendars have it: there and back is never more than the days that a month lacks.
func TestMonthsThereAndBack(t *testing.T) {
	for day := time.Date(2031, 1, 1, 0, 0, 0, 0, time.UTC); day.Year() < 2033; day = day.AddDate(0, 0, 1) {
		for months := range 15 {
			to := length{months: months}.from(day)
			assert.Equal(t, (int(day.Month())-1+months)%12, int(to.Month())-1, "%s and %d", day, months)
			back := length{months: months, ago: true}.from(to)
			assert.Equal(t, day.Month(), back.Month())
			assert.LessOrEqual(t, day.Sub(back), 3*24*time.Hour)
		}
	}
}

func said(text string, all []Span) string {
	var words []string
	for _, s := range all {
		words = append(words, text[s.Start:s.End])
	}
	return strings.Join(words, " | ")
}
