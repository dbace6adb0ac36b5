package normalize

import (
	"fmt"
	"math/rand/v2"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// randomText is the kind of thing that models write where a value belongs.
func randomText(r *rand.Rand) string {
	pick := func(of ...string) string { return of[r.IntN(len(of))] }
	switch r.IntN(16) {
	case 14:
		return pick(`{"a": 1}`, `[1,{"b":null}]`, `"{}"`, `"7"`, `{"a"`, `"\"x\""`)
	case 15:
		return pick("€", "euros", "Germany", "Polska", "£3.50", "20 %", "400 g", "2 h", "kilograms", "48,50 EUR")
	case 0:
		return strconv.Itoa(r.IntN(4000) - 50)
	case 1:
		return fmt.Sprintf("%d%s%03d%s%d", r.IntN(30), pick(".", ",", " ", "'", ""), r.IntN(1000), pick(",", "."), r.IntN(100))
	case 2:
		return fmt.Sprintf("%d%s%d%s%d", 1+r.IntN(31), pick(".", "/", "-", ". "), 1+r.IntN(13), pick(".", "/", "-", ". "), 1990+r.IntN(60))
	case 3:
		return fmt.Sprintf("%d-%02d-%02d%s", 2030+r.IntN(3), 1+r.IntN(13), 1+r.IntN(31), pick("", "", " 14:10", "T14:10:00+00:00", ", 2 pm CEST"))
	case 4:
		return fmt.Sprintf("%d %s", r.IntN(3000), pick("m", "cm", "mm", "km", "EUR", "€", "USD", "kg", "lights"))
	case 5:
		return pick("yes", "no", "Ja", "nein", "closed", "open", "not closed", "x", "true", "0")
	case 6:
		return pick("rot", "Rot", "decay", "loose rail", "LOOSE_RAIL", "handrail off", "decay of iron", "moss")
	case 7:
		return pick("n/a", "N/A", "none", "unknown", "not stated", "-", "–", "?", "", "  ")
	case 8:
		return fmt.Sprintf("%d%s%02d%s", r.IntN(26), pick(":", "."), r.IntN(62), pick("", " h", " Uhr", ":30"))
	case 9:
		return pick("1, 2 and 4", "3; 4", "1-4", "7", "a, b", "1,2")
	case 10:
		return pick("1O.5", "l2", "S0S", "B1", "2O31-04-03", "r0t", "TC-l2")
	case 11:
		return pick("The t is FB-7.", "The n is 12.", "It is 4 m long.", "about 3")
	case 12:
		return strings.Repeat(pick(" ", "\n", "\t", "\u00a0"), r.IntN(3)) + pick("a  b", "٤٫٥٠", "１２:30", "٣.٤.٢٠٣١", "Heron\nPlank", "ü–ä", "“x”") + pick("", ".", " ;")
	}
	b := make([]byte, r.IntN(6))
	for i := range b {
		b[i] = byte(32 + r.IntN(95))
	}
	return string(b)
}

func randomThing(r *rand.Rand, depth int) value.Value {
	switch n := r.IntN(12); {
	case n == 0:
		return value.Value{}
	case n == 1:
		return value.Boolean(r.IntN(2) == 0)
	case n < 4:
		return value.Num([]string{"0", "-0", "3", "3.0", "3.50", "1e3", "007"[2:], "12345678901234567890.5"}[r.IntN(8)])
	case n == 4 && depth < 2:
		v := value.List()
		for range r.IntN(3) {
			v.Kids = append(v.Kids, randomThing(r, depth+1))
		}
		return v
	case n == 5 && depth < 2:
		names := []string{"amount", "unit", "currency", "x", "n", "X", "Amount"}
		v := value.Obj()
		for range r.IntN(3) {
			v.Set(names[r.IntN(len(names))], randomThing(r, depth+1))
		}
		return v
	}
	return value.Str(randomText(r))
}

// twoOf gives a list of two items that may have one key.
func twoOf(r *rand.Rand) value.Value {
	list := value.List()
	for range 2 {
		item := value.Obj(value.Num(strconv.Itoa(r.IntN(2))).Named("no"))
		if r.IntN(2) == 0 {
			item.Set("on", value.Boolean(true))
		}
		list.Kids = append(list.Kids, item)
	}
	return list
}

// Whatever stands in a record: normalizing twice changes nothing more, what is sound
// is left alone, the changes told are those that were made, each by a listed rule
// and no value gets a problem that it had not.
func TestNormalizingKeepsItsRules(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(text))
	require.NoError(t, err)
	check, err := record.NewValidator(s)
	require.NoError(t, err)
	listed := map[string]bool{}
	for _, rule := range Rules {
		listed[rule.Name] = true
	}
	r := rand.New(rand.NewPCG(81, 82))
	used := map[string]int{}
	better := 0
	for range 20000 {
		var rec value.Value
		rec.Kind = value.Object
		for _, f := range s.Root.Fields {
			if r.IntN(8) == 0 {
				name := f.Name
				if r.IntN(6) == 0 {
					name = strings.ToUpper(name[:1]) + name[1:]
				}
				rec.Set(name, randomThing(r, 0))
				if f.Name == "map" && r.IntN(2) == 0 {
					rec.Set(name, value.List(value.Obj(value.Str("a").Named("key"), value.Num("1").Named("value"))))
				}
				if f.Name == "keyed" && r.IntN(2) == 0 {
					rec.Set(name, twoOf(r))
				}
			}
		}
		was := rec.Clone()
		before := check.Check(&was)
		changes := Record(s, &rec)
		after := check.Check(&rec)
		about := was.String() + " became " + rec.String()

		once := rec.Clone()
		require.Empty(t, Record(s, &once), about)
		require.Equal(t, rec.String(), once.String(), about)
		require.Equal(t, len(changes) == 0, was.String() == rec.String(), about)
		for _, c := range changes {
			require.True(t, listed[c.Rule], c.Rule)
			require.NotEqual(t, c.From.String()+c.From.Name, c.To.String()+c.To.Name, "%s %s: %s", c.Rule, c.Path, about)
			used[c.Rule]++
		}
		worse := map[value.Pointer]bool{}
		for _, p := range before {
			worse[top(p.Path)] = true
		}
		for _, p := range after {
			require.True(t, p.Code() == record.Missing || worse[top(p.Path)] || len(changes) > 0, "%s: %s", about, p)
		}
		if len(before) == 0 {
			require.Empty(t, after, "%s: %v", about, after)
		}
		if len(after) < len(before) {
			better++
		}
	}
	assert.Greater(t, better, 3000)
	for _, rule := range Rules {
		if !strings.HasPrefix(rule.Of, "normalize:") || rule.Name == "upper" {
			assert.Positive(t, used[rule.Name], "%s was never tried", rule.Name)
		}
	}
}

func top(p value.Pointer) value.Pointer {
	first, _, _ := strings.Cut(strings.TrimPrefix(string(p), "/"), "/")
	return value.Pointer(strings.ToLower(first))
}

// A number in declared signs, and one in signs with one reading, is the number
// that was written; with two readings it is left.
func TestNumbersInSigns(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  c: {number: C., written: {decimal: ',', group: '.'}}\n  p: {number: P., written: {decimal: '.', group: ','}}\n"))
	require.NoError(t, err)
	r := rand.New(rand.NewPCG(83, 84))
	groups := regexp.MustCompile(`(\d)((?:\d{3})+)$`)
	for range 5000 {
		whole, fraction := r.IntN(10_000_000)>>r.IntN(20), r.IntN(4)
		literal := strconv.Itoa(whole)
		tail := ""
		for range fraction {
			tail += strconv.Itoa(r.IntN(10))
		}
		if tail != "" {
			literal += "." + tail
		}
		if r.IntN(4) == 0 {
			literal = "-" + literal
		}
		for name, signs := range map[string][2]string{"c": {",", "."}, "p": {".", ","}} {
			written, _, _ := strings.Cut(literal, ".")
			if r.IntN(2) == 0 {
				for groups.MatchString(written) && !strings.Contains(written, signs[1]) {
					at := len(written)
					var parts []string
					for at > 3 && written[at-4] != '-' {
						parts = append([]string{written[at-3 : at]}, parts...)
						at -= 3
					}
					written = strings.Join(append([]string{written[:at]}, parts...), signs[1])
					break
				}
			}
			if tail != "" {
				written += signs[0] + tail
			}
			got := reading.Declared(s.Find(name).Numbers, written)
			require.True(t, value.EqualNumbers(literal, got) && got != "", "%s in %s is %q, not %q", written, name, got, literal)
			if one := reading.Whole(written, schema.NumberFormat{}, false); len(one) == 1 {
				require.True(t, value.EqualNumbers(literal, one[0]), "%s has one reading, %q, not %q", written, one, literal)
			}
		}
	}
	for _, two := range []string{"1,250", "1.250", "12,345", "999.999"} {
		assert.Len(t, reading.Whole(two, schema.NumberFormat{}, false), 2, two)
	}
}

// Units convert there and back to the same figure, and only among their kin.
func TestUnitsThereAndBack(t *testing.T) {
	units := []string{"mm", "cm", "m", "km", "in", "ft", "g", "kg", "t", "l", "ml", "min", "h", "s"}
	r := rand.New(rand.NewPCG(85, 86))
	for range 3000 {
		a, b := units[r.IntN(len(units))], units[r.IntN(len(units))]
		amount := fmt.Sprintf("%d.%d", r.IntN(5000), r.IntN(1000))
		there := reading.Convert(amount, a, b)
		kin := a == b
		for _, k := range reading.Kindred(a) {
			kin = kin || k == b
		}
		if !kin {
			require.Empty(t, there, "%s %s is not %s of %s", amount, a, there, b)
			continue
		}
		if there == "" {
			continue // the figure has no end
		}
		require.True(t, value.EqualNumbers(amount, reading.Convert(there, b, a)), "%s %s, %s %s", amount, a, there, b)
	}
}
