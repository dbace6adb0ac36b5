package normalize

import (
	"regexp"
	"strings"
	"sync"

	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// items takes empty items out of a list: what is nothing is no item of it.
func (t *pass) items(p value.Pointer, v *value.Value) {
	left := value.List()
	for i := range v.Kids {
		if v.Kids[i].Kind != value.Null {
			left.Kids = append(left.Kids, v.Kids[i])
		}
	}
	if len(left.Kids) < len(v.Kids) {
		t.set(p, RuleBlank, v, left)
	}
}

// twice takes out the items that say nothing beyond one before them with the same
// key. What they say otherwise is for validation.
func (t *pass) twice(f *schema.Field, p value.Pointer, v *value.Value) {
	if len(f.Key) == 0 || f.Ordered || len(v.Kids) < 2 {
		return
	}
	first, left := map[string]int{}, value.List()
	for i := range v.Kids {
		key, whole := "", true
		for _, name := range f.Key {
			at := v.Kids[i].Get(name)
			whole = whole && !at.Empty()
			if whole {
				key += at.Named("").String() + "\x00"
			}
		}
		at, seen := first[key]
		if whole && seen && saysLess(&v.Kids[i], &left.Kids[at]) {
			continue
		}
		if whole && !seen {
			first[key] = len(left.Kids)
		}
		left.Kids = append(left.Kids, v.Kids[i])
	}
	if len(left.Kids) < len(v.Kids) {
		t.set(p, RuleTwice, v, left)
	}
}

// saysLess tells whether all that a value says stands in another.
func saysLess(v, other *value.Value) bool {
	switch {
	case v.Empty():
		return true
	case other.Empty() || v.Kind != other.Kind:
		return false
	case v.Kind == value.Object:
		for i := range v.Kids {
			if !saysLess(&v.Kids[i], other.Get(v.Kids[i].Name)) {
				return false
			}
		}
		return true
	}
	return value.Equal(v, other)
}

// listed reads a list that was written as one text: words for none, or items
// with signs between them of which each is one of the list's type.
func (t *pass) listed(f *schema.Field, p value.Pointer, v *value.Value) {
	word := strings.ToLower(strings.TrimSpace(v.Text))
	if word == "" || lang.Unknown.Has(word) || lang.Perhaps.Has(word) || word == "[]" {
		t.set(p, RuleUnknown, v, value.List())
		return
	}
	if !f.Item.IsLeaf() || f.Item.Type == schema.Text {
		return // a comma may well belong to a text
	}
	parts := listSigns().Split(v.Text, -1)
	if len(parts) < 2 {
		return
	}
	items := value.List()
	for _, part := range parts {
		item := value.Str(strings.TrimSpace(part))
		_, to, ok := ByType(f.Item.Kin(), &item)
		switch {
		case ok:
			items.Kids = append(items.Kids, to)
		case f.Item.Type == schema.Choice && isOption(f.Item, item.Text), f.Item.Type == schema.Date && schema.IsISODate(item.Text), f.Item.Type == schema.Time && schema.IsTime(item.Text):
			items.Kids = append(items.Kids, item)
		default:
			return
		}
	}
	t.set(p, RuleListed, v, items)
}

func isOption(f *schema.Field, text string) bool {
	option, found := Choice(f, text)
	return found && option == text
}

var listSigns = sync.OnceValue(func() *regexp.Regexp {
	and := strings.Join(lang.ListAnd.Words(), "|")
	return regexp.MustCompile(`\s*[,;+&]\s*(?:(?i:` + and + `)\s+)?|\s+(?i:` + and + `)\s+`)
})
