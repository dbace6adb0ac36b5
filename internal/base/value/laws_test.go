package value

import (
	"encoding/json"
	"fmt"
	"math/big"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// names are member names as they come: also those that pointers must escape.
var names = []string{"a", "b", "a/b", "m~n", "", "0", "01", "ä", "x y", "-"}

// random gives a value of some depth whose objects repeat no name.
func random(r *rand.Rand, depth int) Value {
	kinds := 6
	if depth == 0 {
		kinds = 4
	}
	switch r.IntN(kinds) {
	case 0:
		return Value{}
	case 1:
		return Boolean(r.IntN(2) == 0)
	case 2:
		return Num([]string{"0", "-1", "12.50", "1e3", "0.001", "99999999999999999999"}[r.IntN(6)])
	case 3:
		return Str([]string{"", "Heron Plank", "a\"b\\c", "x\ny\tz", "é😀", "\u0001", "\u2028"}[r.IntN(7)])
	case 4:
		v := List()
		for range r.IntN(4) {
			v.Kids = append(v.Kids, random(r, depth-1))
		}
		return v
	}
	v := Obj()
	for _, i := range r.Perm(len(names))[:r.IntN(4)] {
		v.Kids = append(v.Kids, random(r, depth-1).Named(names[i]))
	}
	return v
}

// goValue gives a value as encoding/json would: a computation of its own.
func goValue(t *testing.T, text []byte) any {
	t.Helper()
	d := json.NewDecoder(strings.NewReader(string(text)))
	d.UseNumber()
	var out any
	require.NoError(t, d.Decode(&out), "%s", text)
	return out
}

// What is written is what encoding/json reads, compact and indented alike, and
// reads back as the same value.
func TestWritingIsJSON(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 3000 {
		v := random(r, 4)
		assert.Equal(t, goValue(t, v.JSON()), goValue(t, v.Indent()))
		again, err := ParseBytes(v.JSON())
		require.NoError(t, err)
		require.True(t, Equal(&v, &again), "%s", v)
		require.Equal(t, v.String(), again.String())
		require.Equal(t, "x"+v.String(), string(v.Append([]byte("x"))))
	}
}

// A text is quoted as encoding/json reads it, whatever bytes are in it.
func TestQuotedReadsBack(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	for range 5000 {
		raw := make([]byte, r.IntN(12))
		for i := range raw {
			raw[i] = byte(r.IntN(256))
		}
		var back string
		require.NoError(t, json.Unmarshal(AppendQuoted(nil, string(raw)), &back), "%q", raw)
		want := string([]rune(string(raw))) // each bad byte is U+FFFD
		require.Equal(t, want, back, "%q", raw)
	}
}

// Equality is that of encoding/json on the same text, but for how numbers are
// written: laws that any equality keeps, and members in any order.
func TestEqualityKeepsItsLaws(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	alike := 0
	for range 4000 {
		a, b := random(r, 2), random(r, 2)
		require.True(t, Equal(&a, &a))
		require.Equal(t, Equal(&a, &b), Equal(&b, &a), "%s and %s", a, b)
		if Equal(&a, &b) {
			alike++
			require.Equal(t, a.Kind, b.Kind)
		}
		c := a.Clone()
		if c.Kind == Object {
			r.Shuffle(len(c.Kids), func(i, j int) { c.Kids[i], c.Kids[j] = c.Kids[j], c.Kids[i] })
		}
		require.True(t, Equal(&a, &c), "%s and %s", a, c)
		if c.Kind == Array && len(c.Kids) > 0 {
			c.Kids = append(c.Kids, Str("one more"))
			require.False(t, Equal(&a, &c))
		}
	}
	assert.Greater(t, alike, 100)
	assert.True(t, Equal(nil, nil))
	assert.False(t, Equal(nil, &Value{}))
	one, two := Obj(Num("1").Named("a"), Num("2").Named("a")), Obj(Num("2").Named("a"))
	assert.Equal(t, "2", one.Word("a"), "of a name that stands twice the last counts")
	assert.True(t, one.Repeats())
	assert.False(t, two.Repeats())
}

// A copy has nothing in common with what it is of.
func TestCopiesStandAlone(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 10))
	for range 500 {
		v := random(r, 3)
		was := v.String()
		for _, c := range []Value{v.Clone(), v.Detach()} {
			c.Walk(func(_ Pointer, n *Value) bool {
				n.Text, n.Name = "spoiled", "spoiled"
				return true
			})
			require.Equal(t, was, v.String())
		}
	}
	text := []byte(`{"a":"text","b":["more"]}`)
	var reader Reader
	v, err := reader.Read(text)
	require.NoError(t, err)
	kept := v.Detach()
	for i := range text {
		text[i] = 'z'
	}
	assert.Equal(t, `{"a":"text","b":["more"]}`, kept.String())
}

// What is put at a place stands there, and all other places keep their values,
// but for those that had to give way.
func TestPut(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 12))
	for range 4000 {
		v := random(r, 3)
		var all []Pointer
		before := map[Pointer]string{}
		v.Walk(func(p Pointer, n *Value) bool {
			all = append(all, p)
			before[p] = n.Named("").String()
			return true
		})
		at := all[r.IntN(len(all))]
		switch r.IntN(3) {
		case 0:
			at = at.Key(names[r.IntN(len(names))])
		case 1:
			at = at.Index(r.IntN(3))
		}
		to := random(r, 1)
		grown := v.Clone()
		grown.Put(at, to)
		got := grown.At(at)
		require.NotNil(t, got, "%s in %s", at, v)
		require.Equal(t, to.Named("").String(), got.Named("").String(), "%s in %s", at, v)
		for p, was := range before {
			if p.Within(at) || at.Within(p) {
				continue
			}
			if now := grown.At(p); now != nil {
				require.Equal(t, was, now.Named("").String(), "%s, after %s was put at %s in %s", p, to, at, v)
			} else {
				require.NotNil(t, gaveWay(&v, at), "%s is gone, and nothing had to give way to %s in %s", p, at, v)
			}
		}
	}
	var v Value
	v.Put("/a/1/b", Num("7"))
	assert.Equal(t, `{"a":[null,{"b":7}]}`, v.String())
	v.Put("", Str("all"))
	assert.Equal(t, `"all"`, v.String())
}

// gaveWay gives what on the way to a place is neither an object nor an array
// that the step leads into.
func gaveWay(v *Value, to Pointer) *Value {
	at := Pointer("")
	for _, step := range to.Steps() {
		n := v.At(at)
		if n == nil {
			return nil
		}
		_, index := ArrayIndex(step)
		if n.Kind != Object && !(n.Kind == Array && index) {
			return n
		}
		at = at.Key(step)
	}
	return nil
}

// Pointers come apart into the steps they were made of.
func TestPointerSteps(t *testing.T) {
	r := rand.New(rand.NewPCG(13, 14))
	for range 2000 {
		var p Pointer
		var steps []string
		for range r.IntN(5) {
			name := names[r.IntN(len(names))]
			if r.IntN(3) == 0 {
				name = fmt.Sprint(r.IntN(20))
			}
			p, steps = p.Key(name), append(steps, name)
		}
		require.True(t, p.Valid(), string(p))
		require.Equal(t, steps, append([]string(nil), p.Steps()...), string(p))
		if n := len(steps); n > 0 {
			require.Equal(t, steps[n-1], p.Last())
			require.Equal(t, p, p.Parent().Key(p.Last()))
			require.True(t, p.Within(p.Parent()))
		}
	}
	for _, token := range []string{"01", "-1", "1a", "", "1234567890"} {
		_, ok := ArrayIndex(token)
		assert.False(t, ok, token)
	}
}

// The one spelling of a number is the number, and the shortest of its kind.
func TestCanonicalNumber(t *testing.T) {
	r := rand.New(rand.NewPCG(15, 16))
	for range 5000 {
		literal := fmt.Sprintf("%s%d.%03de%d", []string{"", "-"}[r.IntN(2)], r.IntN(3000), r.IntN(1000), r.IntN(9)-4)
		canonical := CanonicalNumber(literal)
		x, _ := new(big.Rat).SetString(literal)
		y, ok := new(big.Rat).SetString(canonical)
		require.True(t, ok, canonical)
		require.Zero(t, x.Cmp(y), "%s became %s", literal, canonical)
		require.Equal(t, canonical, CanonicalNumber(canonical))
		digits, _, _ := strings.Cut(strings.TrimPrefix(canonical, "-"), "e")
		require.False(t, len(digits) > 1 && (digits[0] == '0' || digits[len(digits)-1] == '0'), canonical)
	}
	assert.Equal(t, "0", CanonicalNumber("-0.000e99"))
}

// Members are found, replaced and dropped by name; a guess at their place makes
// no difference.
func TestMembers(t *testing.T) {
	r := rand.New(rand.NewPCG(17, 18))
	for range 1000 {
		v := random(r, 2)
		for _, name := range names {
			require.Same(t, v.Get(name), v.GetAt(r.IntN(4), name), "%q in %s", name, v)
		}
		if v.Kind != Object {
			require.Nil(t, v.Get("a"))
			continue
		}
		v.Set("a", Str("new"))
		require.Equal(t, "new", v.Word("a"))
		n := len(v.Kids)
		v.Drop("a")
		require.Nil(t, v.Get("a"))
		require.Len(t, v.Kids, n-1)
		require.Empty(t, v.Word("a"))
	}
	var none *Value
	assert.Nil(t, none.Get("a"))
	assert.True(t, none.Empty())
}

// Repeats agrees with counting names by hand, in objects of any size.
func TestRepeats(t *testing.T) {
	r := rand.New(rand.NewPCG(19, 20))
	for range 500 {
		v := Obj()
		count := map[string]int{}
		for range r.IntN(2 * few) {
			name := fmt.Sprint(r.IntN(200))
			count[name]++
			v.Kids = append(v.Kids, Num("1").Named(name))
		}
		twice := false
		for _, n := range count {
			twice = twice || n > 1
		}
		outer := List(Num("1"), Obj(v.Named("inside")))
		require.Equal(t, twice, outer.Repeats())
	}
}
