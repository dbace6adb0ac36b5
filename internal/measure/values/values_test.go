package values

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/shopspring/decimal"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

const hives = `schema: hives
about: A walk past the hives of an apiary.
fields:
  walked: {date: Day., precision: month}
  rain: {boolean: Whether it rained.}
  keeper: Who walked.
  hives:
    list: Hives.
    fields:
      number: {integer: Number.}
      wood: {choice: Wood., of: [pine, cedar]}
      honey: {quantity: Honey.}
      frames:
        list: Frames.
        fields:
          state: {choice: State., of: [sealed, open]}
  bills:
    list: Bills.
    fields:
      sum: {money: Sum.}
`

func parsed(t *testing.T) *schema.Schema {
	t.Helper()
	s, err := schema.Parse("s.yaml", []byte(hives))
	require.NoError(t, err)
	return s
}

// Drawn at random, records are counted by a plain walk of their own text.
type walk struct {
	day    string // "" is unknown
	rain   string
	keeper string
	hives  []hive
	bills  [][2]string
}

type hive struct {
	wood, amount, unit string
	frames             []string
}

func drawn(r *rand.Rand) (w walk) {
	pick := func(all ...string) string { return all[r.IntN(len(all))] }
	w = walk{day: pick("", "2031-03-04", "2031-05-30", "2031-05"), rain: pick("", "true", "false"), keeper: pick("", "Ada", "Bo", "Cy")}
	for range r.IntN(4) {
		h := hive{wood: pick("", "pine", "cedar"), amount: pick("", "0.1", "0.2", "12", "3.3"), unit: pick("kg", "kg", "l")}
		for range r.IntN(3) {
			h.frames = append(h.frames, pick("", "sealed", "open"))
		}
		w.hives = append(w.hives, h)
	}
	for range r.IntN(3) {
		w.bills = append(w.bills, [2]string{pick("0.10", "0.20", "1250.5"), pick("EUR", "GBP")})
	}
	return w
}

func orNull(text string) value.Value {
	if text == "" {
		return value.Value{}
	}
	return value.Str(text)
}

func (w *walk) line(n int) *record.Line {
	rec := value.Obj(orNull(w.day).Named("walked"), orNull(w.keeper).Named("keeper"))
	rec.Set("rain", value.Value{})
	if w.rain != "" {
		rec.Set("rain", value.Boolean(w.rain == "true"))
	}
	list := value.List()
	for _, h := range w.hives {
		frames := value.List()
		for _, f := range h.frames {
			frames.Kids = append(frames.Kids, value.Obj(orNull(f).Named("state")))
		}
		honey := value.Value{}
		if h.amount != "" {
			honey = value.Obj(value.Num(h.amount).Named("amount"), value.Str(h.unit).Named("unit"))
		}
		list.Kids = append(list.Kids, value.Obj(orNull(h.wood).Named("wood"), honey.Named("honey"), frames.Named("frames")))
	}
	bills := value.List()
	for _, b := range w.bills {
		bills.Kids = append(bills.Kids, value.Obj(value.Obj(value.Num(b[0]).Named("amount"), value.Str(b[1]).Named("currency")).Named("sum")))
	}
	rec.Set("hives", list)
	rec.Set("bills", bills)
	return &record.Line{Document: fmt.Sprintf("d%d", n), Status: record.Unflagged, Record: rec}
}

func asked(t *testing.T, all []walk, a Ask) *Result {
	t.Helper()
	tally, err := NewTally(parsed(t), a, func(id string) map[string]string { return map[string]string{"yard": string(id[len(id)-1])} })
	require.NoError(t, err)
	for i := range all {
		tally.Add(all[i].line(i))
	}
	r, err := tally.Result()
	require.NoError(t, err)
	return r
}

func word(text, none string) string {
	if text == "" {
		return none
	}
	return text
}

// What is told equals what a plain count of the same records says; nothing is lost.
func TestAgainstAPlainCount(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	for range 60 {
		var all []walk
		for range 1 + r.IntN(30) {
			all = append(all, drawn(r))
		}
		counts, pairs, yes, known, sums := map[string]int{}, map[string]int{}, map[string]int{}, map[string]int{}, map[string]decimal.Decimal{}
		honey := 0
		for _, w := range all {
			month := Unknown
			if w.day != "" {
				month = w.day[:7]
			}
			if w.rain != "" {
				known[month]++
				if w.rain == "true" {
					yes[month]++
				}
			}
			for _, h := range w.hives {
				counts[word(h.wood, Unknown)]++
				honey++
				if len(h.frames) == 0 {
					pairs[word(h.wood, Unknown)+" "+None]++
				}
				for _, f := range h.frames {
					pairs[word(h.wood, Unknown)+" "+word(f, Unknown)]++
				}
			}
			for _, b := range w.bills {
				sums[b[1]] = sums[b[1]].Add(decimal.RequireFromString(b[0]))
			}
		}
		got := map[string]int{}
		woods := asked(t, all, Ask{Field: "hives[].wood"})
		for _, row := range woods.Rows {
			got[row.Label] = int(row.Value)
		}
		assert.Equal(t, counts, got)
		assert.Equal(t, honey, woods.Values+woods.Unknown)

		got = map[string]int{}
		table := asked(t, all, Ask{Field: "hives[].wood", With: "hives[].frames[].state"})
		for i, row := range table.Rows {
			for j, n := range table.Cells[i] {
				if n > 0 {
					got[row.Label+" "+table.Columns[j]] = n
				}
			}
		}
		assert.Equal(t, pairs, got)

		for _, row := range asked(t, all, Ask{Field: "rain", Over: "walked"}).Rows {
			assert.Equal(t, known[row.Label], row.N, row.Label)
			if row.N > 0 {
				assert.InDelta(t, float64(yes[row.Label])/float64(row.N), row.Value, 1e-12)
				assert.True(t, row.Low <= row.Value && row.Value <= row.High && row.High > row.Low, row)
			}
		}

		for _, row := range asked(t, all, Ask{Field: "bills[].sum.amount", Sum: true}).Rows {
			currency := row.Series
			if currency == "" {
				for c := range sums {
					currency = c
				}
			}
			assert.Equal(t, sums[currency].String(), row.Exact, "sums are exact, and no currency is added to another")
		}

		total := 0
		for _, row := range asked(t, all, Ask{Field: "hives[].honey"}).Rows {
			total += row.N
		}
		assert.Equal(t, honey, total, "every figure is in one bin, or unknown")

		slices := 0
		for _, row := range asked(t, all, Ask{Field: "hives[].honey", Slice: "hives[].wood"}).Rows {
			slices += row.N + row.Unknown
			if s := row.Spread; s != nil {
				assert.True(t, s.Least <= s.Lower && s.Lower <= s.Middle && s.Middle <= s.Upper && s.Upper <= s.Most)
			}
		}
		assert.Equal(t, honey, slices)
	}
}

// Steps of time follow each other without a gap: the first day of each falls into it, the
// day before into the one before.
func TestStepsOfTime(t *testing.T) {
	for _, unit := range Units {
		day := time.Date(2027, 12, 20, 0, 0, 0, 0, time.UTC)
		for range 900 {
			step := stepAt(day, unit)
			first, ok := startOf(step, unit)
			require.True(t, ok, step)
			assert.Equal(t, step, stepAt(first, unit))
			assert.NotEqual(t, step, stepAt(first.AddDate(0, 0, -1), unit), "%s is the first day of %s", first, step)
			next := after(first, unit)
			assert.Equal(t, step, stepAt(next.AddDate(0, 0, -1), unit))
			assert.Less(t, step, stepAt(next, unit), "their names are in the order of time")
			day = day.AddDate(0, 0, 1)
		}
	}
	assert.Equal(t, []string{"2030-11", "2030-12", "2031-01", Unknown}, filled(map[string]bool{"2031-01": true, Unknown: true, "2030-11": true}, "month"))
}

// What can't be set beside each other is refused, with what to do.
func TestWhatDoesNotGoTogether(t *testing.T) {
	s := parsed(t)
	for _, c := range []struct {
		ask  Ask
		says string
	}{
		{Ask{Field: "hives[].wod"}, `did you mean "hives[].wood"?`},
		{Ask{Field: "hives[].wood", Slice: "bills[].sum"}, "another list"},
		{Ask{Field: "hives[].wood", With: "bills[].sum"}, "another list"},
		{Ask{Field: "hives[].wood", Slice: "hives[].frames[].state"}, "`--with`"},
		{Ask{Field: "rain", Over: "keeper"}, "not a date"},
		{Ask{Field: "rain", Over: "walked:decade"}, "day, week, month, quarter, year"},
		{Ask{Field: "keeper", Sum: true}, "is a text"},
		{Ask{Field: "keeper", Slice: "rain", Metadata: "yard"}, "use one of the two"},
		{Ask{Field: "keeper", With: "keeper"}, "the same field"},
		{Ask{Field: "keeper", With: "rain", Over: "walked"}, "goes with none"},
	} {
		_, err := NewTally(s, c.ask, nil)
		assert.ErrorContains(t, err, c.says, "%+v", c.ask)
	}
	vague := []walk{{day: "2031-05", rain: "true"}, {day: "2031-05-02", rain: "true"}}
	r := asked(t, vague, Ask{Field: "rain", Over: "walked:day"})
	assert.Contains(t, r.Notes, "1 date says less than the day")
	assert.Equal(t, Unknown, r.Rows[len(r.Rows)-1].Label)
	failed, err := NewTally(s, Ask{Field: "rain"}, nil)
	require.NoError(t, err)
	failed.Add(&record.Line{Document: "x", Status: record.Failed})
	got, err := failed.Result()
	require.NoError(t, err)
	assert.Equal(t, []string{"1 document has no record"}, got.Notes)
}

// The values of a map are set apart by their names, unless something else sets them apart; a record
// without the map is unknown.
func TestValuesOfMaps(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  wood: Wood.\n  swept: {date: Day.}\n  honey: {map: Honey by hive., values: {quantity: How much., unit: kg}}\n  mood: {map: Mood by hive., values: {text: Mood.}}\n"))
	require.NoError(t, err)
	tell := func(a Ask) *Result {
		tally, err := NewTally(s, a, nil)
		require.NoError(t, err)
		for _, text := range []string{
			`{"wood":"pine","swept":"2031-05-03","honey":{"north":{"amount":2,"unit":"kg"},"south":{"amount":5,"unit":"kg"}},"mood":{"north":"calm"}}`,
			`{"wood":"cedar","swept":"2031-06-03","honey":{"north":{"amount":4,"unit":"kg"}},"mood":{"north":"calm","south":"fierce"}}`,
			`{"wood":"pine","swept":"2031-06-04","honey":null,"mood":null}`} {
			rec, err := value.Parse(text)
			require.NoError(t, err)
			tally.Add(&record.Line{Document: "a", Record: rec})
		}
		r, err := tally.Result()
		require.NoError(t, err)
		return r
	}
	sums := func(r *Result) map[string]string {
		got := map[string]string{}
		for _, row := range r.Rows {
			got[row.Label] = fmt.Sprintf("%s of %d, %d unknown", row.Exact, row.N, row.Unknown)
		}
		return got
	}
	r := tell(Ask{Field: "honey", Sum: true})
	assert.Equal(t, "name", r.Along)
	assert.Equal(t, map[string]string{"north": "6 of 2, 0 unknown", "south": "5 of 1, 0 unknown", Unknown: "0 of 0, 1 unknown"}, sums(r))
	assert.Equal(t, map[string]string{"pine": "7 of 2, 1 unknown", "cedar": "4 of 1, 0 unknown"}, sums(tell(Ask{Field: "honey", Sum: true, Slice: "wood"})))
	assert.Equal(t, Spreads, tell(Ask{Field: "honey"}).Kind)
	mood := tell(Ask{Field: "mood"})
	assert.Equal(t, Table, mood.Kind)
	assert.Equal(t, 3, mood.Values)
	assert.NotNil(t, tell(Ask{Field: "mood", Over: "swept"}))
	assert.NotNil(t, tell(Ask{Field: "honey", Over: "swept"}))
}
