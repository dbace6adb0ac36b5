package schema

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What an older name may not be, each with its place.
func TestFaultsOfOlderNames(t *testing.T) {
	for text, says := range map[string]string{
		"a: {text: A., was: b}\n  b: B.":                                                       "was: b is a field of this schema",
		"a: {text: A., was: /g/x}\n  g: {group: G., fields: {x: X.}}":                          "was: /g/x is a field of this schema",
		"a: {text: A., was: c}\n  b: {text: B., was: /c}":                                      "was: /c is also the older name of a",
		"a: {text: A., was: /}":                                                                "",
		"a: {text: A., was: '/x~'}":                                                            "is not an older name",
		"l: {list: L., fields: {a: {text: A., was: b}, b: B.}}":                                "was: b is a field of this schema",
		"g: {group: G., fields: {a: {text: A., was: b}}}\n  b: B.":                             "", // its own group has none
		"a: {text: A., was: [old, older]}\n  l: {list: L., fields: {a: {text: A., was: old}}}": "",
	} {
		_, err := Parse("s.yaml", []byte("schema: s\nfields:\n  "+text+"\n"))
		if says == "" {
			assert.NoError(t, err, text)
			continue
		}
		require.Error(t, err, text)
		assert.Contains(t, err.Error(), says)
		assert.Regexp(t, `^s.yaml:\d+:\d+: `, err.Error())
	}
}

// A renamed member of a renamed group, in items of a renamed list.
func TestOlderNamesBelowOlderNames(t *testing.T) {
	s := parse(t, "schema: s\nfields:\n  l:\n    list: L.\n    was: m\n    fields:\n      grower: {group: G., was: contact, fields: {full: {text: N., was: name}, day: {text: D., was: /sown}}}\n")
	for path, now := range map[string]string{"m[].contact.name": "l[].grower.full", "m[].sown": "l[].grower.day", "l[].grower.name": "l[].grower.full", "l[].contact.full": "l[].grower.full", "l[].grower.full": "l[].grower.full", "m[].other": "l[].other"} {
		assert.Equal(t, now, s.PathNow(path), path)
	}
	var got []string
	for _, c := range Changes(parse(t, "schema: s\nfields: {m: {list: L., fields: {contact: {group: G., fields: {name: N.}}, sown: D.}}}\n"), s) {
		got = append(got, c.Path+" "+c.What+" "+c.Note)
	}
	assert.Equal(t, []string{"l renamed from m", "l[].grower renamed from m[].contact", "l[].grower.full renamed from m[].contact.name", "l[].grower.day renamed from m[].sown"}, got)
}
