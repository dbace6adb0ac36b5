package evidence

import (
	"slices"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// bySlots gives, by path, what the items of lists have where a value of theirs is missing, between the words that stand
// around the values of others.
func (l *leaving) bySlots() map[value.Pointer]span {
	if l.slotted != nil {
		return l.slotted
	}
	l.slotted = map[value.Pointer]span{}
	w := &weigher{ground: l.w.ground, ix: l.w.ix, places: l.places}
	root := &item{last: -1}
	w.hang(l.s.Root, "", root, l.record)
	w.eachListOf(root.lists, func(s *slots) {
		if !s.apart() {
			return
		}
		for i, it := range s.list {
			for _, leaf := range it.leaves {
				if leaf.value != "null" || s.ext[i].End == 0 || leaf.f.Type == schema.Boolean || leaf.f.Concludes || leaf.f.List != nil {
					continue
				}
				if said, ok := s.saidFor(leaf, i, s.around(i)); ok && mayBe(leaf.f, l.w.ix.Source[said.Start:said.End]) {
					l.slotted[leaf.path] = said
				}
			}
		}
	})
	return l.slotted
}

// printedNumber is a number as it is printed.
var printedNumber = lazy.New(`\d+(?:[.,'’]\d+)*`)

// mayBe tells whether some words may be a value of a field: none says that nothing is known, and an amount has one figure.
func mayBe(f *schema.Field, said string) bool {
	if letters(said) == 0 || saysNone(said) || slices.ContainsFunc(wordsOf(said), lang.Unknown.Has) {
		return false
	}
	switch f.Type {
	case schema.Integer, schema.Number, schema.Quantity, schema.Money:
		return len(printedNumber.FindAllString(said, 2)) == 1
	}
	return true
}

// hang gives an item its values, those that are missing, too, and the items of its lists.
func (w *weigher) hang(f *schema.Field, p value.Pointer, it *item, v *value.Value) {
	switch {
	case f.Type == schema.Group && (v == nil || v.Kind == value.Object || v.Kind == value.Null):
		for _, kid := range f.Fields {
			var at *value.Value
			if v != nil {
				at = v.Get(kid.Name)
			}
			w.hang(kid, p.Key(kid.Name), it, at)
		}
	case f.Type == schema.List && v != nil && v.Kind == value.Array:
		var items []*item
		for i := range v.Kids {
			kid := &item{parent: it, last: -1}
			w.hang(f.Item, p.Index(i), kid, &v.Kids[i])
			items = append(items, kid)
		}
		it.lists = append(it.lists, items)
	case f.IsLeaf():
		l := &leaf{path: p, item: it, f: f, value: "null"}
		if v != nil && !v.Empty() {
			l.value = v.Named("").String()
		}
		w.leaves = append(w.leaves, l)
		it.leaves = append(it.leaves, l)
	}
}

// eachListOf calls do for the items of each list, those of lists within several items as one.
func (w *weigher) eachListOf(lists [][]*item, do func(s *slots)) {
	byList, kids := map[*schema.Field][]*item{}, [][]*item{}
	var order []*schema.Field
	for _, it := range slices.Concat(lists...) {
		kids = append(kids, it.lists...)
		if len(it.leaves) > 0 {
			of := it.leaves[0].f
			if byList[of] == nil {
				order = append(order, of)
			}
			byList[of] = append(byList[of], it)
		}
	}
	for _, of := range order {
		do(&slots{weigher: w, list: byList[of]})
	}
	if len(kids) > 0 {
		w.eachListOf(kids, do)
	}
}
