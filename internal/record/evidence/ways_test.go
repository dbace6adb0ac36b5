package evidence

import (
	"fmt"
	"os"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record/normalize"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// Each line of testdata/ways is a value, a bar, and words of a document that say it; where a ? stands
// before the value, they are not read so. No other value, a day, an hour, one more or another currency,
// is found in the same words, but for those that do mean several.
func TestWaysOfWriting(t *testing.T) {
	for _, kind := range []string{"money", "date", "time", "quantity", "integer", "number"} {
		data, err := os.ReadFile("testdata/ways/" + kind + ".txt")
		require.NoError(t, err)
		all, read, others, passed := 0, 0, 0, []string{}
		for _, line := range strings.Split(strings.TrimSpace(string(data)), "\n") {
			want, doc, ok := strings.Cut(line, "|")
			require.True(t, ok, line)
			want, unread := strings.CutPrefix(want, "?")
			found := findsWay(t, kind, want, doc)
			assert.Equal(t, !unread, found, "%s: %s", kind, line)
			all++
			if !found {
				continue
			}
			read++
			for _, other := range otherThan(t, kind, want) {
				others++
				if findsWay(t, kind, other, doc) {
					passed = append(passed, other+" in "+doc)
				}
			}
		}
		t.Logf("%s: %d of %d ways are read; of %d other values %d are found: %q", kind, read, all, others, len(passed), passed)
		assert.LessOrEqual(t, len(passed)*25, others, kind) // 0 in no currency, 50 ct, kr
	}
}

// wayOf gives the schema and the value of a kind.
func wayOf(t *testing.T, kind, want string) (*schema.Schema, value.Value) {
	number, of, _ := strings.Cut(want, " ")
	field := map[string]string{"money": "{money: Sum.}", "quantity": "{quantity: How much., unit: '" + of + "'}", "date": "{date: Day.}", "time": "{time: Time.}", "integer": "{integer: How many.}", "number": "{number: How much.}"}[kind]
	v := want
	switch kind {
	case "money":
		v = fmt.Sprintf(`{"amount":%s,"currency":%q}`, number, of)
	case "quantity":
		v = fmt.Sprintf(`{"amount":%s,"unit":%q}`, number, of)
	case "date", "time":
		v = strconv.Quote(want)
	}
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  x: "+field+"\n"))
	require.NoError(t, err, want)
	rec, err := value.Parse(`{"x":` + v + `}`)
	require.NoError(t, err, want)
	return s, rec
}

// findsWay tells whether a value of a kind is found in words.
func findsWay(t *testing.T, kind, want, doc string) bool {
	s, rec := wayOf(t, kind, want)
	return Of(s, &rec, NewIndex(doc+"\n"))["/x"].Found()
}

// A model that gives the words of a document in place of data comes to the value that they mean, or stays
// as it is, to be asked about; to no other value, but for a share that is given without its sign.
func TestWaysAsPrinted(t *testing.T) {
	for _, kind := range []string{"money", "date", "time", "quantity", "integer", "number"} {
		data, err := os.ReadFile("testdata/ways/" + kind + ".txt")
		require.NoError(t, err)
		same, left := 0, []string{}
		for _, line := range strings.Split(strings.TrimSpace(string(data)), "\n") {
			want, doc, _ := strings.Cut(line, "|")
			if strings.HasPrefix(want, "?") {
				continue
			}
			s, rec := wayOf(t, kind, want)
			ix := NewIndex(doc + "\n")
			f, place := s.Find("x"), Of(s, &rec, ix)["/x"]
			said := value.Str(doc)
			normalize.Field(f, "/x", &said)
			is := rec.At("/x").Named("")
			got := said.Named("")
			if got.Kind == value.String && is.Kind != value.String || got.Kind == value.String && got.Text != is.Text {
				if own, ok := ix.InPlace(s, f, reading.Span{Start: place.Start, End: place.End}); ok {
					got = own.Named("")
				} else {
					left = append(left, doc)
					continue
				}
			}
			if u, amount := got.Get("unit"), got.Get("amount"); u != nil && u.Text != is.Get("unit").Text { // is a problem, where the schema has another
				left = append(left, doc)
				assert.True(t, value.Equal(amount, is.Get("amount")) || strings.HasPrefix(doc, amount.Text) || doc == "one fifth", line)
				continue
			}
			assert.True(t, comesTo(&got, &is) || doc == "0.2" || kind == "number" && strings.HasSuffix(doc, "%"), "%s: %s in place of %s", line, got.String(), is.String())
			same++
		}
		t.Logf("%s: %d come to what they mean, %d are left as they are: %q", kind, same, len(left), left)
	}
}

// otherThan gives values that the same words do not say.
func otherThan(t *testing.T, kind, want string) []string {
	number, of, _ := strings.Cut(want, " ")
	switch kind {
	case "date":
		day, err := time.Parse(time.DateOnly, want)
		require.NoError(t, err)
		return []string{day.AddDate(0, 0, 1).Format(time.DateOnly), day.AddDate(0, 1, 0).Format(time.DateOnly), day.AddDate(-1, 0, 0).Format(time.DateOnly)}
	case "time":
		at, err := time.Parse("15:04", want)
		require.NoError(t, err)
		return []string{at.Add(time.Hour).Format("15:04"), at.Add(7 * time.Minute).Format("15:04")}
	}
	n, err := strconv.ParseFloat(number, 64)
	require.NoError(t, err)
	var others []string
	for _, other := range []float64{n + 1, n * 10, -n} {
		if other != n && !(kind == "integer" && other < 0) {
			others = append(others, strings.TrimSpace(strconv.FormatFloat(other, 'f', -1, 64)+" "+of))
		}
	}
	if kind == "money" {
		for _, code := range []string{"SEK", "USD", "GBP", "EUR"} {
			if code != of {
				others = append(others, number+" "+code)
			}
		}
	}
	return others
}
