package suggest

import (
	"fmt"
	"regexp"
	"strings"

	"filler/internal/base/value"
	"filler/internal/record/pair"
	"filler/internal/schema"
)

// enough is how many values of gold show the shape that all have.
const enough = 8

// shape suggests a pattern that all of gold's values keep and a wrong one breaks: letters
// and figures where they have them, everything else as it is.
func (c *Collector) shape(f *schema.Field) []Suggestion {
	if f.Type != schema.Text || f.Pattern != nil {
		return nil
	}
	pattern, values := "", 0
	distinct := map[string]bool{}
	for i := range c.cases {
		g := &c.cases[i]
		same := true
		eachLeaf(c.schema, &g.Gold.Record, func(at *schema.Field, v *value.Value) {
			if at != f || v.Empty() || v.Kind != value.String {
				return
			}
			own := shapeOf(v.Text)
			values++
			distinct[v.Text] = true
			same = same && (pattern == "" || pattern == own)
			pattern = own
		})
		if !same {
			return nil
		}
	}
	// A code has figures in it; a text of letters alone is a word, which has other lengths.
	if values < enough || len(distinct) < enough/2 || !strings.Contains(pattern, `\d`) {
		return nil
	}
	keeps := regexp.MustCompile(pattern)
	s := write(f, "'"+strings.ReplaceAll(pattern, "'", "''")+"'", "pattern")
	for i := range c.cases {
		for j := range c.cases[i].Errors {
			e := &c.cases[i].Errors[j]
			if e.Field == f && e.Filled.Kind == value.String && e.Filled.Text != "" && !keeps.MatchString(e.Filled.Text) {
				s.For = append(s.For, Where{e.Document, e.FilledLine.N, e.Filled.Text})
			}
		}
	}
	return []Suggestion{s}
}

// shapeOf gives a pattern that a text keeps.
func shapeOf(text string) string {
	var b strings.Builder
	b.WriteByte('^')
	last, n := "", 0
	flush := func() {
		if n > 1 {
			fmt.Fprintf(&b, "%s{%d}", last, n)
		} else if n == 1 {
			b.WriteString(last)
		}
	}
	for _, r := range text {
		class := regexp.QuoteMeta(string(r))
		switch {
		case r >= '0' && r <= '9':
			class = `\d`
		case r >= 'A' && r <= 'Z':
			class = "[A-Z]"
		case r >= 'a' && r <= 'z':
			class = "[a-z]"
		}
		if class != last {
			flush()
			last, n = class, 0
		}
		n++
	}
	flush()
	b.WriteByte('$')
	return b.String()
}

// keys suggests the value of an item that no other item of its list shares, in lists of two
// or more, where items are missed or extra.
func (c *Collector) keys(f *schema.Field) (out []Suggestion) {
	var kids []*schema.Field
	for _, kid := range f.Item.Fields {
		if kid.Type != schema.Text && kid.Type != schema.Integer { // a day or a price tells items apart by chance
			continue
		}
		s := write(f, schema.QuoteList([]string{kid.Name}), "key")
		whole := true
		for i := range c.cases {
			g := &c.cases[i]
			for _, items := range listsOf(c.schema.Root, f, &g.Gold.Record) {
				if len(items) < 2 {
					continue
				}
				seen, twice := map[string]bool{}, false
				for k := range items {
					v := items[k].Get(kid.Name)
					whole = whole && pair.Has(v)
					if pair.Has(v) {
						text := pair.Canonical(kid, v)
						twice = twice || seen[text]
						seen[text] = true
					}
				}
				at := Where{Document: g.Gold.Document}
				if twice {
					s.Against = append(s.Against, at)
				} else if len(seen) == len(items) {
					s.For = append(s.For, at)
				}
			}
		}
		if whole && len(s.Against) == 0 {
			out, kids = append(out, s), append(kids, kid)
		}
	}
	if len(out) > 1 { // of several only a number can be told to be meant
		numbers := out[:0]
		for i, s := range out {
			if kids[i].Type == schema.Integer {
				numbers = append(numbers, s)
			}
		}
		out = numbers
	}
	if len(out) != 1 {
		return nil
	}
	return out
}

// listsOf gives the items of every list of a field in a record.
func listsOf(at, f *schema.Field, v *value.Value) (all [][]value.Value) {
	switch {
	case v == nil:
	case at == f:
		all = append(all, pair.Items(v))
	case at.Type == schema.Group:
		for _, kid := range at.Fields {
			all = append(all, listsOf(kid, f, v.Get(kid.Name))...)
		}
	case at.Type == schema.List:
		for i := range pair.Items(v) {
			all = append(all, listsOf(at.Item, f, &v.Kids[i])...)
		}
	}
	return all
}
