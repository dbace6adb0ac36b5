package evidence

import (
	"maps"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

// breaks gives the whole words of the texts of a record that break off, by path.
func breaks(t *testing.T, s *schema.Schema, rec, doc string) map[value.Pointer]string {
	all := map[value.Pointer]string{}
	for p, what := range doubts(t, s, rec, doc) {
		if off, is := what.(record.BreaksOff); is {
			all[p] = off.Whole
		}
	}
	return all
}

// A text breaks off where its name, its cell or what stands behind its label goes on.
func TestBreaksOff(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(`
schema: s
fields:
  tuner: Who came.
  maker: Who built it.
  first_name: Of the customer.
  finding: What is wrong.
  plate: {text: Number plate., pattern: '^[A-Z]+$'}
`))
	require.NoError(t, err)
	for _, of := range []struct{ doc, field, said, whole string }{
		{"Tuner: Paul Ketteridge", "tuner", "Paul", "Paul Ketteridge"},
		{"Tuner: Paul Ketteridge", "tuner", "Ketteridge", "Paul Ketteridge"},
		{"Tuner: Paul Ketteridge", "tuner", "Paul Ketteridge", ""},
		{"On 3 May Paul Ketteridge called.", "tuner", "Paul", "Paul Ketteridge"},
		{"On 3 May Paul Ketteridge called.", "tuner", "Ketteridge", ""}, // May be a word of its own
		{"Tuner: Mr Paul Ketteridge", "tuner", "Paul Ketteridge", ""},
		{"Tuner: Paul Ketteridge. Paul was late.", "tuner", "Paul", ""}, // stands whole, too
		{"Tuner: Paul Ketteridge MPTA", "tuner", "Paul Ketteridge", ""},
		{"Tuner: Paul Ketteridge Date: 3 May", "tuner", "Paul Ketteridge", ""},
		{"Tuner: Paul Ketteridge Monday 3 May", "tuner", "Paul Ketteridge", ""},
		{"Tuner: Paul Ketteridge, Larch Hall", "tuner", "Paul Ketteridge", ""},
		{"the Kavaro Concerto, in walnut", "maker", "Kavaro", ""}, // a part of what stands there is asked for
		{"the Osterley & Finch grand", "maker", "Osterley", "Osterley & Finch"},
		{"the Osterley & Finch grand", "maker", "Osterley & Finch", ""},
		{"Customer: Maud Ferrier", "first_name", "Maud", ""},
		{"Finding: cracked bridge", "finding", "cracked", "cracked bridge"},
		{"Finding: cracked bridge, at A0", "finding", "cracked bridge", ""},
		{"Finding: cracked in the bass", "finding", "cracked", ""},
		{"Finding: cracked bridge that was seen before and is no worse", "finding", "cracked bridge", ""},
		{"No.   Finding           Key\n1     worn damper felt  A0", "finding", "worn damper", "worn damper felt"},
		{"No.   Finding           Key\n1     worn damper felt  A0", "finding", "damper felt", "worn damper felt"},
		{"No.   Finding           Key\n1     worn damper felt  A0", "finding", "worn damper felt", ""},
		{"| No | Finding | Key |\n|---|---|---|\n| 1 | worn damper felt | A0 |", "finding", "worn", "worn damper felt"},
		{"Plate: KV Ring", "plate", "KV", ""},
	} {
		rec := value.Obj(value.Str(of.said).Named(of.field))
		want := map[value.Pointer]string{}
		if of.whole != "" {
			want[value.Pointer("/"+of.field)] = of.whole
		}
		assert.Equal(t, want, breaks(t, s, rec.String(), of.doc), "%s: %s", of.doc, of.said)
	}
}

// What another value has is no rest, and what all items of a list leave out is not asked for.
func TestWhatIsNoRest(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(`
schema: s
fields:
  lots:
    list: Lots.
    fields:
      title: What it is.
      finish: Surface.
`))
	require.NoError(t, err)
	doc := "Lot   Title               Price\n1     oak table painted   40\n2     ash chair waxed     15\n3     elm stool oiled     12\n"
	item := func(title, finish string) string {
		return value.Obj(value.Str(title).Named("title"), value.Str(finish).Named("finish")).String()
	}
	for rec, want := range map[string]map[value.Pointer]string{
		item("oak table", "painted") + "," + item("ash chair", "waxed"): {},
		item("oak table", "") + "," + item("ash chair", ""):             {},
		item("oak table", "") + "," + item("ash chair waxed", ""):       {"/lots/0/title": "oak table painted"},
	} {
		assert.Equal(t, want, breaks(t, s, `{"lots":[`+rec+`]}`, doc), rec)
	}
}

// Of names and texts of several words that lost the last or the first of them, in all kept documents: how many are told.
// No right one is (TestTrades, TestSheets).
func TestCutTexts(t *testing.T) {
	told := map[string]int{}
	for _, folder := range []string{"trades", "sheets"} {
		for _, of := range some(tradesIn(t, folder)) {
			rec, err := value.Parse(of.rec)
			require.NoError(t, err)
			ix := NewIndex(of.doc)
			places := Of(of.schema, &rec, ix)
			for _, p := range slices.Sorted(maps.Keys(places)) {
				was := *rec.At(p)
				words := strings.Fields(was.Text)
				if f := of.schema.Holding(p); f.Type != schema.Text || places[p].Kind != Quoted || len(words) < 2 || len(words) > 4 {
					continue
				}
				for what, cut := range map[string][]string{"without the last word": words[:len(words)-1], "without the first": words[1:]} {
					*rec.At(p) = value.Str(strings.Join(cut, " ")).Named(was.Name)
					told[what+", all"]++
					if Of(of.schema, &rec, ix)[p].Whole.End > 0 {
						told[what]++
					}
				}
				*rec.At(p) = was
			}
		}
	}
	t.Log(told)
	assert.Greater(t, told["without the last word"]*100, told["without the last word, all"]*20)
}
