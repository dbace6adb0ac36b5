package review

import (
	"slices"
	"strings"

	"filler/internal/base/value"
	"filler/internal/record/normalize"
	"filler/internal/schema"
)

// Values as people read and write them. A map is its entries, Lead: 18.2; Zinc: 77, and a tuple its
// values, 40, 65; what holds more than that is JSON.

// Shown writes a value as people read it.
func Shown(v *value.Value) string {
	switch {
	case v == nil || v.Kind == value.Null:
		return ""
	case v.Kind == value.Array && slices.ContainsFunc(v.Kids, func(kid value.Value) bool { return holdsOthers(&kid) }):
		bare := v.Named("")
		return bare.String()
	case v.Kind == value.Array:
		var parts []string
		for i := range v.Kids {
			parts = append(parts, Shown(&v.Kids[i]))
		}
		return strings.Join(parts, ", ")
	case v.Kind == value.Object && v.Get("amount") != nil:
		text := v.Word("amount")
		for _, name := range []string{"unit", "currency"} {
			if word := v.Word(name); word != "" {
				text += " " + word
			}
		}
		return text
	case v.Kind == value.Object:
		if text, ok := entriesOf(v); ok {
			return text
		}
		bare := v.Named("")
		return bare.String()
	}
	return v.Text
}

// Written gives a value as a reviewer changes it: as it is shown, or as JSON where that would be read
// as another.
func Written(f *schema.Field, p value.Pointer, v *value.Value) string {
	text := Shown(v)
	if f == nil || f.Type != schema.Any || v.Empty() {
		return text
	}
	if back := typed(f, p, text); value.Equal(v, &back) {
		return text
	}
	bare := v.Named("")
	return bare.String()
}

func holdsOthers(v *value.Value) bool {
	return v.Kind == value.Array || v.Kind == value.Object && !schema.IsAmount(v)
}

// entriesOf writes a map of plain values; false where it would not be read back.
func entriesOf(v *value.Value) (string, bool) {
	var parts []string
	for i := range v.Kids {
		kid := &v.Kids[i]
		text := Shown(kid)
		if holdsOthers(kid) || text == "" || kid.Name == "" || strings.ContainsAny(kid.Name+text, ";\n") || strings.Contains(kid.Name, ": ") || strings.ContainsAny(kid.Name[:1], "{[") {
			return "", false
		}
		parts = append(parts, kid.Name+": "+text)
	}
	return strings.Join(parts, "; "), len(parts) > 0
}

// anyForm reads words as a value of any form: as JSON, as the entries of a map, as the values of a
// tuple or a list.
func anyForm(f *schema.Field, p value.Pointer, words string) value.Value {
	v := value.Str(words)
	if strings.HasPrefix(words, "{") || strings.HasPrefix(words, "[") || strings.HasPrefix(words, `"`) {
		if said, err := value.Parse(words); err == nil {
			v = said
		}
		normalize.Field(f, p, &v)
		return v
	}
	in := f.Inside()
	switch {
	case f.HasNames():
		out := value.Obj()
		for part := range strings.SplitSeq(words, ";") {
			name, said, ok := strings.Cut(strings.TrimSpace(part), ":")
			if !ok || name == "" {
				return v
			}
			out.Kids = append(out.Kids, plain(in.Member(name), p.Key(name), said).Named(name))
		}
		return out
	case f.HasItems():
		out := value.List()
		for part := range strings.SplitSeq(words, ",") {
			out.Kids = append(out.Kids, plain(in.Item(len(out.Kids)), p.Index(len(out.Kids)), part))
		}
		return out
	}
	return plain(in, p, words)
}

// plain reads words as one value.
func plain(in schema.Inner, p value.Pointer, words string) value.Value {
	words = strings.TrimSpace(words)
	if f := in.Typed(); f != nil {
		return typed(f, p, words)
	}
	if v, err := value.Parse(words); err == nil && (v.Kind == value.Bool || v.Kind == value.Number && in.Counts(words)) {
		return v
	}
	return value.Str(words)
}
