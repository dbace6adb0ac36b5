package printed

import (
	"fmt"
	"math/rand/v2"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

const yard = `
schema: yard
fields:
  slip: {text: Slip number., printed_as: [Slip no.]}
  carrier: Who carried the load.
  arrived: {date: Day of arrival., written: [D.M.YYYY]}
  weight: {quantity: Weight., unit: kg}
  sealed: {boolean: Whether the load was sealed., printed_as: [Sealed]}
  grade: {choice: Grade of the load., of: [first, second, third]}
  crates:
    list: Crates.
    key: [number]
    fields:
      number: {integer: Number.}
      wood: {choice: Wood., of: [oak, larch, ash]}
      count: {integer: Count.}
      remark: Remark.
`

// slip is a made-up delivery: what is written down, by field.
type slip struct {
	lines  [][2]string // label and value, in some order
	want   map[string]string
	crates [][4]string
}

func randomSlip(r *rand.Rand) slip {
	pick := func(of ...string) string { return of[r.IntN(len(of))] }
	s := slip{want: map[string]string{}}
	add := func(field, label, text string) {
		if r.IntN(6) == 0 {
			return // not stated
		}
		s.lines = append(s.lines, [2]string{label, text})
		s.want[field] = text
	}
	add("slip", pick("Slip no.", "Slip No", "SLIP NO."), fmt.Sprintf("Y-%04d", r.IntN(10000)))
	add("carrier", "Carrier", pick("Osk & Sons", "Tam Brill", "Upper Ferry"))
	add("arrived", "Arrived", fmt.Sprintf("%d.%d.20%d", 1+r.IntN(28), 1+r.IntN(12), 30+r.IntN(9)))
	add("weight", "Weight", fmt.Sprintf("%d.%d kg", 1+r.IntN(90), r.IntN(10)))
	add("sealed", "Sealed", pick("yes", "no"))
	add("grade", "Grade", pick("first", "second", "third"))
	r.Shuffle(len(s.lines), func(i, j int) { s.lines[i], s.lines[j] = s.lines[j], s.lines[i] })
	for i := range r.IntN(4) {
		s.crates = append(s.crates, [4]string{strconv.Itoa(i + 1), pick("oak", "larch", "ash"), strconv.Itoa(1 + r.IntN(40)), pick("wet", "split board", "fine")})
	}
	return s
}

// write renders a slip in one of the ways in which forms are laid out.
func (s *slip) write(r *rand.Rand, way string) string {
	var b strings.Builder
	b.WriteString("DELIVERY SLIP\n\n")
	sep := []string{": ", ":  ", ":\t"}[r.IntN(3)]
	for _, l := range s.lines {
		b.WriteString(l[0] + sep + l[1] + "\n")
		if r.IntN(4) == 0 {
			b.WriteString("\n")
		}
	}
	b.WriteString("\n")
	head := [4]string{"Number", "Wood", "Count", "Remark"}
	switch {
	case len(s.crates) == 0:
	case way == "bars":
		b.WriteString("| " + strings.Join(head[:], " | ") + " |\n|---|---|---|---|\n")
		for _, c := range s.crates {
			b.WriteString("| " + strings.Join(c[:], " | ") + " |\n")
		}
	case way == "columns":
		for _, c := range append([][4]string{head}, s.crates...) {
			fmt.Fprintf(&b, "%-10s%-10s%-10s%s\n", c[0], c[1], c[2], c[3])
		}
	default:
		for _, c := range s.crates {
			fmt.Fprintf(&b, "Crate %s\nWood: %s\nCount: %s\nRemark: %s\n\n", c[0], c[1], c[2], c[3])
		}
	}
	b.WriteString("\nThank you.\n")
	return b.String()
}

// What is written down under its labels is found under them, in every layout, and
// what is not stated is not found.
func TestRenderedFormsAreRead(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(yard))
	require.NoError(t, err)
	r := rand.New(rand.NewPCG(5, 5))
	for trial := range 1500 {
		one := randomSlip(r)
		way := []string{"bars", "columns", "headings"}[trial%3]
		text := one.write(r, way)
		got := Fill(s, text)
		for _, f := range []string{"slip", "carrier", "arrived", "weight", "sealed", "grade"} {
			require.Equal(t, one.want[f], got.Word(f), "%s, %s:\n%s", way, f, text)
		}
		crates := got.Get("crates")
		require.NotNil(t, crates)
		require.Len(t, crates.Kids, len(one.crates), "%s:\n%s", way, text)
		for i, c := range one.crates {
			for j, f := range []string{"number", "wood", "count", "remark"} {
				require.Equal(t, c[j], crates.Kids[i].Word(f), "%s, crate %d, %s:\n%s", way, i, f, text)
			}
		}
		for _, raw := range []value.Value{got} { // every word of it stands in the text
			raw.Scan(func(v *value.Value) bool {
				require.Contains(t, text, v.Text)
				return true
			})
		}
	}
}

// What Value makes of a written value does not hang on how it is written.
func TestWritingsOfOneValue(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(yard))
	require.NoError(t, err)
	for day := 1; day <= 28; day++ {
		for month := 1; month <= 12; month++ {
			want := fmt.Sprintf(`"2031-%02d-%02d"`, month, day)
			name := []string{"January", "February", "March", "April", "May", "June", "July", "August", "September", "October", "November", "December"}[month-1]
			for _, raw := range []string{
				fmt.Sprintf("%d.%d.2031", day, month), fmt.Sprintf("%02d.%02d.2031", day, month), fmt.Sprintf("%d. %d. 2031", day, month),
				fmt.Sprintf("%d %s 2031", day, name), fmt.Sprintf("%d %s 2031", day, strings.ToUpper(name)), fmt.Sprintf("2031-%02d-%02d", month, day),
			} {
				v, ok := Value(s.Find("arrived"), raw)
				require.True(t, ok, raw)
				require.Equal(t, want, v.String(), raw)
			}
		}
	}
	for n, word := range []string{"zero", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve"} {
		for _, raw := range []string{word, strings.ToUpper(word[:1]) + word[1:], strconv.Itoa(n)} {
			v, ok := Value(s.Find("crates[].count"), raw)
			require.True(t, ok, raw)
			require.Equal(t, strconv.Itoa(n), v.String(), raw)
		}
	}
}
