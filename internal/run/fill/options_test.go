package fill

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// A choice or a boolean that a first reply has wrong comes right where the document says another
// in so many words, and the model answers with care when it is asked; a right one that the
// model concluded stays, whatever it is asked.
func TestOtherOptions(t *testing.T) {
	if testing.Short() {
		t.Skip("a part of make long")
	}
	all, right, told := map[schema.Type]int{}, map[schema.Type]int{}, map[schema.Type]int{}
	for _, d := range append(tradeDocs(t, some()), tradeDocsIn(t, "sheets", some())...) {
		if line, _ := d.fill(t, d.right, everything); line.Record.String() != d.right.String() || len(line.Problems) > 0 {
			continue
		}
		d.right.Walk(func(p value.Pointer, v *value.Value) bool {
			f := d.schema.At(p)
			if f == nil || f.Type != schema.Choice && f.Type != schema.Boolean || v.Empty() {
				return true
			}
			other := value.Boolean(v.Text != "true")
			for _, o := range f.Of {
				if f.Type == schema.Choice && o.Value != v.Text {
					other = value.Str(o.Value)
				}
			}
			first := d.right.Clone()
			first.Put(p, other)
			line, _ := d.fill(t, first, everything)
			all[f.Type]++
			switch risk := line.Risk.Get(string(p)); {
			case line.Record.String() == d.right.String() && len(line.Problems) == 0:
				right[f.Type]++
			case len(line.Problems) > 0 || risk != nil && risk.Text > "0.5":
				told[f.Type]++
			}
			return false
		})
	}
	t.Logf("of %v wrong choices and booleans these came right: %v, and of these is told by a problem or a risk: %v", all, right, told)
	assert.Greater(t, right[schema.Choice]*100, all[schema.Choice]*35, "over all documents")
	assert.Greater(t, right[schema.Boolean]*100, all[schema.Boolean]*35, "over all documents")
}

// A correction that makes a misread item say what another says takes it out.
func TestDoublesGoOut(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  remarks: {list: Remarks., items: {text: One.}}\n"))
	require.NoError(t, err)
	first, err := value.Parse(`{"remarks":["carton 2 dented","ring before"]}`)
	require.NoError(t, err)
	right, err := value.Parse(`{"remarks":["carton 7 dented","ring before"]}`)
	require.NoError(t, err)
	c := &careless{first: first, right: right, only: everything}
	line, _ := fillTraced(t, c.setup(t, s), writeDoc(t, "a", "Remarks:\n - carton 7 dented\n - ring before\n"))
	assert.Equal(t, right.String(), line.Record.String(), "%v", c.asked)
	assert.Empty(t, line.Problems)
}
