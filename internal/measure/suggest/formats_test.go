package suggest

import (
	"fmt"
	"strings"
	"testing"

	"github.com/shopspring/decimal"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/measure/score"
	"filler/internal/record"
	"filler/internal/schema"
	"filler/internal/source/document"
)

// page is a document, with gold and what was filled as JSON.
type page struct{ text, gold, filled string }

// from gives what is suggested for pages.
func from(t *testing.T, schemaText string, pages []page) []Suggestion {
	s, err := schema.Parse("s.yaml", []byte(schemaText))
	require.NoError(t, err)
	set, docs, records := gold.Set{}, map[string]*document.Document{}, map[string]value.Value{}
	parse := func(text string) value.Value {
		v, err := value.Parse(text)
		require.NoError(t, err, text)
		return v
	}
	for i, p := range pages {
		id := fmt.Sprintf("d%02d.txt", i)
		docs[id], err = (&document.Reader{}).Read(t.Context(), document.Source{ID: id, Text: p.text})
		require.NoError(t, err)
		set[id] = &gold.Record{Document: id, State: gold.Reviewed, Record: parse(p.gold), Hashes: record.Hashes{Text: docs[id].Hash}}
		records[id] = parse(p.filled)
	}
	finder := &score.Finder{Schema: s, Gold: set.Shelf(), Keep: true, Source: func(id string) (*document.Document, error) { return docs[id], nil }}
	c := New(s)
	for i := range pages {
		id := fmt.Sprintf("d%02d.txt", i)
		found, err := finder.Add(record.Line{Document: id, Record: records[id], Hashes: record.Hashes{Text: docs[id].Hash}})
		require.NoError(t, err)
		require.NotNil(t, found.Gold)
		c.Add(Case{Gold: found.Gold, Filled: found.Filled, Errors: found.Errors, Doc: docs[id]})
	}
	return c.Suggest()
}

func TestFormatsOfDates(t *testing.T) {
	var pages []page
	for i := 1; i < 10; i++ {
		gold := fmt.Sprintf(`{"day":"2031-04-%02d"}`, i)
		pages = append(pages, page{fmt.Sprintf("Fitted on 0%d/04/2031 by hand\n", i), gold, fmt.Sprintf(`{"day":"2031-%02d-04"}`, i)})
	}
	assert.Contains(t, texts(from(t, "schema: s\nfields:\n  day: {date: When.}\n", pages)), "day written: [D/M/YYYY]")
	for i := range pages {
		pages[i].filled = pages[i].gold
	}
	assert.Empty(t, from(t, "schema: s\nfields:\n  day: {date: When.}\n", pages))
}

func TestFormatsOfNumbers(t *testing.T) {
	const s = "schema: s\nfields:\n  sum: {number: The sum.}\n"
	var pages []page
	for i := 1; i < 10; i++ {
		pages = append(pages, page{fmt.Sprintf("Sum: %d.250,5%d\n", i, i), fmt.Sprintf(`{"sum":%d250.5%d}`, i, i), fmt.Sprintf(`{"sum":%d.25}`, i)})
	}
	all := from(t, s, pages)
	require.NotEmpty(t, all)
	assert.Equal(t, `sum written: {decimal: ",", group: "."}`, texts(all)[0])
}

func TestWordsForSigns(t *testing.T) {
	const s = "schema: s\nfields:\n  rate: {number: Seconds a day., min: -100}\n"
	var pages []page
	for i := 1; i < 10; i++ {
		pages = append(pages, page{fmt.Sprintf("loses %d seconds a day\n", i), fmt.Sprintf(`{"rate":-%d}`, i), fmt.Sprintf(`{"rate":%d}`, i)},
			page{fmt.Sprintf("gains %d seconds a day\n", i), fmt.Sprintf(`{"rate":%d}`, i), fmt.Sprintf(`{"rate":%d}`, i)})
	}
	all := from(t, s, pages)
	assert.Contains(t, texts(all), "rate signs: {minus: [loses]}")
}

func TestBoundsHaveRoom(t *testing.T) {
	const s = "schema: s\nfields:\n  load: {number: In tonnes.}\n"
	var pages []page
	for i := 1; i < 10; i++ {
		filled := fmt.Sprintf(`{"load":%d}`, i)
		if i < 4 {
			filled = fmt.Sprintf(`{"load":%d000}`, i)
		}
		pages = append(pages, page{fmt.Sprintf("Load: %d t, that is %d000 kg\n", i, i), fmt.Sprintf(`{"load":%d}`, i), filled})
	}
	assert.Contains(t, texts(from(t, s, pages)), "load max: 20")
	for d, want := range map[string]string{"18": "20", "1": "1", "20": "20", "21": "50", "0.07": "0.1", "600": "1000", "1200.5": "2000"} {
		assert.Equal(t, want, roundUp(decimal.RequireFromString(d)).String(), d)
	}
}

// A list whose items nothing tells apart, in the order of the page.
func TestOrderIsSuggested(t *testing.T) {
	const s = "schema: s\nfields:\n  steps:\n    list: The readings, one after the other.\n    items: {integer: One reading.}\n"
	var pages []page
	for i := 1; i < 6; i++ {
		pages = append(pages, page{fmt.Sprintf("%d7 then %d8 then %d7\n", i, i, i), fmt.Sprintf(`{"steps":[%d7,%d8,%d7]}`, i, i, i), fmt.Sprintf(`{"steps":[%d7,%d8]}`, i, i)})
	}
	all := texts(from(t, s, pages))
	if !assert.Contains(t, all, "steps ordered: true") {
		t.Log(strings.Join(all, "\n"))
	}
}

// A field of which nothing else is known is shown in two lines, of two documents, that
// then are quoted.
func TestExamplesShowWhatGoesWrong(t *testing.T) {
	const s = "schema: s\nfields:\n  keeper: Who keeps the key.\n"
	var pages []page
	for i := 1; i < 6; i++ {
		pages = append(pages, page{fmt.Sprintf("The key hangs with Ada%d Brook, as ever.\n", i), fmt.Sprintf(`{"keeper":"Ada%d Brook"}`, i), `{"keeper":"ever"}`})
	}
	all := from(t, s, pages)
	require.Len(t, all, 1)
	assert.Equal(t, `examples: [{text: "The key hangs with Ada1 Brook, as ever.", gives: "Ada1 Brook"}, {text: "The key hangs with Ada2 Brook, as ever.", gives: "Ada2 Brook"}]`, all[0].String())
	assert.Equal(t, []string{"d00.txt", "d01.txt"}, all[0].Quotes)
}

func TestSeparators(t *testing.T) {
	for _, c := range []struct{ decimal, group, text, want string }{
		{",", ".", "1.250,50", "1250.50"}, {",", ".", "1.25", ""}, {".", ",", "12,500", "12500"}, {".", ",", "1,2,500", ""}, {",", " ", "1\u00a0250", "1250"}, {".", "'", "1’250.5", "1250.5"}, {",", "", "3,", ""},
	} {
		got := written(schema.NumberFormat{Decimal: c.decimal, Group: c.group}, c.text)
		if c.want == "" {
			assert.Nil(t, got, c.text)
			continue
		}
		require.NotNil(t, got, c.text)
		assert.True(t, got.Equal(decimal.RequireFromString(c.want)), "%s: %s", c.text, got)
	}
}

// A word that stands where one choice is meant, and nowhere else, is told from words that stand
// everywhere; words that lead a line are a label where several documents have them.
func TestWordsInProse(t *testing.T) {
	const s = "schema: s\nfields:\n  leather: {choice: The leather., of: [bridle, calf]}\n  pitch: {number: In Hz.}\n"
	var pages []page
	for i := 1; i < 9; i++ {
		kind, words, filled := "calf", "a purse in calf with a seam", "calf"
		if i%2 == 0 {
			kind, words, filled = "bridle", "a strap, russet, with a seam", "calf"
		}
		pages = append(pages, page{fmt.Sprintf("Brought in: %s\nStood at 43%d Hz, brought to 440\n", words, i), fmt.Sprintf(`{"leather":%q,"pitch":43%d}`, kind, i), fmt.Sprintf(`{"leather":%q,"pitch":440}`, filled)})
	}
	all := texts(from(t, s, pages))
	assert.Contains(t, all, "leather of: {bridle: {also: [russet]}}")
	assert.Contains(t, all, "pitch printed_as: [Stood at]")
	for _, one := range all {
		assert.NotContains(t, one, "seam")
		assert.NotContains(t, one, "strap")
	}
}
