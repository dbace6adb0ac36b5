package invent

import (
	"filler/internal/base/value"
	"filler/internal/schema"
)

// settle puts right what breaks the schema or a rule; it says what can't be.
func (d *drawing) settle(v *value.Value) (why string) {
	for range mostSteps {
		broken, _ := d.broken(v)
		if len(broken) == 0 {
			return ""
		}
		d.change(v, pick(d.r, broken))
	}
	_, why = d.broken(v)
	return why
}

// fault is something to change: values to draw again, or a value that is known.
type fault struct {
	paths  []value.Pointer
	solved *schema.Solved
}

func (d *drawing) broken(v *value.Value) (all []fault, why string) {
	own := append(append([]*schema.Rule(nil), d.Schema.Rules...), d.Rules...)
	whole := schema.Operands(d.Schema, v)
	for _, r := range own {
		for _, b := range r.Check(d.Schema, v, whole, "") {
			why = "the rule `" + r.Holds + "`"
			f := fault{paths: b.Fields}
			for _, s := range r.Solve(d.Schema, v, "") {
				if s.At.Within(b.At) || b.At == "" {
					f.solved = &s
				}
			}
			all = append(all, f)
		}
	}
	if len(all) > 0 {
		return all, why
	}
	for _, p := range d.problems(v) {
		all, why = append(all, fault{paths: []value.Pointer{p.Path}}), p.Path.Words()+": "+p.Message()
	}
	for _, r := range d.Rules { // what is unknown does not meet a condition
		if !r.Meets(d.Schema, v) {
			paths := make([]value.Pointer, 0, len(r.Fields))
			for _, f := range r.Fields {
				paths = append(paths, value.Pointer("").Key(f))
			}
			all, why = append(all, fault{paths: paths}), "the condition `"+r.Holds+"`"
		}
	}
	return all, why
}

// change draws again one of the values that a fault is about, but those that are held.
func (d *drawing) change(v *value.Value, f fault) {
	if f.solved != nil && d.r.IntN(5) > 0 && !d.isHeld(f.solved.At) {
		field := d.at(f.solved.At)
		to := f.solved.Value
		if field != nil && (field.Kin().Type == schema.Money || field.Kin().Type == schema.Quantity) {
			own := d.fresh(field)
			if now := v.At(f.solved.At); now != nil && now.Kind == value.Object {
				own = now.Clone()
			}
			own.Set("amount", to)
			to = own
		}
		v.Put(f.solved.At, to)
		return
	}
	var free []value.Pointer
	for _, p := range f.paths {
		if !d.isHeld(p) {
			free = append(free, p)
		}
	}
	if len(free) == 0 {
		return
	}
	p := pick(d.r, free)
	field := d.at(p)
	for field == nil && p != "" { // a member that is not there: what it stands in
		p = p.Parent()
		field = d.at(p)
	}
	if field == nil {
		return
	}
	var donor *value.Value
	if field.Type == schema.Group || field.Type == schema.List {
		donor = v.At(p)
	}
	if up := d.at(p.Parent()); up != nil && len(up.Extra.Kids) > 0 && !field.Required && d.r.IntN(2) == 0 {
		if whole := v.At(p.Parent()); whole != nil { // of a union only one form's fields go together
			whole.Drop(p.Last())
			return
		}
	}
	if field.IsLeaf() && field.Type != schema.Link {
		v.Put(p, d.fresh(field))
		return
	}
	name := p.Last()
	v.Put(p, d.field(field, donor, p).Named(name))
	d.links(v)
}

func (d *drawing) isHeld(p value.Pointer) bool {
	for held := range d.held {
		if held.Within(p) || p.Within(held) {
			return true
		}
	}
	return false
}
