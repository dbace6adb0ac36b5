package evidence

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// verdictLayouts say of three items by two words that the first two are so and the third is not.
var verdictLayouts = map[string]func(yes, no string) string{
	"aligned": func(yes, no string) string {
		return fmt.Sprintf("Mark   Made  HEAD\nH-01   2014  %s\nH-07   2009  %s\nS-12   2021  %s\n", yes, yes, no)
	},
	"a rule and lines that go on": func(yes, no string) string {
		return fmt.Sprintf("Mark   Made  HEAD\n-----  ----  ----\nH-01   2014  %s\n  with trolley\nH-07   2009  %s\nS-12   2021  %s\n", yes, yes, no)
	},
	"bars": func(yes, no string) string {
		return fmt.Sprintf("| Mark | Made | HEAD |\n|---|---|---|\n| H-01 | 2014 | %s |\n| H-07 | 2009 | %s |\n| S-12 | 2021 | %s |\n", yes, yes, no)
	},
	"no head": func(yes, no string) string {
		return fmt.Sprintf("H-01   2014  %s\nH-07   2009  %s\nS-12   2021  %s\n", yes, yes, no)
	},
}

// against gives the paths of a record that something speaks against.
func against(s *schema.Schema, doc, rec string) (paths []string) {
	v, _ := value.Parse(rec)
	ix := NewIndex(doc)
	places := Of(s, &v, ix)
	v.Walk(func(p value.Pointer, v *value.Value) bool {
		if at, ok := places[p]; ok {
			if what := ix.Doubt(s.At(p), v, at, false); what != nil {
				paths = append(paths, string(p))
			}
		}
		return true
	})
	return paths
}

// flips holds the record that is right, and each with one boolean the other way, against a document.
func flips(t *testing.T, field, doc string, right [3]bool) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  items: {list: Items., fields: {mark: {text: Mark.}, made: {integer: Year.}, "+field+": {boolean: So.}}}\n"))
	require.NoError(t, err, field)
	write := func(of [3]bool) string {
		var items []string
		for i, mark := range []string{`"H-01","made":2014`, `"H-07","made":2009`, `"S-12","made":2021`} {
			items = append(items, fmt.Sprintf(`{"mark":%s,"%s":%t}`, mark, field, of[i]))
		}
		return `{"items":[` + strings.Join(items, ",") + `]}`
	}
	assert.Empty(t, against(s, doc, write(right)), "%s in %q", field, doc)
	for i := range right {
		wrong := right
		wrong[i] = !wrong[i]
		assert.Equal(t, []string{fmt.Sprintf("/items/%d/%s", i, field)}, against(s, doc, write(wrong)), "%s in %q", field, doc)
	}
}

// Of items in rows a cell says by any word for it, and by any for the opposite, what a boolean is, under any head
// that is not another field's.
func TestVerdictsInRows(t *testing.T) {
	type pair struct{ field, yes, no string }
	pairs := []pair{{"passed", "yes", "no"}, {"passed", "✓", "✗"}, {"passed", "Pass", "Fail"}, {"passed", "OK", "not OK"}, {"failed", "fail", "pass"}, {"bestanden", "i.O.", "n.i.O."}, {"conforme", "Conforme", "non conforme"}, {"vaccinated", "vaccinated", "unvaccinated"}, {"signed", "Signed", "not signed"}}
	for _, l := range lang.Languages() {
		for _, denies := range l.Words(lang.Opposite) {
			for _, meaning := range lang.Opposite.Words() {
				if is := lang.Opposite.Names(meaning); strings.ContainsAny(denies+meaning, " .-") || len(is) == 0 || is[0] != denies || lang.Yes.Has(meaning) || lang.No.Has(denies) {
					continue
				}
				pairs = append(pairs, pair{meaning, denies, meaning}, pair{denies, denies, meaning})
			}
		}
	}
	for _, p := range pairs {
		says := [3]bool{true, true, false}
		if p.field == p.no {
			says = [3]bool{false, false, true}
		}
		for what, layout := range verdictLayouts {
			if strings.ContainsAny(p.yes, "✓") && what == "no head" {
				continue
			}
			for _, head := range []string{"Result", p.field} {
				flips(t, ascii(p.field), strings.ReplaceAll(layout(p.yes, p.no), "HEAD", head), says)
			}
		}
	}
}

// ascii gives a name that a schema may have.
func ascii(word string) string { return lang.PlainLetters(word) }

// A column that another field heads says nothing of a boolean, nor does a word of another's name.
func TestVerdictsOfOthers(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  items: {list: Items., fields: {mark: {text: Mark.}, state: {text: State.}, passed: {boolean: Passed.}}}\n"))
	require.NoError(t, err)
	doc := "| Mark | State | Remark |\n|---|---|---|\n| H-01 | rejected | |\n| H-07 | used | |\n| S-12 | new | |\n"
	assert.Empty(t, against(s, doc, `{"items":[{"mark":"H-01","state":"rejected","passed":true},{"mark":"H-07","state":"used","passed":true},{"mark":"S-12","state":"new","passed":false}]}`))
}

// A word that denies a name says nothing of it under the head of something else, or in a sentence about it.
func TestVerdictsByTheWay(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  items: {list: Items., fields: {mark: {text: Mark.}, n: {integer: Seats.}, dry: {boolean: Dry.}, open: {boolean: Open.}, passed: {boolean: Passed.}}}\n"))
	require.NoError(t, err)
	rec := `{"items":[{"mark":"Kiosk A","n":12,"dry":true,"open":true,"passed":false},{"mark":"Kiosk B","n":14,"dry":true,"open":true,"passed":false}]}`
	for _, doc := range []string{
		"Mark      Seats  Weather\nKiosk A   12     wet\nKiosk B   14     wet\n",
		"- Kiosk A, 12 seats, closed in winter\n- Kiosk B, 14 seats, empty in May, 3 passes sold\n",
	} {
		assert.Empty(t, against(s, doc, rec), doc)
	}
}

// Of several things that were not done none is said to be done, and what was lost by the way is no vote.
func TestListOfDenials(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  cats: {list: Cats., fields: {name: {text: Name.}, age: {integer: Age.}, chipped: {boolean: Chipped.}, vaccinated: {boolean: Vaccinated.}, accepted: {boolean: Accepted.}}}\n"))
	require.NoError(t, err)
	doc := "- Moss, 3 years, is not chipped, vaccinated, or wormed; label lost, carried by hand\n- Fern, 7 years, is chipped and vaccinated\n"
	assert.Empty(t, against(s, doc, `{"cats":[{"name":"Moss","age":3,"chipped":false,"vaccinated":false,"accepted":true},{"name":"Fern","age":7,"chipped":true,"vaccinated":true,"accepted":false}]}`))
	assert.Equal(t, []string{"/cats/0/chipped"}, against(s, doc, `{"cats":[{"name":"Moss","age":3,"chipped":true,"vaccinated":false,"accepted":true},{"name":"Fern","age":7,"chipped":true,"vaccinated":true,"accepted":false}]}`))
}

// Items in sentences and lines of their own are held against what is said in them.
func TestVerdictsInProse(t *testing.T) {
	for _, doc := range []string{
		"H-01 of 2014 passes. H-07, made in 2009, was seen as well and passed. S-12 (2021) failed.",
		"The hoist H-01 is of 2014 and held without creep, and it passes; H-07 of 2009\nhas a new hook and of course passes. S-12 of 2021 has a bent pin and I\ncannot pass it.",
		"- H-01 of 2014 passes\n- H-07 of 2009: pass\n- S-12 of 2021 has failed",
		"1. **H-01**, hoist, 2014 ✓\n2. **H-07**, hoist, 2009. ✓\n3. **S-12**, sling, 2021. ✗ leaks",
	} {
		flips(t, "passed", doc, [3]bool{true, true, false})
	}
	flips(t, "sealed", "H-01 of 2014 is sealed. H-07 of 2009 is sealed as well. S-12 of 2021 is unsealed.", [3]bool{true, true, false})
}

// What stands in brackets behind a name is of that one.
func TestOwnBrackets(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  staff: {list: Staff., fields: {name: {text: Name.}, trade: {text: Trade.}, hours: {number: Hours.}}}\n"))
	require.NoError(t, err)
	doc := "Today Ada Quill (mason, 8 hours), Bo Tarn (smith,\n7 hours) and Cy Reed (mason, 4.5 hours) were here."
	record := func(trade string, hours float64) string {
		return fmt.Sprintf(`{"staff":[{"name":"Ada Quill","trade":"mason","hours":8},{"name":"Bo Tarn","trade":"%s","hours":%v},{"name":"Cy Reed","trade":"mason","hours":4.5}]}`, trade, hours)
	}
	assert.Empty(t, against(s, doc, record("smith", 7)))
	assert.Equal(t, []string{"/staff/1/hours"}, against(s, doc, record("smith", 8)))
	assert.Equal(t, []string{"/staff/1/hours"}, against(s, doc, record("smith", 4.5)))
	assert.Equal(t, []string{"/staff/1/trade"}, against(s, doc, record("mason", 7)))
}

// The title of a kind of document before its number is no label of another field.
func TestTitleBeforeNumber(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: lift_exam\nabout: A report of a thorough examination of lifting equipment.\nfields:\n  report_number: {text: Number.}\n  examiner: {text: Who examined.}\n"))
	require.NoError(t, err)
	doc := "# Thorough examination TL/2251\n\nBy: K. Ostrander\n"
	assert.Empty(t, against(s, doc, `{"report_number":"TL/2251","examiner":"K. Ostrander"}`))
	assert.NotEmpty(t, against(s, "Examiner: TL/2251\n\nSeen by K. Ostrander\n", `{"report_number":"TL/2251","examiner":"K. Ostrander"}`))
}
