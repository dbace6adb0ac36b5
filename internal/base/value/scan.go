package value

// Scan calls do for v and all values below it, parents first, until do gives
// false. Unlike Walk it names no places: where nothing is likely to be found,
// naming them all would be most of the work.
func (v *Value) Scan(do func(v *Value) bool) bool {
	if !do(v) {
		return false
	}
	for i := range v.Kids {
		if !v.Kids[i].Scan(do) {
			return false
		}
	}
	return true
}

// few is how many members of an object are compared one by one.
const few = 24

// Repeats tells whether some object in v has two members of one name.
func (v *Value) Repeats() bool {
	return !v.Scan(func(o *Value) bool {
		if o.Kind != Object || len(o.Kids) < 2 {
			return true
		}
		if len(o.Kids) > few {
			seen := make(map[string]bool, len(o.Kids))
			for i := range o.Kids {
				seen[o.Kids[i].Name] = true
			}
			return len(seen) == len(o.Kids)
		}
		for i := range o.Kids {
			for j := range i {
				if o.Kids[i].Name == o.Kids[j].Name {
					return false
				}
			}
		}
		return true
	})
}
