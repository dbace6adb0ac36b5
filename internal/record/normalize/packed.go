package normalize

import (
	"regexp"
	"slices"
	"strings"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// packed tells a text that looks like JSON other than a bare number or word.
var packed = regexp.MustCompile(`^\s*["\[{]`)

// unpacked gives the JSON that a text holds, where a field takes any value: that is how
// replies give it that are held to a JSON Schema. A bare number or word is taken for JSON only
// where the field takes no text, since it may be meant as one.
func unpacked(f *schema.Field, v *value.Value) (value.Value, bool) {
	if v.Kind != value.String {
		return value.Value{}, false
	}
	text := strings.TrimSpace(v.Text)
	if text == "" || !packed.MatchString(text) && takesText(f) {
		return value.Value{}, false
	}
	to, err := value.Parse(text)
	if err != nil || to.Kind == value.String && packed.MatchString(to.Text) { // once is enough
		return value.Value{}, false
	}
	return to, true
}

// takesText tells whether a text is a value of the field, as far as kept keywords say it.
func takesText(f *schema.Field) bool {
	types := f.Extra.Get("type")
	if types == nil || types.Kind == value.Null {
		return true
	}
	return types.Text == "string" || slices.ContainsFunc(types.Kids, func(t value.Value) bool { return t.Text == "string" })
}
