package reading

import (
	"fmt"
	"math/rand/v2"
	"runtime"
	"strconv"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/schema"
)

var (
	comma = schema.NumberFormat{Decimal: ",", Group: "."}
	point = schema.NumberFormat{Decimal: ".", Group: ","}
	none  = schema.NumberFormat{}
)

func TestWhole(t *testing.T) {
	for _, c := range []struct {
		text string
		as   schema.NumberFormat
		want string
	}{
		{"12.5", none, "12.5"}, {"12,5", none, "12.5"}, {"1.250", none, "1.250 1250"}, {"1,250", none, "1.250 1250"}, {"0,250", none, "0.250"},
		{"1.250,00", none, "1250.00"}, {"1,250.00", none, "1250.00"}, {"1 250", none, "1250"}, {"1'250'000", none, "1250000"}, {"1.250.000", none, "1250000"},
		{"1.250", comma, "1250"}, {"1.250", point, "1.250"}, {"1,250", comma, "1.250"}, {"1,250", point, "1250"}, {"12.5", comma, ""},
		{"-4", none, "-4"}, {"− 4", none, "-4"}, {"minus 4", none, "-4"}, {"moins quatre", none, "-4"}, {"+7", none, "7"}, {"007", none, "7"}, {".5", none, "0.5"},
		{"3 1/2", none, "3.5"}, {"2½", none, "2.5"}, {"½", none, "0.5"}, {"3/4", none, "0.75"}, {"1/3", none, ""}, {"1 1/2 cups", none, ""},
		{"twenty-three", none, "23"}, {"one hundred and five", none, "105"}, {"a dozen", none, "12"}, {"two dozen", none, "24"}, {"two and a half", none, "2.5"}, {"three thousand two hundred", none, "3200"},
		{"dreiundzwanzig", none, "23"}, {"zweihundertzwölf", none, "212"}, {"zweitausendfünfhundert", none, "2500"}, {"zweieinhalb", none, "2.5"},
		{"soixante-douze", none, "72"}, {"quatre-vingt-dix", none, "90"}, {"quatre-vingts", none, "80"}, {"vingt et un", none, "21"}, {"cent vingt", none, "120"}, {"cinq cents", none, "500"},
		{"1.2 million", none, "1200000"}, {"3 Mio.", none, "3000000"}, {"12k", none, "12000"}, {"2,5 Mrd.", none, "2500000000"},
		{"4-6", none, ""}, {"4 or 6", none, ""}, {"about 4", none, ""}, {"FB-12", none, ""}, {"", none, ""}, {"-", none, ""}, {"12:30", none, ""}, {"3.4.2031", none, ""},
	} {
		assert.Equal(t, c.want, strings.Join(Whole(c.text, c.as, false), " "), "%q %v", c.text, c.as)
	}
	assert.Equal(t, []string{"1250"}, Whole("1.250", none, true), "a whole number has no decimals")
}

func TestAmount(t *testing.T) {
	for text, want := range map[string]string{
		"12,5 m": "12.5||m", "EUR 12.50": "12.50|EUR|", "€12": "12|€|", "12 €": "12||€", "-€ 5": "-5|€|", "80,- EUR": "80||EUR", "Fr. 480.–": "480|Fr.|", "3 Mio. EUR": "3000000||EUR",
		"12 square metres": "12||square metres", "16 seconds a day": "16||seconds a day", "minus 4 °C": "-4||°C", "½ kg": "0.5||kg", "two and a half metres": "2.5||metres", "hundertzwanzig Zentimeter": "120||Zentimeter",
		"12": "12||", "12 EUR and 3 CHF": "", "no figure": "", "12.5 m, 3 m": "", "EUR 125.000": "125.000 125000|EUR|",
	} {
		figures, before, behind, ok := Amount(text, none)
		got := ""
		if ok {
			got = strings.Join(figures, " ") + "|" + before + "|" + behind
		}
		assert.Equal(t, want, got, text)
	}
}

func TestDayAndTime(t *testing.T) {
	for text, want := range map[string]string{
		"3rd of April 2032": "2032-04-03", "Monday, 3 April 2032": "2032-04-03", "1er avril 2032": "2032-04-01", "the seventeenth of August 2032": "2032-08-17", "Dienstag, dem 3. August 2032": "2032-08-03",
		"3 April 2032 or 4 April 2032": "", "3 April 2032, in the rain": "", "April 2032": "", "yesterday": "", "31 April 2032": "",
	} {
		assert.Equal(t, want, Date(text), text)
	}
	for text, want := range map[string]string{"9.30 h": "09:30", "9 Uhr 15": "09:15", "9 Uhr": "09:00", "14h30": "14:30", "3:30 pm": "15:30", "12 am": "00:00", "12:15 p.m.": "12:15", "8 a.m.": "08:00", "25:00": "", "13 pm": "", "9": "", "9 apples": "", "07:05:09": "07:05:09"} {
		got, ok := TimeOfDay(text)
		if !ok {
			got = ""
		}
		assert.Equal(t, want, got, text)
	}
	for h := range 24 {
		for _, m := range []string{"00", "05", "45"} {
			at := fmt.Sprintf("%02d:%s", h, m)
			for _, written := range Clocks(at) {
				got, ok := TimeOfDay(written)
				assert.True(t, ok && got == at, "%s as %q is %q", at, written, got)
			}
		}
	}
}

// Every number that is written in any way is found where it was written, with
// what measures it, and nowhere else; what was not written is not found.
func TestNumbersAreFoundWhereTheyWereWritten(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 12))
	f := &schema.Field{Type: schema.Number}
	for range 3000 {
		whole, cents := 1+r.IntN(99999), r.IntN(100)
		n := fmt.Sprintf("%d.%02d", whole, cents)
		digits := strconv.Itoa(whole)
		group := func(sign string) string {
			if len(digits) <= 3 {
				return digits
			}
			return digits[:len(digits)-3] + sign + digits[len(digits)-3:]
		}
		written := []string{n, digits + "," + n[len(n)-2:], group(".") + "," + n[len(n)-2:], group(",") + "." + n[len(n)-2:], group("'") + "." + n[len(n)-2:], group("\u202f") + "," + n[len(n)-2:], group(" ") + "," + n[len(n)-2:]}[r.IntN(7)]
		sign := ""
		if r.IntN(3) == 0 {
			sign = []string{"-", "−", "minus "}[r.IntN(3)]
		}
		before, behind := []string{"It is ", "Es waren ", "Value: ", "(", "— "}[r.IntN(5)], []string{" kg of it.", " EUR", ".", " und mehr", ")", "\nNext"}[r.IntN(6)]
		text := before + sign + written + behind
		key := canonical(n)
		if sign != "" {
			key = canonical("-" + n)
		}
		found, open := New(text).Numbers(f, key)
		require.Len(t, found, 1, "%q: %v", text, open)
		require.Equal(t, sign+written, text[found[0].Start:found[0].End], text)
		other, _ := New(text).Numbers(f, canonical(fmt.Sprintf("%d.%02d", whole+1, cents)))
		require.Empty(t, other, text)
	}
}

// Declared formats decide between two readings, whatever else the text says.
func TestDeclaredDecides(t *testing.T) {
	for _, other := range []string{"", " Also 3,50 and 2,75.", " Also 3.50 and 2.75."} {
		tx := New("Area 1.240 m²." + other)
		for _, c := range []struct {
			as      schema.NumberFormat
			n       string
			is      bool
			is1open bool
		}{{comma, "1240", true, false}, {comma, "1.24", false, false}, {point, "1.24", true, false}, {point, "1240", false, false}} {
			found, open := tx.Numbers(&schema.Field{Type: schema.Number, Numbers: c.as}, canonical(c.n))
			assert.Equal(t, c.is, len(found) > 0, "%v %s%s", c.as, c.n, other)
			assert.Empty(t, open)
		}
		for _, n := range []string{"1240", "1.24"} {
			found, open := tx.Numbers(&schema.Field{Type: schema.Number}, canonical(n))
			want := other != "" && (n == "1240") == strings.Contains(other, ",5")
			assert.Equal(t, want, len(found) > 0, "%s%s", n, other)
			assert.Equal(t, !want, len(open) > 0, "%s%s", n, other)
		}
	}
}

func TestMeasures(t *testing.T) {
	for text, want := range map[string]string{
		"It weighs 20 kg.": "kg", "Weight (lb): 20": "lb", "Betrag in EUR: 20": "EUR", "€20": "EUR", "20 € each": "EUR", "20 pounds sterling": "GBP", "20 square metres": "m2", "20 degrees Celsius": "°C", "20 s/day": "s/d", "20 milligrams of nitrate a litre": "mg/l", "20 kilograms of active substance per hectare": "kg/ha", "20 Milligramm Nitrat pro Liter": "mg/l", "20 grammes de sel par litre": "g/l", "20 µg/l": "ug/l", "20 kg over a day": "kg", "20 litres of milk a cow": "l", "20 litres of milk": "l", "20 kg/box": "kg/box",
		"Item  Flour g/kg\nrye   20": "g/kg", "| a | Nitrat (mg/l) |\n| 3 | 20 |": "mg/l", "Nitrate (mg/l): 20": "mg/l", "no  m/kg\n1   20": "kg", "Weight/kg: 20": "kg", "20 boxes": "",
		"no  girth/cm\n1   20": "cm", "| a | price (GBP) |\n| 3 | 20 |": "GBP", "a\tb in kg\n1\t20": "kg", "no  girth/cm\n\n1   20": "", "20 cents": "minor", "about 20 in all": "", "20 a day": "",
	} {
		tx := New(text)
		found := tx.Every(canonical("20"))
		require.NotEmpty(t, found, text)
		m := tx.MeasureOf(found[len(found)-1])
		got := m.Unit
		if m.Code != "" {
			got = m.Code
		}
		if m.Minor {
			got = "minor"
		}
		assert.Equal(t, want, got, text)
	}
}

// The words of the languages with number words: each number up to 2,000 that they
// write is read as itself.
func TestNumberWordsOfGerman(t *testing.T) {
	ones := []string{"", "ein", "zwei", "drei", "vier", "fünf", "sechs", "sieben", "acht", "neun", "zehn", "elf", "zwölf", "dreizehn", "vierzehn", "fünfzehn", "sechzehn", "siebzehn", "achtzehn", "neunzehn"}
	tens := []string{"", "", "zwanzig", "dreißig", "vierzig", "fünfzig", "sechzig", "siebzig", "achtzig", "neunzig"}
	below := func(n int) string {
		if n < 20 {
			return ones[n]
		}
		if n%10 == 0 {
			return tens[n/10]
		}
		return ones[n%10] + "und" + tens[n/10]
	}
	for n := 2; n < 2000; n++ {
		if n%100 == 1 {
			continue // hunderteins
		}
		word := below(n % 100)
		if n >= 100 && n%1000 >= 100 {
			word = ones[n%1000/100] + "hundert" + word
		}
		if n >= 1000 {
			word = "eintausend" + word
		}
		got, ok := NumberWord(word)
		require.True(t, ok && got == n, "%s is %d, not %d", word, got, n)
	}
	assert.NotEmpty(t, lang.Number.Words())
}

func FuzzText(f *testing.F) {
	for _, s := range []string{"1.250,00 € am 3.4.2031", "Tel. +49 30 123 456, minus 4 °C, 2½ m", "a  b/cm\n1  20\n|x|1|\n", "quatre-vingt-dix et demi", "not 7 but 9 ~~3~~"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		if !utf8.ValidString(text) {
			return
		}
		tx := New(text)
		tx.findDays()
		tx.Months("2032-04")
		inside := func(s Span) {
			require.True(t, s.Start >= 0 && s.Start < s.End && s.End <= len(text), "%v of %d", s, len(text))
			require.True(t, utf8.ValidString(text[s.Start:s.End]))
		}
		for key, all := range tx.numbers {
			for _, at := range all {
				inside(at.Span)
				inside(tx.MeasureOf(at.Span).Where)
				tx.SaysOther(&schema.Field{Type: schema.Quantity, Unit: "m"}, at.Span, "m")
			}
			require.Equal(t, key, value.CanonicalNumber(key))
		}
		for _, all := range tx.days.at {
			for _, s := range all {
				inside(s)
			}
		}
		Whole(text, none, false)
		Amount(text, comma)
		Date(text)
		TimeOfDay(text)
	})
}

// What a text costs to read grows in line with its length, whatever stands in it.
func TestReadingIsLinear(t *testing.T) {
	for _, unit := range []string{"12.5 kg, ", "a  1  2  3\n", "1  2  3  ", "twenty-three and a half ", "not 7 but 9; ", "3.4.2031 ", "1 250 300 ", "((((", "April 2032 ", "+49 30 1 2 3 4 5 6 7 8 ", "zweihundertzwölfundzwanzig", "und", "~~a~~ ", "3 at 4 ", "1/4 hour ", "1h10 ", "8th, ", "13.4. ", "3rd, 4th and 5 May 2032 ", "a fifth of "} {
		made := func(n int) uint64 {
			text := strings.Repeat(unit, n)
			var before, after runtime.MemStats
			runtime.ReadMemStats(&before)
			tx := New(text)
			tx.findDays()
			tx.Months("2032-04")
			tx.derive()
			for _, all := range tx.numbers {
				for _, at := range all {
					tx.MeasureOf(at.Span)
				}
			}
			runtime.ReadMemStats(&after)
			return after.Mallocs - before.Mallocs
		}
		made(10)
		small, large := made(250), made(250*16)
		assert.Less(t, large, 20*small, "%q: %d and %d allocations", unit, small, large)
	}
}
