package review

import (
	"path/filepath"
	"strings"
	"testing"

	"github.com/rogpeppe/go-internal/txtar"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// What a value of any form looks like on the screen is read back as that value, so that one entry can
// be changed and the rest stays.
func TestShownIsReadBack(t *testing.T) {
	files, err := filepath.Glob("../../record/evidence/testdata/anyform/*.txtar")
	require.NoError(t, err)
	n := 0
	for _, file := range files {
		s, err := schema.Load(strings.TrimSuffix(file, ".txtar") + ".yaml")
		require.NoError(t, err)
		a, err := txtar.ParseFile(file)
		require.NoError(t, err)
		for _, of := range a.Files {
			if !strings.HasSuffix(of.Name, ".record") {
				continue
			}
			rec, err := value.Parse(strings.TrimSpace(string(of.Data)))
			require.NoError(t, err)
			rec.Walk(func(p value.Pointer, v *value.Value) bool {
				f := s.At(p)
				if f == nil || f.Type != schema.Any || v.Empty() {
					return f != nil
				}
				got := typed(f, p, Written(f, p, v))
				assert.True(t, value.Equal(v, &got), "%s %s: %s became %s", file, p, Written(f, p, v), got.String())
				n++
				return false
			})
		}
	}
	assert.Greater(t, n, 30)
}

// An entry that is changed by hand is read as its type.
func TestEntriesByHand(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(`schema: s
fields:
  sums: {map: Sums., values: {money: One., currency: EUR, written: {decimal: ","}}}
  size: {tuple: Size., of: [{number: Width., written: {decimal: ","}}, {choice: Unit., of: {cm: {also: [centimetres]}, m: {}}}]}
  marks: {map: Marks., values: {text: One.}}
  other: {any: What else.}
`))
	require.NoError(t, err)
	for name, all := range map[string][2]string{
		"sums":  {"van: 12,50 €;  lorry up to 7.5 t: 40", `{"van":{"amount":12.50,"currency":"EUR"},"lorry up to 7.5 t":{"amount":40,"currency":"EUR"}}`},
		"size":  {"120, centimetres", `[120,"cm"]`},
		"marks": {"top: 12; side: this way up", `{"top":"12","side":"this way up"}`},
		"other": {`"true"`, `"true"`},
	} {
		got := typed(s.Find(name), value.Pointer("").Key(name), all[0])
		want, err := value.Parse(all[1])
		require.NoError(t, err)
		assert.True(t, value.Equal(&want, &got), got.String())
	}
}
