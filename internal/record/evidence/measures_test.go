package evidence

import (
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record/normalize"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// inFieldOfOwn gives the places of an amount whose measure is a field of its own, as schemas that programs
// write have it.
func inFieldOfOwn(t *testing.T, kind, figure, measure, doc string) (amount, of Place) {
	field := map[string]string{"money": "currency", "quantity": "unit"}[kind]
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  x: {number: How much.}\n  "+field+": {text: What it is in.}\n"))
	require.NoError(t, err)
	rec, err := value.Parse(fmt.Sprintf(`{"x":%s,%q:%q}`, figure, field, measure))
	require.NoError(t, err)
	places := Of(s, &rec, NewIndex(doc+"\n"))
	return places["/x"], places[value.Pointer("/"+field)]
}

// An amount is found by its figure and its measure apart as it is as money or as a quantity, and with
// another currency or unit it is not.
func TestMeasuresApart(t *testing.T) {
	for _, kind := range []string{"money", "quantity"} {
		data, err := os.ReadFile("testdata/ways/" + kind + ".txt")
		require.NoError(t, err)
		var all, read, others int
		var missed, passed []string
		for _, line := range strings.Split(strings.TrimSpace(string(data)), "\n") {
			want, doc, _ := strings.Cut(line, "|")
			if strings.HasPrefix(want, "?") {
				continue
			}
			figure, of, _ := strings.Cut(want, " ")
			all++
			if n, m := inFieldOfOwn(t, kind, figure, of, doc); n.Found() && m.Kind != None {
				read++
			} else {
				missed = append(missed, fmt.Sprint(line, " ", n.Found(), " ", m.Kind))
			}
			for _, wrong := range otherMeasures(kind, of) {
				others++
				if a, m := inFieldOfOwn(t, kind, figure, wrong, doc); a.Found() && m.Kind != None {
					passed = append(passed, wrong+" in "+doc)
				}
			}
		}
		t.Logf("%s: %d of %d, but for %q; of %d others %d pass: %q", kind, read, all, missed, others, len(passed), passed)
		assert.LessOrEqual(t, len(missed)*8, all, kind)     // 3 Stück as pcs
		assert.LessOrEqual(t, len(passed)*15, others, kind) // 50 ct, kr, 5 dm³ for 5 l
	}
}

// A field that counts in hundredths has a hundred times what a sum in full says, with its currency or
// written as sums are; of a bare whole number nobody can tell.
func TestHundredths(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  arrears_cents: {integer: Arrears.}\n"))
	require.NoError(t, err)
	for doc, want := range map[string][2]bool{ // the sum, a hundred times it
		"still due: 960.--":              {false, true},
		"still due: 960,-":               {false, true},
		"still due: 960.00":              {false, true},
		"still due: €960":                {false, true},
		"still due: 960 (Fr.)":           {false, true},
		"still due: 960 ct":              {true, false},
		"still due: 960":                 {true, true},
		"weighs 960 kg, still due: 9.60": {true, false},
	} {
		for i, cents := range []string{"960", "96000"} {
			assert.Equal(t, want[i], len(doubts(t, s, `{"arrears_cents":`+cents+`}`, doc)) == 0, "%s in %q", cents, doc)
		}
	}
}

// Of the currencies and units that records of many documents have in fields of their own, few pass when they
// are others; those stand in the document somewhere, or the schema lets the model conclude them.
func TestOtherMeasuresOfRecords(t *testing.T) {
	all, passed := 0, []string{}
	for _, d := range append(trades(t), tradesIn(t, "sheets")...) {
		rec, err := value.Parse(d.rec)
		require.NoError(t, err)
		ix := NewIndex(d.doc)
		for _, p := range measuresIn(d.schema, &rec) {
			f, was := d.schema.At(p), rec.At(p).Clone()
			for _, other := range optionsBut(f, was.Text) {
				all++
				rec.Put(p, value.Str(other))
				if ix.Doubt(f, rec.At(p), Of(d.schema, &rec, ix)[p], false) == nil {
					passed = append(passed, d.key()+" "+string(p)+": "+other+" for "+was.Text)
				}
			}
			rec.Put(p, was)
		}
	}
	t.Logf("of %d others %d pass: %q", all, len(passed), passed)
	assert.Greater(t, all, 300)
	assert.LessOrEqual(t, len(passed)*100, all*13)
}

// measuresIn gives the paths of the values that are a currency or a unit alone.
func measuresIn(s *schema.Schema, rec *value.Value) (all []value.Pointer) {
	rec.Walk(func(p value.Pointer, v *value.Value) bool {
		if f := s.At(p); f != nil && v.Kind == value.String && (f.Type == schema.Text || f.Type == schema.Choice) && (reading.HoldsCurrency(f) || reading.HoldsUnit(f)) {
			all = append(all, p)
		}
		return true
	})
	return all
}

// optionsBut gives what else a field for a currency or a unit may have.
func optionsBut(f *schema.Field, was string) []string {
	others := []string{"kg", "m", "h", "mg/l"}
	if reading.HoldsCurrency(f) {
		others = []string{"EUR", "GBP", "USD", "PLN"}
	}
	if f.Type == schema.Choice {
		others = nil
		for _, o := range f.Of {
			others = append(others, o.Value)
		}
	}
	return slices.DeleteFunc(others, func(o string) bool {
		return o == was || reading.UnitOf(o) != "" && reading.UnitOf(o) == reading.UnitOf(was)
	})
}

// A plain number whose field names its unit or its currency is found as a quantity or a sum is, in other
// units of the kind too; in another currency it is not; and words in its place come to it, or stay.
func TestNumbersNamedByTheirUnit(t *testing.T) {
	for _, kind := range []string{"money", "quantity"} {
		data, err := os.ReadFile("testdata/ways/" + kind + ".txt")
		require.NoError(t, err)
		var all, read, others, words int
		var missed, passed []string
		for _, line := range strings.Split(strings.TrimSpace(string(data)), "\n") {
			want, doc, _ := strings.Cut(line, "|")
			figure, of, _ := strings.Cut(want, " ")
			if strings.HasPrefix(want, "?") || named(t, kind, of) == nil {
				continue
			}
			f := named(t, kind, of)
			all++
			if foundAs(f, figure, doc) {
				read++
			} else {
				missed = append(missed, line)
			}
			for _, other := range otherMeasures(kind, of) {
				if g := named(t, kind, other); g != nil && (kind == "money" || reading.Convert("1", of, other) != "1" && reading.Convert("1", of, other) != "") {
					others++
					if foundAs(g, figure, doc) {
						passed = append(passed, other+" in "+doc)
					}
				}
			}
			said := value.Str(doc)
			normalize.Field(f, "/x", &said)
			if said.Kind == value.Number {
				words++
				assert.True(t, value.CanonicalNumber(figure) == value.CanonicalNumber(said.Text) || strings.HasPrefix(doc, "5"), line) // 5 ft 11 in to the last hundredth
			}
		}
		t.Logf("%s: %d of %d, of texts %d; of %d others %d pass: %q", kind, read, all, words, others, len(passed), passed)
		assert.Empty(t, missed, kind)
		assert.Greater(t, words*2, all, kind)
		assert.LessOrEqual(t, len(passed)*11, others, kind) // 50 ct, free of charge, half a kilo
	}
}

// named gives a field of plain numbers that is called by its measure; nil for one that names none.
func named(t *testing.T, kind, of string) *schema.Field {
	if strings.ContainsAny(of, "%°/²³") {
		return nil
	}
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  how_much_"+strings.ToLower(of)+": {number: How much.}\n"))
	require.NoError(t, err, of)
	if f := s.Root.Fields[0]; kind == "money" && reading.FieldCurrency(f) == of || kind == "quantity" && reading.FieldUnit(f) == of {
		return f
	}
	return nil
}

func foundAs(f *schema.Field, figure, doc string) bool {
	s := &schema.Schema{Name: "s", Root: &schema.Field{Type: schema.Group, Fields: []*schema.Field{f}}}
	rec := value.Obj(value.Num(figure).Named(f.Name))
	return Of(s, &rec, NewIndex(doc+"\n"))[value.Pointer("").Key(f.Name)].Found()
}

// otherMeasures gives currencies or units that are others than one.
func otherMeasures(kind, of string) []string {
	all := []string{"SEK", "USD", "GBP", "EUR"}
	if kind == "quantity" {
		all = append(reading.Kindred(of), "kg", "m", "h")
	}
	return slices.DeleteFunc(all, func(other string) bool { return other == of || kind == "quantity" && other == reading.UnitOf(of) })
}
