package evidence

import (
	"fmt"
	"math/rand"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

// doubts gives what speaks against the values of a record, by path.
func doubts(t *testing.T, s *schema.Schema, rec, doc string) map[value.Pointer]record.What {
	t.Helper()
	v, err := value.Parse(rec)
	require.NoError(t, err)
	ix := NewIndex(doc)
	out := map[value.Pointer]record.What{}
	for p, place := range Of(s, &v, ix) {
		if what := ix.Doubt(s.Holding(p), v.At(p), place, false); what != nil {
			out[p] = what
		}
	}
	return out
}

type crate struct {
	what, kilos, price, due string
}

func (c crate) json() string {
	return fmt.Sprintf(`{"what":%q,"weight":{"amount":%s,"unit":"kg"},"price":{"amount":%s,"currency":"EUR"},"due":%q}`, c.what, c.kilos, c.price, c.due)
}

// In a table whose rows all differ nothing is doubted; a value of the row above or below
// is, and so is a row that is read twice. A cell that is printed once for several rows is
// right for all of them.
func TestLinesOfOthers(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  crates:\n    list: Crates.\n    fields:\n      what: What it holds.\n      weight: {quantity: Weight., unit: kg}\n      price: {money: Price.}\n      due: {date: Day it is due., written: [D.M.YYYY]}\n"))
	require.NoError(t, err)
	r := rand.New(rand.NewSource(17))
	for range 300 {
		rows := 2 + r.Intn(6)
		words := r.Perm(len(someWords))
		var all []crate
		var doc strings.Builder
		doc.WriteString("Crates of the spring sale in EUR\n\n")
		dotted, spanned := r.Intn(2) == 0, r.Intn(3) == 0
		for i := range rows {
			c := crate{someWords[words[i]], fmt.Sprintf("%d.%d", 10+17*i, 1+r.Intn(9)), fmt.Sprintf("%d.%02d", 300+41*i, 1+r.Intn(98)), fmt.Sprintf("2031-%02d-%02d", 1+i, 13+r.Intn(15))}
			if spanned && i > 0 {
				c.due = all[0].due
			}
			day := c.due[8:] + "." + strings.TrimPrefix(c.due[5:7], "0") + ".2031"
			if spanned && i > 0 {
				day = ""
			}
			if all = append(all, c); dotted {
				fmt.Fprintf(&doc, "%s %s %s kg   %s   %s\n", c.what, strings.Repeat(".", 16-len(c.what)), c.kilos, c.price, day)
			} else {
				fmt.Fprintf(&doc, "%-14s%10s kg%12s     %s\n", c.what, c.kilos, c.price, day)
			}
		}
		doc.WriteString("\nsigned, the warden\n")
		of := func(crates []crate) map[value.Pointer]record.What {
			var items []string
			for _, c := range crates {
				items = append(items, c.json())
			}
			return doubts(t, s, `{"crates":[`+strings.Join(items, ",")+`]}`, doc.String())
		}
		require.Empty(t, of(all), doc.String())
		wrong := append([]crate(nil), all...)
		i := r.Intn(rows - 1)
		path, field := value.Pointer("").Key("crates").Index(i), ""
		switch r.Intn(3) {
		case 0:
			wrong[i].what, field = all[i+1].what, "what"
		case 1:
			wrong[i].kilos, field = all[i+1].kilos, "weight"
		default:
			wrong[i].price, field = all[i+1].price, "price"
		}
		assert.IsType(t, record.OthersLine{}, of(wrong)[path.Key(field)], "%s of %s in\n%s", field, path, doc.String())
		again := append(append([]crate(nil), all...), all[i])
		found := of(again)
		assert.Len(t, found, 1, "row %d twice in\n%s", i, doc.String())
		for p, what := range found {
			assert.Equal(t, record.ReadTwice{First: path, Line: i + 3}, what, p)
		}
	}
}

// A boolean or a choice of which nothing is said is doubted where the document says the
// opposite; a currency or a unit where it names others alone.
func TestSaidOtherwise(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(`schema: s
fields:
  fit: {boolean: Whether it is fit., true: {also: [geeignet, drinkable]}, false: {also: [nicht geeignet, undrinkable]}}
  sky: {choice: Weather., printed_as: [Wetter], of: {dry: {also: [trocken]}, rain: {also: [Regen]}}}
  fee: {money: Fee.}
  most: {quantity: The most that is allowed.}
`))
	require.NoError(t, err)
	const doc = "Das Wasser ist NICHT geeignet. Wetter: Regen\nTotal 185,00 and EUR 12.\nLead 11 µg/L (max. 10)\n"
	for rec, is := range map[string]record.What{
		`{"fit":true}`:   record.SaysOpposite{Line: 1, Said: "Das Wasser ist NICHT geeignet. Wetter: Regen"},
		`{"fit":false}`:  nil,
		`{"sky":"dry"}`:  record.SaysOpposite{Line: 1, Said: "Das Wasser ist NICHT geeignet. Wetter: Regen"},
		`{"sky":"rain"}`: nil,
		`{"fee":{"amount":185,"currency":"EUR"}}`: nil,
		`{"fee":{"amount":185,"currency":"USD"}}`: record.SaysOther{Line: 2, Said: "Total 185,00 and EUR 12."},
		`{"most":{"amount":10,"unit":"µg/L"}}`:    nil,
		`{"most":{"amount":10,"unit":"mg/L"}}`:    record.SaysOther{Line: 3, Said: "Lead 11 µg/L (max. 10)"},
		`{"most":{"amount":10,"unit":"NTU"}}`:     nil,
		`{"fit":true,"sky":null}`:                 record.SaysOpposite{Line: 1, Said: "Das Wasser ist NICHT geeignet. Wetter: Regen"},
	} {
		found := doubts(t, s, rec, doc)
		if is == nil {
			assert.Empty(t, found, rec)
			continue
		}
		require.Len(t, found, 1, rec)
		for _, what := range found {
			assert.Equal(t, is, what, rec)
		}
	}
	assert.Empty(t, doubts(t, s, `{"fit":false}`, "Drinkable: no\n"), "a label says nothing by itself")
}

// Of an item only its own line speaks: what the line of another says is no evidence for a
// boolean, where its own says the opposite.
func TestBooleansOfOthers(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  motions:\n    list: Motions.\n    key: [no]\n    fields:\n      no: {integer: Number.}\n      text: What was moved.\n      votes: {integer: Votes for.}\n      carried: {boolean: Whether it was carried., true: {also: [carried]}, false: {also: [lost]}}\n"))
	require.NoError(t, err)
	const doc = "1. Hosepipes, 11 for it. CARRIED.\n2. Bees on the top field, 6 for it. Lost.\n3. A new gate, 14 for it.\n"
	rec := func(one, two, three string) string {
		return fmt.Sprintf(`{"motions":[{"no":1,"text":"Hosepipes","votes":11,"carried":%s},{"no":2,"text":"Bees on the top field","votes":6,"carried":%s},{"no":3,"text":"A new gate","votes":14,"carried":%s}]}`, one, two, three)
	}
	assert.Empty(t, doubts(t, s, rec("true", "false", "true"), doc), "of the third nothing is said")
	found := doubts(t, s, rec("false", "true", "false"), doc)
	assert.Len(t, found, 2)
	assert.Equal(t, record.SaysOpposite{Line: 1, Said: "1. Hosepipes, 11 for it. CARRIED."}, found["/motions/0/carried"])
	assert.Equal(t, record.SaysOpposite{Line: 2, Said: "2. Bees on the top field, 6 for it. Lost."}, found["/motions/1/carried"])
}

// A day in figures that can be read in two ways is said to be one, with a time beside it
// or without.
func TestDaysWithTwoReadings(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  on: {date: Day.}\n  at: {datetime: When.}\n"))
	require.NoError(t, err)
	const doc = "fired 3.11.2031, 9:15 in the barn"
	for _, rec := range []string{`{"on":"2031-11-03"}`, `{"at":"2031-11-03T09:15:00Z"}`} {
		for _, what := range doubts(t, s, rec, doc) {
			assert.Equal(t, record.TwoFigures{Line: 1, Said: doc, Day: true}, what, rec)
		}
		assert.Len(t, doubts(t, s, rec, doc), 1, rec)
	}
	assert.Equal(t, map[value.Pointer]record.What{"/at": record.Nowhere{}}, doubts(t, s, `{"at":"2031-11-03T10:15:00Z"}`, doc))
}

// A count that stands nowhere but in a sum or a quantity of the same record is doubted; one
// that a field in that unit holds, or a label leads to, is not.
func TestCountsOfSums(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  nights: {integer: How long they stay.}\n  weeks: {integer: Notice in weeks.}\n  fee: {money: For the dog.}\n  notice: {quantity: Notice., unit: wk}\n"))
	require.NoError(t, err)
	const doc = "Dog 8 EUR, notice 6 weeks, they stay 4 nights."
	assert.Empty(t, doubts(t, s, `{"nights":4,"weeks":6,"fee":{"amount":8,"currency":"EUR"},"notice":{"amount":6,"unit":"wk"}}`, doc))
	found := doubts(t, s, `{"nights":8,"weeks":6,"fee":{"amount":8,"currency":"EUR"},"notice":{"amount":6,"unit":"wk"}}`, doc)
	assert.Equal(t, map[value.Pointer]record.What{"/nights": record.SaysOther{Line: 1, Said: doc}}, found)
	assert.Empty(t, doubts(t, s, `{"nights":8,"weeks":6,"fee":null,"notice":null}`, "Dog 8 EUR, notice 6 weeks, they stay."), "nothing else was read from there")
}
