package review

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
	"filler/internal/source/document"
)

const orchard = `
schema: picking
fields:
  ref: {text: Number of the sheet., pattern: '^OR-\d{3}$', printed_as: [Sheet]}
  picked: {date: Day., written: [D MMMM YYYY]}
  closed: {boolean: Whether the rows are closed.}
  crates: {list: Numbers of the crates., items: {integer: One.}}
  rows:
    list: Rows of trees.
    key: [number]
    fields:
      number: {integer: Number of the row., min: 1}
      sort: {choice: Sort., of: {russet: {also: [brown]}, codlin: {}, pippin: {}}}
      weight: {quantity: Weight picked., unit: kg}
      pests:
        list: What was found.
        fields:
          what: What it is.
          trees: {integer: How many trees.}
`

const orchardText = `Sheet: OR-114
Picked on 3 April 2031, rows open, crates 4, 5 and 9

Row 1  brown    120 kg
   aphids on 3 trees
Row 2  codlin   84,5 kg
Row 3  pippin   77 kg
Remark: the gate is stuck
`

const orchardRecord = `{"ref": "OR-114", "picked": "2031-04-03", "closed": false, "crates": [4, 5],
 "rows": [{"number": 1, "sort": "russet", "weight": {"amount": 120, "unit": "kg"}, "pests": [{"what": "aphids", "trees": 7}]},
          {"number": 2, "sort": "codlin", "weight": null, "pests": []}]}`

// sheet lays the orchard's record beside its document.
func sheet(t testing.TB) *Sheet {
	s, err := schema.Parse("s.yaml", []byte(orchard))
	require.NoError(t, err)
	check, err := record.NewValidator(s)
	require.NoError(t, err)
	doc, err := document.Parse("sheet.txt", []byte(orchardText))
	require.NoError(t, err)
	rec, err := value.Parse(orchardRecord)
	require.NoError(t, err)
	return NewSheet(s, check, &Kept{Document: "sheet.txt", Record: rec, Hashes: record.Hashes{Text: doc.Hash}}, doc)
}

func at(path string) Point { return Point{Kind: OfValue, Path: value.Pointer(path)} }

// words finds words of the orchard's document.
func words(t testing.TB, sh *Sheet, text string) (start, end int) {
	place, ok := sh.Index.Words(text)
	require.True(t, ok, text)
	return place.Start, place.End
}

// state is all of a sheet that a reviewer can change.
func state(sh *Sheet) string {
	return fmt.Sprint(sh.Record.String(), sh.Made, sh.Notes, sh.Places, sh.Risk)
}

func TestWhatIsToBeDecided(t *testing.T) {
	sh := sheet(t)
	var keys []string
	for _, p := range sh.Points() {
		keys = append(keys, p.Key())
	}
	assert.Equal(t, []string{"/ref", "/picked", "/closed", "/crates", "/rows/0/number", "/rows/0/sort", "/rows/0/weight", "/rows/0/pests/0/what", "/rows/0/pests/0/trees",
		"/rows/1/number", "/rows/1/sort", "/rows/1/weight", "/rows/1/pests", "line 7"}, keys, "a value that is not there, a list without items and the row that nothing comes from are decisions")
	open, unsure := sh.Left()
	assert.Equal(t, []int{14, 0}, []int{open, unsure})
	assert.NotEmpty(t, sh.Said(at("/rows/0/pests/0/trees")), "7 trees stand nowhere")
	assert.Empty(t, sh.Said(at("/ref")))
}

func TestWordsAreTakenAsTheFieldReadsThem(t *testing.T) {
	for _, row := range []struct{ path, words, want string }{
		{"/picked", "3 April 2031", `"2031-04-03"`},
		{"/rows/1/weight", "84,5 kg", `{"amount":84.5,"unit":"kg"}`},
		{"/rows/1/weight", "84,5", `{"amount":84.5,"unit":"kg"}`},
		{"/rows/1/sort", "brown", `"russet"`},
		{"/crates", "4, 5 and 9", `[4,5,9]`},
		{"/ref", "OR-114", `"OR-114"`},
		{"/rows/0/pests/0/trees", "3", `3`},
	} {
		sh := sheet(t)
		start, end := words(t, sh, row.words)
		require.NoError(t, sh.Take(at(row.path), start, end), row.path)
		assert.Equal(t, row.want, sh.Record.At(value.Pointer(row.path)).Named("").String(), row.path)
		assert.Equal(t, Taken, sh.Verdict(at(row.path)))
		places := sh.PlacesOf(value.Pointer(row.path))
		require.NotEmpty(t, places)
		assert.Equal(t, start, places[0].Start, row.path)
	}
	sh := sheet(t)
	start, end := words(t, sh, "aphids")
	assert.ErrorContains(t, sh.Take(at("/rows/1/sort"), start, end), "russet", "what is no choice is refused with the choices")
	assert.Equal(t, "codlin", sh.Record.At("/rows/1/sort").Text)
	assert.ErrorContains(t, sh.Type(at("/ref"), "OR-9"), "OR-", "and what is not in the field's form")
	require.NoError(t, sh.Type(at("/picked"), "5 April 2031"))
	assert.Equal(t, "2031-04-05", sh.Record.At("/picked").Text, "typed values are read as they are written")
	require.NoError(t, sh.Type(at("/crates"), "1, 2"))
	require.NoError(t, sh.Type(at("/rows/0/pests/0/what"), "leaf curl, mild"))
	assert.Equal(t, "leaf curl, mild", sh.Record.At("/rows/0/pests/0/what").Text, "a text is what it is")
}

// Figures of days are no amounts; a sum with the sign of several currencies is shown with
// what it lacks; hours in a row are one list; a list that a line speaks of and that has no
// items is a line to look at, one of which it says that there are none is not.
func TestKennel(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: stay\nfields:\n  rate: {money: A night.}\n  weight: {quantity: At arrival., unit: kg}\n  walks: {list: Hours of walks., items: {time: One.}}\n  jabs:\n    list: Jabs.\n    fields: {what: Which., given: {date: When., written: [D/M/YYYY]}}\n  toys:\n    list: Toys.\n    fields: {what: Which.}\n"))
	require.NoError(t, err)
	check, err := record.NewValidator(s)
	require.NoError(t, err)
	doc, err := document.Parse("moss.txt", []byte("Moss, 3 nights, £22/night, seen 1/2/2031\nJabs: distemper 1/2/2031, lepto 3/2/2031\nToys: none left\nat 08:00, 12:30 and 17:30\n"))
	require.NoError(t, err)
	sh := NewSheet(s, check, &Kept{Document: "moss.txt", Hashes: record.Hashes{Text: doc.Hash}}, doc)
	offered := func(path value.Pointer) (words []string) {
		for _, o := range sh.Offers(path, "") {
			words = append(words, doc.Text[o.Start:o.End])
		}
		return words
	}
	assert.Equal(t, []string{"£22"}, offered("/rate"))
	start, end := words(t, sh, "22")
	assert.ErrorContains(t, sh.Take(at("/rate"), start-len("£"), end), "currency")
	require.NoError(t, sh.Type(at("/rate"), "22 GBP"))
	assert.Equal(t, []string{"3 nights", "£22"}, offered("/weight"))
	_, likely := sh.Likely("/weight")
	assert.False(t, likely, "they measure other things")
	start, end = words(t, sh, "22")
	assert.ErrorContains(t, sh.Take(at("/weight"), start, end), "requires", "nor does the figure alone")
	assert.Equal(t, "08:00, 12:30 and 17:30", offered("/walks")[0])
	start, end = words(t, sh, "08:00, 12:30 and 17:30")
	require.NoError(t, sh.Take(at("/walks"), start, end))
	assert.Equal(t, `["08:00","12:30","17:30"]`, sh.Record.At("/walks").Named("").String())
	var lines []int
	for _, p := range sh.Points() {
		if p.Kind == OfLine {
			lines = append(lines, p.Line)
		}
	}
	assert.Equal(t, []int{2}, lines)
}

// The row that was left out is offered first when its item is filled.
func TestOffersComeFromNearBy(t *testing.T) {
	sh := sheet(t)
	item, err := sh.Add("/rows/1/number")
	require.NoError(t, err)
	for _, row := range []struct{ field, want string }{{"number", "3"}, {"sort", "pippin"}, {"weight", "77 kg"}} {
		p := item.Key(row.field)
		offers := sh.Offers(p, "")
		require.NotEmpty(t, offers, row.field)
		assert.Equal(t, row.want, sh.Source.Text[offers[0].Start:offers[0].End], row.field)
		require.NoError(t, sh.Take(Point{Kind: OfValue, Path: p}, offers[0].Start, offers[0].End))
	}
	assert.Equal(t, Taken, sh.Verdict(Point{Kind: OfLine, Line: 7}), "its line is covered now")
	offers := sh.Offers("/rows/0/pests/0/what", "gat")
	require.NotEmpty(t, offers)
	assert.Equal(t, "gate", sh.Source.Text[offers[0].Start:offers[0].Start+4], "typed letters find any words")
}

// Whatever is done in whatever order: undone step by step all is as it was, done again
// it is as it became; and every point is one of the record.
func TestUndoIsExact(t *testing.T) {
	for seed := range uint64(60) {
		r := rand.New(rand.NewPCG(seed, 7))
		sh := sheet(t)
		states := []string{state(sh)}
		for range 25 {
			p := sh.Points()[r.IntN(len(sh.Points()))]
			before := len(sh.past)
			random(sh, p, r)
			if len(sh.past) > before {
				states = append(states, state(sh))
			}
			for _, q := range sh.Points() {
				require.True(t, q.Kind == OfLine || q.Path == "" || sh.Record.At(q.Path) != nil || sh.Record.At(q.Path.Parent()) != nil, "%s in %s", q.Path, sh.Record)
			}
			for key := range sh.Made {
				if p := value.Pointer(key); p.Valid() && p != "" {
					require.NotNil(t, sh.Record.At(p.Parent()), "%s is decided, and is not there: %s", key, sh.Record)
				}
			}
		}
		for i := len(states) - 1; i > 0; i-- {
			require.Equal(t, states[i], state(sh))
			_, ok := sh.Undo()
			require.True(t, ok)
		}
		require.Equal(t, states[0], state(sh))
		_, ok := sh.Undo()
		require.False(t, ok)
		for i := 1; i < len(states); i++ {
			_, ok := sh.Redo()
			require.True(t, ok)
			require.Equal(t, states[i], state(sh))
		}
	}
}

// random does one of all that can be done.
func random(sh *Sheet, p Point, r *rand.Rand) {
	switch r.IntN(13) {
	case 0:
		sh.Accept(p)
	case 1:
		sh.Decide(p, Unsure)
	case 2:
		sh.Note(p, fmt.Sprint("note ", r.IntN(3)))
	case 3:
		if p.Kind == OfValue {
			sh.Clear(p)
		}
	case 4:
		if p.Kind == OfValue {
			_ = sh.Type(p, []string{"3", "codlin", "3 April 2031", "12 kg", "yes"}[r.IntN(5)])
		}
	case 5:
		if offers := sh.Offers(p.Path, ""); p.Kind == OfValue && len(offers) > 0 {
			o := offers[r.IntN(len(offers))]
			_ = sh.Take(p, o.Start, o.End)
		}
	case 6:
		_, _ = sh.Add(p.Path)
	case 7:
		_ = sh.Remove(p.Path)
	case 8:
		_, _ = sh.Shift(p.Path, 1-2*r.IntN(2))
	case 9:
		_, _ = sh.Split(p.Path)
	case 10:
		_, _ = sh.Merge(p.Path)
	case 11:
		sh.AcceptQuoted(0.5)
	case 12:
		if p.Kind == OfValue && sh.Record.At(p.Path) != nil {
			sh.Move(p, 0, 5)
		}
	}
}

// Items keep their verdicts, notes and places when others come, go or move.
func TestDecisionsGoWithTheirItems(t *testing.T) {
	sh := sheet(t)
	sh.Accept(at("/rows/1/sort"))
	sh.Note(at("/rows/1/sort"), "old name")
	was := sh.Places["/rows/1/sort"]
	first, err := sh.Shift("/rows/1/sort", -1)
	require.NoError(t, err)
	assert.Equal(t, value.Pointer("/rows/0"), first)
	assert.Equal(t, []any{Right, "old name", was}, []any{sh.Verdict(at("/rows/0/sort")), sh.Notes["/rows/0/sort"], sh.Places["/rows/0/sort"]})
	assert.Empty(t, sh.Verdict(at("/rows/1/sort")))
	require.NoError(t, sh.Remove("/rows/0/number"))
	assert.Empty(t, sh.Made)
	assert.Empty(t, sh.Notes)
	assert.Len(t, sh.Record.Get("rows").Kids, 1)
	_, err = sh.Merge("/rows/0/number")
	assert.ErrorContains(t, err, "no item behind it")
	_, err = sh.Add("/ref")
	assert.ErrorContains(t, err, "in no list")
}

// A field that the schema has not is something to decide: it can be removed.
func TestFieldsOfNoSchema(t *testing.T) {
	sh := sheet(t)
	rec := with(sh.Record, []string{"colour"}, value.Str("green"))
	sh = NewSheet(sh.Schema, sh.check, &Kept{Document: "sheet.txt", Record: rec}, sh.Source)
	extra := Point{Kind: OfItem, Path: "/colour"}
	require.Contains(t, sh.Points(), extra)
	assert.NotEmpty(t, sh.Said(extra))
	require.NoError(t, sh.Remove("/colour"))
	assert.NotContains(t, sh.Points(), extra)
	assert.Nil(t, sh.Record.Get("colour"))
	_, ok := sh.Undo()
	require.True(t, ok)
	assert.Equal(t, "green", sh.Record.Get("colour").Text)
}

// What two items say differently stays the first's and is decided again.
func TestMergedItemsAreLookedAtAgain(t *testing.T) {
	sh := sheet(t)
	for _, p := range sh.Points() {
		sh.Accept(p)
	}
	_, err := sh.Merge("/rows/0/number")
	require.NoError(t, err)
	assert.Equal(t, `{"number":1,"sort":"russet","weight":{"amount":120,"unit":"kg"},"pests":[{"what":"aphids","trees":7}]}`, sh.Record.At("/rows/0").Named("").String())
	assert.Equal(t, []Verdict{"", "", Right}, []Verdict{sh.Verdict(at("/rows/0/number")), sh.Verdict(at("/rows/0/sort")), sh.Verdict(at("/rows/0/weight"))})
}

// Only what stands there letter for letter, and nothing speaks against, is accepted at
// once; what was decided stays.
func TestAcceptedUnseen(t *testing.T) {
	sh := sheet(t)
	sh.Decide(at("/ref"), Unsure)
	sh.Risk = map[value.Pointer]float64{"/rows/1/number": 0.4}
	sh.AcceptQuoted(0.1)
	assert.Equal(t, Unsure, sh.Verdict(at("/ref")))
	assert.Equal(t, Unseen, sh.Verdict(at("/rows/1/sort")))
	assert.Empty(t, sh.Verdict(at("/rows/1/number")), "its risk is too high")
	assert.Empty(t, sh.Verdict(at("/picked")), "restated, not quoted")
	assert.Empty(t, sh.Verdict(at("/rows/0/pests/0/trees")), "stands nowhere")
	sh.AcceptItem("/rows/0")
	assert.Equal(t, Unseen, sh.Verdict(at("/rows/0/weight")))
	assert.Empty(t, sh.Verdict(at("/rows/0/pests/0/trees")))
	sh.Accept(at("/rows/0/weight"))
	assert.Equal(t, Right, sh.Verdict(at("/rows/0/weight")), "looked at later it is seen")
}

// The interval of a sample holds the accuracy of all values in 95 of 100 samples at
// least, whatever part is wrong and wherever the errors are.
func TestSampleHolds(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5))
	for _, wrong := range []float64{0, 0.01, 0.1, 0.4, 1} {
		for _, sorted := range []bool{true, false} {
			const values, draws = 2000, 300
			isWrong := make([]bool, values)
			for i := range isWrong {
				isWrong[i] = float64(i) < wrong*values
			}
			if !sorted {
				r.Shuffle(values, func(i, j int) { isWrong[i], isWrong[j] = isWrong[j], isWrong[i] })
			}
			missed := 0
			for range draws {
				s := newSample(values, 80)
				for _, i := range s.pick(r) {
					verdict := Right
					if isWrong[i] {
						verdict = Changed
					}
					s.saw(s.partOf(i), verdict)
				}
				if e := s.estimate(); 1-wrong < e.Low-1e-9 || 1-wrong > e.High+1e-9 {
					missed++
				}
			}
			assert.LessOrEqual(t, missed, draws*6/100, "%g wrong, sorted %v", wrong, sorted)
		}
	}
}

// A row that is asked about waits for a decision when the record is laid out, also where some of what stands
// in it was read; what is then taken from it decides it.
func TestRowsWaitAtFirst(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  cheeses: {list: Cheeses., fields: {name: {text: Name.}, pieces: {integer: Pieces.}, mass: {number: Mass.}}}\n"))
	require.NoError(t, err)
	check, err := record.NewValidator(s)
	require.NoError(t, err)
	doc, err := document.Parse("card.txt", []byte("| Cheese | Pcs | Each | Weight |\n|---|---|---|---|\n| White | 28 | 2.1 | 58.8 |\n| Blue | 6 | 3.4 | 20.4 |\n| Butter | 14 | 0.25 | 3.5 |\n"))
	require.NoError(t, err)
	rec, err := value.Parse(`{"cheeses":[{"name":"White","pieces":28,"mass":58.8},{"name":"Blue","pieces":99,"mass":7.7},{"name":"Butter","pieces":14,"mass":3.5}]}`)
	require.NoError(t, err)
	sh := NewSheet(s, check, &Kept{Document: "card.txt", Record: rec, Hashes: record.Hashes{Text: doc.Hash}}, doc)
	row := Point{Kind: OfLine, Line: 4}
	assert.Contains(t, sh.Points(), row)
	assert.True(t, sh.Waits(row))
	start, end := words(t, sh, "20.4")
	require.NoError(t, sh.Take(at("/cheeses/1/mass"), start, end))
	assert.Equal(t, Taken, sh.Verdict(row))
}
