package invent

import (
	"context"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/rogpeppe/go-internal/txtar"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/schema"
	"filler/internal/source/document"
)

// demoJob makes documents from the demo's texts and gold.
func demoJob(t *testing.T, seed int64) (*Job, []*value.Value) {
	t.Helper()
	s, err := schema.Load("../../demo/project/schemas/inspection.yaml")
	require.NoError(t, err)
	set, err := gold.Load("../../demo/project/gold", s)
	require.NoError(t, err)
	m, err := NewMaker(s, seed)
	require.NoError(t, err)
	j := &Job{Maker: m}
	var like []*value.Value
	for _, id := range set.Documents() {
		like = append(like, &set[id].Record)
		text, err := os.ReadFile(filepath.Join("../../demo/project", id))
		if err != nil || !strings.HasSuffix(id, ".txt") {
			continue
		}
		f, why := Learn(s, id, string(text), &set[id].Record)
		require.NotNil(t, f, why)
		j.Frames = append(j.Frames, f)
	}
	m.Like(like)
	require.Greater(t, len(j.Frames), 5)
	return j, like
}

// Of documents made from real ones: every record keeps the schema, every value stands in
// its text where it was written, and the same seed makes the same ones.
func TestDocumentsFromRealOnes(t *testing.T) {
	j, _ := demoJob(t, 3)
	again, _ := demoJob(t, 3)
	values, found := 0, 0
	for n := range 150 {
		made, err := j.Make(n)
		require.NoError(t, err)
		same, err := again.Make(n)
		require.NoError(t, err)
		require.Equal(t, made.Text, same.Text)
		require.Equal(t, made.Record.String(), same.Record.String())
		sound(t, j.Maker, &made.Record)
		for p, s := range made.Places {
			field := j.Schema.At(p)
			require.NotNil(t, field, p)
			require.True(t, readsAs(field.Kin(), made.Text[s.Start:s.End], made.Record.At(p)), "%s: %q", p, made.Text[s.Start:s.End])
		}
		values, found = values+made.Values, found+made.Found
	}
	assert.GreaterOrEqual(t, float64(found)/float64(values), 0.995, "%d of %d", found, values)
}

// By style, for every schema of the repository: what is written is found.
func TestDocumentsByStyle(t *testing.T) {
	files, err := filepath.Glob("../../run/fill/testdata/replies/*.yaml")
	require.NoError(t, err)
	values, found, documents := 0, 0, 0
	for _, file := range files {
		text, err := os.ReadFile(file)
		require.NoError(t, err)
		j := &Job{Maker: maker(t, string(text), 11), Styles: Styles}
		if j.Schema.EachEntry() {
			continue
		}
		for n := range 20 {
			made, err := j.Make(n)
			require.NoError(t, err, file)
			sound(t, j.Maker, &made.Record)
			values, found, documents = values+made.Values, found+made.Found, documents+1
		}
	}
	require.Greater(t, documents, 300)
	t.Logf("%d documents, %d of %d values at their place", documents, found, values)
	assert.GreaterOrEqual(t, float64(found)/float64(values), 0.985)
}

// What is sensitive is not taken over: neither as a value, nor in the words around.
func TestSensitiveStaysAway(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(invoice))
	require.NoError(t, err)
	rec, err := value.Parse(`{"number":"RW-0007","issued":"2031-03-05","due":null,"customer":"Wilma Grasshopper","paid":null,"lines":[{"pos":1,"what":"hemp rope","amount":{"amount":1204.50,"currency":"EUR"}}],"notes":[],"total":null}`)
	require.NoError(t, err)
	text := "Invoice RW-0007 of 5.3.2031\nCustomer: Wilma Grasshopper\n1  hemp rope  EUR 1.204,50\nThank you.\n"
	f, why := Learn(s, "a.txt", text, &rec)
	require.NotNil(t, f, why)
	m, err := NewMaker(s, 2)
	require.NoError(t, err)
	m.Like([]*value.Value{&rec})
	j := &Job{Maker: m, Frames: []*Frame{f}}
	m.Schema.Rules = nil // the frame has no total
	for n := range 30 {
		made, err := j.Make(n)
		require.NoError(t, err)
		assert.NotContains(t, made.Text, "Grasshopper")
		assert.Contains(t, made.Text, "Thank you.")
		assert.Equal(t, len(made.Record.Get("lines").Kids), strings.Count(made.Text, "EUR "))
	}
	_, why = Learn(s, "a.txt", text+"Dear Ms Grasshopper, goodbye.\n", &rec)
	assert.Contains(t, why, "customer, which is sensitive, would stay in it")
	_, why = Learn(s, "a.txt", strings.Replace(text, "Wilma Grasshopper", "see below", 1), &rec)
	assert.Contains(t, why, "customer, which is sensitive", "a value that stands nowhere would be held, and be in gold")
	_, why = Learn(s, "a.txt", "Nothing of it.", &rec)
	assert.Contains(t, why, "none of its values")
}

// A document may hold any number of records: each keeps the schema, and its values stand in
// its own part of the text.
func TestEntries(t *testing.T) {
	j := &Job{Maker: maker(t, "schema: permits\neach: entry\nfields:\n  no: {text: Number., pattern: '^P-\\d{4}$', required: true}\n  from: {date: First day., written: [D.M.YYYY], required: true}\n  to: {date: Last day., written: [D.M.YYYY]}\n  fees: {list: Fees., fields: {what: What for., amount: {money: Amount., currency: EUR}}}\nrules:\n  - holds: to > from\n", 8), Styles: Styles, Noise: []string{Misspelt, Crossed, Irrelevant}}
	many, values, found := 0, 0, 0
	for n := range 80 {
		made, err := j.Make(n)
		require.NoError(t, err)
		require.Equal(t, value.Array, made.Record.Kind)
		many = max(many, len(made.Record.Kids))
		require.True(t, j.keeps(&made.Record))
		for i := range made.Record.Kids {
			own := value.Pointer("").Index(i)
			require.Equal(t, made.Record.Kids[i].Get("no").Text, made.Text[made.Places[own.Key("no")].Start:made.Places[own.Key("no")].End])
		}
		values, found = values+made.Values, found+made.Found
	}
	assert.Equal(t, mostEntries, many)
	assert.GreaterOrEqual(t, float64(found)/float64(values), 0.98, "%d of %d", found, values)
}

// Whatever is sensitive: a day, an amount, an address or a telephone is neither shifted nor
// given another figure, but made up; and it is refused in another spelling, too.
func TestSensitiveOfAllTypes(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: card\nfields:\n  no: Number.\n  born: {date: Day of birth., written: [D.M.YYYY], sensitive: true}\n  home: {text: Home., sensitive: true}\n  phone: {text: Telephone., sensitive: true}\n  owes: {money: What is owed., currency: EUR, sensitive: true}\n"))
	require.NoError(t, err)
	rec, err := value.Parse(`{"no":"C-77","born":"1951-02-13","home":"12 Sorrow Hill, Gnomesby","phone":"0999 777123","owes":{"amount":98765.43,"currency":"EUR"}}`)
	require.NoError(t, err)
	text := "Card C-77\nBorn: 13.2.1951\nHome: 12 Sorrow Hill, Gnomesby\nPhone: 0999 777123\nOwes: EUR 98765.43\n"
	for _, rare := range []bool{false, true} {
		f, why := Learn(s, "a", text, &rec)
		require.NotNil(t, f, why)
		m, err := NewMaker(s, 3)
		require.NoError(t, err)
		m.Like([]*value.Value{&rec})
		m.Rare = rare
		j := &Job{Maker: m, Frames: []*Frame{f}}
		for n := range 60 {
			made, err := j.Make(n)
			require.NoError(t, err)
			for _, part := range []string{"1951", "1950", "Sorrow", "Gnomesby", "0999", "777123", "98765"} {
				require.NotContains(t, made.Text+made.Record.String(), part)
			}
		}
	}
	for _, more := range []string{"She was born on 13 February 1951.\n", "The debt of 98,765.43 stands.\n", "Gnomesby, in May\n"} {
		_, why := Learn(s, "a", text+more, &rec)
		assert.Contains(t, why, "which is sensitive, would stay in it", more)
	}
}

// Noise is what it says it is, and the record holds all the same.
func TestNoise(t *testing.T) {
	seen := map[string]int{}
	for _, kind := range Noises {
		j := &Job{Maker: maker(t, invoice, 4), Styles: []string{"form", "letter"}, Noise: []string{kind}}
		for n := range 60 {
			made, err := j.Make(n)
			require.NoError(t, err)
			sound(t, j.Maker, &made.Record)
			seen[made.Noise]++
			switch made.Noise {
			case Crossed:
				m := regexp.MustCompile(`~~([^~]+)~~ (.+)`).FindStringSubmatch(made.Text)
				require.Len(t, m, 3)
				assert.NotEqual(t, m[1], m[2])
			case Contradicted:
				m := regexp.MustCompile(`Correction: .* is not (.+) but (.+)\.\n`).FindStringSubmatch(made.Text)
				require.Len(t, m, 3, made.Text)
				assert.NotEqual(t, m[1], m[2])
				assert.Contains(t, made.Text[:strings.Index(made.Text, "Correction: ")], m[1])
			}
		}
	}
	for _, kind := range Noises {
		assert.Greater(t, seen[kind], 18, kind)
	}
	assert.InDelta(t, 150, seen[""], 30, "half of all")
}

// Words are misspelt that are no values, and values stay where they are.
func TestMisspelt(t *testing.T) {
	m := maker(t, invoice, 4)
	for n := range 50 {
		v, err := m.Record(n, nil)
		require.NoError(t, err)
		w := &writer{Page: newPage(), r: random(4, n), style: "form", labels: map[string]string{}}
		w.all(m.Schema, &v)
		before, values := strings.Fields(w.without()), map[value.Pointer]string{}
		for p, s := range w.Places {
			values[p] = w.Text()[s.Start:s.End]
		}
		require.True(t, w.misspell())
		for p, s := range w.Places {
			require.Equal(t, values[p], w.Text()[s.Start:s.End])
		}
		after, changed := strings.Fields(w.without()), 0
		require.Len(t, after, len(before))
		for i := range after {
			if after[i] != before[i] {
				changed++
			}
		}
		assert.GreaterOrEqual(t, changed, 1)
		assert.LessOrEqual(t, changed, 3)
	}
}

// Documents of other trades, in prose, forms, tables and OCR, English, German and French:
// what is made from them keeps its schema, stands where it was written, and holds no value
// of the first that was exchanged.
func TestDocumentsOfOtherTrades(t *testing.T) {
	files, err := filepath.Glob("../../run/fill/testdata/replies/*.yaml")
	require.NoError(t, err)
	values, found, frames, documents, none := 0, 0, 0, 0, 0
	for _, file := range files {
		s, err := schema.Load(file)
		require.NoError(t, err)
		if s.EachEntry() {
			continue
		}
		a, err := txtar.ParseFile(strings.TrimSuffix(file, ".yaml") + ".txtar")
		require.NoError(t, err)
		parts := map[string]string{}
		for _, f := range a.Files {
			parts[f.Name] = string(f.Data)
		}
		for name, text := range parts {
			id, isText := strings.CutSuffix(name, ".txt")
			rec, err := value.Parse(parts[id+".gold"])
			if !isText || err != nil {
				continue
			}
			frame, _ := Learn(s, name, text, &rec)
			if frame == nil {
				continue
			}
			frames++
			m, err := NewMaker(s, 5)
			require.NoError(t, err)
			m.Like([]*value.Value{&rec})
			j := &Job{Maker: m, Frames: []*Frame{frame}}
			for n := range 3 {
				made, err := j.Make(n)
				if err != nil {
					none++
					continue
				}
				sound(t, m, &made.Record)
				values, found, documents = values+made.Values, found+made.Found, documents+1
			}
		}
	}
	t.Logf("%d frames, %d documents, %d could not be made, %d of %d values at their place", frames, documents, none, found, values)
	assert.Greater(t, frames, 60)
	assert.Less(t, float64(none)/float64(documents), 0.1)
	assert.GreaterOrEqual(t, float64(found)/float64(values), 0.98)
}

// How alike two texts are is the share of runs of four words that both have.
func TestAlike(t *testing.T) {
	texts := []string{"a b c d e f", "a b c d x y", "q r s t u", "a b c d e f", "z"}
	naive := func(x, y string) float64 {
		runs := func(text string) map[string]bool {
			w, all := strings.Fields(text), map[string]bool{}
			for i := 0; i == 0 || i+4 <= len(w); i++ {
				all[strings.Join(w[i:min(i+4, len(w))], " ")] = true
			}
			return all
		}
		a, b := runs(x), runs(y)
		both, either := 0, len(b)
		for r := range a {
			if b[r] {
				both++
			} else {
				either++
			}
		}
		return float64(both) / float64(either)
	}
	var a Alikeness
	for i, text := range texts {
		want := 0.0
		for _, before := range texts[:i] {
			want = max(want, naive(text, before))
		}
		assert.InDelta(t, want, a.Add(text), 1e-12, text)
	}
	assert.Equal(t, 4, a.Different())
	j, _ := demoJob(t, 1)
	j.Alike = 0.5
	var err error
	n := 0
	for ; n < 200 && err == nil; n++ {
		_, err = j.Make(n)
	}
	var alike *TooAlike
	require.ErrorAs(t, err, &alike, "frames of eight documents do not make 200 texts that differ")
	assert.Less(t, alike.Different, 60)
}

// A template of the user's own: values stand where it says, and what it leaves out is in no
// record.
func TestTemplate(t *testing.T) {
	dir := t.TempDir()
	file := filepath.Join(dir, "t.txt")
	write := func(text string) { require.NoError(t, os.WriteFile(file, []byte(text), 0o644)) }
	m := maker(t, strings.Replace(invoice, "  - holds: total == sum(lines, .amount)\n", "", 1), 6)
	write("Bill {{.number}}, {{.issued}}\n{{range .lines}}* {{.what}}: {{.amount}}\n{{end}}{{if .customer}}For {{.customer}}\n{{end}}")
	tmpl, err := ReadTemplate(file, m)
	require.NoError(t, err)
	j := &Job{Maker: m, Templates: []*Template{tmpl}}
	for n := range 20 {
		made, err := j.Make(n)
		require.NoError(t, err)
		sound(t, m, &made.Record)
		assert.True(t, made.Record.Get("total").Empty() && made.Record.Get("paid").Empty())
		assert.Contains(t, made.Text, "Bill "+made.Record.Get("number").Text)
		assert.Equal(t, len(made.Record.Get("lines").Kids), strings.Count(made.Text, "* "))
	}
	for text, says := range map[string]string{"{{.nmber}}": "nmber", "{{.number": "unclosed", "nothing": "no value of the record stands in it"} {
		write(text)
		_, err := ReadTemplate(file, m)
		assert.ErrorContains(t, err, says, text)
	}
}

// A text of a model's is held against its record, the samples, and what is sensitive.
func TestJudge(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: permit\nfields:\n  no: {text: Number., printed_as: [Permit]}\n  from: {date: First day., written: [D MMMM YYYY], printed_as: [valid from]}\n  owner: {text: Owner., sensitive: true}\n"))
	require.NoError(t, err)
	m, err := NewMaker(s, 1)
	require.NoError(t, err)
	j := &Job{Maker: m, Secrets: []string{"Wilma Grasshopper"}, Samples: []string{"We gladly let you use the old oven at the weir until further notice."}}
	rec, err := value.Parse(`{"no":"P-7","from":null,"owner":"Bo Tarn"}`)
	require.NoError(t, err)
	for text, want := range map[string]string{
		"Permit: P-7\nOwner: Bo Tarn\n":                                                           "",
		"Permit: P-8\nOwner: Bo Tarn\n":                                                           "no is not in it: P-7",
		"Permit: P-7\nvalid from: 3 May 2031\nOwner: Bo Tarn\n":                                   "gives from, which is not in the record",
		"Permit: P-7, Bo Tarn. WILMA grasshopper asks.\n":                                         "a sensitive value of a sample",
		"Permit: P-7\nOwner: Bo Tarn\nWe gladly let you use the old oven at the weir, says Bo.\n": `it takes "we gladly let you use the old oven"`,
	} {
		faults := j.Judge(&rec, text)
		if want == "" {
			assert.Empty(t, faults, text)
			continue
		}
		require.NotEmpty(t, faults, text)
		assert.Contains(t, strings.Join(faults, "\n"), want)
	}
	request := Request(&rec, "letter", j.Samples[0], "bad text", []string{"no is not in it: P-7"})
	assert.Contains(t, request, "Look: letter\n")
	assert.Contains(t, request, "This text does not do:\nbad text\n\nBecause:\n- no is not in it: P-7\n")
}

// Texts that were written by hand from the requests are taken as they are; with a value
// changed, left out or added they are not.
func TestWrittenByHand(t *testing.T) {
	j, _ := demoJob(t, 1)
	a, err := txtar.ParseFile("testdata/written.txtar")
	require.NoError(t, err)
	parts := map[string]string{}
	for _, f := range a.Files {
		parts[f.Name] = string(f.Data)
	}
	texts := 0
	for name, text := range parts {
		id, ok := strings.CutSuffix(name, ".txt")
		if !ok {
			continue
		}
		rec, err := value.Parse(parts[id+".json"])
		require.NoError(t, err, id)
		texts++
		assert.Empty(t, j.Judge(&rec, text), id)
		assert.NotEmpty(t, j.Judge(&rec, strings.ReplaceAll(text, id, "FB-0000-00")), id)
		name := rec.Get("inspector").Get("name").Text
		assert.NotEmpty(t, j.Judge(&rec, strings.ReplaceAll(text, name, "the inspector")), id)
		if rec.Get("weather").Empty() {
			assert.NotEmpty(t, j.Judge(&rec, text+"Weather: frost\n"), id)
		}
	}
	assert.Equal(t, 6, texts)
}

// A folder is there whole or not at all, its gold counts, and the same seed writes the same
// bytes; other folders are not touched.
func TestFolder(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "made")
	reader := &document.Reader{}
	read := func(ctx context.Context, id, file string) (*document.Document, error) {
		return reader.Read(ctx, document.Source{ID: id, File: file})
	}
	f := &Folder{Dir: dir, Looks: []string{"txt", "html", "eml"}, Project: "schema: s.yaml\n", Read: read}
	all := func() map[string]string {
		files := map[string]string{}
		require.NoError(t, filepath.Walk(dir, func(path string, info os.FileInfo, err error) error {
			if err == nil && !info.IsDir() {
				data, err := os.ReadFile(path)
				files[strings.TrimPrefix(path, dir)] = string(data)
				return err
			}
			return err
		}))
		return files
	}
	write := func() *Report {
		j := &Job{Maker: maker(t, invoice, 9), Styles: Styles, Noise: Noises}
		report, err := f.Write(context.Background(), j, 30, j.Make, func(int) {})
		require.NoError(t, err)
		return report
	}
	report := write()
	first := all()
	assert.Equal(t, 30, report.Documents)
	for look, l := range report.Looks {
		assert.GreaterOrEqual(t, float64(l.Found), 0.985*float64(l.Values), "%s: a yes or no whose label is misspelt stands nowhere for sure", look)
		assert.Equal(t, l.Words, l.Read, look)
	}
	write()
	assert.Equal(t, first, all())
	s := maker(t, invoice, 1).Schema
	set, err := gold.Load(filepath.Join(dir, "gold"), s)
	require.NoError(t, err)
	require.Len(t, set, 30)
	for id, g := range set {
		assert.Empty(t, g.Fault, id)
		assert.Equal(t, Reviewer, g.Reviewer)
		assert.Equal(t, g.Seal, g.SealNow())
	}
	assert.False(t, set.Shelf().HasPeople())

	ctx, cancel := context.WithCancel(context.Background())
	other := &Job{Maker: maker(t, invoice, 10), Styles: Styles}
	_, err = f.Write(ctx, other, 30, other.Make, func(done int) {
		if done == 7 {
			cancel()
		}
	})
	assert.Error(t, err)
	assert.Equal(t, first, all(), "what was there stays")
	entries, err := os.ReadDir(filepath.Dir(dir))
	require.NoError(t, err)
	assert.Len(t, entries, 1, "nothing half made is left")
	f.Dir = t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(f.Dir, "mine.txt"), nil, 0o644))
	_, err = f.Write(context.Background(), other, 1, other.Make, func(int) {})
	assert.ErrorContains(t, err, "there are other files in it")
}
