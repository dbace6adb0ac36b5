package fill

import (
	gomaps "maps"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/ask/outline"
	"filler/internal/base/value"
	"filler/internal/record/evidence"
	"filler/internal/schema"
)

// inAny calls do for what lies within values of any form: their entries, and their single values.
func inAny(d *tradeDoc, entry, single func(p value.Pointer, v *value.Value)) {
	d.right.Walk(func(p value.Pointer, v *value.Value) bool {
		f := d.schema.Holding(p)
		if f == nil || f.Type != schema.Any {
			return true
		}
		if above := d.schema.At(p.Parent()); above != nil && above.IsMap() && above.Inside().Free() {
			entry(p, v)
		}
		if v.Kind != value.Null && v.Kind != value.Bool && !evidence.IsWhole(d.schema, p, v) {
			single(p, v)
		}
		return v.Kind != value.Object || !schema.IsAmount(v)
	})
}

// What maps, tuples and values of any other form lose comes back entry by entry, what is wrong in
// them comes right, and nothing else changes.
func TestAnyFormLostAndFound(t *testing.T) {
	all, right, quiet, tried := map[string]int{}, map[string]int{}, map[string]int{}, 0
	for _, d := range tradeDocsIn(t, "anyform", 1) {
		line, _ := d.fill(t, d.right, everything)
		assert.Equal(t, d.right.String(), line.Record.String(), d.name)
		clean := len(line.Problems) == 0
		try := func(what string, p value.Pointer, first value.Value) {
			if tried++; tried%some() != 0 {
				return
			}
			line, c := d.fill(t, first, everything)
			all[what]++
			switch {
			case value.Equal(&line.Record, &d.right):
				right[what]++
			default:
				if len(line.Problems) == 0 {
					quiet[what]++
				}
				t.Logf("%s: %s %s: %v %v", d.name, what, p, c.asked, line.Problems)
			}
		}
		inAny(&d, func(p value.Pointer, _ *value.Value) {
			first := d.right.Clone()
			first.At(p.Parent()).Drop(p.Last())
			try("lost entry", p, first)
		}, func(p value.Pointer, v *value.Value) {
			if !clean {
				return
			}
			first := d.right.Clone()
			first.Put(p, other(v))
			try("wrong value", p, first)
		})
		maps := map[value.Pointer]bool{}
		inAny(&d, func(p value.Pointer, _ *value.Value) { maps[p.Parent()] = clean }, func(value.Pointer, *value.Value) {})
		for _, p := range slices.Sorted(gomaps.Keys(maps)) {
			first := d.right.Clone()
			if of := first.At(p); maps[p] && !evidence.IsWhole(d.schema, p.Key("x"), &of.Kids[0]) {
				invented := other(&of.Kids[0])
				of.Kids = append(of.Kids, invented.Named("Brackwater"))
				try("invented entry", p, first)
			}
		}
	}
	t.Logf("of %v these came right: %v; of %v nothing tells", all, right, quiet)
	assert.GreaterOrEqual(t, right["lost entry"]*100, all["lost entry"]*60, "in prose, and where no other stands beside it, nothing tells")
	assert.GreaterOrEqual(t, right["wrong value"]*100, all["wrong value"]*88)
	assert.GreaterOrEqual(t, right["invented entry"]*100, all["invented entry"]*95)
}

// stripped leaves out of a value what does not stand in the lines that are shown.
func stripped(s *schema.Schema, p value.Pointer, v *value.Value, shown func(value.Pointer) bool) (value.Value, bool) {
	f := s.Holding(p)
	isLeaf := f != nil && f.IsLeaf() && !evidence.IsWhole(s, p, v)
	if v.Kind == value.Bool {
		return v.Clone(), false
	}
	if v.Empty() || isLeaf || v.Kind != value.Object && v.Kind != value.Array {
		return v.Clone(), !v.Empty() && shown(p)
	}
	out := value.Value{Kind: v.Kind, Name: v.Name}
	some := false
	for i := range v.Kids {
		at := p.Index(i)
		if v.Kind == value.Object {
			at = p.Key(v.Kids[i].Name)
		}
		kid, has := stripped(s, at, &v.Kids[i], shown)
		switch field := s.At(at); {
		case has:
			out.Kids, some = append(out.Kids, kid.Named(v.Kids[i].Name)), true
		case v.Kind == value.Object && field != nil && (field.Type == schema.List || field.Type == schema.Any && len(kid.Kids) == 0 && kid.Kind == value.Array):
			out.Kids = append(out.Kids, value.List().Named(v.Kids[i].Name))
		case v.Kind == value.Object && v.Kids[i].Kind == value.Bool:
			out.Kids = append(out.Kids, kid.Named(v.Kids[i].Name))
		case v.Kind == value.Object && field != nil:
			out.Kids = append(out.Kids, value.Value{}.Named(v.Kids[i].Name))
		}
	}
	return out, some
}

// What is said of a map or an array in several parts of a document is put together.
func TestAnyFormInParts(t *testing.T) {
	values, lost, more := 0, 0, 0
	for _, d := range tradeDocsIn(t, "anyform", 1) {
		text, err := os.ReadFile(d.file)
		require.NoError(t, err)
		ix := evidence.NewIndex(string(text))
		places := evidence.Of(d.schema, &d.right, ix)
		parts := 0
		c := &careless{}
		c.reply = func(asked string) string {
			parts++
			_, shown, _, _ := outline.FindDocument(asked)
			is := map[string]bool{}
			for line := range strings.SplitSeq(shown, "\n") {
				is[strings.TrimSpace(line)] = true
			}
			v, _ := stripped(d.schema, "", &d.right, func(p value.Pointer) bool {
				return !places[p].Found() || is[strings.TrimSpace(ix.Line(places[p].Line))]
			})
			return v.String()
		}
		setup := c.setup(t, d.schema)
		setup.Settings.Chunk = 60
		line, _ := fillTraced(t, setup, d.file)
		require.Greater(t, parts, 1, d.name)
		have := map[value.Pointer]string{}
		line.Record.Walk(func(p value.Pointer, v *value.Value) bool {
			if v.Kind != value.Object && v.Kind != value.Array && !v.Empty() {
				have[p] = v.String()
			}
			return true
		})
		d.right.Walk(func(p value.Pointer, v *value.Value) bool {
			if v.Kind == value.Object || v.Kind == value.Array || v.Empty() {
				return true
			}
			values++
			if have[p] != v.Named("").String() && have[p] != v.String() {
				lost++
				t.Logf("%s: %s: %s for %s", d.name, p, have[p], v.String())
			}
			delete(have, p)
			return true
		})
		more += len(have)
		t.Logf("%s: more: %v; %v", d.name, have, line.Problems)
	}
	t.Logf("of %d values %d are lost, %d came besides", values, lost, more)
	assert.LessOrEqual(t, lost, 2, "two booleans that alone stand in their part")
	assert.Zero(t, more)
}

// What a reply says within a map or a tuple in the document's words, or as it is printed, is read
// as the value of a field is.
func TestAnyFormInWords(t *testing.T) {
	for _, d := range tradeDocsIn(t, "anyform", 1) {
		if d.name != "tolls.txtar a" {
			continue
		}
		first := d.right.Clone()
		for p, said := range map[value.Pointer]string{"/tolls/PKW": "4,50 €", "/tolls/Motorrad": "2,20", "/span/0": "214 m", "/closed/Reiter": "ja", "/closed/Fußgänger": "nein"} {
			first.Put(p, value.Str(said))
		}
		first.At("/tolls").Kids = append(first.At("/tolls").Kids, value.Str("unbekannt").Named("Fahrrad"))
		line, _ := d.fill(t, first, everything)
		assert.True(t, value.Equal(&d.right, &line.Record), line.Record.String())
	}
}
