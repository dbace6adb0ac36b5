package invent

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Styles are the looks of texts that need no document to begin with.
var Styles = []string{"form", "table", "letter", "notes"}

// writer writes one record as a text.
type writer struct {
	*Page
	r      *rand.Rand
	style  string
	labels map[string]string // one label a field, all through the text
	lost   []value.Pointer   // values that can't be written
	mute   value.Pointer     // the value whose label is left out
	hides  bool
	twice  map[string]int                // fields by their name
	kept   map[value.Pointer]value.Value // values that come with the words of an item
	fresh  func(f *schema.Field, p value.Pointer) value.Value
}

// all writes a record. Values that no way of writing is read back as are lost.
func (w *writer) all(s *schema.Schema, v *value.Value) {
	w.twice = map[string]int{}
	for _, leaf := range s.Leaves() {
		w.twice[leaf.Name]++
	}
	w.head(s)
	if !s.EachEntry() {
		w.group(s.Record(), v, "", 0)
	} else {
		for i := range v.Kids {
			if i > 0 {
				w.write("\n")
			}
			w.say(fmt.Sprintf("Entry %d\n", i+1))
			w.group(s.Record(), &v.Kids[i], value.Pointer("").Index(i), 1)
		}
	}
	w.tail()
}

func (w *writer) head(s *schema.Schema) {
	title := strings.ToUpper(strings.ReplaceAll(s.Name, "-", " "))
	switch w.style {
	case "letter":
		w.say(placeName(w.r) + " Office\n" + fmt.Sprintf("%d %s Lane, %s\n\n", 1+w.r.IntN(60), pick(w.r, placeHeads), placeName(w.r)))
		w.say(pick(w.r, []string{"Dear colleague,", "Dear Sir or Madam,", "Good morning,"}) + "\n\n" + sentence(w.r) + " " + sentence(w.r) + "\n\n")
	case "notes":
		w.say("Hello all,\n\n")
	default:
		w.say(title + "\n\n")
	}
}

func (w *writer) tail() {
	if w.style == "letter" {
		w.say("\n" + sentence(w.r) + "\n\nYours sincerely\n")
	}
}

func (w *writer) named(f *schema.Field) string {
	if w.labels[f.Path] == "" {
		w.labels[f.Path] = w.label(f)
	}
	return w.labels[f.Path]
}

// group writes the values of a group, then its groups and lists.
func (w *writer) group(g *schema.Field, v *value.Value, p value.Pointer, depth int) {
	for _, f := range g.Fields {
		if f.IsLeaf() {
			w.line(f, v.Get(f.Name), p.Key(f.Name), depth, g)
		}
	}
	for _, f := range g.Fields {
		if f.Type == schema.Group && !v.Get(f.Name).Empty() {
			w.group(f, v.Get(f.Name), p.Key(f.Name), depth)
		}
	}
	for _, f := range g.Fields {
		if f.Type == schema.List {
			w.list(f, v.Get(f.Name), p.Key(f.Name), depth)
		}
	}
}

// line writes a value behind its label.
func (w *writer) line(f *schema.Field, v *value.Value, p value.Pointer, depth int, in *schema.Field) {
	if v.Empty() {
		return
	}
	label := w.named(f)
	if in.Type == schema.Group && in.Path != "" && !strings.HasSuffix(in.Path, "]") && (len(f.PrintedAs) == 0 || w.twice[f.Name] > 1) {
		label = w.named(in) + " " + strings.ToLower(label[:1]) + label[1:]
	}
	if w.style == "notes" {
		label = strings.ToLower(label)
	}
	indent := strings.Repeat("  ", depth)
	if f.Type == schema.Any && w.plainly(f, indent+label, v, p, depth) {
		return
	}
	text, ok := spell(f, v, nil, w.r)
	if !ok {
		w.lost = append(w.lost, p)
		return
	}
	w.write(indent)
	if w.hides && p == w.mute {
		w.value(p, text)
	} else {
		w.say(label + ": ")
		w.value(p, text)
	}
	w.write("\n")
}

func (w *writer) list(f *schema.Field, v *value.Value, p value.Pointer, depth int) {
	indent := strings.Repeat("  ", depth)
	if v.Empty() || len(v.Kids) == 0 {
		if w.style != "letter" {
			w.say(indent + w.named(f) + ": none\n")
		}
		return
	}
	if f.Item.IsLeaf() {
		w.say(indent + w.named(f) + ": ")
		for i := range v.Kids {
			if i > 0 {
				w.write(", ")
			}
			if text, ok := spell(f.Item, &v.Kids[i], nil, w.r); ok {
				w.value(p.Index(i), text)
			} else {
				w.lost = append(w.lost, p.Index(i))
			}
		}
		w.write("\n")
		return
	}
	if w.style == "table" && flat(f.Item) {
		w.rows(f, v, p)
		return
	}
	name := w.named(f)
	w.write("\n")
	w.say(indent + name + "\n")
	one := strings.TrimSuffix(schema.Spoken(f.Name), "s")
	one = strings.ToUpper(one[:1]) + one[1:]
	for i := range v.Kids {
		item, at := &v.Kids[i], p.Index(i)
		key := ""
		if len(f.Key) == 1 && f.Item.Child(f.Key[0]).Type == schema.Integer && !item.Get(f.Key[0]).Empty() {
			key = f.Key[0]
			w.say(indent + one + " ")
			w.value(at.Key(key), item.Get(key).Text)
			w.write("\n")
		} else {
			w.say(fmt.Sprintf("%s%d.\n", indent, i+1))
		}
		rest := *f.Item
		if key != "" {
			rest.Fields = slices.DeleteFunc(slices.Clone(rest.Fields), func(k *schema.Field) bool { return k.Name == key })
		}
		w.group(&rest, item, at, depth+1)
	}
}

// flat tells whether all of an item are single values.
func flat(item *schema.Field) bool {
	return !slices.ContainsFunc(item.Fields, func(f *schema.Field) bool { return !f.IsLeaf() })
}

// rows writes items as a table.
func (w *writer) rows(f *schema.Field, v *value.Value, p value.Pointer) {
	cells := make([][]string, len(v.Kids)+1)
	for _, kid := range f.Item.Fields {
		cells[0] = append(cells[0], w.named(kid))
	}
	for i := range v.Kids {
		for _, kid := range f.Item.Fields {
			own := v.Kids[i].Get(kid.Name)
			text := "-"
			if !own.Empty() {
				spelled, ok := spell(kid, own, nil, w.r)
				if !ok {
					w.lost = append(w.lost, p.Index(i).Key(kid.Name))
				} else {
					text = spelled
				}
			}
			cells[i+1] = append(cells[i+1], text)
		}
	}
	w.write("\n")
	w.say(w.named(f) + "\n")
	for i, row := range cells {
		column := 0
		for j, text := range row {
			if j > 0 {
				w.pad(column)
			}
			if i > 0 && text != "-" {
				w.value(p.Index(i-1).Key(f.Item.Fields[j].Name), text)
			} else {
				w.say(text)
			}
			width := 0
			for _, other := range cells {
				width = max(width, len([]rune(other[j])))
			}
			column += width + 3
		}
		w.write("\n")
	}
}
