package evidence

import "filler/internal/base/value"

// Names of a map are printed beside their values, as a rule: one that is printed nowhere, while
// those of the others are, is not what the document says.

// leastNamed is how many other entries of a map have their names in the lines of their values.
const leastNamed = 2

// namesOfEntries takes their places from values of maps whose names stand nowhere, where those of
// most other entries stand before their values.
func (w *weigher) namesOfEntries(it *item) {
	for _, list := range it.lists {
		named := 0
		var unnamed []*item
		for _, kid := range list {
			w.namesOfEntries(kid)
			if len(kid.leaves) == 0 || kid.leaves[0].f.Name != entryName || kid.leaves[0].path.Last() != entryName {
				continue
			}
			name := w.places[kid.leaves[0].path]
			switch {
			case !name.Found():
				unnamed = append(unnamed, kid)
			case w.besideValue(kid, name):
				named++
			}
		}
		if named < leastNamed || named < 2*len(unnamed) {
			continue
		}
		for _, kid := range unnamed {
			name, _ := value.Parse(kid.leaves[0].value)
			for _, l := range kid.leaves[1:] {
				if at := w.places[l.path]; l.fixed == nil && at.Found() {
					w.places[l.path] = Place{Kind: None, Unnamed: name.Text}
				}
			}
		}
	}
}

// besideValue tells whether a value of an entry stands behind its name, in the same line.
func (w *weigher) besideValue(it *item, name Place) bool {
	for _, l := range it.leaves[1:] {
		if at := w.places[l.path]; at.Found() && at.Line == name.Line && at.Start >= name.End {
			return true
		}
	}
	return false
}
