package answer

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
)

// What models write in place of JSON is read where its names are the schema's,
// and only there.
func TestPlain(t *testing.T) {
	known := func(name string) bool {
		return slices.Contains([]string{"a", "b", "bays", "n", "report_no", "records"}, strings.ToLower(strings.ReplaceAll(name, " ", "_")))
	}
	for said, want := range map[string]string{
		"a: 1\nb: x\nbays:\n  - n: 1\n    b: rot\n  - n: 2\n":             `{"a":1,"b":"x","bays":[{"n":1,"b":"rot"},{"n":2}]}`,
		"Here it is:\n```yaml\na: 1\nb: \"x y\"\n```\nBye":                `{"a":1,"b":"x y"}`,
		"| a | b |\n|---|---|\n| 1 | x |\n| 2 | - |\n":                    `[{"a":1,"b":"x"},{"a":2,"b":null}]`,
		"| Field | Value |\n|:--|--:|\n| Report No | `FB-7` |\n| b | 2 |": `{"Report No":"FB-7","b":2}`,
		"**a**: 1\n**b**: x": `{"a":1,"b":"x"}`,
		"I found this.\n- a: 1\n- b: x\nNote: that is all.":                                            `{"a":1,"b":"x"}`,
		"Report No: FB-7\nI am not sure of: the rest":                                                  `{"Report No":"FB-7","I am not sure of":"the rest"}`,
		"# Record\n**a:** 1\n**bays:**\n- n: 1, b: rot; a: 7\n- n: 2, b: x, y\n":                       `{"a":1,"bays":[{"n":1,"b":"rot","a":7},{"n":2,"b":"x, y"}]}`,
		"- **a:** 1\n- **bays:**\n  1. First one:\n     - n: 1\n     - b: rot\n  2. n: 2\n     b: x\n": `{"a":1,"bays":[{"n":1,"b":"rot"},{"n":2,"b":"x"}]}`,
		"### a\n### Bays\n* n: 1\n* n: 2\n### Report No\nSure: b: 7":                                   `{"a":null,"Bays":[{"n":1},{"n":2}],"Report No":null}`,
		"Sure.\n<r><a>1</a><bays><bay><n>1</n></bay><bay><n>2</n><b>x &amp; y</b></bay></bays></r>":    `{"r":{"a":1,"bays":[{"n":1},{"n":2,"b":"x & y"}]}}`,
		"a: 1\nb: the <b>x</b> one":                                                                    `{"a":1,"b":"the <b>x</b> one"}`,
		"<a>1</a><bays><n>1</n></bays><bays><n>2</n></bays><b>cut of":                                  `{"a":1,"bays":[{"n":1},{"n":2}]}`,
		`"{\"a\": 1, \"b\": \"x\"}"`:                                                                   `{"a":1,"b":"x"}`,
		"{\"a\": 12,5 m, \"b\": EUR 1.250,00}":                                                         `{"a":"12,5 m","b":"EUR 1.250,00"}`,
		"{\"a\": 1 \"b\": 2}":                                                                          `{"a":1,"b":2}`,
		"{\"a\": 1, 5, \"b\": 2}":                                                                      `{"a":1,"b":2}`,
		"[1,2]\n{\"a\": [1,2,3]}":                                                                      `{"a":[1,2,3]}`,
	} {
		r, err := ReadKnown(said, value.Object, known)
		require.NoError(t, err, "%q", said)
		assert.Equal(t, want, r.Value.String(), "%q", said)
		assert.NotEmpty(t, r.Deviations, "%q", said)
	}
	for _, said := range []string{"Sorry: I can't do this.", "Note: the document is blank.\nReason: none", "", "| x | y |\n|--|--|\n| 1 | 2 |", "&a [*a]"} {
		_, err := ReadKnown(said, value.Object, known)
		assert.Error(t, err, "%q", said)
	}
	r, err := Read("{\"a\":1}\n{\"a\":2}\n{\"a\":3}", value.Object)
	require.NoError(t, err)
	assert.Len(t, r.All, 3)
}

// What is read in place of JSON is JSON that reads the same again, whatever the
// reply; and nothing is read of what names no field.
// accounted holds that an account lies within the reply and says something.
func accounted(t *testing.T, r *Result, known func(string) bool) {
	all := r.Account(known, &r.Value)
	require.LessOrEqual(t, len(all), 2*maxUnused+maxDeviations+2)
	for _, u := range all {
		require.NotEmpty(t, u.Reason)
		require.NotEmpty(t, u.Text)
		require.GreaterOrEqual(t, u.Line, 1)
		require.True(t, u.Offset >= 0 && u.Offset <= len(r.text), "%d of %d", u.Offset, len(r.text))
	}
}

func FuzzPlain(f *testing.F) {
	for _, s := range []string{"a: 1\nb: [x, y]", "| a | b |\n|--|--|\n| 1 | 2 |", "```yaml\na:\n  - b: 1\n```", "**a**: 1", "a = 2", "<r><a>1</a><b><x>1</x><x/></b>", "# A\n- a: 1, b: 2\n  - b:\n    x", "- a: |\n    x", "{\"a\": 12,5 m}", "\"{\\\"a\\\": 1}\""} {
		f.Add(s)
	}
	known := func(name string) bool { return name == "a" || name == "b" }
	f.Fuzz(func(t *testing.T, text string) {
		r, err := ReadKnown(text, value.Object, known)
		if err != nil {
			return
		}
		again, err := value.Parse(r.Value.String())
		require.NoError(t, err)
		require.True(t, value.Equal(&again, &r.Value))
		accounted(t, &r, known)
		v, deviations, _ := Short(text, []string{"a"})
		_, err = value.Parse(v.String())
		require.NoError(t, err)
		for _, m := range deviations {
			require.GreaterOrEqual(t, m.Offset, 0)
		}
	})
}
