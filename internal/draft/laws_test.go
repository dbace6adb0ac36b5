package draft

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

// kind is what a field of a made-up trade holds: a maker of values, or fields.
type kind struct {
	name string
	make func(r *rand.Rand) value.Value
	kids []kind
	list bool
}

func randomTrade(r *rand.Rand, depth int) (fields []kind) {
	words := []string{"tag", "owner", "weighed", "amount_due", "state", "sealed", "length", "remark", "count", "at", "slip_no", "first-name", "Grade"}
	r.Shuffle(len(words), func(i, j int) { words[i], words[j] = words[j], words[i] })
	makers := []func(r *rand.Rand) value.Value{
		func(r *rand.Rand) value.Value { return value.Str(fmt.Sprintf("T-%03d", r.IntN(1000))) },
		func(r *rand.Rand) value.Value { return value.Num(fmt.Sprint(r.IntN(500) - 20)) },
		func(r *rand.Rand) value.Value {
			return value.Num(fmt.Sprintf("%d.%d", r.IntN(50), 1+r.IntN(9)))
		},
		func(r *rand.Rand) value.Value { return value.Boolean(r.IntN(2) == 0) },
		func(r *rand.Rand) value.Value {
			return value.Str(fmt.Sprintf("2031-%02d-%02d", 1+r.IntN(12), 1+r.IntN(28)))
		},
		func(r *rand.Rand) value.Value { return value.Str([]string{"oak", "larch", "ash"}[r.IntN(3)]) },
		func(r *rand.Rand) value.Value { return value.Str(strings.Repeat("the boards were wet ", 1+r.IntN(4))) },
		func(r *rand.Rand) value.Value {
			return value.Obj(value.Num(fmt.Sprint(r.IntN(90))).Named("amount"), value.Str("m").Named("unit"))
		},
		func(r *rand.Rand) value.Value {
			return value.Obj(value.Num(fmt.Sprint(r.IntN(90))).Named("amount"), value.Str([]string{"EUR", "USD"}[r.IntN(2)]).Named("currency"))
		},
		func(r *rand.Rand) value.Value { return value.Str(fmt.Sprintf("%02d:%02d", r.IntN(24), r.IntN(60))) },
		func(r *rand.Rand) value.Value { // now this, now that
			if r.IntN(2) == 0 {
				return value.Num("7")
			}
			return value.Str("seven")
		},
		func(r *rand.Rand) value.Value { // of no one form
			return []value.Value{value.Num("7"), value.List(), value.Obj(value.Str("x").Named("y")), value.List(value.List(value.Num("1")), value.List()), value.List(value.Str("a"), value.Obj(value.Num("2").Named("b")))}[r.IntN(5)]
		},
		func(r *rand.Rand) value.Value { // texts that read as something else
			return value.Str([]string{"12.5", "3.4.2031", "none", " 7 ", "EUR 12.50", "0012", "-", "yes", "", "12,5", "4 m", "31.2.2031", "10:30 h", "1, 2 and 3", "12."}[r.IntN(15)])
		},
		func(r *rand.Rand) value.Value { // the same, all of one kind
			return value.Str([]string{"12.5", "7", "7.0"}[r.IntN(3)])
		},
		func(r *rand.Rand) value.Value {
			return value.Str(fmt.Sprintf("%d.%d.2031", 1+r.IntN(28), 1+r.IntN(12)))
		},
		func(r *rand.Rand) value.Value { return value.Str([]string{"yes", "no"}[r.IntN(2)]) },
		func(r *rand.Rand) value.Value {
			return value.Num([]string{"1e5", "1.0", "-0", "12345678901234567890", "0.10"}[r.IntN(5)])
		},
		func(r *rand.Rand) value.Value { // amounts that are none, and of several units
			unit := []value.Value{value.Str("m").Named("unit"), value.Str("kg").Named("unit"), value.Str("euro").Named("currency"), value.Value{Name: "unit"}}[r.IntN(4)]
			return value.Obj(value.Num("3").Named("amount"), unit)
		},
		func(r *rand.Rand) value.Value {
			return []value.Value{value.Obj(), value.Obj(value.Value{Name: "z"})}[r.IntN(2)]
		},
		func(r *rand.Rand) value.Value { return value.List(value.Str("a"), value.Value{}) },
	}
	for i := range 2 + r.IntN(5) {
		k := kind{name: words[i], make: makers[r.IntN(len(makers))], list: r.IntN(5) == 0}
		if depth < 2 && r.IntN(4) == 0 {
			k.make, k.kids = nil, randomTrade(r, depth+1)
		}
		fields = append(fields, k)
	}
	return fields
}

func (k kind) value(r *rand.Rand) value.Value {
	one := func() value.Value {
		if k.make != nil {
			return k.make(r)
		}
		return recordOf(r, k.kids)
	}
	if !k.list {
		return one()
	}
	v := value.List()
	for range r.IntN(4) {
		v.Kids = append(v.Kids, one())
	}
	return v
}

func recordOf(r *rand.Rand, fields []kind) value.Value {
	v := value.Obj()
	for _, f := range fields {
		switch r.IntN(8) {
		case 0: // left out
		case 1:
			v.Kids = append(v.Kids, value.Value{Name: f.name})
		default:
			v.Kids = append(v.Kids, f.value(r).Named(f.name))
		}
	}
	return v
}

// A schema drafted from records loads, finds no fault in the records that it was
// drafted from as they stand, and is the same draft each time.
func TestDraftTakesItsRecords(t *testing.T) {
	if testing.Short() {
		t.Skip("left out of short runs; `make long` runs it")
	}
	r := rand.New(rand.NewPCG(41, 42))
	typed := map[schema.Type]int{}
	for range 250 {
		fields := randomTrade(r, 0)
		c, again := NewCollector(), NewCollector()
		var records []value.Value
		for range 1 + r.IntN(12) {
			rec := recordOf(r, fields)
			records = append(records, rec)
			require.NoError(t, c.Add(&rec))
			require.NoError(t, again.Add(&rec))
		}
		got, err := c.Result()
		if err != nil {
			require.ErrorContains(t, err, "no", "only where nothing is in the records")
			continue
		}
		same, err := again.Result()
		require.NoError(t, err)
		require.Equal(t, string(got.YAML), string(same.YAML))
		s, err := schema.Parse("draft.yaml", got.YAML)
		require.NoError(t, err, string(got.YAML))
		check, err := record.NewValidator(s)
		require.NoError(t, err, string(got.YAML))
		for _, rec := range records {
			require.Empty(t, check.Check(&rec), "%s\n%s", rec.String(), got.YAML)
		}
		for _, f := range s.Leaves() {
			typed[f.Type]++
		}
	}
	for _, want := range []schema.Type{schema.Text, schema.Integer, schema.Number, schema.Boolean, schema.Date, schema.Choice, schema.Quantity, schema.Money, schema.Any} {
		assert.Positive(t, typed[want], "%s was never drafted: %v", want, typed)
	}
}

// Whatever is in sample texts, a draft of them loads, or it is said that there is
// nothing to draft from.
func TestDraftOfAnyText(t *testing.T) {
	r := rand.New(rand.NewPCG(43, 44))
	lines := []string{"Slip no.: Y-0012", "Carrier: Osk & Sons", "Weight:   12.5 kg", "Sealed: yes", "| Wood | Count |", "|---|---|", "| oak | 4 |", "| ash | 12 |", "Crate 1", "Crate 2", "Wood: oak", "DELIVERY", "", "", "Thank you for your order of 3.4.2031.",
		"- oil the hinge", "Größe: 4,5 m", "no: yes", "null: 3", "Arrived: 2031-04-03", "schema: x", "fields: {}", "a: {b: c}", "'quoted': \"x\"", "# heading", "Total: EUR 1.250,00", "&a: *b", "\ttab: 1", "Ref no: 1", "Ref. No.: 2", "x: " + strings.Repeat("y", 400)}
	drafted := 0
	for range 400 {
		var texts []string
		for range 1 + r.IntN(4) {
			var b strings.Builder
			for range r.IntN(25) {
				b.WriteString(lines[r.IntN(len(lines))] + "\n")
			}
			texts = append(texts, b.String())
		}
		got, err := FromTexts(texts)
		if err != nil {
			require.NotContains(t, err.Error(), "draft", "%v\n%q", err, texts)
			continue
		}
		drafted++
		s, err := schema.Parse("draft.yaml", got.YAML)
		require.NoError(t, err, "%s\n%q", got.YAML, texts)
		require.NotEmpty(t, s.Leaves())
		require.Equal(t, len(texts), got.Samples)
	}
	assert.Greater(t, drafted, 300)
}
