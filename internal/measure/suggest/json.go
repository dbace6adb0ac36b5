package suggest

import (
	"strconv"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

// Cover hides what a change would write of the values of sensitive fields, and under a schema
// that has one all lines: what else stands on them nobody knows.
func Cover(s *schema.Schema, all []Suggestion) []Suggestion {
	cover := record.NewCover(s)
	for i := range all {
		if s.IsSensitive(all[i].Field) && all[i].HoldsValues() {
			all[i].Write = record.Hidden
		}
		for _, list := range [][]Where{all[i].For, all[i].Against} {
			for k := range list {
				list[k].Text = cover.Words(list[k].Text)
			}
		}
	}
	return all
}

// JSON gives the machine form of docs/formats.md.
func JSON(all []Suggestion) value.Value {
	list := value.List()
	where := func(list []Where) value.Value {
		out := value.List()
		for _, w := range list {
			one := value.Obj(value.Str(w.Document).Named("document"))
			if w.Line > 0 {
				one.Set("line", value.Num(strconv.Itoa(w.Line)))
			}
			if w.Text != "" {
				one.Set("text", value.Str(w.Text))
			}
			out.Kids = append(out.Kids, one)
		}
		return out
	}
	for _, s := range all {
		list.Kids = append(list.Kids, value.Obj(value.Str(s.Field).Named("field"), value.Str(s.Key[len(s.Key)-1]).Named("key"), value.Str(s.String()).Named("write"), value.Num(strconv.Itoa(s.Errors)).Named("errors"), where(s.For).Named("for"), where(s.Against).Named("against")))
	}
	return value.Obj(list.Named("suggestions"))
}
