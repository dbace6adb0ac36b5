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

func TestReadKeepsWhatItReads(t *testing.T) {
	for _, text := range []string{
		`{"b":1.50,"a":[1e400,-0,123456789012345678901234567890],"c":{"d":null,"e":true,"f":false}}`,
		`"a\"b\\c\n\té😀"`, `[]`, `{}`, `[[],{}]`, `0`, `{"a":1,"a":2}`,
	} {
		v, err := Parse(text)
		require.NoError(t, err, text)
		assert.Equal(t, text, v.String())
		again, err := ParseBytes(v.Indent())
		require.NoError(t, err)
		assert.True(t, Equal(&v, &again))
	}
}

func TestReadRefuses(t *testing.T) {
	cases := map[string]string{
		`{"a":1,}`: "double quotes", `[1 2]`: "comma", `01`: "leading zero", `1.`: "no digit after", `-`: "without digits", `1e`: "exponent",
		`NaN`: "in place of a value", `"a`: "does not end", "\"a\nb\"": "raw control", `"\x"`: "escape", `"\ud800"`: "escape", `{"a"}`: "colon",
		`{a:1}`: "double quotes", `[1] 2`: "after the end", "\xff": "UTF-8", ``: "ends", `[`: "ends", `{"a":1`: "ends",
		strings.Repeat("[", MaxDepth+1): "levels of nesting",
	}
	for text, want := range cases {
		_, err := Parse(text)
		require.Error(t, err, text)
		assert.Contains(t, err.Error(), want, text)
	}
	_, err := Parse("{\n  \"a\": tru\n}")
	var se *SyntaxError
	require.ErrorAs(t, err, &se)
	assert.Equal(t, []int{2, 8, 9}, []int{se.Line, se.Col, se.Offset})
}

// FuzzParse compares with encoding/json: the same texts are JSON, but for what
// it lets pass (bad UTF-8, half surrogates) and for our bound on nesting.
func FuzzParse(f *testing.F) {
	for _, seed := range []string{`{"a":[1,2.5e3,"x\u00e9",null]}`, `"\ud83d\ude00"`, `[1,]`, `-0.0`, ` 1 `, `{"a":1}{`} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		v, err := Parse(text)
		if err != nil {
			if json.Valid([]byte(text)) && !strings.Contains(text, `\u`) && !strings.Contains(err.Error(), "UTF-8") && !strings.Contains(err.Error(), "nesting") {
				t.Fatalf("valid JSON was refused: %v", err)
			}
			return
		}
		require.True(t, json.Valid([]byte(text)), "not JSON, and it was read")
		again, err := Parse(v.String())
		require.NoError(t, err)
		require.True(t, Equal(&v, &again))
	})
}

func TestReaderIsUsedAgain(t *testing.T) {
	var r Reader
	var kept []Value
	for i := range 200 {
		text := fmt.Sprintf(`{"n":%d,"list":[%s"e\u0041%d"],"o":{"x":"y"}}`, i, strings.Repeat("1,", i), i)
		v, err := r.Read([]byte(text))
		require.NoError(t, err)
		kept = append(kept, v.Detach())
	}
	for i, v := range kept {
		assert.Equal(t, fmt.Sprint(i), v.Get("n").Text)
		assert.Equal(t, fmt.Sprintf("eA%d", i), v.Get("list").Kids[i].Text)
	}
}

// Numbers are compared as math/big does, for any literal of moderate size.
func TestNumbersAreExact(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	literal := func() string {
		s := []string{"", "-"}[r.IntN(2)] + fmt.Sprint(r.IntN(6)*[]int{1, 10, 1000}[r.IntN(3)])
		if r.IntN(2) == 0 {
			s += fmt.Sprintf(".%0*d", 1+r.IntN(3), r.IntN(4)*10)
		}
		if r.IntN(2) == 0 {
			s += fmt.Sprintf("e%+d", r.IntN(7)-3)
		}
		return s
	}
	same := 0
	for range 20000 {
		a, b := literal(), literal()
		x, _ := new(big.Rat).SetString(a)
		y, _ := new(big.Rat).SetString(b)
		require.Equal(t, x.Cmp(y) == 0, EqualNumbers(a, b), "%s and %s", a, b)
		require.Equal(t, x.IsInt(), IsInteger(a), a)
		if x.Cmp(y) == 0 {
			same++
		}
	}
	assert.Greater(t, same, 100, "the numbers should meet now and then")
	assert.True(t, EqualNumbers("1e999999999999999999999", "10e999999999999999999998"))
}

func TestPointers(t *testing.T) {
	v, err := Parse(`{"a/b":{"m~n":[10,{"":20}]}}`)
	require.NoError(t, err)
	p := Pointer("").Key("a/b").Key("m~n").Index(1).Key("")
	assert.Equal(t, Pointer("/a~1b/m~0n/1/"), p)
	assert.Equal(t, "20", v.At(p).Text)
	assert.Equal(t, []string{"a/b", "m~n", "1", ""}, p.Steps())
	assert.Nil(t, v.At("/a~1b/m~0n/01"))
	assert.True(t, p.Within("/a~1b"))
	assert.False(t, Pointer("/ab").Within("/a"))
	assert.False(t, Pointer("/a~2").Valid())
	seen := 0
	v.Walk(func(p Pointer, n *Value) bool {
		assert.Same(t, n, v.At(p), string(p))
		seen++
		return true
	})
	assert.Equal(t, 6, seen)
}

func BenchmarkRead(b *testing.B) {
	text := []byte(`{"document":"documents/a.txt","record":{"report_no":"FB-2031-07","bays":[` + strings.Repeat(`{"number":1,"length":12.40,"deck":"timber","defects":[{"kind":"rot","grade":2,"photos":[1,2]}]},`, 20) + `{}]}}`)
	b.SetBytes(int64(len(text)))
	b.ReportAllocs()
	var r Reader
	for b.Loop() {
		if _, err := r.Read(text); err != nil {
			b.Fatal(err)
		}
	}
}
