package evidence

import (
	"fmt"
	"maps"
	"math/rand"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/rogpeppe/go-internal/txtar"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// spoilt gives ways in which a value may be wrong: another figure, ten times as much,
// another currency, another day or hour, another last word.
func spoilt(r *rand.Rand, f *schema.Field, v *value.Value) (all []value.Value) {
	digit := func(text string) string {
		var at []int
		for i := range text {
			if text[i] >= '0' && text[i] <= '9' {
				at = append(at, i)
			}
		}
		i := at[r.Intn(len(at))]
		return text[:i] + strconv.Itoa((int(text[i]-'0')+1+r.Intn(8))%10) + text[i+1:]
	}
	number := func(text string) string {
		if n := strings.TrimLeft(digit(text), "0"); n != "" && n[0] != '.' {
			return n
		}
		return "9" + text
	}
	switch {
	case v.Kind == value.Number:
		all = append(all, value.Num(number(v.Text)))
	case v.Kind == value.Object:
		amount := v.Get("amount")
		name, _ := f.Measure()
		with := func(n, measure string) value.Value {
			return value.Obj(value.Num(n).Named("amount"), value.Str(measure).Named(name))
		}
		all = append(all, with(number(amount.Text), v.Get(name).Text))
		if n, err := strconv.ParseFloat(amount.Text, 64); err == nil && n != 0 {
			for _, by := range []float64{10, 1000, -1} { // a sign of decimals misread, another scale, a sign lost
				all = append(all, with(strconv.FormatFloat(n*by, 'f', -1, 64), v.Get(name).Text))
			}
		}
		if f.Type == schema.Money {
			all = append(all, with(amount.Text, "SEK"))
			if other := map[string]string{"EUR": "USD", "USD": "EUR", "GBP": "EUR", "CHF": "EUR"}[v.Get(name).Text]; other != "" {
				all = append(all, with(amount.Text, other))
			}
		}
	case v.Kind != value.String || v.Text == "":
	case f.Type == schema.Date && len(v.Text) == 10:
		day, _ := strconv.Atoi(v.Text[8:])
		all = append(all, value.Str(fmt.Sprintf("%s%02d", v.Text[:8], day%27+1)))
		if swapped := v.Text[:5] + v.Text[8:] + "-" + v.Text[5:7]; day <= 12 && swapped != v.Text {
			all = append(all, value.Str(swapped))
		}
		year, _ := strconv.Atoi(v.Text[:4])
		all = append(all, value.Str(strconv.Itoa(year+1)+v.Text[4:]))
	case f.Type == schema.DateTime:
		hour, _ := strconv.Atoi(v.Text[11:13])
		all = append(all, value.Str(fmt.Sprintf("%s%02d%s", v.Text[:11], (hour+3)%24, v.Text[13:])))
	case f.Type == schema.Time:
		hour, _ := strconv.Atoi(v.Text[:2])
		all = append(all, value.Str(fmt.Sprintf("%02d%s", (hour+12)%24, v.Text[2:])))
	case f.Type == schema.Text:
		words := strings.Fields(v.Text)
		words[len(words)-1] = "Brackwater"
		all = append(all, value.Str(strings.Join(words, " ")))
		if strings.ContainsAny(v.Text, "0123456789") {
			all = append(all, value.Str(digit(v.Text)))
		}
	}
	return all
}

// trade is a document of a made-up trade with its right record.
type trade struct {
	name, id  string
	schema    *schema.Schema
	doc       string
	rec       string
	concluded []string // paths of values that no words of the document say
}

func (t *trade) key() string { return t.name + " " + t.id }

// some gives every third of a long list of documents; `make long` looks at all.
func some(docs []trade) (all []trade) {
	for i, of := range docs {
		if !testing.Short() || i%3 == 0 {
			all = append(all, of)
		}
	}
	return all
}

// trades gives all of them, in order.
func trades(t *testing.T) []trade { return tradesIn(t, "trades") }

func tradesIn(t *testing.T, folder string) (all []trade) {
	files, err := filepath.Glob("testdata/" + folder + "/*.yaml")
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, file := range files {
		s, err := schema.Load(file)
		require.NoError(t, err)
		a, err := txtar.ParseFile(strings.TrimSuffix(file, ".yaml") + ".txtar")
		require.NoError(t, err)
		parts := map[string]string{}
		for _, f := range a.Files {
			parts[f.Name] = string(f.Data)
		}
		for _, name := range slices.Sorted(maps.Keys(parts)) {
			if id, isDoc := strings.CutSuffix(name, ".txt"); isDoc {
				all = append(all, trade{strings.TrimSuffix(filepath.Base(file), ".yaml"), id, s, parts[name], parts[id+".record"], strings.Fields(parts[id+".concluded"])})
			}
		}
	}
	return all
}

// spoilAll counts the right values of documents, and gives those of their spoilt ones that pass;
// nothing may be doubted of the right records but what is concluded.
func spoilAll(t *testing.T, docs []trade, seed int64) (values, wrong int, passed []string) {
	r := rand.New(rand.NewSource(seed))
	for _, of := range docs {
		for p, what := range doubts(t, of.schema, of.rec, of.doc) {
			assert.Contains(t, of.concluded, string(p), "%s: %s", of.key(), what.Text())
		}
		rec, err := value.Parse(of.rec)
		require.NoError(t, err)
		ix := NewIndex(of.doc)
		for _, p := range slices.Sorted(maps.Keys(Of(of.schema, &rec, ix))) {
			if values++; slices.Contains(of.concluded, string(p)) {
				continue
			}
			was := *rec.At(p)
			for _, to := range spoilt(r, kindred(of.schema.Holding(p).Kin(), &was), &was) {
				if value.Equal(&to, &was) {
					continue
				}
				at := rec.At(p)
				name := at.Name
				*at = to
				at.Name = name
				if wrong++; ix.Doubt(of.schema.Holding(p), at, Of(of.schema, &rec, ix)[p], false) == nil {
					passed = append(passed, fmt.Sprintf("%s %s: %s for %s", of.key(), p, to.String(), was.String()))
				}
			}
			*rec.At(p) = was
		}
	}
	t.Logf("%d right values; %d of %d wrong ones pass\n%s", values, len(passed), wrong, strings.Join(passed, "\n"))
	return values, wrong, passed
}

// Documents of other trades, made up without a look at the code: nothing is doubted of a
// right record but what is concluded, and of wrong values nearly all are.
func TestTrades(t *testing.T) {
	_, wrong, passed := spoilAll(t, trades(t), 41)
	assert.Greater(t, wrong, 4000)
	assert.Less(t, float64(len(passed))/float64(wrong), 0.025)
}

// Where all other places are known, as they are when a correction is judged, a value is
// found where it was, and nothing is found amiss that was not.
func TestKnownPlacesChangeNothing(t *testing.T) {
	for _, of := range some(append(trades(t), tradesIn(t, "anyform")...)) {
		rec, err := value.Parse(of.rec)
		require.NoError(t, err)
		ix := NewIndex(of.doc)
		places := Of(of.schema, &rec, ix)
		require.Equal(t, places, With(of.schema, &rec, ix, places), "%s: all are known", of.key())
		for p := range places {
			known := maps.Clone(places)
			delete(known, p)
			for other, now := range With(of.schema, &rec, ix, known) {
				was := places[other]
				assert.Equal(t, [2]any{was.Kind, was.Again}, [2]any{now.Kind, now.Again}, "%s: %s, without %s", of.key(), other, p)
			}
		}
	}
}
