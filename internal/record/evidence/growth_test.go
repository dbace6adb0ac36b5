package evidence

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// register is a log of so many calls, and its record: times, amounts without a unit
// beside them, texts that stand in pieces or nowhere, booleans, and rows that are alike.
func register(n int) (doc, rec string) {
	var d, r strings.Builder
	for i := range n {
		at := fmt.Sprintf("2031-%02d-%02d", 1+i%12, 1+i%28)
		fmt.Fprintf(&d, "%s %02d:%02d   call %d   AB %d %d   fee %d.50   EUR 3   carried\n", at, i%24, i%60, i, 1000+i, i%97, 10+i%800)
		fmt.Fprintf(&r, `,{"at":"%sT%02d:%02d:00Z","mark":"AB%d%d","fee":{"amount":%d.50,"currency":"EUR"},"who":"Nobody %d of Nowhere","carried":%v}`, at, i%24, i%60, 1000+i, i%97, 10+i%800, i, i%2 == 0)
	}
	return d.String(), `{"calls":[` + r.String()[1:] + `]}`
}

// BenchmarkRegister is twice as slow for twice as many lines.
func BenchmarkRegister(b *testing.B) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  calls:\n    list: Calls.\n    fields:\n      at: {datetime: When.}\n      mark: {text: Its mark.}\n      fee: {money: Fee.}\n      who: {text: Who.}\n      carried: {boolean: Whether., true: {also: [carried]}, false: {also: [lost]}}\n"))
	require.NoError(b, err)
	for _, n := range []int{1000, 2000, 4000} {
		doc, text := register(n)
		rec, err := value.Parse(text)
		require.NoError(b, err)
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			for b.Loop() {
				Of(s, &rec, NewIndex(doc))
			}
		})
	}
}

// BenchmarkForm is twice as slow for twice as many rows of boxes, with items that have no stretch of their own.
func BenchmarkForm(b *testing.B) {
	s, err := schema.Parse("s.yaml", []byte(forms))
	require.NoError(b, err)
	for _, n := range []int{1000, 2000, 4000} {
		var d, r strings.Builder
		d.WriteString("Room   clean   good   fair   poor\n")
		for i := range n {
			fmt.Fprintf(&d, "R%-5d  [x]     [ ]    [x]    [ ]\n", i)
			fmt.Fprintf(&r, `,{"room":"R%d","clean":%v,"state":"poor"}`, i, i%2 == 0)
		}
		rec, err := value.Parse(`{"rooms":[` + r.String()[1:] + `]}`)
		require.NoError(b, err)
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			for b.Loop() {
				ix := NewIndex(d.String())
				Look(s, &rec, ix, Of(s, &rec, ix))
			}
		})
	}
}

// BenchmarkPairs is twice as slow for twice as many labels without colons.
func BenchmarkPairs(b *testing.B) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  pilot: Pilot.\n  wind: Wind.\n  paid: {boolean: Whether paid.}\n  tugs: {list: Tugs., fields: {name: Name., power: {integer: Power.}}}\n"))
	require.NoError(b, err)
	rec, err := value.Parse(`{"paid":true,"tugs":[{"name":"A","power":1},{"name":"B","power":2},{"name":"C","power":3}]}`)
	require.NoError(b, err)
	for _, n := range []int{1000, 2000, 4000} {
		doc := strings.Repeat("Pilot    G. Isbister\nPaid     no\n| Wind | SW 5 |\n|---|---|\nName   A   B   C\nPower  1   2   3\n", n)
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			for b.Loop() {
				ix := NewIndex(doc)
				Look(s, &rec, ix, Of(s, &rec, ix))
			}
		})
	}
}

// BenchmarkProse is twice as slow for twice as many items in prose, each with a choice, a boolean and brackets behind its name.
func BenchmarkProse(b *testing.B) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  trees: {list: Trees., fields: {tag: {text: Tag.}, height: {integer: Height.}, state: {choice: State., of: {good: {}, fair: {}, poor: {}}}, sound: {boolean: Whether it is sound.}, passed: {boolean: Passed.}}}\n"))
	if err != nil {
		b.Fatal(err)
	}
	for _, n := range []int{1000, 2000, 4000} {
		var doc, rec strings.Builder
		for i := range n {
			fmt.Fprintf(&doc, "Tree T%d (%d m, seen) is in good condition and passes. ", i, i%40)
			fmt.Fprintf(&rec, `,{"tag":"T%d","height":%d,"state":"%s","sound":false,"passed":%t}`, i, i%40, []string{"good", "fair"}[i%2], i%3 > 0)
			if i%7 == 6 {
				doc.WriteString("\n")
			}
		}
		v, err := value.Parse(`{"trees":[` + rec.String()[1:] + `]}`)
		if err != nil {
			b.Fatal(err)
		}
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			for b.Loop() {
				ix := NewIndex(doc.String())
				Look(s, &v, ix, Of(s, &v, ix))
			}
		})
	}
}
