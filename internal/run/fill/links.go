package fill

import (
	"strings"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// linksOut gives the paths that links of a part point to and the part does not ask
// for.
func linksOut(part, whole *schema.Schema) (paths []string) {
	if part == whole {
		return nil
	}
	part.Root.Walk(func(f *schema.Field, _ int) {
		if f.Type != schema.Link {
			return
		}
		for _, to := range f.To {
			if part.Find(to) == nil {
				paths = append(paths, to)
			}
		}
	})
	return paths
}

// keysFor gives what the links of a piece may point to, as far as other pieces
// found it: a record of these values alone; nil where there are none.
func (w *filling) keysFor(x *piece, others []*piece) *value.Value {
	keys := value.Obj()
	for _, to := range linksOut(x.schema, w.Schema) {
		list, rest, inList := strings.Cut(to, "[].")
		if !inList || strings.Contains(list, ".") || strings.ContainsAny(rest, "[.") || keys.Get(list) != nil {
			continue
		}
		items := value.List()
		for _, other := range others {
			for _, leaf := range other.leaves() {
				from := leaf.record.Get(list)
				if leaf.code != "" || from == nil || from.Kind != value.Array {
					continue
				}
				for i := range from.Kids {
					if key := from.Kids[i].Get(rest); !key.Empty() {
						items.Kids = append(items.Kids, value.Obj(key.Clone().Named(rest)))
					}
				}
			}
		}
		if len(items.Kids) > 0 {
			keys.Set(list, items)
		}
	}
	if len(keys.Kids) == 0 {
		return nil
	}
	return &keys
}
