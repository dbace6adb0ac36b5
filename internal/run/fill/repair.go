package fill

import (
	"context"
	"fmt"
	"slices"
	"sort"
	"strings"
	"unicode"

	"filler/internal/ask/answer"
	"filler/internal/ask/exchange"
	"filler/internal/ask/prompt"
	"filler/internal/base/tokens"
	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/evidence"
	"filler/internal/record/normalize"
	"filler/internal/record/trace"
	"filler/internal/schema"
	"filler/internal/source/layout"
)

// patient is a part of a record that one repair request is about: the record
// whole, or where it is long, one entry or one faulty value of it.
type patient struct {
	at       value.Pointer
	problems []record.Problem
	chunk    *prompt.Chunk // the lines it comes from; nil: the whole document
}

// repair repairs what is wrong, each step only what the one before has left:
// patches, then single fields asked again.
func (w *filling) repair(ctx context.Context, by *Model) error {
	was := w.record.Clone()
	if err := w.patches(ctx, by); err != nil {
		return err
	}
	if err := w.askFields(ctx, by); err != nil {
		return err
	}
	if !value.Equal(&was, &w.record) {
		w.readSince()
	}
	return nil
}

// patches asks for patches until nothing is wrong or the rounds are used up.
func (w *filling) patches(ctx context.Context, by *Model) error {
	tired := map[value.Pointer]bool{} // of which another round makes no sense
	vain := inVain{}
	for round := 1; !by.prints() && round <= w.Rounds && len(w.askable()) > 0; round++ {
		for _, who := range w.patients(by, round) {
			if tired[who.at] || vain.all(w.Schema, who.problems) {
				continue
			}
			step := fmt.Sprintf("repair %d", round)
			if who.at != "" {
				step += " " + string(who.at)
			}
			more, err := w.round(ctx, by, who, step)
			if err != nil {
				return err
			}
			tired[who.at] = !more
			w.noteEnded(vain, who.problems)
		}
	}
	return nil
}

// inOne is how many tokens of a document go along when its record is repaired
// at once: below it one request costs less than one for each faulty part.
const inOne = 1500

// patients gives what is to be repaired: the record at once where its document
// is short, else, and where that was of no avail, each part that is faulty by
// itself, so that one bad answer does not spoil the others.
func (w *filling) patients(by *Model, round int) []patient {
	if !w.long && (round == 1 && tokens.Estimate(w.doc.Text) <= inOne || len(w.images()) > 0 || len(w.problems) == 1) {
		return []patient{{problems: w.askable()}}
	}
	var all []*patient
	for _, p := range w.askable() {
		at := w.partAt(p.Path)
		var mine *patient
		for _, one := range all {
			if one.at == at {
				mine = one
			}
		}
		if mine == nil {
			mine = &patient{at: at}
			all = append(all, mine)
		}
		mine.problems = append(mine.problems, p)
	}
	var out []patient
	for _, one := range all {
		if one.chunk = w.linesOf(by, one.at); one.chunk != nil {
			out = append(out, *one)
		}
	}
	return out
}

// partAt gives the part of the record that a problem's place is repaired with:
// the entry, the list item or the group that it lies in, else the record whole.
func (w *filling) partAt(p value.Pointer) value.Pointer {
	steps := p.Steps()
	if w.Schema.EachEntry() && len(steps) > 0 {
		return value.Pointer("").Key(steps[0])
	}
	if len(steps) < 2 {
		return ""
	}
	if top := value.Pointer("").Key(steps[0]); w.Schema.At(top) != nil && w.Schema.At(top).Type == schema.List {
		return top.Key(steps[1])
	}
	return value.Pointer("").Key(steps[0])
}

// linesOf gives the lines that a part of the record comes from, as far as its
// evidence tells and as many as go into a request; nil where it tells nothing.
func (w *filling) linesOf(by *Model, at value.Pointer) *prompt.Chunk {
	var spans []layout.Span
	for p, place := range w.places(&w.record) {
		if place.Found() && p.Within(at) {
			spans = append(spans, layout.Span{Start: place.Start, End: place.End})
		}
	}
	room, err := w.asker(by).room(&w.parts[0])
	if err != nil {
		return nil
	}
	if len(spans) == 0 { // what is missing stands at the opening more often than anywhere else
		c := w.cuts.Plan(room)[0]
		return &c
	}
	c := w.cuts.Around(spans)
	if room.Tokens > 0 && tokens.Estimate(w.doc.Part("flow", c.Shown)) > room.Tokens {
		return nil
	}
	return &c
}

// shownTo gives what a repair is shown: of more pages than go along at once, those
// that its values stand on, and the ones around them.
func (w *filling) shownTo(who patient) *prompt.Chunk {
	n := len(w.pages.of)
	if n <= atOnce || who.chunk != nil && who.chunk.Pages != [2]int{} {
		return who.chunk
	}
	near := 0
	for p, place := range w.places(&w.record) {
		for _, problem := range who.problems {
			if place.Page > 0 && (p.Within(problem.Path.Parent()) || problem.Path.Within(p)) && (near == 0 || place.Page < near) {
				near = place.Page
			}
		}
	}
	c := prompt.Chunk{N: 1, Of: 1}
	if who.chunk != nil {
		c = *who.chunk
	}
	first := min(max(0, sort.SearchInts(w.pages.of, near)-1), n-atOnce)
	c.Pages = [2]int{w.pages.of[first], w.pages.of[first+atOnce-1]}
	return &c
}

// round asks for one patch and applies it. It gives false where another round
// makes no sense.
func (w *filling) round(ctx context.Context, by *Model, who patient, step string) (more bool, err error) {
	shown := w.shownTo(who)
	req := prompt.Repair{Ask: prompt.Ask{Model: by.Model, Schema: w.Schema, Doc: w.doc, Chunk: shown, Set: w.Settings, Images: w.pages.within(shown).images, Kept: by.kept},
		Record: &w.record, At: who.at, Problems: who.problems, Refused: w.refusals[who.at]}.Request()
	came, err := w.send(ctx, by, step, req)
	step = by.turn + step
	if err != nil {
		if ends(err) {
			return false, err
		}
		w.trace.add(&trace.NoAnswer{Request: step, Why: err.Error()})
		return false, nil
	}
	w.trace.add(&trace.Asked{Request: step, Cached: came.Cached})
	return w.patch(who, step, &came.Reply), nil
}

// patch applies what a repair reply asks for, as far as it is within bounds. It
// gives false where another round makes no sense.
func (w *filling) patch(who patient, step string, came *exchange.Reply) bool {
	refuse := func(ops []trace.Operation, why string) {
		w.trace.add(&trace.CorrectionRefused{Request: step, Operations: ops, Why: why})
	}
	r, err := answer.Read(came.Text, value.Array)
	if err != nil {
		refuse(nil, err.Error())
		return false
	}
	var faulty []value.Pointer
	for _, p := range w.problems {
		if p.Path.Within(who.at) {
			faulty = append(faulty, p.Path)
		}
	}
	ops := w.corrections(faulty, &r)
	w.insistent(who, &ops)
	if len(ops.Kids) == 0 {
		refuse(nil, "the model found nothing to correct")
		return false
	}
	after, taken, rejected := w.bounds().Each(&w.record, w.withoutDoubles(w.quoted(&ops, refuse)))
	var whys []string
	for _, r := range rejected {
		one := value.List(r.Op)
		refuse(trace.OperationsOf(&one), r.Why)
		if whys = append(whys, r.Why); w.wasRefused(value.Pointer(r.Op.Word("path")), r.Why) {
			w.insists[value.Pointer(r.Op.Word("path"))] = true
		}
	}
	w.refusals[who.at] = strings.Join(whys, "; ")
	if len(whys) == 0 {
		delete(w.refusals, who.at)
	}
	if len(taken.Kids) > 0 {
		w.record = after
		w.problems = w.check(&w.record)
		w.repaired++
		w.trace.add(&trace.Corrected{Request: step, Operations: trace.OperationsOf(&taken), Left: w.problems})
	}
	return len(whys) > 0 || who.at == "" || stillFaulty(w.problems, who.at)
}

// quoted gives the operations whose words stand in the document, or that name
// none.
func (w *filling) quoted(ops *value.Value, refuse func([]trace.Operation, string)) *value.Value {
	kept := value.List()
	for _, op := range ops.Kids {
		if words := op.Word("quote"); words != "" {
			if _, found := w.index.Words(words); !found {
				one := value.List(op)
				refuse(trace.OperationsOf(&one), "its words are not in the document")
				w.wasRefused(value.Pointer(op.Word("path")), "its words are not in the document")
				continue
			}
		}
		op.Drop("quote")
		kept.Kids = append(kept.Kids, op)
	}
	return &kept
}

// insistent notes the problems for which the model changes nothing: it leaves them
// out, or answers with the value that is there, in whatever form. They are not asked
// about again.
func (w *filling) insistent(who patient, ops *value.Value) {
	for _, p := range who.problems {
		corrected := false
		for i := range ops.Kids {
			at := value.Pointer(ops.Kids[i].Word("path"))
			touches := at.Within(p.Path) || p.Path.Within(at)
			for _, field := range p.Fields {
				touches = touches || at.Within(field) || field.Within(at)
			}
			v, was := ops.Kids[i].Get("value"), w.record.At(at)
			corrected = corrected || touches && (v == nil || was == nil || !w.isSame(at, v, was))
		}
		if !corrected {
			w.insists[p.Path] = true
		}
	}
}

// isSame tells whether a value that came for a place is the one that is there: 3 April 2031 for 2031-04-03.
func (w *filling) isSame(at value.Pointer, v, was *value.Value) bool {
	if value.Equal(v, was) {
		return true
	}
	f, said := w.Schema.At(at), v.Clone()
	if f == nil {
		return false
	}
	normalize.Field(f, at, &said)
	return value.Equal(&said, was)
}

// wasRefused notes that a correction was refused, and tells whether one was for
// the same reason before.
func (w *filling) wasRefused(p value.Pointer, why string) bool {
	if w.refused[p] == why {
		return true
	}
	w.refused[p] = why
	return false
}

// askable gives the problems that a model may be asked about: not those on which
// it insists, nor rules all of whose values stand in their place in the document.
func (w *filling) askable() (all []record.Problem) {
	var locked map[value.Pointer]bool
	for i, p := range w.problems {
		if rule, ok := p.What.(record.BrokenRule); ok && len(p.Fields) > 0 {
			if locked == nil {
				locked = w.locked(&w.record)
			}
			stands := true
			for _, field := range p.Fields {
				stands = stands && w.allLocked(field, locked)
			}
			if stands {
				rule.Stands = true
				w.problems[i].What = rule
				continue
			}
		}
		if _, undeclared := p.What.(record.TwoFigures); undeclared {
			continue // it is for the schema to say, and no model can
		}
		if !w.insists[p.Path] {
			all = append(all, p)
		}
	}
	return all
}

// allLocked tells whether a value is locked, or all numbers and amounts below a
// place are: what a rule sums up.
func (w *filling) allLocked(p value.Pointer, locked map[value.Pointer]bool) bool {
	if locked[p] {
		return true
	}
	f, v := w.Schema.At(p), w.record.At(p)
	if f == nil || f.IsLeaf() || v.Empty() {
		return false
	}
	all, some := true, false
	v.Walk(func(at value.Pointer, of *value.Value) bool {
		at = p + at
		leaf := w.Schema.At(at)
		if leaf == nil || !leaf.IsLeaf() || of.Empty() {
			return true
		}
		switch leaf.Kin().Type {
		case schema.Integer, schema.Number, schema.Money, schema.Quantity:
			all, some = all && locked[at], true
		}
		return false
	})
	return all && some
}

// locked gives the values that are legal, quoted or restated, and tied to their
// field by a label or the region of their item, with no other place that says the
// same.
func (w *filling) locked(v *value.Value) map[value.Pointer]bool {
	wrong := map[value.Pointer]bool{}
	for _, p := range w.problems {
		if p.Code() != record.Rule {
			wrong[p.Path] = true
		}
	}
	all := map[value.Pointer]bool{}
	for p, place := range w.places(v) {
		if place.Found() && place.Tied && place.Rivals == 0 && (place.Kind == evidence.Quoted || place.Kind == evidence.Restated) && !wrong[p] {
			all[p] = true
		}
	}
	return all
}

// slight is how many letters and figures a value has at most that may stand
// anywhere by chance.
const slight = 3

// invented tells whether all that the document has of an item of a list are values
// that are slight, or that stand where those of other items do.
func (w *filling) invented(v *value.Value, item value.Pointer) bool {
	places := w.places(v)
	others := map[int][]evidence.Place{} // by line
	for p, at := range places {
		if !p.Within(item) && at.Found() {
			others[at.Line] = append(others[at.Line], at)
		}
	}
	for p, at := range places {
		if !p.Within(item) || !at.Found() || at.Basis || w.Schema.Holding(p).Type == schema.Boolean {
			continue
		}
		if said := w.doc.Text[at.Start:at.End]; len(strings.TrimFunc(said, unicode.IsPunct)) <= slight && !at.Led {
			continue
		}
		if !slices.ContainsFunc(others[at.Line], func(o evidence.Place) bool { return o.Start < at.End && at.Start < o.End }) {
			return false
		}
	}
	return true
}

func stillFaulty(problems []record.Problem, at value.Pointer) bool {
	for _, p := range problems {
		if p.Path.Within(at) {
			return true
		}
	}
	return false
}

// evident gives the paths of the values that have a place in the source.
func (w *filling) evident(v *value.Value) map[value.Pointer]bool {
	paths := map[value.Pointer]bool{}
	for p, place := range w.places(v) {
		if place.Found() {
			paths[p] = true
		}
	}
	return paths
}
