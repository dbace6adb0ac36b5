package record

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

func readAll(t *testing.T, text string, entries bool) []string {
	t.Helper()
	file := filepath.Join(t.TempDir(), "r.jsonl")
	require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
	var got []string
	s := &schema.Schema{Root: &schema.Field{Type: schema.Group}}
	if entries {
		s.Root = &schema.Field{Type: schema.List, Item: s.Root}
	}
	require.NoError(t, ReadLines(file, s, func(n int, l Line, err error) error {
		if err != nil {
			got = append(got, fmt.Sprintf("%d! %s", n, err))
		} else {
			got = append(got, fmt.Sprintf("%d %s %s", n, l.Document, l.Record.String()))
		}
		return nil
	}))
	return got
}

// A broken line is named by its number, and the rest goes on.
func TestReadLines(t *testing.T) {
	text := "\ufeff{\"document\":\"a\",\"record\":{\"x\":1}}\r\n\n  \n{\"document\":\"b\"}\n[1]\n{\"document\":\"c\",\"record\":\n{\"record\":{}}\n{\"document\":\"d\",\"status\":\"failed\"}\n{\"document\":\"e\",\"record\":{\"s\":\"" + strings.Repeat("y", 3<<20) + "\"}}\n{\"document\":\"f\",\"record\":{}}"
	got := readAll(t, text, false)
	require.Len(t, got, 8)
	assert.Equal(t, "1 a {\"x\":1}", got[0])
	assert.Contains(t, got[1], "4! the key `record` is missing")
	assert.Contains(t, got[2], "5! expected an object with `document` and `record`, not a list")
	assert.Contains(t, got[3], "6! not JSON at column 26")
	assert.Contains(t, got[4], "7! the key `document`")
	assert.Equal(t, "8 d null", got[5])
	assert.Len(t, got[6], len("9 e {\"s\":\"\"}")+3<<20)
	assert.Equal(t, "10 f {}", got[7])
	assert.Equal(t, []string{"1 a [{\"x\":1},{}]"}, readAll(t, `{"document":"a","records":[{"x":1},{}]}`, true))
	assert.ErrorContains(t, ReadLines(t.TempDir(), nil, nil), "this is a folder")
	assert.ErrorContains(t, ReadLines("nowhere", nil, nil), "can't be read")
}

// A line is written and read back the same, and what has nothing to say is
// left out.
func TestLineComesBack(t *testing.T) {
	v := value.Str("one")
	l := Line{Document: "d", Run: 3, Status: Flagged, Hashes: Hashes{Text: "h"}, Record: value.Obj(value.Num("1.50").Named("a")),
		Problems: []Problem{{Path: "/a", What: Told{Rule, "m"}, Value: &v, Fields: []value.Pointer{"/a", "/b"}}}, Evidence: value.Obj(value.Obj(value.Str("quoted").Named("kind")).Named("/a"))}
	out := l.JSON(false)
	assert.Equal(t, `{"document":"d","run":3,"status":"flagged","text_sha256":"h","record":{"a":1.50},"problems":[{"path":"/a","code":"rule","message":"m","value":"one","fields":["/a","/b"]}],"evidence":{"/a":{"kind":"quoted"}}}`, out.String())
	parsed, err := value.Parse(out.String())
	require.NoError(t, err)
	back, err := LineFromJSON(&parsed, nil)
	require.NoError(t, err)
	back.Run = 3
	again := back.JSON(false)
	assert.Equal(t, out.String(), again.String())
	empty := Line{Document: "d", Record: value.Obj()}
	short := empty.JSON(true)
	assert.Equal(t, `{"document":"d","records":{}}`, short.String())
}

func TestSubset(t *testing.T) {
	a, b, c := Problem{Path: "/a", What: Told{Kind: Type}}, Problem{Path: "/b", What: Told{Kind: Type}}, Problem{Path: "/a", What: Told{Kind: Range}}
	assert.True(t, Subset([]Problem{a}, []Problem{a, b}))
	assert.True(t, Subset(nil, []Problem{a}))
	assert.False(t, Subset([]Problem{a, b}, []Problem{a, b}))
	assert.False(t, Subset([]Problem{c}, []Problem{a, b}))
	assert.False(t, Subset([]Problem{a, a}, []Problem{a, b, c}))
	assert.False(t, Subset(nil, nil))
}

// What Sound and the quick way of Check let pass, the library lets pass as well:
// of records with random values at random places.
func TestSoundIsSound(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  name: {text: Name., required: true, pattern: '^[A-Z]'}\n  n: {integer: N., min: 0, max: 9}\n  x: {number: X., min: -1.5, max: 100}\n  b: {boolean: B.}\n  on: {date: On.}\n  k: {choice: K., of: [p, q]}\n  q: {quantity: Q., unit: m, min: 0}\n  m: {money: M., currency: EUR}\n  who: {group: Who., fields: {first: {text: First., required: true}}}\n  l: {list: L., fields: {i: {integer: I.}, ts: {list: T., items: {text: T.}}}}\n"))
	require.NoError(t, err)
	va, err := NewValidator(s)
	require.NoError(t, err)
	require.True(t, va.plain)
	slow := *va
	slow.plain, slow.form = false, false
	r := rand.New(rand.NewPCG(91, 92))
	values := []string{`null`, `"A"`, `"a"`, `""`, `3`, `-1`, `12`, `3.0`, `3.5`, `1e2`, `true`, `"2031-04-03"`, `"2031-4-3"`, `"p"`, `{"amount":1,"unit":"m"}`, `{"amount":1,"unit":"cm"}`, `{"amount":2.50,"currency":"EUR"}`, `{"amount":null,"unit":"m"}`, `{}`, `[]`, `{"first":"B"}`, `{"first":null}`, `[{"i":1,"ts":["x"]}]`, `[{"i":"1"}]`, `[null]`, `[{"i":1,"ts":[null]}]`, `{"first":"B","first":"C"}`}
	fields := []string{"name", "n", "x", "b", "on", "k", "q", "m", "who", "l", "zz"}
	passed, whole := 0, 0
	for range 30000 {
		var members []string
		for _, f := range fields {
			if r.IntN(3) == 0 || f == "name" && r.IntN(4) > 0 || f == "who" && r.IntN(4) > 0 {
				v := values[r.IntN(len(values))]
				switch {
				case f == "name" && r.IntN(3) > 0:
					v = `"A"`
				case f == "who" && r.IntN(3) > 0:
					v = `{"first":"B"}`
				}
				members = append(members, fmt.Sprintf("%q:%s", f, v))
			}
		}
		rec, err := value.Parse("{" + strings.Join(members, ",") + "}")
		require.NoError(t, err)
		problems := slow.Check(&rec)
		if va.Sound(&rec) {
			passed++
			for _, p := range problems {
				require.Equal(t, Missing, p.Code(), "%s: %s", rec, p)
			}
		}
		if got := va.Check(&rec); len(got) == 0 {
			whole++
			require.Empty(t, problems, rec.String())
		}
	}
	assert.Greater(t, passed, 300)
	assert.Greater(t, whole, 100)
}

// The quick look at the form leaves links and rules to be looked at, and changes
// no problem of any record.
func TestQuickLookWithLinksAndRules(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  a: {integer: A., required: true}\n  b: {number: B., min: 0.5}\n  l: {list: L., fields: {i: {integer: I., min: 1}, k: {choice: K., of: [p, q]}}}\n  to: {link: To., to: 'l[].i'}\nrules:\n  - holds: b >= a\n"))
	require.NoError(t, err)
	va, err := NewValidator(s)
	require.NoError(t, err)
	require.False(t, va.plain)
	require.True(t, va.form)
	slow := *va
	slow.form = false
	r := rand.New(rand.NewPCG(93, 94))
	pick := func(of ...string) string { return of[r.IntN(len(of))] }
	found := map[Code]int{}
	none := 0
	for range 20000 {
		text := fmt.Sprintf(`{"a":%s,"b":%s,"l":[{"i":%s,"k":%s},{"i":%s,"k":"q"}],"to":%s}`,
			pick("1", "2", "2", "null", `"x"`), pick("1", "2.0", "2.5", "0.4", "0.5", "-0"), pick("1", "1", "1", "0", "3", "null"), pick(`"p"`, `"p"`, "null", `"z"`), pick("2", "1"), pick("1", "2", "2.0", "7", "null", `"1"`))
		rec, err := value.Parse(text)
		require.NoError(t, err)
		want := slow.Check(&rec)
		require.Equal(t, want, va.Check(&rec), text)
		if len(want) == 0 {
			none++
		}
		for _, p := range want {
			found[p.Code()]++
		}
	}
	assert.Greater(t, none, 1000)
	assert.GreaterOrEqual(t, len(found), 5, "%v", found)
}
