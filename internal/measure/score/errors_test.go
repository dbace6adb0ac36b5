package score

import (
	"bytes"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/record"
	"filler/internal/schema"
	"filler/internal/source/document"
)

const causal = `
schema: s
fields:
  no: {text: Number., printed_as: [Report]}
  name: Name.
  other: Another name.
  visited: {date: Day., written: [D.M.YYYY]}
  next: {date: Next day., written: [D.M.YYYY]}
  length: {quantity: Length., unit: m}
  cost: {money: Cost.}
  count: {integer: How many.}
  kind: {choice: Kind., of: {rot: {also: [decay]}, rust: {}}}
  bays: {list: Bays., fields: {what: What., deck: Deck.}}
`

const source = "Report FB-2031-07\nHeron Plank, once Rushy Ford\nVisited 3.4.2031, next 5.6.2031\nLength 9.8 m, cost 1250.00 EUR, count 12\ndecay\nSalle Bréval\nplain oak\nold elm\n"

func oneError(t *testing.T, g, d string) LeafError {
	t.Helper()
	s, err := schema.Parse("s.yaml", []byte(causal))
	require.NoError(t, err)
	gv, err := value.Parse(g)
	require.NoError(t, err)
	dv, err := value.Parse(d)
	require.NoError(t, err)
	doc, err := (&document.Reader{}).Read(t.Context(), document.Source{ID: "d.txt", Text: source})
	require.NoError(t, err)
	f := &Finder{Schema: s, Gold: gold.Set{"d": {Document: "d", State: gold.Reviewed, Record: gv}}.Shelf(), Source: func(string) (*document.Document, error) { return doc, nil }}
	found, err := f.Add(record.Line{Document: "d", Record: dv})
	require.NoError(t, err)
	require.NotEmpty(t, found.Errors, "%s %s", g, d)
	return found.Errors[0]
}

func TestCauses(t *testing.T) {
	for _, c := range []struct {
		gold, filled string
		errorType    ErrorType
		detail       string
	}{
		{`{"name":"Heron Plank"}`, `{"name":"Heron  Plank"}`, Spacing, ""},
		{`{"name":"Heron Plank"}`, `{"name":"HERON PLANK"}`, Case, ""},
		{`{"name":"Heron Plank"}`, `{"name":"Heron Plank."}`, Punctuation, ""},
		{`{"name":"Salle Bréval"}`, `{"name":"Salle Breval"}`, Accents, ""},
		{`{"count":12}`, `{"count":"12"}`, NumberStyle, ""},
		{`{"visited":"2031-04-03"}`, `{"visited":"3.4.2031"}`, DateStyle, ""},
		{`{"visited":"2031-04-03"}`, `{"visited":"2031-03-04"}`, DateStyle, ""},
		{`{"length":{"amount":9.8,"unit":"m"}}`, `{"length":{"amount":980,"unit":"cm"}}`, Unit, ""},
		{`{"cost":{"amount":1250,"currency":"EUR"}}`, `{"cost":{"amount":1250,"currency":"CHF"}}`, Unit, ""},
		{`{"no":"FB-2031-07"}`, `{"no":"FB-2O31-07"}`, Lookalike, ""},
		{`{"name":"Modern Bill"}`, `{"name":"Modem BiIl"}`, Lookalike, ""},
		{`{"cost":{"amount":1250.5,"currency":"EUR"}}`, `{"cost":"EUR 1250.50"}`, NumberStyle, ""},
		{`{"length":{"amount":9.8,"unit":"m"}}`, `{"length":"9.8 m"}`, NumberStyle, ""},
		{`{"name":"Sluice, Lower, once Ford"}`, `{"name":"Sluice, Lower"}`, PartOf, ""},
		{`{"kind":"rot"}`, `{"kind":"decay"}`, Synonym, ""},
		{`{"name":"Old Weir"}`, `{"name":"Heron Plank"}`, Suspect, ""},
		{`{"visited":"2031-04-03","next":"2031-06-05"}`, `{"visited":"2031-06-05","next":"2031-06-05"}`, Swapped, "/next"},
		{`{"name":"Heron Plank","other":"Rushy Ford"}`, `{"name":"Rushy Ford","other":"Rushy Ford"}`, Swapped, "/other"},
		{`{"name":"Heron Plank"}`, `{"name":"Heron"}`, PartOf, ""},
		{`{"name":"Heron"}`, `{"name":"Heron Plank"}`, MoreThan, ""},
		{`{"name":"Heron Plank"}`, `{"name":"Heron Plonk"}`, Spelling, ""},
		{`{"name":"Heron Plank"}`, `{"name":"Nine Alders"}`, Unsupported, ""},
		{`{"name":"Heron Plank"}`, `{"name":"Rushy Ford"}`, Another, ""},
		{`{"name":"Heron Plank"}`, `{}`, NotFound, ""},
		{`{"name":"Nine Alders"}`, `{}`, Unstated, ""},
		{`{}`, `{"name":"Heron Plank"}`, NotInGold, ""},
		{`{}`, `{"name":"Nine Alders"}`, Unsupported, ""},
		{`{"bays":[{"what":"plain oak"}]}`, `{}`, ItemMissed, ""},
		{`{}`, `{"bays":[{"what":"plain oak"}]}`, ItemExtra, ""},
	} {
		m := oneError(t, c.gold, c.filled)
		assert.Equal(t, []any{c.errorType, c.detail}, []any{m.Type, m.Detail}, "%s %s", c.gold, c.filled)
	}
	m := oneError(t, `{"name":"Heron Plank"}`, `{"name":"Rushy Ford"}`)
	assert.Equal(t, Line{2, "Heron Plank, once Rushy Ford"}, m.GoldLine)
	named := map[string]bool{}
	for _, c := range ErrorTypes() {
		named[c[0]] = true
	}
	assert.True(t, named[string(m.Type)])
}

// A fix that turns two values of a document right and one wrong says both: nothing is set
// off.
func TestFixesAreNotNetted(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  rows: {list: Rows., key: [n], fields: {n: {integer: N.}, code: Code.}}\n"))
	require.NoError(t, err)
	fixer := NewFixer(s)
	var filled []value.Value
	for i := range 12 {
		id := fmt.Sprintf("d%02d", i)
		g, err := value.Parse(`{"rows":[{"n":1,"code":"AB"},{"n":2,"code":"CD"},{"n":3,"code":"ef"}]}`)
		require.NoError(t, err)
		d, err := value.Parse(`{"rows":[{"n":1,"code":"ab"},{"n":2,"code":"cd"},{"n":3,"code":"ef"}]}`)
		require.NoError(t, err)
		of := &gold.Record{Document: id, State: gold.Reviewed, Record: g}
		found, err := (&Finder{Schema: s, Gold: gold.Set{id: of}.Shelf()}).Add(record.Line{Document: id, Record: d})
		require.NoError(t, err)
		filled = append(filled, d)
		fixer.Add(id, of, &filled[i], found.Errors)
	}
	got := fixer.Try()
	require.Len(t, got.Chosen, 1)
	assert.Equal(t, [2]int{24, 12}, [2]int{got.Chosen[0].Fixed, got.Chosen[0].Broken})
	assert.InDelta(t, 48.0/72, got.Before.Value, 1e-9)
	assert.InDelta(t, 60.0/72, got.Chosen[0].F1.Value, 1e-9)
}

// Fixes are what they say: counted again from the records, after the change was
// written into the schema.
func TestFixesAreWhatTheySay(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  code: Code.\n  kind: {choice: Kind., of: {rot: {}, rust: {}}}\n  on: {date: Day.}\n  cost: {number: Cost.}\n"))
	require.NoError(t, err)
	fixer := NewFixer(s)
	var filled []value.Value
	for i := range 40 {
		id := fmt.Sprintf("d%02d", i)
		g, err := value.Parse(fmt.Sprintf(`{"code":"AB%d","kind":"rot","on":"2031-04-%02d","cost":1250.5}`, i, 1+i%28))
		require.NoError(t, err)
		code, kind, on := fmt.Sprintf("AB%d", i), "rot", fmt.Sprintf("%d.4.2031", 1+i%28)
		if i%2 == 0 {
			code = fmt.Sprintf("ab%d", i)
		}
		if i%4 == 0 {
			kind = "decay"
		}
		d, err := value.Parse(fmt.Sprintf(`{"code":%q,"kind":%q,"on":%q,"cost":"1.250,5"}`, code, kind, on))
		require.NoError(t, err)
		of := &gold.Record{Document: id, State: gold.Reviewed, Record: g}
		finder := &Finder{Schema: s, Gold: gold.Set{id: of}.Shelf()}
		found, err := finder.Add(record.Line{Document: id, Record: d})
		require.NoError(t, err)
		filled = append(filled, d)
		fixer.Add(id, of, &filled[i], found.Errors)
	}
	got := fixer.Try()
	written := map[string]Fix{}
	for _, c := range got.Chosen {
		written[c.Field+" "+c.Write] = c
		assert.Zero(t, c.Broken)
	}
	assert.Equal(t, 20, written["code normalize: [upper]"].Fixed)
	assert.Equal(t, 10, written["kind of: {rot: {also: [decay]}}"].Fixed)
	assert.Equal(t, 22, written["on written: [D.M.YYYY]"].Fixed)
	assert.Equal(t, 40+18, got.Chosen[0].Fixed, "figures, and days that can be no other, need no more than the schema's own normalizers")
	assert.Contains(t, got.Chosen[0].Write, "--no-model")
	assert.Equal(t, Ratio{1, true}, got.Chosen[len(got.Chosen)-1].F1)
	assert.Equal(t, Ratio{1, true}, got.Honest, "each fold finds the same fixes")
	assert.Less(t, got.Before.Value, 0.4)
	assert.Equal(t, []Ruler{{"code", "compare: loose", 20}}, got.Rulers)
	assert.Empty(t, s.Root.Fields[0].Normalize, "the schema is as it was")
	assert.Empty(t, s.Root.Fields[1].Of[0].Also)

	// A fix that breaks more than it fixes is none.
	none := NewFixer(s)
	for i := range 10 {
		code := "AB"
		if i > 7 {
			code = "ab"
		}
		g := value.Obj(value.Str("ab").Named("code"))
		if i <= 7 {
			g = value.Obj(value.Str(code).Named("code"))
		}
		d := value.Obj(value.Str("Ab").Named("code"))
		if i <= 7 {
			d = value.Obj(value.Str(code).Named("code"))
		}
		id := fmt.Sprint("e", i)
		of := &gold.Record{Document: id, State: gold.Reviewed, Record: g}
		finder := &Finder{Schema: s, Gold: gold.Set{id: of}.Shelf()}
		found, err := finder.Add(record.Line{Document: id, Record: d})
		require.NoError(t, err)
		none.Add(id, of, &d, found.Errors)
	}
	assert.Empty(t, none.Try().Chosen, "lower would turn two right and eight wrong")
}

// Two sets against each other: every figure as counted by hand from two scores.
func TestCompare(t *testing.T) {
	s := manyFields(t)
	r := rand.New(rand.NewPCG(71, 72))
	dir := t.TempDir()
	g, d := many(t, dir, 60)
	set, err := gold.Load(g, s)
	require.NoError(t, err)
	read := func(file string) (lines []record.Line) {
		require.NoError(t, record.ReadLines(file, nil, func(_ int, l record.Line, err error) error {
			l.Record = l.Record.Detach()
			lines = append(lines, l)
			return err
		}))
		return lines
	}
	a, b := read(d), read(d)
	for i := range b { // the second has some of the first's errors put right, and new ones
		switch r.IntN(3) {
		case 0:
			b[i].Record = set[b[i].Document].Record
		case 1:
			b[i].Record.Set("bridge", value.Str("Nowhere"))
		}
	}
	c := NewComparer(s, set.Shelf(), "", 2)
	sa, sb := New(s, set.Shelf()), New(s, set.Shelf())
	for i := range a {
		if i != 7 {
			require.NoError(t, c.To(0)(a[i]))
			require.NoError(t, sa.Add(a[i]))
		}
		require.NoError(t, c.To(1)(b[i]))
		if i != 7 {
			require.NoError(t, sb.Add(b[i]))
		}
	}
	require.Error(t, c.To(0)(a[0]), "a second record of a document")
	got := c.Compare()
	ra, rb := sa.Report(), sb.Report()
	assert.Equal(t, 59, got.Documents)
	assert.Equal(t, []LeftOut{{a[7].Document, "only B has it"}}, got.Apart)
	ra.Overall.Blank, rb.Overall.Blank = 0, 0
	assert.Equal(t, []Counts{ra.Overall, rb.Overall}, []Counts{got.A, got.B})
	assert.Equal(t, got.BothRight+got.Broken, got.A.Right)
	assert.Equal(t, got.BothRight+got.Fixed, got.B.Right)
	assert.Equal(t, got.BothWrong+got.Fixed, got.A.Wrong+got.A.Missed)
	assert.Len(t, got.Leaves, got.Fixed+got.Broken)
	assert.Equal(t, []int{ra.RecordsRight, rb.RecordsRight}, []int{got.RecordsA, got.RecordsB})
	for _, x := range got.Leaves {
		at := set[x.Document].Record.At(x.Path).Named("")
		assert.Equal(t, at.String(), x.Gold.String())
		assert.Equal(t, x.Fixed, value.Equal(&x.Gold, &x.B))
		assert.Equal(t, !x.Fixed, value.Equal(&x.Gold, &x.A))
	}
	assert.InDelta(t, rb.Overall.F1().Value-ra.Overall.F1().Value, got.By, 1e-12)
	assert.True(t, got.Difference.Low <= got.By && got.By <= got.Difference.High)

	same := NewComparer(s, set.Shelf(), "", 2)
	for i := range a {
		require.NoError(t, same.To(0)(a[i]))
		require.NoError(t, same.To(1)(a[i]))
	}
	none := same.Compare()
	assert.Equal(t, 1.0, none.P)
	assert.Contains(t, none.Words("one", "two"), "the same, value by value")
}

// A file scored in parallel comes to what one in sequence comes to, whatever is in it.
func TestManyHands(t *testing.T) {
	s := manyFields(t)
	g, d := many(t, t.TempDir(), 700)
	set, err := gold.Load(g, s)
	require.NoError(t, err)
	o := Options{Confusion: []string{"bays[].deck"}, Slice: func(l record.Line) string { return l.Document[len(l.Document)-5:] }, Straight: true}
	one, several := NewWith(s, set.Shelf(), o), NewWith(s, set.Shelf(), o)
	require.NoError(t, record.ReadLines(d, nil, func(_ int, l record.Line, err error) error { return one.Add(l) }))
	require.NoError(t, several.AddFile(d))
	a, b := one.Report(), several.Report()
	x, y := a.JSON(), b.JSON()
	for i := range x.Kids {
		assert.Equal(t, x.Kids[i].String(), y.Kids[i].String())
	}
	assert.Equal(t, 700, b.Documents)

	file := filepath.Join(t.TempDir(), "bad.jsonl")
	data, err := os.ReadFile(d)
	require.NoError(t, err)
	for text, want := range map[string]string{"{\n": "701: not JSON", `{"document":"documents/000003.txt","record":{}}` + "\n": "701: documents/000003.txt has two records"} {
		require.NoError(t, os.WriteFile(file, append(append([]byte(nil), data...), text...), 0o644))
		err := New(s, set.Shelf()).AddFile(file)
		var bad *LineError
		require.ErrorAs(t, err, &bad)
		assert.Contains(t, fmt.Sprintf("%d: %s", bad.N, bad), want)
	}
}

// Comparing and looking for errors come to the same in parallel as in sequence, in
// the same order, and stop at the same line.
func TestManyHandsCompareAndFind(t *testing.T) {
	s := manyFields(t)
	dir := t.TempDir()
	g, d := many(t, dir, 700)
	set, err := gold.Load(g, s)
	require.NoError(t, err)
	one, several := &Finder{Schema: s, Gold: set.Shelf(), Keep: true}, &Finder{Schema: s, Gold: set.Shelf(), Keep: true}
	var want, got []Found
	x, y := NewComparer(s, set.Shelf(), "", 2), NewComparer(s, set.Shelf(), "", 2)
	require.NoError(t, record.ReadLines(g, nil, func(_ int, l record.Line, err error) error { return x.To(0)(l) }))
	require.NoError(t, record.ReadLines(d, nil, func(_ int, l record.Line, lerr error) error {
		found, err := one.Add(l)
		require.NoError(t, lerr)
		require.NoError(t, err)
		want = append(want, found)
		return x.To(1)(l)
	}))
	require.NoError(t, several.AddFile(d, func(f Found) error {
		got = append(got, f)
		return nil
	}))
	require.Equal(t, len(want), len(got))
	for i := range want {
		require.Equal(t, want[i], got[i])
	}
	require.NoError(t, y.AddFile(0, g))
	require.NoError(t, y.AddFile(1, d))
	a, b := x.Compare(), y.Compare()
	require.Equal(t, a, b)
	require.NotZero(t, a.Broken)

	stop := errors.New("enough")
	seen := 0
	assert.ErrorIs(t, (&Finder{Schema: s, Gold: set.Shelf()}).AddFile(d, func(Found) error {
		seen++
		if seen == 200 {
			return stop
		}
		return nil
	}), stop)
	assert.Equal(t, 200, seen, "nothing is told after what was to be the last")
	var bad *LineError
	require.ErrorAs(t, y.AddFile(0, d), &bad)
	assert.Equal(t, 1, bad.N)
	assert.ErrorContains(t, bad, "has two records")
}

// Gold too long for the memory is read from the disk, and comes to the same, also
// where the records' texts are gold's own and where a record is broken.
func TestGoldOnTheDisk(t *testing.T) {
	s := manyFields(t)
	g, d := many(t, t.TempDir(), 5200)
	set, err := gold.Load(g, s)
	require.NoError(t, err)
	shelf, err := gold.Open(g, s)
	require.NoError(t, err)
	for _, o := range []Options{{}, {Confusion: []string{"bays[].deck"}}} {
		a, b, c := NewWith(s, shelf, o), NewWith(s, set.Shelf(), o), NewWith(s, shelf, o)
		require.NoError(t, a.AddFile(d))
		require.NoError(t, b.AddFile(d))
		require.NoError(t, record.ReadLines(d, nil, func(_ int, l record.Line, err error) error { return c.Add(l) }))
		want := b.Report()
		for _, got := range []Report{a.Report(), c.Report()} {
			x, y := got.JSON(), want.JSON()
			assert.True(t, x.String() == y.String())
		}
	}
	data, err := os.ReadFile(g)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(g, bytes.Replace(data, []byte(`"FB-000003"`), []byte(`FB-000003"~`), 1), 0o644))
	sc := New(s, shelf)
	require.NoError(t, sc.AddFile(d))
	r := sc.Report()
	require.Len(t, r.LeftOut, 1)
	assert.Equal(t, "documents/000003.txt", r.LeftOut[0].Document)
	assert.Contains(t, r.LeftOut[0].Why, "its gold, line 4, is not a record")
}

// Kappa as in Cohen's paper of 1960, table 2: proportions of 200, kappa 0.492.
func TestKappa(t *testing.T) {
	k, ok := Kappa([][]int{{88, 14, 18}, {10, 40, 10}, {2, 6, 12}})
	assert.True(t, ok)
	assert.InDelta(t, 0.492, k, 0.001)
	_, ok = Kappa([][]int{{5, 0}, {0, 0}})
	assert.False(t, ok, "chance alone agrees always")
}

// What two reviewers agree in, and where they don't, by hand.
func TestAgree(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  a: A.\n  k: {choice: K., of: [x, y]}\n  y: {boolean: Y.}\n  l: {list: L., fields: {n: {integer: N.}, t: T.}}\n"))
	require.NoError(t, err)
	parse := func(text string) *value.Value {
		v, err := value.Parse(text)
		require.NoError(t, err)
		return &v
	}
	a := map[string]*value.Value{"d": parse(`{"a":"A","k":"x","y":true,"l":[{"n":1,"t":"one"}]}`), "e": parse(`{"y":false,"k":""}`), "f": parse(`{"y":true}`), "only": parse(`{}`)}
	b := map[string]*value.Value{"d": parse(`{"a":"B","k":"x","y":true,"l":[{"n":1,"t":"one"},{"n":7,"t":"seven"}]}`), "e": parse(`{"y":false}`), "f": parse(`{}`)}
	got := Agree(s, a, b)
	assert.Equal(t, []int{3, 5, 2, 2}, []int{got.Documents, got.Same, got.Differ, got.Lone}, "an empty text is no value; an item of one side is told as an item")
	assert.Equal(t, []ItemAgreement{{Path: "l", Both: 1, Second: 1}}, got.Items)
	yes := got.Fields[2]
	assert.Equal(t, Counts{Right: 2, Missed: 1}, yes.Counts)
	assert.InDelta(t, (2.0/3-1.0/3)/(1-1.0/3), yes.Kappa, 1e-9, "true-true, false-false, true-none: kappa over the same three values")
	assert.Equal(t, []LeftOut{{"only", "only A has it"}}, got.Apart)
	var paths []string
	for _, l := range got.Leaves {
		paths = append(paths, string(l.Path))
	}
	assert.Equal(t, []string{"/a", "/l/1/n", "/l/1/t", "/y"}, paths, "what only the second has stands where it would be put")
}

func lineOf(id string, rec, evidence value.Value) record.Line {
	return record.Line{Document: id, Record: rec, Evidence: evidence}
}
