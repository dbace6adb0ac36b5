package invent

import (
	"slices"
	"strings"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// plainly writes a value of any form as documents do: what it holds behind its label, each value of
// a map behind its name. Deeper ones are left to be written as JSON.
func (w *writer) plainly(f *schema.Field, label string, v *value.Value, p value.Pointer, depth int) bool {
	single := func(v value.Value) bool {
		return v.Kind != value.Array && (v.Kind != value.Object || schema.IsAmount(&v)) && !v.Empty()
	}
	if len(v.Kids) == 0 || schema.IsAmount(v) || slices.ContainsFunc(v.Kids, func(kid value.Value) bool { return !single(kid) }) {
		return false
	}
	in := f.Inside()
	texts := make([]string, len(v.Kids))
	for i := range v.Kids {
		of := in.Item(i)
		if v.Kind == value.Object {
			of = in.Member(v.Kids[i].Name)
		}
		text, ok := spell(of.Leaf([]*value.Value{&v.Kids[i]}), &v.Kids[i], nil, w.r)
		if !ok || strings.ContainsAny(text, "\n") {
			return false
		}
		texts[i] = text
	}
	lines := v.Kind == value.Object && (w.style == "form" || w.style == "table")
	w.say(label + ":")
	for i, text := range texts {
		at := p.Index(i)
		switch {
		case lines:
			w.say("\n" + strings.Repeat("  ", depth+1) + v.Kids[i].Name + ": ")
		case i > 0:
			w.write(", ")
		default:
			w.write(" ")
		}
		if v.Kind == value.Object {
			at = p.Key(v.Kids[i].Name)
			if !lines {
				w.say(v.Kids[i].Name + " ")
			}
		}
		w.value(at, text)
	}
	w.write("\n")
	return true
}
