package normalize

import (
	"strings"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// packed tells a text that looks like JSON other than a bare number or word.
var packed = lazy.New(`^\s*["\[{]`)

// unpacked gives the JSON that a text holds, where a field takes any value: that is how
// replies give it that are held to a JSON Schema. A bare number or word is taken for JSON only
// where the field's keywords name its type or take no text: else it may be meant as one.
func unpacked(f *schema.Field, v *value.Value) (value.Value, bool) {
	if v.Kind != value.String {
		return value.Value{}, false
	}
	text := strings.TrimSpace(v.Text)
	to, err := value.Parse(text)
	if err == nil && !packed.MatchString(text) && !takesBare(f, &to) {
		return value.Value{}, false
	}
	if err != nil || to.Kind == value.String && packed.MatchString(to.Text) { // once is enough
		return value.Value{}, false
	}
	if bare, again := unpacked(f, &to); again { // "7" where a text is no value
		return bare, true
	}
	return to, true
}

// takesBare tells whether a bare number or word is the value that it spells and no text, as far
// as kept keywords say it: they name its type, or types without that of texts.
func takesBare(f *schema.Field, to *value.Value) bool {
	types := map[string]bool{}
	typesIn(&f.Extra, types)
	switch to.Kind {
	case value.Number:
		return types["number"] || types["integer"] || len(types) > 0 && !types["string"]
	case value.Bool:
		return types["boolean"] || len(types) > 0 && !types["string"]
	}
	return types["null"] || len(types) > 0 && !types["string"]
}

// typesIn gathers the types that a JSON Schema names for a value, in its unions too.
func typesIn(s *value.Value, types map[string]bool) {
	for _, k := range s.Kids {
		switch k.Name {
		case "type":
			for _, t := range append([]value.Value{k}, k.Kids...) {
				if t.Kind == value.String {
					types[t.Text] = true
				}
			}
		case "anyOf", "oneOf", "allOf":
			for i := range k.Kids {
				typesIn(&k.Kids[i], types)
			}
		}
	}
}
