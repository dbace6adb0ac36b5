package evidence

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// writer makes a document and remembers where it put each value.
type writer struct {
	text  strings.Builder
	spots map[value.Pointer]span
}

func (w *writer) plain(format string, args ...any) { fmt.Fprintf(&w.text, format, args...) }

func (w *writer) put(p value.Pointer, format string, args ...any) {
	start := w.text.Len()
	fmt.Fprintf(&w.text, format, args...)
	w.spots[p] = between(start, w.text.Len())
}

const reports = `
schema: s
fields:
  no: {text: Number., printed_as: [Report no.]}
  on: {date: Day., written: [D.M.YYYY]}
  who: Who.
  bays:
    list: Bays.
    key: [number]
    printed_as: [Bay]
    fields:
      number: {integer: Number.}
      length: {quantity: Length., unit: m}
      deck: {choice: Deck., of: {timber: {also: [planks]}, steel: {also: [steel plate]}}}
      finds: {list: Finds., fields: {kind: {choice: Kind., of: {rot: {also: [decay]}, rust: , crack: {also: [split]}}}, grade: {integer: Grade., printed_as: [grade]}}}
`

// report writes a report in one of three layouts, with small numbers that
// stand in many places.
func report(r *rand.Rand) (*writer, value.Value) {
	w := &writer{spots: map[value.Pointer]span{}}
	layout := r.IntN(3)
	day, month := 1+r.IntN(28), 1+r.IntN(12)
	rec := value.Obj(value.Str(fmt.Sprintf("FB-%02d", r.IntN(99))).Named("no"), value.Str(fmt.Sprintf("2031-%02d-%02d", month, day)).Named("on"), value.Str([]string{"Dana Quill", "Piet Osk"}[r.IntN(2)]).Named("who"))
	w.plain("OFFICE 3, 4 Weir Lane\nReport no. ")
	w.put("/no", "%s", rec.Get("no").Text)
	w.plain("   on ")
	w.put("/on", "%d.%d.2031", day, month)
	w.plain("\nby ")
	w.put("/who", "%s", rec.Get("who").Text)
	w.plain("\n\n")
	bays := value.List()
	for i := range 1 + r.IntN(4) {
		bays.Kids = append(bays.Kids, bay(r, w, layout, i))
	}
	rec.Set("bays", bays)
	w.plain("\nPages 1 to 3 of 4.\n")
	return w, rec
}

func bay(r *rand.Rand, w *writer, layout, i int) value.Value {
	at := value.Pointer("/bays").Index(i)
	length := fmt.Sprintf("%d.%d", 1+r.IntN(12), r.IntN(10))
	deck, words := "timber", []string{"timber", "planks"}[r.IntN(2)]
	if r.IntN(2) == 0 {
		deck, words = "steel", "steel plate"
	}
	w.plain("Bay ")
	w.put(at.Key("number"), "%d", i+1)
	w.plain("%s", []string{": ", " is ", "\n  Length: "}[layout])
	w.put(at.Key("length"), "%s m", length)
	w.plain("%s", []string{", deck ", " long, with a deck of ", "\n  Deck: "}[layout])
	w.put(at.Key("deck"), "%s", words)
	w.plain("\n")
	finds := value.List()
	for j := range r.IntN(4) {
		p := at.Key("finds").Index(j)
		kind := r.IntN(3)
		grade := r.IntN(4)
		w.plain("%s", []string{"  - ", "It has ", "    * "}[layout])
		w.put(p.Key("kind"), "%s", [][]string{{"rot", "decay"}, {"rust", "rust"}, {"crack", "split"}}[kind][r.IntN(2)])
		w.plain(", grade ")
		w.put(p.Key("grade"), "%d", grade)
		w.plain("\n")
		finds.Kids = append(finds.Kids, value.Obj(value.Str([]string{"rot", "rust", "crack"}[kind]).Named("kind"), value.Num(fmt.Sprint(grade)).Named("grade")))
	}
	return value.Obj(value.Num(fmt.Sprint(i+1)).Named("number"), value.Obj(value.Num(length).Named("amount"), value.Str("m").Named("unit")).Named("length"), value.Str(deck).Named("deck"), finds.Named("finds"))
}

// Values are placed where the writer of the document put them, though the same
// figures and words stand elsewhere too.
func TestValuesAreFoundWhereTheyWerePut(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(reports))
	require.NoError(t, err)
	r := rand.New(rand.NewPCG(50, 51))
	right, all := 0, 0
	wrong := map[string]int{}
	for range 400 {
		w, rec := report(r)
		places := Of(s, &rec, NewIndex(w.text.String()))
		for p, spot := range w.spots {
			all++
			if got := places[p]; got.Start == spot.Start && got.End == spot.End {
				right++
			} else {
				wrong[s.At(p).Path]++
			}
		}
	}
	t.Logf("%d of %d values placed where they were put (%.2f %%); elsewhere: %v", right, all, 100*float64(right)/float64(all), wrong)
	assert.GreaterOrEqual(t, float64(right), 0.98*float64(all))
}
