package fill

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"filler/internal/ask/answer"
	"filler/internal/ask/model"
	"filler/internal/ask/prompt"
	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/normalize"
	"filler/internal/record/trace"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// How the reply to a piece becomes a record.

// read reads a reply into the record, as the model means it.
func (x *piece) read(came *model.Answer) error {
	r, err := x.reply(came.Text)
	if err != nil {
		return err
	}
	x.trace.lenient(r.Deviations)
	if x.record, err = x.unwrap(r.Value); err != nil {
		return err
	}
	x.cut = cutOff(came) || r.Cut && !(r.LastBracket && came.Finish == "stop" && x.complete())
	read := []*value.Value{&r.Value}
	if x.schema.EachEntry() && len(r.All) > 1 && len(x.record.Kids) == 1 && r.Value.Kind == value.Object && r.Value.Get(schema.Wrapper) == nil && x.entries(r.All) {
		read = read[:0]
		for i := range r.All {
			read = append(read, &r.All[i])
		}
	}
	x.account(&r, read)
	if x.w.Settings.Images != "alone" {
		x.trace.lenient(answer.Shape(x.schema, &x.record))
	}
	x.onlyAsked()
	x.unpack(x.schema.Root, "", &x.record)
	if x.w.Settings.Images == "alone" && len(x.w.images()) > 0 {
		x.see()
	}
	x.bases()
	if x.style == prompt.ByPointer {
		x.point()
	}
	return nil
}

// reply reads what came back as an object: of a question, which has one field, also the answer
// without anything around it.
func (x *piece) reply(text string) (answer.Result, error) {
	r, err := answer.ReadKnown(text, value.Object, x.known)
	if !errors.Is(err, answer.ErrNoRecord) {
		return r, err
	}
	bare, ok := answer.Result{}, false
	switch {
	case x.w.Schema.IsStatement():
		bare, ok = answer.BareStatement(text, schema.StatementField)
	case x.w.Schema.IsQuestion():
		bare, ok = answer.BareAnswer(text, schema.AnswerField)
	}
	if ok {
		return bare, nil
	}
	return r, err
}

// onlyAsked takes out of a part what other parts ask for: a model that lists the
// items as well, in the request for the rest, does not say more of them than the
// request for the items does.
func (x *piece) onlyAsked() {
	if x.record.Kind != value.Object || x.schema.EachEntry() {
		return
	}
	kept := x.record.Kids[:0:0]
	for i := range x.record.Kids {
		kid := &x.record.Kids[i]
		if x.schema.Record().Child(kid.Name) != nil || x.w.Schema.Record().Child(kid.Name) == nil {
			kept = append(kept, *kid)
			continue
		}
		x.trace.add(x.w.unusedStep(answer.Unused{Line: 1, Text: kid.Name, Reason: answer.ReasonUnasked, Chatter: true}))
	}
	x.record.Kids = kept
}

// complete tells whether a record has all fields that were asked for: a model that
// ended of its own accord and left out the last bracket has said all.
func (x *piece) complete() bool {
	if x.schema.EachEntry() {
		return true // the list has its own end
	}
	for _, f := range x.schema.Record().Fields {
		if x.record.Get(f.Name) == nil {
			return false
		}
	}
	return true
}

// normalize normalizes what was read.
func (x *piece) normalize() {
	x.normalizers()
	x.came = nil
	for i := range x.record.Kids {
		if i+1 < len(x.record.Kids) && x.schema.Record().Child(x.record.Kids[i].Name) != nil {
			x.came = append(x.came, x.record.Kids[i].Name)
		}
	}
	x.record = record.Arrange(x.schema, &x.record)
}

// known tells whether a field somewhere in the schema is called so, but for
// case and signs, or the way to one: inspector.name, bays[0].deck.
func (x *piece) known(name string) bool {
	if steps := strings.FieldsFunc(name, func(r rune) bool { return r == '.' || r == '[' || r == ']' }); len(steps) > 1 {
		return !slices.ContainsFunc(steps, func(step string) bool {
			_, err := strconv.Atoi(step)
			return err != nil && !x.known(strings.TrimSpace(step))
		})
	}
	name = normalize.PlainName(name)
	found := name == schema.Wrapper
	x.schema.Root.Walk(func(f *schema.Field, _ int) { found = found || f.Name != "" && normalize.PlainName(f.Name) == name })
	return found
}

// entries takes objects that stand side by side as the records: one a line, as
// models write them where a list was asked.
func (x *piece) entries(all []value.Value) bool {
	list := value.List()
	for i := range all {
		fields := 0
		for j := range all[i].Kids {
			if x.known(all[i].Kids[j].Name) {
				fields++
			}
		}
		if fields*2 < len(all[i].Kids) {
			return false
		}
		list.Kids = append(list.Kids, all[i])
	}
	x.record = list
	x.trace.add(&trace.Lenient{Kind: "list", Note: fmt.Sprintf("%d records side by side in place of a list", len(all))})
	return true
}

// account notes what of the reply was not read. What may hold values keeps the
// record from being unflagged; what a field that is sensitive may have said is
// not repeated.
func (x *piece) account(r *answer.Result, read []*value.Value) {
	x.leftOver(r.Account(x.known, read...))
}

// leftOver notes what of a reply was not read. What a reply says in a schema
// with sensitive fields may be one of them, so that it is not repeated.
func (x *piece) leftOver(all []answer.Unused) {
	for _, u := range all {
		step := x.w.unusedStep(u)
		if u.Text = step.Text; !u.Chatter {
			x.unused = append(x.unused, u)
		}
		x.trace.add(step)
	}
}

func (w *filling) unusedStep(u answer.Unused) *trace.Unused {
	sensitive := false
	w.Schema.Root.Walk(func(f *schema.Field, _ int) { sensitive = sensitive || f.Sensitive })
	if sensitive {
		u.Text = "…"
	}
	return &trace.Unused{Offset: u.Offset, Line: u.Line, Text: u.Text, Reason: u.Reason, Chatter: u.Chatter}
}

// corrections reads the operations of a reply to a repair or an update, and notes
// what of it was not read.
func (w *filling) corrections(faulty []value.Pointer, r *answer.Result) value.Value {
	w.trace.lenient(r.Deviations)
	ops, deviations := answer.Patch(w.Schema, &w.record, faulty, *r)
	w.trace.lenient(deviations)
	for _, u := range r.Account(func(string) bool { return false }, &r.Value, &ops) {
		if !u.Chatter {
			w.trace.add(w.unusedStep(u))
		}
	}
	return ops
}

// unusedProblems gives the problems of what was not read.
func (x *piece) unusedProblems() (all []record.Problem) {
	for _, u := range x.unused {
		all = append(all, record.Problem{Path: pathOf(x), What: record.ReplyUnused{Line: u.Line, Reason: u.Reason, Said: u.Text}})
	}
	if x.garbled {
		all = append(all, record.Problem{Path: pathOf(x), What: record.ReplyGarbled{}})
	}
	return all
}

// unpack takes values out of what models put around them: JSON in a string
// where a group or a list belongs, and {"value": …} around a plain value.
func (x *piece) unpack(f *schema.Field, p value.Pointer, v *value.Value) {
	deviation := func(note string) {
		x.trace.add(&trace.Lenient{Kind: "packed", Note: fmt.Sprintf("%s: %s", p, note)})
	}
	if !f.IsLeaf() && v.Kind == value.String {
		if inner, err := answer.Read(v.Text, value.Object); err == nil && (inner.Value.Kind == value.Object || inner.Value.Kind == value.Array) {
			*v = inner.Value.Named(v.Name)
			deviation("JSON within a string")
		}
	}
	switch {
	case f.Type == schema.Group && v.Kind == value.Object:
		for i := range v.Kids {
			if kid := f.Child(v.Kids[i].Name); kid != nil {
				x.unpack(kid, p.Key(kid.Name), &v.Kids[i])
			}
		}
	case f.Type == schema.List && v.Kind == value.Array:
		for i := range v.Kids {
			x.unpack(f.Item, p.Index(i), &v.Kids[i])
		}
	case f.IsLeaf() && !f.Basis && v.Kind == value.Object && len(v.Kids) > 0 && x.w.Settings.Images != "alone":
		inner := v.Get("value")
		name, _ := f.Measure()
		switch {
		case inner == nil:
		case (f.Type == schema.Money || f.Type == schema.Quantity) && v.Get(name) != nil && inner.Kind != value.Object:
			inner.Name = "amount"
			deviation("`value` in place of `amount`")
		case (f.Type == schema.Number || f.Type == schema.Integer) && len(v.Kids) > 1 && reading.FieldUnit(f)+reading.FieldCurrency(f) != "": // with its unit
		default:
			*v = inner.Clone().Named(v.Name)
			deviation("an object around the value")
		}
	}
}

// short takes the answer to a question: a value, or that there is none.
func (x *piece) short(came string) {
	v, deviations, left := answer.Short(came, append([]string{schema.Spoken(x.field.Name), x.field.Name}, x.field.PrintedAs...))
	x.trace.lenient(deviations)
	x.leftOver(left)
	if v.Kind == value.String && unstated().MatchString(v.Text) {
		v, x.unstated = value.Value{}, true
	}
	at := v
	steps := strings.Split(x.field.Path, ".")
	for i := len(steps) - 1; i >= 0; i-- {
		at = value.Obj(at.Named(steps[i]))
	}
	x.record = at
	x.bases()
	x.normalizers()
	x.record = record.Arrange(x.schema, &x.record)
}

// unwrap takes the record, or with `each: entry` the records, out of what
// models put around it.
func (x *piece) unwrap(v value.Value) (value.Value, error) {
	if record, lone := answer.Lone(x.schema, v); lone != nil {
		x.trace.lenient([]answer.Deviation{*lone})
		return record, nil
	}
	v, deviations := answer.Inner(x.schema, v)
	x.trace.lenient(deviations)
	for _, d := range deviations {
		if d.Kind == answer.LeftAside {
			x.unused = append(x.unused, answer.Unused{Line: 1, Text: d.Note, Reason: answer.ReasonBeside})
		}
	}
	if x.schema.EachEntry() {
		if inner := v.Get(schema.Wrapper); inner != nil {
			return inner.Named(""), nil
		}
		if v.Kind == value.Object {
			v = value.List(v)
		}
		return v, nil
	}
	if v.Kind == value.Array {
		if len(v.Kids) != 1 {
			return v, fmt.Errorf("the reply holds %d records; one was asked for", len(v.Kids))
		}
		x.trace.add(&trace.Lenient{Kind: "list", Note: "a list around the one record"})
		return v.Kids[0], nil
	}
	return v, nil
}

// bases takes the words that values rest on out of the reply, from the fields
// that ask for them.
func (x *piece) bases() {
	eachLeaf(x.schema.Root, "", &x.record, func(f *schema.Field, p value.Pointer, v *value.Value) {
		if !f.Basis || v.Kind != value.Object || v.Get("value") == nil {
			return
		}
		if x.basis == nil {
			x.basis = map[value.Pointer]string{}
		}
		if words := v.Get("basis"); words != nil && words.Kind == value.String {
			x.basis[p] = words.Text
		} else if v.Get("page") == nil { // asked for, and not given
			x.basis[p] = ""
		}
		*v = v.Get("value").Named(v.Name)
	})
}
