package answer

import (
	"fmt"
	"slices"
	"strings"
	"unicode"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/record/normalize"
	"filler/internal/schema"
)

// The further kinds of deviations, of what was read well and stands in another form
// than was asked for.
const (
	Wrapper = "wrapper" // something around the record
	Form    = "form"    // a list as an object, a value in a list of its own, flat names
)

// shaper brings what was read into the form of a schema.
type shaper struct {
	schema     *schema.Schema
	deviations []Deviation
}

func (x *shaper) deviate(kind string, p value.Pointer, note string) {
	if p != "" {
		note = string(p) + ": " + note
	}
	x.deviations = append(x.deviations, Deviation{Kind: kind, Note: note})
}

// child gives the field of a group that a name means, but for case and signs.
func child(f *schema.Field, name string) *schema.Field {
	if kid := f.Child(name); kid != nil {
		return kid
	}
	plain := normalize.PlainName(name)
	for _, kid := range f.Fields {
		if normalize.PlainName(kid.Name) == plain {
			return kid
		}
	}
	return nil
}

// fieldsIn counts the members of an object that are fields of a group; of a list
// those of its first item.
func fieldsIn(f *schema.Field, v *value.Value) (n int) {
	if v.Kind == value.Array && len(v.Kids) > 0 && v.Kids[0].Kind == value.Object {
		v = &v.Kids[0]
	}
	if v.Kind == value.Object {
		for i := range v.Kids {
			if child(f, v.Kids[i].Name) != nil {
				n++
			}
		}
	}
	return n
}

// Shape brings a record into the form of its schema where nothing has to be
// guessed: names that are written flat (`inspector.name`, `bays[0].number`,
// `length_unit`), lists that are written as objects, one value in a list of its
// own. Values stay as they are.
func Shape(s *schema.Schema, record *value.Value) []Deviation {
	x := &shaper{schema: s}
	if s.EachEntry() && record.Kind == value.Array {
		for i := range record.Kids {
			x.record(value.Pointer("").Index(i), &record.Kids[i])
		}
		return x.deviations
	}
	x.record("", record)
	return x.deviations
}

func (x *shaper) record(p value.Pointer, v *value.Value) {
	x.around(x.schema.Record(), p, v)
	if v.Kind == value.Object {
		x.unflatten(x.schema.Record(), p, v)
	}
	x.part(x.schema.Record(), p, v)
}

func (x *shaper) part(f *schema.Field, p value.Pointer, v *value.Value) {
	switch {
	case f.Type == schema.Group:
		x.around(f, p, v)
		if v.Kind != value.Object {
			return
		}
		for i := range v.Kids {
			if kid := child(f, v.Kids[i].Name); kid != nil {
				x.part(kid, p.Key(v.Kids[i].Name), &v.Kids[i])
			}
		}
		x.measures(f, p, v)
	case f.Type == schema.List:
		if inner := soleValue(f.Item, v); inner != nil {
			*v = inner.Named(v.Name)
			x.deviate(Form, p, "an object around the list")
		}
		if v.Kind == value.Object {
			x.listOf(f, p, v)
		}
		if v.Kind == value.Array {
			for i := range v.Kids {
				x.part(f.Item, p.Index(i), &v.Kids[i])
			}
		}
	case f.Type == schema.Any: // as it comes
	case v.Kind == value.Array && len(v.Kids) == 1 && v.Kids[0].Kind != value.Array:
		*v = v.Kids[0].Named(v.Name)
		x.deviate(Form, p, "a list around the one value")
	case v.Kind == value.Array && len(v.Kids) == 0:
		*v = value.Value{Name: v.Name}
		x.deviate(Form, p, "an empty list where one value belongs")
	}
}

// around takes off what stands around a group.
func (x *shaper) around(f *schema.Field, p value.Pointer, v *value.Value) {
	if inner := soleValue(f, v); inner != nil {
		*v = inner.Named(v.Name)
		x.deviate(Form, p, "an object around the group")
	}
	if v.Kind == value.Array && len(v.Kids) == 1 && v.Kids[0].Kind == value.Object {
		*v = v.Kids[0].Named(v.Name)
		x.deviate(Form, p, "a list around the one group")
	}
}

// soleValue gives what stands under `value` in an object that has no field of f:
// models that are to say how sure they are write values so.
func soleValue(f *schema.Field, v *value.Value) *value.Value {
	inner := v.Get("value")
	if inner == nil || len(inner.Kids) == 0 || f.Type == schema.Group && fieldsIn(f, v) > 0 {
		return nil
	}
	for i := range v.Kids {
		if k := &v.Kids[i]; k.Name != "value" && len(k.Kids) > 0 {
			return nil
		}
	}
	return inner
}

var lastNumber = lazy.New(`\d+$`)

// listOf makes a list of an object whose members are the items, called by their
// number or title, or that has nothing but the list in it.
func (x *shaper) listOf(f *schema.Field, p value.Pointer, v *value.Value) {
	if len(v.Kids) == 0 {
		return
	}
	if len(v.Kids) == 1 && v.Kids[0].Kind == value.Array && (f.Item.Type != schema.Group || child(f.Item, v.Kids[0].Name) == nil) {
		x.deviate(Form, p, fmt.Sprintf("the key %q around the list", v.Kids[0].Name))
		*v = v.Kids[0].Named(v.Name)
		return
	}
	if list, ok := columns(f.Item, v); ok {
		*v = list
		x.deviate(Form, p, "columns in place of items")
		return
	}
	numbered := true
	for i := range v.Kids {
		kid := &v.Kids[i]
		numbered = numbered && strings.IndexFunc(kid.Name, func(r rune) bool { return !unicode.IsDigit(r) }) < 0
		if f.Item.Type == schema.Group && (kid.Kind != value.Object || child(f.Item, kid.Name) != nil) {
			return
		}
	}
	if f.Item.Type != schema.Group && !numbered {
		return
	}
	list := value.List().Named(v.Name)
	for i := range v.Kids {
		item := v.Kids[i].Named("")
		name := v.Kids[i].Name
		if key := soleKey(f); key != nil && item.Get(key.Name).Empty() && !(numbered && v.Kids[0].Name == "0") {
			if key.Kin().Type == schema.Integer {
				name = lastNumber.FindString(name)
			}
			if name != "" {
				item.Kids = append([]value.Value(nil), item.Kids...)
				item.Set(key.Name, value.Str(name))
			}
		}
		list.Kids = append(list.Kids, item)
	}
	*v = list
	x.deviate(Form, p, fmt.Sprintf("an object of %d items in place of a list", len(list.Kids)))
}

// columns makes a list of an object that has, for each field of the items, the
// list of its values.
func columns(item *schema.Field, v *value.Value) (value.Value, bool) {
	if item.Type != schema.Group || len(v.Kids) < 2 {
		return value.Value{}, false
	}
	rows := len(v.Kids[0].Kids)
	for i := range v.Kids {
		k := &v.Kids[i]
		if f := child(item, k.Name); f == nil || f.Type == schema.List || k.Kind != value.Array || len(k.Kids) != rows {
			return value.Value{}, false
		}
	}
	list := value.List().Named(v.Name)
	for row := range rows {
		one := value.Obj()
		for i := range v.Kids {
			one.Kids = append(one.Kids, v.Kids[i].Kids[row].Named(v.Kids[i].Name))
		}
		list.Kids = append(list.Kids, one)
	}
	return list, rows > 1
}

// soleKey gives the field that alone is a list's key.
func soleKey(f *schema.Field) *schema.Field {
	if len(f.Key) != 1 || f.Item.Type != schema.Group {
		return nil
	}
	return f.Item.Child(f.Key[0])
}

// measures puts amounts and their units together that are written as two members
// (`length: 9.8, length_unit: m`) or with the unit in the name (`length_m: 9.8`).
func (x *shaper) measures(f *schema.Field, p value.Pointer, v *value.Value) {
	for _, kid := range f.Fields {
		if kid.Type != schema.Money && kid.Type != schema.Quantity {
			continue
		}
		name, own := kid.Measure()
		plain := normalize.PlainName(kid.Name)
		var amount, measure *value.Value
		var used []string
		amounts, measures := 0, 0 // of two it can't be told which is meant
		for i := range v.Kids {
			m := &v.Kids[i]
			if child(f, m.Name) != nil && m.Name != kid.Name || len(m.Kids) > 0 {
				continue
			}
			switch said := normalize.PlainName(m.Name); {
			case m.Name == kid.Name && m.Empty(): // the value is in the others
			case m.Name == kid.Name && m.Kind != value.Object, said == plain+"amount", said == plain+"value":
				amount, amounts = m, amounts+1
			case said == plain+name:
				measure, measures = m, measures+1
			case own != "" && said == plain+strings.ToLower(own):
				amount, amounts, measure, measures = m, amounts+1, &value.Value{Kind: value.String, Text: own}, measures+1
			default:
				continue
			}
			used = append(used, m.Name)
		}
		if whole := v.Get(kid.Name); amounts != 1 || measures > 1 || amount.Empty() || len(used) == 1 && used[0] == kid.Name || whole != nil && len(whole.Kids) > 0 {
			continue
		}
		whole := value.Obj(amount.Named("amount")).Named(kid.Name)
		if measure != nil {
			whole.Kids = append(whole.Kids, measure.Named(name))
		} else if own != "" {
			whole.Kids = append(whole.Kids, value.Str(own).Named(name))
		}
		left := value.Obj()
		left.Name = v.Name
		for i := range v.Kids {
			switch m := v.Kids[i]; {
			case m.Name == used[0]:
				left.Kids = append(left.Kids, whole)
			case !slices.Contains(used, m.Name):
				left.Kids = append(left.Kids, m)
			}
		}
		*v = left
		x.deviate(Form, p.Key(kid.Name), "written as "+strings.Join(used, " and "))
	}
}

var flatSigns = lazy.New(`[.\[\]/]+`)

// unflatten puts members with the path to a field as their name in their places.
func (x *shaper) unflatten(f *schema.Field, p value.Pointer, v *value.Value) {
	out := value.Obj()
	out.Name = v.Name
	at := map[string]int{} // the place of each list index that was written
	done := 0
	for i := range v.Kids {
		kid := &v.Kids[i]
		steps := flatSteps(f, kid.Name)
		if steps == nil || child(f, kid.Name) != nil {
			out.Kids = append(out.Kids, *kid)
			continue
		}
		if !plant(&out, f, steps, "", at, kid) {
			out.Kids = append(out.Kids, *kid)
			continue
		}
		done++
	}
	if done > 0 {
		*v = out
		x.deviate(Form, p, fmt.Sprintf("%d names written flat", done))
	}
}

// flatSteps cuts a flat name into steps: by its signs, or into a group's name and
// that of one of its fields. nil: it is no path.
func flatSteps(f *schema.Field, name string) []string {
	steps := strings.FieldsFunc(flatSigns.ReplaceAllString(name, "/"), func(r rune) bool { return r == '/' })
	if len(steps) > 1 && leads(f, steps) {
		return steps
	}
	plain := normalize.PlainName(name)
	var found []string
	for _, group := range f.Fields {
		if group.Type != schema.Group {
			continue
		}
		for _, kid := range group.Fields {
			if normalize.PlainName(group.Name+kid.Name) == plain {
				if found != nil {
					return nil
				}
				found = []string{group.Name, kid.Name}
			}
		}
	}
	return found
}

// leads tells whether steps lead to a field, or into a measure.
func leads(f *schema.Field, steps []string) bool {
	for _, step := range steps {
		switch {
		case f.Type == schema.Group:
			if f = child(f, step); f == nil {
				return false
			}
		case f.Type == schema.List:
			if strings.IndexFunc(step, func(r rune) bool { return !unicode.IsDigit(r) }) >= 0 {
				return false
			}
			f = f.Item
		case f.Type != schema.Money && f.Type != schema.Quantity || step == "":
			return false
		}
	}
	return true
}

// plant puts a value at the end of its steps. Items of a list come in the order in
// which their numbers first do. False: something else stands there.
func plant(v *value.Value, f *schema.Field, steps []string, path string, at map[string]int, to *value.Value) bool {
	if len(steps) == 0 {
		if v.Kind != value.Null {
			return false
		}
		*v = to.Named(v.Name)
		return true
	}
	if v.Kind != value.Null && (v.Kind == value.Array) != (f != nil && f.Type == schema.List) || v.Kind != value.Null && v.Kind < value.Array {
		return false
	}
	step := steps[0]
	path += "/" + step
	if f != nil && f.Type == schema.List {
		if _, ours := at[path[:len(path)-len(step)]]; !ours {
			if v.Kind == value.Array {
				return false // whose items are whose could not be told
			}
			*v = value.List().Named(v.Name)
			at[path[:len(path)-len(step)]] = 0
		}
		i, known := at[path]
		if !known {
			i = len(v.Kids)
			at[path] = i
			v.Kids = append(v.Kids, value.Value{})
		}
		return plant(&v.Kids[i], f.Item, steps[1:], path, at, to)
	}
	if v.Kind != value.Object {
		*v = value.Obj().Named(v.Name)
	}
	var next *schema.Field
	if f != nil && f.Type == schema.Group {
		if next = child(f, step); next != nil {
			step = next.Name
		}
	}
	if v.Get(step) == nil {
		v.Kids = append(v.Kids, value.Value{Name: step})
	}
	return plant(v.Get(step), next, steps[1:], path, at, to)
}
