package outline

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/layout"
)

var leafTypes = []schema.Type{schema.Text, schema.Integer, schema.Number, schema.Boolean, schema.Date, schema.Time, schema.DateTime, schema.Choice, schema.Money, schema.Quantity}

// words are texts that try the marks of the format.
var words = []string{"Bay", "Feld Nr.", `the "old" kind`, "a; b", "x (y)", "é = è", "back\\slash", "1,5", "Ende.", "true", "007", "loose rail"}

func some(r *rand.Rand, most int) (all []string) {
	for range r.IntN(most + 1) {
		all = append(all, words[r.IntN(len(words))])
	}
	return all
}

// leaf gives a field of any type with any facts.
func leaf(r *rand.Rand, name string) *schema.Field {
	f := &schema.Field{Name: name, Type: leafTypes[r.IntN(len(leafTypes))], About: []string{"", "What it is", "What it is, not: this. Nor that!", "Über den Feldern (1)"}[r.IntN(4)]}
	f.PrintedAs, f.Basis = some(r, 2), r.IntN(4) == 0
	switch f.Type {
	case schema.Choice:
		for range 1 + r.IntN(3) {
			f.Of = append(f.Of, schema.Option{Value: words[r.IntN(len(words))], Also: some(r, 2), About: []string{"", "of iron"}[r.IntN(2)]})
		}
	case schema.Money:
		f.Currency = []string{"", "EUR"}[r.IntN(2)]
	case schema.Quantity:
		f.Unit = []string{"", "m2", "l/s", "%"}[r.IntN(4)]
		if f.Unit != "" {
			f.UnitAlso = some(r, 2)
		}
		f.Minus = some(r, 2)
	case schema.Boolean:
		f.Yes, f.No = some(r, 2), some(r, 2)
	case schema.Date:
		if r.IntN(2) == 0 {
			format, _ := schema.ParseDateFormat("D.M.YY")
			f.Written, f.Pivot = []schema.DateFormat{format}, 1970
		}
	}
	if (f.Type == schema.Number || f.Type == schema.Money) && r.IntN(2) == 0 {
		f.Numbers = schema.NumberFormat{Decimal: ",", Group: []string{"", ".", " "}[r.IntN(3)]}
	}
	return f
}

func group(r *rand.Rand, level int) (fields []*schema.Field) {
	for i := range 1 + r.IntN(5) {
		name := fmt.Sprintf("f%d_%d", level, i)
		switch k := r.IntN(8); {
		case k == 0 && level < 4:
			fields = append(fields, &schema.Field{Name: name, Type: schema.Group, About: "A group", Fields: group(r, level+1)})
		case k == 1 && level < 4:
			item := &schema.Field{Type: schema.Group, Fields: group(r, level+1)}
			fields = append(fields, &schema.Field{Name: name, Type: schema.List, About: "A list", Key: []string{item.Fields[0].Name}, Item: item})
		case k == 2:
			item := leaf(r, "")
			item.Basis, item.About = false, "Each of them"
			fields = append(fields, &schema.Field{Name: name, Type: schema.List, Item: item})
		default:
			fields = append(fields, leaf(r, name))
		}
	}
	return fields
}

// named gives fields their paths, as loading a schema does.
func named(f *schema.Field, path string) {
	f.Path = path
	for _, kid := range f.Fields {
		named(kid, strings.TrimPrefix(path+"."+kid.Name, "."))
	}
	if f.Type == schema.List {
		named(f.Item, path+"[]")
	}
}

// facts gives what a field line tells by its form, as one text.
func facts(fields []*schema.Field, indent string) string {
	var b strings.Builder
	for _, f := range fields {
		of := f
		if f.Type == schema.List && f.Item.IsLeaf() {
			of = f.Item
		}
		var written []string
		for _, w := range of.Written {
			written = append(written, w.Text)
		}
		var options []string
		for _, o := range of.Of {
			options = append(options, fmt.Sprintf("%q%q", o.Value, o.Also))
		}
		_, measure := of.Measure()
		if of.Type != schema.Money && of.Type != schema.Quantity {
			measure = ""
		}
		fmt.Fprintf(&b, "%s%s %s/%s key%q printed%q written%q pivot%d signs%v basis%t measure%q of%q words%q\n", indent, f.Name, f.Type, of.Type, f.Key, of.PrintedAs, written, of.Pivot, of.Numbers, of.Basis, measure, options, [][]string{of.UnitAlso, of.Minus, of.Yes, of.No})
		switch {
		case f.Type == schema.Group:
			b.WriteString(facts(f.Fields, indent+"  "))
		case f.Type == schema.List && !f.Item.IsLeaf():
			b.WriteString(facts(f.Item.Fields, indent+"  "))
		}
	}
	return b.String()
}

// What is written of the fields is read again, with all its facts, whatever
// stands around it.
func TestRoundTrip(t *testing.T) {
	for seed := range uint64(600) {
		r := rand.New(rand.NewPCG(seed, 4))
		root := &schema.Field{Type: schema.Group, Fields: group(r, 0)}
		s := &schema.Schema{Root: root}
		named(root, "")
		text := Write(s, Plain, seed%2 == 0)
		var along *value.Value
		if seed%2 == 0 { // the types stand in the JSON Schema
			wire := s.Wire()
			along = &wire
		}
		got := Read("Fill one record.\n\n"+Fields+"\n"+text+"\n# Answer\n- other: no field.\n", along)
		require.Equal(t, facts(root.Fields, ""), facts(got.Fields, ""), "seed %d\n%s", seed, text)
	}
}

// The form of a reply is told apart by its line and by its JSON Schema alike.
func TestForms(t *testing.T) {
	for seed := range uint64(300) {
		r := rand.New(rand.NewPCG(seed, 5))
		record := &schema.Field{Type: schema.Group, Fields: group(r, 0)}
		if r.IntN(5) == 0 { // a record whose only field is called as the wrapper is
			record = &schema.Field{Type: schema.Group, Fields: []*schema.Field{{Name: schema.Wrapper, Path: schema.Wrapper, Type: schema.List, Item: record}}}
		}
		named(record, "")
		s := &schema.Schema{Root: record}
		if r.IntN(2) == 0 {
			s.Root = &schema.Field{Type: schema.List, Item: record}
		}
		for _, how := range []Values{Plain, IDs, Places} {
			ids := false
			for _, f := range record.Fields {
				f.Walk(func(f *schema.Field, _ int) { ids = ids || ByID(f) })
			}
			if how == IDs && !ids {
				continue
			}
			want := Form{Records: s.EachEntry(), Values: how}
			line := FormOf(s, how)
			told := Write(s, how, false)
			assert.Equal(t, want, ReadForm(record, nil, told+"\nAnswer so:\n"+line+"\n"), "seed %d: %s", seed, line)
			wire := Asked(s, how).Wire()
			assert.Equal(t, want, ReadForm(record, &wire, told), "seed %d: %s", seed, wire.JSON())
			if how == Plain { // the fields by themselves, and with their lines in place of the prompt's
				if bare := FromWire(&wire); record.Fields[0].Name != schema.Wrapper { // whose name alone says nothing
					assert.Equal(t, forms(record.Fields, ""), forms(bare.Fields, ""), "seed %d: %s", seed, wire.JSON())
				}
				described := Described(s, how)
				full := FromWire(&described)
				assert.Equal(t, facts(record.Fields, ""), facts(full.Fields, ""), "seed %d: %s", seed, described.JSON())
			}
		}
	}
}

// forms gives the names and JSON types of fields, as one text.
func forms(fields []*schema.Field, indent string) string {
	var b strings.Builder
	for _, f := range fields {
		fmt.Fprintf(&b, "%s%s\n", indent, f.Name)
		switch {
		case f.Type == schema.Group:
			b.WriteString(forms(f.Fields, indent+"  "))
		case f.Type == schema.List && !f.Item.IsLeaf():
			b.WriteString(forms(f.Item.Fields, indent+"  "))
		}
	}
	return b.String()
}

// The document is what stands between its marks, whatever stands in it.
func TestFindDocument(t *testing.T) {
	doc := "a\n" + Document + "\n=====\nb\n=====\n" + Problems + "\nc"
	mark := Fence(doc)
	before, got, after, fenced := FindDocument("# Examples\n====\nx\n====\n" + Document + "\nIt stands here.\n" + mark + "\n" + doc + "\n" + mark + "\n# Answer\n")
	require.True(t, fenced)
	assert.Equal(t, doc, got)
	assert.NotContains(t, before+after, mark)
	_, got, _, fenced = FindDocument("no marks")
	assert.False(t, fenced)
	assert.Equal(t, "no marks", got)
}

// Problems and records are read as they were written.
func TestProblemsAndRecords(t *testing.T) {
	now := value.Str("four (4). It speaks of nothing")
	want := []Problem{{Path: "/a/0/b", Code: "type", Message: "it is no integer", Now: &now}, {Code: "rule", Message: "c is after d", Fields: []value.Pointer{"/c", "/d"}}}
	text := "x\n" + Problems + "\n"
	for i, p := range want {
		text += WriteProblem(i+1, p) + "\n"
	}
	got := ReadProblems(text + "\n# Answer\n")
	require.Len(t, got, 2)
	assert.Equal(t, want[0].Now.Text, got[0].Now.Text)
	got[0].Now = want[0].Now
	assert.Equal(t, want, got)
	record := value.Obj(value.List(value.Obj(now.Named("b"))).Named("a"))
	for _, at := range []value.Pointer{"", "/a", "/a/0"} {
		placed := ReadRecord("x\n\n" + WriteRecord(&record, at) + "\n")
		require.NotNil(t, placed)
		assert.Equal(t, at, placed.At)
		assert.True(t, value.Equal(record.At(at), &placed.Record))
	}
	lines, without := ReadLines("L1 [1,2,3,4] one two\nL2 L3 three")
	assert.Equal(t, []Line{{"L1", "one two"}, {"L2", "L3 three"}}, lines)
	assert.Equal(t, "one two\nL3 three", without)
}

// Reading takes what comes.
func FuzzRead(f *testing.F) {
	f.Add("- a (list of money, required): One of: \"x\" (also written \"y\"). Its unit is m.\n  - b (choice): .\n", `{"properties":{"a":{"type":["object","null"],"properties":{"amount":{},"unit":{}}}}}`)
	f.Fuzz(func(t *testing.T, text, wire string) {
		root := Read(text, nil)
		v, err := value.Parse(wire)
		if err == nil {
			Read(text, &v)
			ReadForm(root, &v, text)
		}
		ReadForm(root, nil, text)
		FindDocument(text)
		ReadProblems(text)
		ReadRecord(text)
		ReadRecords(text)
		ReadLines(text)
	})
}

// A long line is shown in pieces behind the ids of their first words, and is one
// line when it is read.
func TestLinesInPieces(t *testing.T) {
	r := rand.New(rand.NewPCG(31, 32))
	for range 300 {
		var text []string
		for range 1 + r.IntN(5) {
			words := make([]string, r.IntN(60))
			for i := range words {
				words[i] = fmt.Sprint("w", i+1)
			}
			text = append(text, strings.Join(words, " "))
		}
		var shown strings.Builder
		for i, l := range text {
			layout.WriteLine(&shown, i, "", l)
		}
		for l := range strings.Lines(shown.String()) {
			id, rest, _ := strings.Cut(strings.TrimSpace(l), " ")
			require.LessOrEqual(t, len(strings.Fields(l)), 17)
			if _, n, ok := strings.Cut(id, "."); ok {
				require.True(t, strings.HasPrefix(rest+" ", "w"+n+" "), l)
			}
		}
		all, without := ReadLines(strings.TrimSuffix(shown.String(), "\n"))
		require.Equal(t, strings.Join(text, "\n"), without)
		for i, l := range all {
			require.Equal(t, Line{layout.LineID(i), text[i]}, l)
		}
	}
}

// The lines that are asked about again are read with their time and fields,
// whatever stands in them, and take little room.
func TestAgain(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	for range 500 {
		var lines []Missed
		var fields []string
		for _, said := range append(some(r, 5), "# Look again", "x: \"y\"\n\nz\u202e") {
			m := Missed{Field: []string{"visited", "bays[]", "bays[].deck"}[r.IntN(3)], Now: []string{"", "true", `"a: \"b"`}[r.IntN(3)], Line: said, Row: []string{"", "| a: \"b\" |"}[r.IntN(2)]}
			lines = append(lines, m)
			if !slices.Contains(fields, m.Field) {
				fields = append(fields, m.Field)
			}
		}
		time := 1 + r.IntN(3)
		section := WriteAgain(lines, time)
		again, read := ReadAgain("# Document\nabc\n" + section + "\n# Answer\nNothing else: \"x\"\n")
		require.Equal(t, time, again, section)
		require.Equal(t, fields, read, section)
	}
	if time, _ := ReadAgain("# Document\nabc\n"); time != 0 {
		t.Error("nothing is asked again")
	}
	long := WriteAgain([]Missed{{Field: "bays[]", Line: strings.Repeat("bay äöü ", 50)}}, 1)
	if len(long) > 130 || !utf8.ValidString(long) || !strings.Contains(long, "bay äöü …") {
		t.Error(long)
	}
}
