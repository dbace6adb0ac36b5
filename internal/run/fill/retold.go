package fill

import (
	"strings"

	"filler/internal/base/value"
	"filler/internal/record/normalize"
	"filler/internal/schema"
)

// What JSON takes from texts, and replies from lists and groups, the document gives back: the noughts that
// begin a code which came as a number, 01099, the items of a list which came as one text, and which of two
// numbers an amount is that came as a text in place of a group.

// retold puts them right, where the document has but one of what it may be.
func (x *piece) retold() {
	if x.w.index == nil {
		return
	}
	var walk func(f *schema.Field, p value.Pointer, v *value.Value)
	walk = func(f *schema.Field, p value.Pointer, v *value.Value) {
		switch {
		case f.Type == schema.Group && v.Kind == value.Object:
			for i := range v.Kids {
				if kid := f.Child(v.Kids[i].Name); kid != nil {
					walk(kid, p.Key(kid.Name), &v.Kids[i])
				}
			}
		case f.Type == schema.Group && v.Kind == value.String:
			if n, in, both := normalize.AmountGroup(f); n != nil {
				if pair, ok := x.w.index.Read(x.schema, both, v); ok {
					if to, ok := normalize.Grouped(n, in, both, &pair); ok {
						x.put(p, v, to)
					}
				}
			}
		case f.Type == schema.List && v.Kind == value.Array:
			x.parted(f, p, v)
			for i := range v.Kids {
				walk(f.Item, p.Index(i), &v.Kids[i])
			}
		case f.Type == schema.Text && v.Kind == value.Number && !f.KeptAsIs():
			if code := x.padded(v.Text); code != "" {
				x.put(p, v, value.Str(code))
			}
		}
	}
	if x.record.Kind != value.Array {
		walk(x.schema.Root, "", &x.record)
		return
	}
	for i := range x.record.Kids { // entries
		walk(x.schema.Root, value.Pointer("").Index(i), &x.record.Kids[i])
	}
}

// put changes a value, and tells it.
func (x *piece) put(p value.Pointer, v *value.Value, to value.Value) {
	x.normalized = append(x.normalized, normalize.Change{Path: p, Rule: normalize.RuleInPlace, From: v.Clone().Named(""), To: to})
	*v = to.Named(v.Name)
}

// mostNoughts is how many noughts a code may begin with.
const mostNoughts = 6

// padded gives a number with the noughts before it that the document has, where it stands there in no
// other way; "" else.
func (x *piece) padded(text string) (found string) {
	if strings.Trim(text, "0123456789") != "" || len(x.w.index.ByWord[text]) > 0 {
		return ""
	}
	for n := 1; n <= mostNoughts; n++ {
		code := strings.Repeat("0", n) + text
		switch {
		case len(x.w.index.ByWord[code]) == 0:
		case found != "":
			return ""
		default:
			found = code
		}
	}
	return found
}

// parted makes a list of texts of one text, at its commas or semicolons, where that stands nowhere and
// each part does.
func (x *piece) parted(f *schema.Field, p value.Pointer, v *value.Value) {
	if f.Item.Type != schema.Text || len(v.Kids) != 1 || v.Kids[0].Kind != value.String || f.Item.KeptAsIs() {
		return
	}
	text := v.Kids[0].Text
	sign := ","
	if strings.Contains(text, ";") {
		sign = ";"
	}
	if _, stands := x.w.index.Words(text); stands || !strings.Contains(text, sign) {
		return
	}
	list := value.List()
	for _, part := range strings.Split(text, sign) {
		part = strings.TrimSpace(part)
		if _, stands := x.w.index.Words(part); !stands {
			return
		}
		list.Kids = append(list.Kids, value.Str(part))
	}
	x.put(p, v, list)
}
