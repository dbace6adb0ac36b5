package schema

import (
	"sort"

	"filler/internal/base/value"
)

// keep puts into Extra what the subschema says and ours does not, and the
// other way round, so that both accept the same values.
func (im *importer) keep(f *Field, n *value.Value, ownWork bool) {
	if f.Type == Link && ownWork {
		return // its type is that of what it points to, which may come later
	}
	if im.loose > 0 {
		f.Pattern = nil
	}
	mine := f.fullByType()
	if im.loose > 0 {
		f.Extra = nothingOf(&mine)
		return
	}
	skip := map[string]bool{"properties": f.Type == Group, "items": f.Type == List, Annotation: true, optionAbouts: true, wholeMark: true}
	for _, a := range annotations {
		skip[a] = !im.own || a != "$defs"
	}
	f.Extra = value.Value{}
	extra := value.Obj()
	for i := range n.Kids {
		k := &n.Kids[i]
		if skip[k.Name] || sameKeyword(k, mine.Get(k.Name)) || (k.Name == "additionalProperties" && k.Text == "false" && f.Type == Group) {
			continue
		}
		kept, ok := im.exactKeyword(k, f.Path)
		if !ok {
			continue
		}
		extra.Kids = append(extra.Kids, kept.Named(k.Name))
		if !shared[k.Name] {
			im.kept = append(im.kept, Kept{f.Path, k.Name})
		}
	}
	for i := range mine.Kids {
		k := &mine.Kids[i]
		if !skip[k.Name] && n.Get(k.Name) == nil {
			extra.Kids = append(extra.Kids, value.Value{Name: k.Name})
		}
	}
	if whole := n.Get(wholeMark); whole != nil {
		all := value.List(whole.Named(""))
		if more := extra.Get("allOf"); more != nil {
			all.Kids = append(all.Kids, more.Kids...)
		}
		extra.Set("allOf", all)
		im.keepNote(f.Path, "allOf")
	}
	sort.Slice(extra.Kids, func(i, j int) bool { return extra.Kids[i].Name < extra.Kids[j].Name })
	if len(extra.Kids) > 0 {
		f.Extra = extra
	}
}

// shared are keywords that our language has words for; where one is kept, it
// only says more exactly how null and absence are taken.
var shared = map[string]bool{"type": true, "enum": true, "required": true, "additionalProperties": true, "minLength": true, "minItems": true}

// nothingOf takes back all that ours would say of a value, so that the exact form above it is
// all that counts.
func nothingOf(mine *value.Value) value.Value {
	extra := value.Obj()
	for _, k := range mine.Kids {
		if k.Name != "properties" && k.Name != "items" {
			extra.Kids = append(extra.Kids, value.Value{Name: k.Name})
		}
	}
	sort.Slice(extra.Kids, func(i, j int) bool { return extra.Kids[i].Name < extra.Kids[j].Name })
	if len(extra.Kids) == 0 {
		return value.Value{}
	}
	return extra
}

// keepDefinitions puts what kept keywords refer to at the top of the record.
func (im *importer) keepDefinitions(record *Field) {
	if record.Extra.Kind != value.Object {
		record.Extra = value.Obj()
	}
	record.Extra.Set("$defs", im.definitions)
	sort.Slice(record.Extra.Kids, func(i, j int) bool { return record.Extra.Kids[i].Name < record.Extra.Kids[j].Name })
}

// sameKeyword compares two keywords; the order of types, of required names and
// of enumerated values makes no difference.
func sameKeyword(a, b *value.Value) bool {
	if b == nil {
		return false
	}
	if a.Name == "type" || a.Name == "required" || a.Name == "enum" {
		return sameSet(a, b) && sameSet(b, a)
	}
	return value.Equal(a, b)
}

func sameSet(a, b *value.Value) bool {
	one := func(v *value.Value) []value.Value {
		if v.Kind == value.Array {
			return v.Kids
		}
		return []value.Value{*v}
	}
	for _, x := range one(a) {
		found := false
		for _, y := range one(b) {
			found = found || value.Equal(&x, &y)
		}
		if !found {
			return false
		}
	}
	return true
}
