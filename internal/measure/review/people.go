package review

import (
	"strconv"

	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/record"
	"filler/internal/record/evidence"
	"filler/internal/record/pair"
	"filler/internal/schema"
	"filler/internal/store"
)

// Decided is what people decided about a record in production, as it is kept.
type Decided struct {
	store.Review
	Record value.Value
	Places value.Value // by path, an object
	Made   map[string]Verdict
}

// ReadDecided reads a review as the store keeps it.
func ReadDecided(r store.Review) (*Decided, error) {
	d := &Decided{Review: r, Made: map[string]Verdict{}}
	for _, part := range []struct {
		text []byte
		do   func(v value.Value)
	}{{r.Record, func(v value.Value) { d.Record = v }}, {r.Evidence, func(v value.Value) { d.Places = v }},
		{r.Decisions, func(v value.Value) {
			for i := range v.Kids {
				d.Made[v.Kids[i].Name] = Verdict(v.Kids[i].Text)
			}
		}}} {
		if len(part.text) == 0 {
			continue
		}
		v, err := value.ParseBytes(part.text)
		if err != nil {
			return nil, err
		}
		part.do(v)
	}
	return d, nil
}

// DecidedOf gives what people decided about a document's record: of a text with this
// hash, or of another where there is none; nil for nothing.
func DecidedOf(kept store.Reviews, s *schema.Schema, document, text string) (*Decided, error) {
	r, err := kept.ReviewOf(s.Name, document, text)
	if r == nil || err != nil {
		return nil, err
	}
	return ReadDecided(*r)
}

// Overlaid is a record in which what people decided stands as they decided it.
type Overlaid struct {
	Record  value.Value
	Paths   []value.Pointer // of the values that people have looked at
	Places  map[value.Pointer]value.Value
	Made    map[string]Verdict // verdicts and places, by where they are now
	done    bool               // all of it is decided
	Changes value.Value        // a list of values that are others than they were, as a history has them
}

// Over puts what people decided about a document's record in place of what a record of
// it says. What they have not looked at stays as it is: values that were accepted unseen
// too. The items of lists are paired as in scoring; one that people have decided on and
// that the record has not is added. Where all is decided, theirs is the whole record.
func (d *Decided) Over(s *schema.Schema, rec *value.Value) *Overlaid {
	o := &overlaying{d: d, out: &Overlaid{done: d.Done, Places: map[value.Pointer]value.Value{}, Made: map[string]Verdict{}, Changes: value.List()}}
	o.out.Record = o.field(s.Root, &d.Record, rec, places{}, false)
	o.out.Record.Name = ""
	return o.out
}

type overlaying struct {
	d   *Decided
	out *Overlaid
}

// seen tells whether somebody has looked at a value and knew what it is.
func seen(v Verdict) bool { return v == Right || v == Changed || v == Taken }

// places are where a field stands in what people decided, and in what comes of it.
type places struct{ theirs, now value.Pointer }

func (p places) key(name string) places { return places{p.theirs.Key(name), p.now.Key(name)} }

// field merges one field. Of an item that only theirs has, lone, all is theirs.
func (o *overlaying) field(f *schema.Field, theirs, rec *value.Value, p places, lone bool) value.Value {
	switch {
	case isValue(f):
		return o.value(theirs, rec, p, lone)
	case f.Type == schema.Group:
		out := value.Obj()
		for _, kid := range f.Fields {
			v := o.field(kid, theirs.Get(kid.Name), rec.Get(kid.Name), p.key(kid.Name), lone)
			out.Kids = append(out.Kids, v.Named(kid.Name))
		}
		return out
	}
	out := value.List()
	var a []value.Value // the items that they have decided on; the others say nothing
	var at []int
	for i := range pair.Items(theirs) {
		if lone || o.decidedIn(p.theirs.Index(i)) {
			a, at = append(a, theirs.Kids[i]), append(at, i)
		}
	}
	b := pair.Items(rec)
	for _, pr := range pair.Lists(f, a, b) {
		item := places{unpaired, p.now.Index(len(out.Kids))}
		var mine, other *value.Value
		if pr.Gold >= 0 {
			mine, item.theirs = &a[pr.Gold], p.theirs.Index(at[pr.Gold])
		}
		if pr.Filled >= 0 {
			other = &b[pr.Filled]
		}
		switch {
		case mine == nil && o.d.Done:
			o.change(item.now, other, nil) // they have seen all that there is, and it was not there
			continue
		case other == nil && !lone:
			o.change(item.now, nil, mine)
		}
		out.Kids = append(out.Kids, o.field(f.Item, mine, other, item, lone || other == nil))
	}
	return out
}

// unpaired is the place of what the other side has no item for.
const unpaired = "\x00"

// decidedIn tells whether somebody has looked at a value of an item.
func (o *overlaying) decidedIn(item value.Pointer) bool {
	for key, v := range o.d.Made {
		if seen(v) && value.Pointer(key).Within(item) {
			return true
		}
	}
	return o.d.Done
}

func (o *overlaying) value(theirs, rec *value.Value, p places, lone bool) value.Value {
	verdict := o.d.Made[string(p.theirs)]
	if !seen(verdict) && !lone && !(o.d.Done && p.theirs != unpaired) {
		return orNull(rec)
	}
	if !lone && !same(theirs, rec) {
		o.change(p.now, rec, theirs)
	}
	if seen(verdict) {
		o.out.Paths = append(o.out.Paths, p.now)
	}
	o.out.Made[string(p.now)] = verdict
	v := orNull(theirs)
	for _, at := range append([]value.Pointer{""}, below(&v)...) {
		if place := o.d.Places.Get(string(p.theirs + at)); place != nil {
			o.out.Places[p.now+at] = *place
		}
	}
	return v
}

// below gives the paths of a list's items below it.
func below(v *value.Value) (all []value.Pointer) {
	if v.Kind == value.Array {
		for i := range v.Kids {
			all = append(all, value.Pointer("").Index(i))
		}
	}
	return all
}

func (o *overlaying) change(p value.Pointer, was, now *value.Value) {
	entry := value.Obj(value.Str(string(p)).Named("path"), orNull(was).Named("was"), orNull(now).Named("now"),
		value.Str(o.d.By).Named("reviewer"), value.Str(o.d.At.UTC().Format("2006-01-02")).Named("on"), value.Num(strconv.FormatInt(o.d.Run, 10)).Named("run"))
	o.out.Changes.Kids = append(o.out.Changes.Kids, entry)
}

func orNull(v *value.Value) value.Value {
	if v == nil {
		return value.Value{}
	}
	return v.Named("")
}

// Into puts what people decided into a line of records: its values, their places, its
// history; problems of what they decided are gone, and so are those of lines where all
// is decided.
func (o *Overlaid) Into(l *record.Line, d *Decided) {
	l.Record = o.Record
	evident := value.Obj()
	kept := evidence.PlacesFromJSON(&l.Evidence)
	o.Record.Walk(func(p value.Pointer, _ *value.Value) bool {
		if place, ok := o.Places[p]; ok {
			evident.Kids = append(evident.Kids, place.Named(string(p)))
		} else if place, ok := kept[p]; ok && !o.Decided(p) {
			evident.Kids = append(evident.Kids, place.JSON().Named(string(p)))
		}
		return true
	})
	l.Evidence = evident
	left := o.Open(l.Problems)
	if len(left) < len(l.Problems) || len(o.Changes.Kids) > 0 {
		if l.Status == record.Flagged && len(left) == 0 {
			l.Status = record.Repaired
		}
	}
	l.Problems = left
	l.History.Kind = value.Array
	l.History.Kids = append(append([]value.Value(nil), l.History.Kids...), o.Changes.Kids...)
	l.Reviewed = o.Mark(d)
}

// Open leaves the problems about which people have not decided.
func (o *Overlaid) Open(problems []record.Problem) (left []record.Problem) {
	for _, problem := range problems {
		if !o.done && !o.Decided(problem.Path) {
			left = append(left, problem)
		}
	}
	return left
}

// Decided tells whether people have decided about what stands in a place.
func (o *Overlaid) Decided(p value.Pointer) bool {
	return p != "" && (seen(o.Made[string(p)]) || seen(o.Made[string(p.Parent())]))
}

// Mark says who decided about which values, as a record's line has it.
func (o *Overlaid) Mark(d *Decided) value.Value {
	paths := value.List()
	for _, p := range o.Paths {
		paths.Kids = append(paths.Kids, value.Str(string(p)))
	}
	return value.Obj(value.Str(d.By).Named("reviewer"), value.Str(d.At.UTC().Format("2006-01-02")).Named("on"), value.Boolean(d.Done).Named("done"), paths.Named("values"))
}

// Draft makes a gold draft of a record about which people have decided, marked as such.
func (d *Decided) Draft(s *schema.Schema) value.Value {
	line := record.Line{Document: d.Document, Hashes: record.Hashes{Text: d.TextHash}, Record: d.Record, Evidence: d.Places}
	v := gold.NewDraft(s, &line, "", false)
	v.Set("drafted", value.Obj(value.Str(d.By).Named("review"), value.Str(d.At.UTC().Format("2006-01-02")).Named("on"), value.Num(strconv.FormatInt(d.Run, 10)).Named("run")))
	v.Set("reviewer", value.Str(d.By))
	made := madeJSON(d.Made)
	v.Set("decisions", made)
	return v
}
