package improve

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/measure/score"
	"filler/internal/record"
	"filler/internal/schema"
	"filler/internal/source/document"
)

const notes = `schema: notes
fields:
  number: {text: Number of the note., printed_as: [No]}
  bridge: {text: Name of the footbridge., printed_as: [Bridge]}
  river: {text: The water below., printed_as: [River]}
  deck: {choice: What the deck is of., of: [timber, steel], printed_as: [Deck]}
  grade: {integer: Its grade., printed_as: [Grade]}
  seen: {date: Day of the visit., printed_as: [Seen]}
  keeper: {text: Who keeps the key., printed_as: [Keeper]}
  more: {group: What else is said., fields: {of: {choice: Of what., of: [moss, rust]}, words: The words., on: {date: The day.}, sum: {number: A sum.}}}
`

// world is documents whose records are known, and a model whose errors are functions of what
// the schema says. It reads documents, never gold.
type world struct {
	seed  uint64
	noise float64 // how often a value is lost by chance
	blind bool    // it doesn't know the label of the bridge, nor words for decks, nor how days are written, and takes bridges for rivers
	bait  bool    // documents of the tune split print a bridge behind another label than those of the test split
	set   gold.Set
	docs  map[string]*document.Document
	calls int
	most  int // calls it answers; 0: all
}

var (
	bridges = []string{"Heron Plank", "Otter Steps", "Mill Plank", "Weir Walk", "Alder Span", "Moss Crossing", "Tanner Step"}
	rivers  = []string{"Lirr", "Ossel", "Brade", "Wend"}
	keepers = []string{"Ada Brook", "Finn Larch", "Mara Sedge", "Otto Reed"}
)

func (w *world) make(t *testing.T, tune, test int) {
	s, err := schema.Parse("notes.yaml", []byte(notes))
	require.NoError(t, err)
	rng := rand.New(rand.NewPCG(w.seed, 1))
	w.set, w.docs = gold.Set{}, map[string]*document.Document{}
	for i := range tune + test {
		id, split := fmt.Sprintf("d%03d.txt", i), gold.Tune
		if i >= tune {
			split = gold.Test
		}
		if test == 0 {
			split = ""
		}
		bridge, river, timber, day := bridges[rng.IntN(len(bridges))], rivers[rng.IntN(len(rivers))], rng.IntN(2) == 0, 1+rng.IntN(12)
		deck, planks := "steel", "girders"
		if timber {
			deck, planks = "timber", "planking"
		}
		label := "Bridge"
		if w.blind || w.bait && split == gold.Tune {
			label = "Structure"
		}
		if !w.blind {
			planks = deck
		}
		date := fmt.Sprintf("2031-04-%02d", day)
		printed := date
		if w.blind {
			printed = fmt.Sprintf("%02d/04/2031", day)
		}
		keeper := keepers[rng.IntN(len(keepers))]
		text := fmt.Sprintf("No: FB-%03d%d\n%s: %s\nRiver: %s\nDeck: %s\nGrade: %d\nSeen: %s\nKeeper: %s\n", i, rng.IntN(10), label, bridge, river, planks, i%4, printed, keeper)
		for j := range 12 { // its own words, so that no two are nearly the same
			text += fmt.Sprintf("word%d%d ", rng.IntN(1000), j)
		}
		doc, err := (&document.Reader{}).Read(t.Context(), document.Source{ID: id, Text: text + "\n"})
		require.NoError(t, err)
		w.docs[id] = doc
		number := strings.TrimPrefix(strings.SplitN(text, "\n", 2)[0], "No: ")
		rec := value.Obj()
		for name, v := range map[string]string{"number": number, "bridge": bridge, "river": river, "deck": deck, "seen": date, "keeper": keeper} {
			rec.Set(name, value.Str(v))
		}
		rec.Set("grade", value.Num(fmt.Sprint(i%4)))
		rec = inOrder(s, rec)
		if i%9 == 4 { // a record need not have what is null
			rec.Drop("more")
		}
		w.set[id] = &gold.Record{Document: id, State: gold.Reviewed, Split: split, Record: rec, Hashes: record.Hashes{Text: doc.Hash}}
	}
}

func inOrder(s *schema.Schema, rec value.Value) value.Value {
	out := value.Obj()
	for _, f := range s.Root.Fields {
		v := rec.Get(f.Name)
		if v == nil {
			v = &value.Value{}
		}
		out.Set(f.Name, v.Named(f.Name))
	}
	return out
}

// fill is the model: it finds what stands behind a label that it knows.
func (w *world) fill(s *schema.Schema, id string, salt string) record.Line {
	text := w.docs[id].Text
	rec := value.Obj()
	behind := func(f *schema.Field) string {
		for _, name := range append([]string{schema.Spoken(f.Name)}, f.PrintedAs...) {
			for _, line := range strings.Split(text, "\n") {
				if head, rest, ok := strings.Cut(line, ": "); ok && strings.EqualFold(head, name) {
					return rest
				}
			}
		}
		return ""
	}
	for _, f := range s.Root.Fields {
		got := behind(f)
		switch {
		case f.Name == "river" && w.blind && len(f.Avoid) == 0 && hash(id)%2 == 0: // two fields alike are swapped
			got = behind(&schema.Field{Name: "structure"})
		case f.Type == schema.Choice && got != "" && !slices.ContainsFunc(f.Of, func(o schema.Option) bool { return o.Value == got || slices.Contains(o.Also, got) }):
			got = ""
		case f.Type == schema.Choice:
			for _, o := range f.Of {
				if slices.Contains(o.Also, got) {
					got = o.Value
				}
			}
		case f.Type == schema.Date && strings.Contains(got, "/"):
			if day, ok := f.ReadDate(got); ok {
				got = day
			} else { // an undeclared format is misread
				got = "2031-" + got[:2] + "-04"
			}
		}
		if rand.New(rand.NewPCG(w.seed, hash(id+f.Name+salt))).Float64() < w.noise {
			got = ""
		}
		switch {
		case got == "":
			rec.Set(f.Name, value.Value{})
		case f.Type == schema.Integer:
			rec.Set(f.Name, value.Num(got))
		default:
			rec.Set(f.Name, value.Str(got))
		}
	}
	return record.Line{Document: id, Status: record.Unflagged, Record: inOrder(s, rec), Hashes: record.Hashes{Text: w.docs[id].Hash}}
}

func (w *world) Fill(_ context.Context, t Trial) (Records, Cost, error) {
	out := Records{}
	of := *w
	salt := string(t.Schema.Source) + fmt.Sprint(t.Spaced, t.Settings)
	for _, one := range t.Settings {
		of.noise = map[string]float64{"exact": 0, "poor": 0.5, "other": w.noise}[one.Value]
	}
	for _, id := range t.Documents {
		if w.calls++; w.most > 0 && w.calls > w.most {
			return nil, costOf(len(out)), ErrBudget // what was answered until then is paid
		}
		out[id] = of.fill(t.Schema, id, salt)
	}
	return out, costOf(len(out)), nil
}

func costOf(n int) Cost {
	return Cost{Documents: n, Requests: n, Nano: int64(n), WorthNano: int64(n)}
}

// setup makes what is to be improved: the run whose errors are looked at is another draw.
func (w *world) setup(t *testing.T) Setup {
	s, err := schema.Parse("notes.yaml", []byte(notes))
	require.NoError(t, err)
	base := Records{}
	for id := range w.docs {
		base[id] = w.fill(s, id, "run")
	}
	return Setup{Schema: s, Gold: w.set, Base: base, Asker: w, Seed: w.seed, Source: func(id string) (*document.Document, error) { return w.docs[id], nil }}
}

func (w *world) improve(t *testing.T) *Result {
	got, err := Run(t.Context(), w.setup(t))
	require.NoError(t, err)
	return got
}

func kept(r *Result) (list []string) {
	for _, c := range r.Candidates {
		if c.State == Kept || c.State == Together {
			list = append(list, c.Field+" "+c.String())
		}
	}
	slices.Sort(list)
	return list
}

const seeds = 50

// Every planted weakness is found and put right, and nothing harmful is kept.
func TestPlantedWeaknessesArePutRight(t *testing.T) {
	if testing.Short() {
		t.Skip("left out of short runs; `make long` runs it")
	}
	planted := []string{"bridge printed_as: [Bridge, Structure]", "deck of: {steel: {also: [girders]}}", "deck of: {timber: {also: [planking]}}", "river avoid: [bridge]", "seen written: [D/M/YYYY]"}
	for seed := range uint64(seeds) {
		w := &world{seed: seed, noise: 0.01, blind: true}
		w.make(t, 40, 30)
		got := w.improve(t)
		for _, p := range planted {
			assert.Contains(t, kept(got), p, "seed %d", seed)
		}
		require.NotNil(t, got.OnTest, "seed %d", seed)
		assert.Greater(t, got.OnTest.By, 0.2)
		assert.Less(t, got.OnTest.P, 0.05)
		assert.GreaterOrEqual(t, got.OnTest.B.F1().Value, 0.95, "seed %d: %v", seed, kept(got))
		assert.Empty(t, got.Near)
	}
}

// With nothing to find a change is kept in one of twenty runs at most, though many values are
// lost by chance.
func TestNothingToFindNothingKept(t *testing.T) {
	if testing.Short() {
		t.Skip("left out of short runs; `make long` runs it")
	}
	runs, tried := 0, 0
	for seed := range uint64(seeds) {
		w := &world{seed: 1000 + seed, noise: 0.15}
		w.make(t, 40, 10)
		got := w.improve(t)
		tried += len(got.Candidates)
		if list := kept(got); len(list) > 0 {
			runs++
			t.Logf("seed %d keeps %v (%+.3f on the test split)", seed, list, got.OnTest.By)
		} else {
			assert.Nil(t, got.OnTest, "the test split is not looked at for nothing")
			assert.Nil(t, got.Schema)
		}
	}
	assert.LessOrEqual(t, runs, seeds/20)
	assert.Greater(t, tried, seeds, "there was something to be taken in by")
}

// What helps exactly the tune documents is named by the figure on the test split.
func TestOverfitBaitIsNamed(t *testing.T) {
	for seed := range uint64(10) {
		w := &world{seed: seed, bait: true}
		w.make(t, 30, 20)
		got := w.improve(t)
		assert.Contains(t, kept(got), "bridge printed_as: [Bridge, Structure]")
		assert.Greater(t, got.OnTune.By, 0.05)
		require.NotNil(t, got.OnTest)
		assert.Zero(t, got.OnTest.By, "seed %d", seed)
		assert.Equal(t, 1.0, got.OnTest.P)
	}
}

// Without a test split the figure comes from documents outside of those that chose.
func TestCrossFitted(t *testing.T) {
	w := &world{seed: 3, noise: 0.02, blind: true}
	w.make(t, 40, 0)
	got := w.improve(t)
	assert.Nil(t, got.OnTest)
	require.NotNil(t, got.Crossed)
	assert.Greater(t, got.Crossed.By, 0.2)
	require.Len(t, got.Folds, score.Folds)
	n := 0
	for _, f := range got.Folds {
		n += f.Documents
		assert.NotEmpty(t, f.Kept)
	}
	assert.Equal(t, 40, n)
}

func TestTooLittleGold(t *testing.T) {
	w := &world{blind: true}
	w.make(t, 5, 5)
	_, err := Run(t.Context(), w.setup(t))
	var few *TooLittle
	require.ErrorAs(t, err, &few)
	assert.Equal(t, 5, few.Have)
	assert.Equal(t, 6, few.Need)
	// The first p that can hold among m changes: 2 · 2^-n · m < 0.05.
	for _, m := range []int{1, 2, 3, 8, 9, 100} {
		n := needed(m)
		assert.Less(t, 2*float64(m)/float64(int(1)<<n), Level)
		assert.GreaterOrEqual(t, 2*float64(m)/float64(int(1)<<(n-1)), Level)
	}
}

// At the budget nothing is claimed; what was tried and judged stays, and all that was paid counts,
// wherever the trials end.
func TestBudgetEndsTheTrials(t *testing.T) {
	for _, most := range []int{1, 39, 45, 90, 250, 300} {
		w := &world{seed: 3, blind: true, most: most}
		w.make(t, 40, 30)
		got := w.improve(t)
		require.True(t, got.Budget)
		assert.Equal(t, costOf(most).Nano, got.Cost.Nano)
		assert.Equal(t, most, got.Cost.Requests)
	}
	w := &world{seed: 3, blind: true, most: 70}
	w.make(t, 40, 30)
	got := w.improve(t)
	assert.True(t, got.Budget)
	assert.Nil(t, got.Schema)
	for _, c := range got.Candidates {
		assert.Contains(t, []State{Untried, Dropped}, c.State, c.String())
	}
}

// What documents have in a sensitive field is in nothing that is told, tried or not.
func TestSensitiveFieldsAreNotTold(t *testing.T) {
	w := &world{seed: 3, blind: true}
	w.make(t, 40, 30)
	s := w.setup(t)
	hidden := strings.NewReplacer("printed_as: [Deck]", "printed_as: [Deck], sensitive: true", "printed_as: [Bridge]", "printed_as: [Bridge], sensitive: true")
	var err error
	s.Schema, err = schema.Parse("notes.yaml", []byte(hidden.Replace(notes)))
	require.NoError(t, err)
	plan, err := PlanOf(s)
	require.NoError(t, err)
	got, err := Run(t.Context(), s)
	require.NoError(t, err)
	for _, told := range []value.Value{plan.JSON(), got.JSON()} {
		text := string(told.JSON())

		for _, word := range append([]string{"planking", "girders"}, bridges...) {
			assert.NotContains(t, text, word)
		}
		assert.Contains(t, text, "values of a sensitive field")
		assert.Contains(t, text, "Structure", "a label is no value")
	}
}

// Words of a test document don't go into a schema.
func TestTestDocumentsAreNotQuoted(t *testing.T) {
	w := &world{seed: 3, blind: true}
	w.make(t, 40, 30)
	test := w.docs["d055.txt"].Text
	words := strings.Fields(strings.Split(test, "\n")[7])
	s := w.setup(t)
	s.Most = 20
	s.More = func(context.Context, *Race) ([]Candidate, error) {
		return []Candidate{
			{Edit: schema.Edit{Field: "keeper", Key: []string{"text"}, Write: schema.Quote("Who has it, as in " + strings.Join(words[:5], " "))}, By: "helper"},
			{Edit: schema.Edit{Field: "number", Key: []string{"avoid"}, Write: schema.QuoteList([]string{w.set["d055.txt"].Record.Get("number").Text})}, By: "helper"},
			{Edit: schema.Edit{Field: "keeper", Key: []string{"text"}, Write: "The person who has the key."}, By: "helper"},
			{Edit: schema.Edit{Field: "keeper", Key: []string{"min"}, Write: "{"}, By: "helper"},
		}, nil
	}
	got, err := Run(t.Context(), s)
	require.NoError(t, err)
	var refused []string
	for _, c := range got.Candidates {
		if c.State == Refused {
			refused = append(refused, c.Note)
		}
	}
	require.Len(t, refused, 3)
	assert.Contains(t, refused[0], "it quotes a test document")
	assert.Contains(t, refused[1], "it quotes a test document")
	assert.NotContains(t, refused[2], "quotes")
}

// Seeds and the order of documents change nothing but which documents a sample has.
func TestSeedsDoNotMatterBeyondChance(t *testing.T) {
	var first []string
	for seed := range uint64(6) {
		w := &world{seed: 7, noise: 0.02, blind: true}
		w.make(t, 40, 20)
		s := w.setup(t)
		s.Seed = seed
		got, err := Run(t.Context(), s)
		require.NoError(t, err)
		if first == nil {
			first = kept(got)
		}
		assert.Equal(t, first, kept(got))
	}
}

func TestMerged(t *testing.T) {
	edit := func(field, key, write string) schema.Edit {
		return schema.Edit{Field: field, Key: []string{key}, Write: write}
	}
	assert.Equal(t, []schema.Edit{edit("a", "printed_as", "[A, B, C]"), edit("b", "min", "0"), edit("a", "examples", "[{text: x, gives: 1}, {text: y, gives: 2}]")},
		merged([]schema.Edit{edit("a", "printed_as", "[A, B]"), edit("b", "min", "0"), edit("a", "printed_as", "[A, C]"), edit("b", "min", "1"), edit("a", "examples", "[{text: x, gives: 1}]"), edit("a", "examples", "[{text: y, gives: 2}]")}))
}

// What is kept in a file is accepted later: the same edits, with remarks; not where the schema is
// another by then.
func TestAccepting(t *testing.T) {
	w := &world{seed: 7, blind: true}
	w.make(t, 40, 20)
	s := w.setup(t)
	got, err := Run(t.Context(), s)
	require.NoError(t, err)
	file := t.TempDir() + "/kept/improve.json"
	_, err = Load(file, s.Schema)
	require.ErrorIs(t, err, ErrNone)
	require.NoError(t, got.Keep(file, s.Schema))
	all, err := Load(file, s.Schema)
	require.NoError(t, err)
	require.Len(t, all, len(got.Candidates))
	direct, err := With(s.Schema, got.Candidates, Numbers(got.Candidates))
	require.NoError(t, err)
	later, err := With(s.Schema, all, Numbers(all))
	require.NoError(t, err)
	assert.Equal(t, string(direct.Source), string(later.Source))
	assert.Contains(t, string(later.Source), "  # stands before gold's value on 40 lines; 40 values fixed, 0 broken on 40 documents (p < 0.001), 40 requests, cost 4e-08\n  bridge: {text: Name of the footbridge., printed_as: [Bridge, Structure]}\n")
	assert.NotEmpty(t, Diff(s.Schema, later))
	assert.Nil(t, Diff(s.Schema, s.Schema))
	_, err = With(s.Schema, all, []int{99})
	require.Error(t, err)
	_, err = Load(file, later)
	require.ErrorIs(t, err, ErrOther)
}

// Settings: the better one is kept, the worse one dropped, a cheaper one that is not told apart is
// said to be that.
func TestSettingsAreRaced(t *testing.T) {
	wrong := 0
	for seed := range uint64(20) {
		w := &world{seed: seed, noise: 0.15}
		w.make(t, 40, 20)
		got, err := Over(t.Context(), w.setup(t), []Setting{{OverModel, "exact"}, {OverModel, "poor"}, {OverStyle, "other"}})
		require.NoError(t, err)
		assert.Equal(t, []Setting{{OverModel, "exact"}}, got.Together, "seed %d", seed)
		assert.Equal(t, Kept, got.Options[0].State)
		assert.Equal(t, Dropped, got.Options[1].State)
		if got.Options[2].State == Kept {
			wrong++
		}
		require.NotNil(t, got.OnTest)
		assert.Greater(t, got.OnTest.By, 0.05)
		assert.Contains(t, got.JSON().String(), `"together":["use: exact"]`)
	}
	assert.LessOrEqual(t, wrong, 1)

	w := &world{seed: 1}
	w.make(t, 6, 3)
	_, err := Over(t.Context(), w.setup(t), []Setting{{OverStyle, "a"}, {OverStyle, "b"}, {OverStyle, "c"}, {OverStyle, "d"}})
	var few *TooLittle
	require.ErrorAs(t, err, &few)
}

// What a model proposes becomes changes; what it says twice, or of nothing, does not; what only a
// person can do is advice. It is shown no sensitive field and no test document.
func TestProposals(t *testing.T) {
	w := &world{seed: 5, blind: true}
	w.make(t, 30, 20)
	s := w.setup(t)
	p := &proposer{}
	s.More = func(ctx context.Context, r *Race) ([]Candidate, error) { return r.Proposed(ctx, p, "large", 4) }
	got, err := Run(t.Context(), s)
	require.NoError(t, err)
	require.Len(t, p.sheets, mostAsked)
	for _, sheet := range p.sheets {
		assert.Contains(t, sheet.Text, "The other fields of the record:")
		for i := 30; i < 50; i++ {
			number := w.set[fmt.Sprintf("d%03d.txt", i)].Record.Get("number").Text
			assert.NotContains(t, sheet.Text, number)
		}
	}
	var by []string
	for _, c := range got.Candidates {
		if c.By == "large" {
			by = append(by, c.Field+" "+c.String())
		}
	}
	assert.ElementsMatch(t, []string{`bridge text: "The bridge, behind the word Structure: not the river."`, "bridge printed_as: [Bridge, Crossing]"}, by)
	assert.Equal(t, []Advice{{"bridge", "Split it.", "large"}}, got.Advice)
	for n := 1; n < 9; n++ {
		require.NotNil(t, Proposals(n))
	}
}

type proposer struct{ sheets []Sheet }

func (p *proposer) Propose(_ context.Context, sheets []Sheet, _ int) ([]value.Value, Cost, error) {
	p.sheets = sheets
	out := make([]value.Value, len(sheets))
	for i, s := range sheets {
		if s.Field == "bridge" {
			out[i], _ = value.Parse(`{"changes":[{"key":"description","text":"The bridge, behind the word Structure: not the river."},{"key":"printed_as","words":["Crossing","Bridge"]},
				{"key":"split","text":"Split it."},{"key":"printed_as","words":["Bridge"]},{"key":"avoid","words":["beyond the most"]}]}`)
		}
	}
	return out, Cost{Requests: len(sheets)}, nil
}

// A run without documents of the test split leaves the figure open; it is not cross-fitted, since
// the gold set has a test split.
func TestARunOfTheTuneSplitAlone(t *testing.T) {
	w := &world{seed: 7, blind: true}
	w.make(t, 30, 10)
	s := w.setup(t)
	for id, g := range w.set {
		if g.Split == gold.Test {
			delete(s.Base, id)
		}
	}
	got, err := Run(t.Context(), s)
	require.NoError(t, err)
	assert.NotEmpty(t, kept(got))
	assert.Nil(t, got.OnTest)
	assert.Nil(t, got.Crossed)
	assert.Zero(t, got.Test)
}
