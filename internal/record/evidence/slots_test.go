package evidence

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// A value that another item of the list has, in place of one's own: how many are told. TestTrades and TestSheets see
// to it that no right one is.
func TestTakenFromAnotherItem(t *testing.T) {
	for folder, least := range map[string]int{"trades": 70, "sheets": 82} {
		all, told := 0, 0
		for _, of := range some(tradesIn(t, folder)) {
			rec, err := value.Parse(of.rec)
			require.NoError(t, err)
			ix := NewIndex(of.doc)
			right := Of(of.schema, &rec, ix)
			byField := map[string][]value.Value{}
			paths := slices.Sorted(maps.Keys(right))
			for _, p := range paths {
				f := of.schema.Holding(p)
				byField[f.Path] = append(byField[f.Path], *rec.At(p))
			}
			for _, p := range paths {
				f, was := of.schema.Holding(p), *rec.At(p)
				if !strings.Contains(f.Path, "[]") || !right[p].Found() || was.Kind == value.Bool || slices.Contains(of.concluded, string(p)) {
					continue
				}
				others := slices.DeleteFunc(slices.Clone(byField[f.Path]), func(v value.Value) bool { return value.Equal(&v, &was) || v.Empty() })
				if len(others) == 0 {
					continue
				}
				*rec.At(p) = others[all%len(others)].Named(was.Name)
				places := Of(of.schema, &rec, ix)
				if all++; slices.ContainsFunc(paths, func(q value.Pointer) bool {
					return !slices.Contains(of.concluded, string(q)) && ix.Doubt(of.schema.Holding(q), rec.At(q), places[q], false) != nil
				}) {
					told++
				}
				*rec.At(p) = was
			}
		}
		t.Logf("%s: %d of %d are told", folder, told, all)
		assert.Greater(t, told*100, all*least)
	}
}

const visits = `
schema: visits
fields:
  pianos:
    list: Pianos that were tuned.
    key: [serial]
    fields:
      serial: Serial number.
      maker: Maker.
      pitch: {quantity: Pitch., unit: Hz}
      findings:
        list: What is wrong.
        fields:
          finding: What is wrong.
          note: Key that it is at.
          urgency: {choice: When., of: {now: Now., next visit: Next visit., watch: To be watched.}}
`

// In running text and in short lists, what an item has between the words that stand around the values of others is its own.
func TestOwnSlots(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(visits))
	require.NoError(t, err)
	rec := func(serials, makers [2]string, pitch [2]string, findings string) string {
		return fmt.Sprintf(`{"pianos":[{"serial":%q,"maker":%q,"pitch":{"amount":%s,"unit":"Hz"},"findings":[%s]},{"serial":%q,"maker":%q,"pitch":{"amount":%s,"unit":"Hz"},"findings":[]}]}`,
			serials[0], makers[0], pitch[0], findings, serials[1], makers[1], pitch[1])
	}
	two := `{"finding":"pedal squeak","note":"E3","urgency":"next visit"},{"finding":"cracked bridge","note":"A0","urgency":"now"}`
	docs := map[string]string{
		"prose": "We tuned the Kavaro grand (no. 47007), which stood at 440 Hz. There is a pedal squeak at E3, which can be done at the next visit. There is a cracked bridge at A0, which must be seen to now.\n\nWe also tuned the Tschilling grand (no. 55844), which stood at 441.2 Hz.\n",
		"list":  "Kavaro grand, serial 47007\n  found at 440 Hz\n  - pedal squeak (E3): next visit\n  - cracked bridge (A0): now\n\nTschilling grand, serial 55844\n  found at 441.2 Hz\n",
	}
	serials, makers, pitch := [2]string{"47007", "55844"}, [2]string{"Kavaro", "Tschilling"}, [2]string{"440", "441.2"}
	for name, doc := range docs {
		assert.Empty(t, doubts(t, s, rec(serials, makers, pitch, two), doc), name)
		for at, wrong := range map[string]string{
			"/pianos/1/serial":             rec([2]string{"47007", "47007"}, makers, pitch, two),
			"/pianos/0/maker":              rec(serials, [2]string{"Tschilling", "Tschilling"}, pitch, two),
			"/pianos/1/maker":              rec(serials, [2]string{"Kavaro", "Kavaro"}, pitch, two),
			"/pianos/0/pitch":              rec(serials, makers, [2]string{"441.2", "441.2"}, two),
			"/pianos/1/pitch":              rec(serials, makers, [2]string{"440", "440"}, two),
			"/pianos/0/findings/0/finding": rec(serials, makers, pitch, strings.Replace(two, "pedal squeak", "cracked bridge", 1)),
			"/pianos/0/findings/1/note":    rec(serials, makers, pitch, strings.Replace(two, "A0", "E3", 1)),
		} {
			assert.Contains(t, doubts(t, s, wrong, doc), value.Pointer(at), "%s: %s", name, wrong)
		}
	}
	for _, urgency := range []string{"next visit", "watch"} { // that of the line itself
		wrong := rec(serials, makers, pitch, strings.Replace(two, `"now"`, `"`+urgency+`"`, 1))
		assert.Contains(t, doubts(t, s, wrong, docs["list"]), value.Pointer("/pianos/0/findings/1/urgency"))
	}
	swapped := rec(serials, makers, pitch, strings.NewReplacer("pedal squeak", "cracked bridge", "cracked bridge", "pedal squeak").Replace(two))
	assert.NotEmpty(t, doubts(t, s, swapped, docs["prose"]))
}

// What is said once for several items is right for all of them.
func TestSharedIsNoSlot(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(visits))
	require.NoError(t, err)
	doc := "All made by Kavaro. Serial 47007 stood at 440 Hz, serial 55844 at 441.2 Hz, and serial 61112 at 440 Hz as well.\n"
	assert.Empty(t, doubts(t, s, `{"pianos":[{"serial":"47007","maker":"Kavaro","pitch":{"amount":440,"unit":"Hz"},"findings":[]},{"serial":"55844","maker":"Kavaro","pitch":{"amount":441.2,"unit":"Hz"},"findings":[]},{"serial":"61112","maker":"Kavaro","pitch":{"amount":440,"unit":"Hz"},"findings":[]}]}`, doc))
}
