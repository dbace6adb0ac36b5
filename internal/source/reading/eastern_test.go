package reading

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// Days are read in languages of which no more than the months is known, and with the signs that
// stand behind their figures.
func TestDaysElsewhere(t *testing.T) {
	for text, day := range map[string]string{
		"Faktura den 3 maj 2031": "2031-05-03", "dne 5. listopadu 2031 v 9.15": "2031-11-05", "АКТ от «12» марта 2031 г.": "2031-03-12", "до 31 августа 2031 года": "2031-08-31",
		"Ödeme: 14 Ağustos 2031": "2031-08-14", "Kelt: 2031. március 7.": "2031-03-07", "päivänä 9. marraskuuta 2031": "2031-11-09", "11 decembrie 2031": "2031-12-11", "so it was in 2030. March 3, 2031 was dry": "2031-03-03", "7 Ιουνίου 2031": "2031-06-07",
		"2031年11月3日": "2031-11-03", "期限: 令和13年11月30日": "2031-11-30", "平成元年1月8日": "1989-01-08", "2031년 11월 3일까지": "2031-11-03",
	} {
		tx := New(text + "\n")
		found := tx.Days(day)
		if assert.Len(t, found, 1, text) {
			assert.Len(t, tx.AllDays(), 1, text)
		}
	}
	for _, text := range []string{"2031年13月3日", "2031年11月", "第11月3日", "令和13"} {
		assert.Empty(t, New(text).AllDays(), text)
	}
	assert.Len(t, New("開始: 2031年11月 から").Months("2031-11"), 1)
}

// A weekday by itself is a day of the week behind one that is said in full; powers of ten are
// numbers.
func TestWeekdaysAndPowers(t *testing.T) {
	tx := New("Date: 5 Nov 2031\nfrom Friday (7th) until Monday noon, and each Thursday\n")
	assert.Len(t, tx.OnWeekday("2031-11-10"), 1)
	assert.Len(t, tx.OnWeekday("2031-11-06"), 1)
	for _, day := range []string{"2031-11-17", "2031-11-03", "2031-11-11", "2031-11-07"} { // another week, before it, another day, a part of the 7th
		assert.Empty(t, tx.OnWeekday(day), day)
	}
	for text, key := range map[string]string{"4.7 x 10^4 cfu/ml": "47000", "4,7·10⁻³ mol": "0.0047", "< 1E5": "100000", "2 × 10⁶": "2000000", "6.02e23 of": "602000000000000000000000", "3x10**2": "300"} {
		assert.NotEmpty(t, New(text).numbers[canonical(key)], text)
	}
	for text, key := range map[string]string{"type X4E5": "400000", "room 12E3b": "12000", "1 x 10 m": "10000000000", "7.1E5": "510000"} {
		assert.Empty(t, New(text).numbers[canonical(key)], text)
	}
}

// Times with a sign behind each figure, by the half of the day where one is said.
func TestTimesWithSigns(t *testing.T) {
	for text, at := range map[string]string{
		"时间:下午3点20分": "15:20", "午後3時半に": "15:30", "14時25分": "14:25", "오후 3시 20분": "15:20", "오전 12시": "00:00", "9시": "09:00", "上午9点": "09:00", "中午12点30分": "12:30",
	} {
		assert.Len(t, New(text).SpokenTimes(at), 1, text)
	}
	for _, text := range []string{"3点", "第25時", "25点10分"} {
		tx := New(text)
		tx.SpokenTimes("")
		assert.Empty(t, tx.clocks.at, text)
	}
}

// Months in words of Arabic, Hebrew and Hindi, and days in Vietnamese.
func TestDaysFarAway(t *testing.T) {
	for text, day := range map[string]string{
		"3 أبريل 2031": "2031-04-03", "15 अप्रैल 2031": "2031-04-15", "3 באפריל 2031": "2031-04-03", "Hà Nội, ngày 3 tháng 4 năm 2031": "2031-04-03", "3 Agustus 2031": "2031-08-03",
	} {
		assert.Len(t, New(text).Days(day), 1, text)
	}
	assert.Empty(t, New("ngày 31 tháng 6 năm 2031").Days("2031-06-31"))
}
