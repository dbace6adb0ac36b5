// Package trace is what led to a record, step by step: one type for each kind of
// step. A run keeps the steps beside the record; `filler trace` shows them, the
// risk of a value and the masking of sensitive ones are read from their fields.
//
// Rules it keeps:
//
//   - A step is written and read by one function (code), so that what is kept
//     is what was noted.
//   - Whoever shows steps is a Visitor, with a method for each kind: a new kind
//     does not compile until it is shown. Whoever looks for some kinds switches
//     on types.
//   - Steps of a kind that is not known are kept as they are.
package trace

import (
	"fmt"
	"maps"
	"slices"

	"filler/internal/base/value"
)

// Step is one step.
type Step interface {
	Accept(v Visitor) error
	name() string
	code(c *coder)
}

// Visitor is who shows steps.
type Visitor interface {
	Read(s *Read) error
	Unreadable(s *Unreadable) error
	Example(s *Example) error
	Printed(s *Printed) error
	Plan(s *Plan) error
	Asked(s *Asked) error
	NoAnswer(s *NoAnswer) error
	ShapeRefused(s *ShapeRefused) error
	TakenOver(s *TakenOver) error
	Split(s *Split) error
	NotSplit(s *NotSplit) error
	Lenient(s *Lenient) error
	Unused(s *Unused) error
	Pointed(s *Pointed) error
	PointerRefused(s *PointerRefused) error
	PlaceRefused(s *PlaceRefused) error
	Normalized(s *Normalized) error
	Merged(s *Merged) error
	Uncovered(s *Uncovered) error
	Checked(s *Checked) error
	Corrected(s *Corrected) error
	CorrectionRefused(s *CorrectionRefused) error
	AskingEnded(s *AskingEnded) error
	NewDocument(s *NewDocument) error
	SameText(s *SameText) error
	SourceChanged(s *SourceChanged) error
	NothingNew(s *NothingNew) error
	Updated(s *Updated) error
	Kept(s *Kept) error
	History(s *History) error
	Reviewed(s *Reviewed) error
	Evidence(s *Evidence) error
	Ended(s *Ended) error
	Other(s *Other) error
}

// Kinds gives the names that steps are kept under, in order.
func Kinds() []string { return slices.Sorted(maps.Keys(kinds)) }

// kinds makes a step of each kind, by the name that it is kept under.
var kinds = map[string]func() Step{
	"read":               func() Step { return &Read{} },
	"unreadable":         func() Step { return &Unreadable{} },
	"example":            func() Step { return &Example{} },
	"printed":            func() Step { return &Printed{} },
	"plan":               func() Step { return &Plan{} },
	"ask":                func() Step { return &Asked{} },
	"no-answer":          func() Step { return &NoAnswer{} },
	"shape":              func() Step { return &ShapeRefused{} },
	"then":               func() Step { return &TakenOver{} },
	"split":              func() Step { return &Split{} },
	"unsplit":            func() Step { return &NotSplit{} },
	"lenient":            func() Step { return &Lenient{} },
	"unused":             func() Step { return &Unused{} },
	"pointer":            func() Step { return &Pointed{} },
	"pointer-refused":    func() Step { return &PointerRefused{} },
	"place-refused":      func() Step { return &PlaceRefused{} },
	"normalize":          func() Step { return &Normalized{} },
	"merge":              func() Step { return &Merged{} },
	"uncovered":          func() Step { return &Uncovered{} },
	"check":              func() Step { return &Checked{} },
	"corrected":          func() Step { return &Corrected{} },
	"correction-refused": func() Step { return &CorrectionRefused{} },
	"asking-ended":       func() Step { return &AskingEnded{} },
	"new-document":       func() Step { return &NewDocument{} },
	"same":               func() Step { return &SameText{} },
	"changed":            func() Step { return &SourceChanged{} },
	"nothing-new":        func() Step { return &NothingNew{} },
	"update":             func() Step { return &Updated{} },
	"kept":               func() Step { return &Kept{} },
	"history":            func() Step { return &History{} },
	"reviewed":           func() Step { return &Reviewed{} },
	"evidence":           func() Step { return &Evidence{} },
	"end":                func() Step { return &Ended{} },
}

func (s *Read) name() string              { return "read" }
func (s *Unreadable) name() string        { return "unreadable" }
func (s *Example) name() string           { return "example" }
func (s *Printed) name() string           { return "printed" }
func (s *Plan) name() string              { return "plan" }
func (s *Asked) name() string             { return "ask" }
func (s *NoAnswer) name() string          { return "no-answer" }
func (s *ShapeRefused) name() string      { return "shape" }
func (s *TakenOver) name() string         { return "then" }
func (s *Split) name() string             { return "split" }
func (s *NotSplit) name() string          { return "unsplit" }
func (s *Lenient) name() string           { return "lenient" }
func (s *Unused) name() string            { return "unused" }
func (s *Pointed) name() string           { return "pointer" }
func (s *PointerRefused) name() string    { return "pointer-refused" }
func (s *PlaceRefused) name() string      { return "place-refused" }
func (s *Normalized) name() string        { return "normalize" }
func (s *Merged) name() string            { return "merge" }
func (s *Uncovered) name() string         { return "uncovered" }
func (s *Checked) name() string           { return "check" }
func (s *Corrected) name() string         { return "corrected" }
func (s *CorrectionRefused) name() string { return "correction-refused" }
func (s *AskingEnded) name() string       { return "asking-ended" }
func (s *NewDocument) name() string       { return "new-document" }
func (s *SameText) name() string          { return "same" }
func (s *SourceChanged) name() string     { return "changed" }
func (s *NothingNew) name() string        { return "nothing-new" }
func (s *Updated) name() string           { return "update" }
func (s *Kept) name() string              { return "kept" }
func (s *History) name() string           { return "history" }
func (s *Reviewed) name() string          { return "reviewed" }
func (s *Evidence) name() string          { return "evidence" }
func (s *Ended) name() string             { return "end" }
func (s *Other) name() string             { return s.Step }

// Accept shows the step.
func (s *Read) Accept(v Visitor) error { return v.Read(s) }

// Accept shows the step.
func (s *Unreadable) Accept(v Visitor) error { return v.Unreadable(s) }

// Accept shows the step.
func (s *Example) Accept(v Visitor) error { return v.Example(s) }

// Accept shows the step.
func (s *Printed) Accept(v Visitor) error { return v.Printed(s) }

// Accept shows the step.
func (s *Plan) Accept(v Visitor) error { return v.Plan(s) }

// Accept shows the step.
func (s *Asked) Accept(v Visitor) error { return v.Asked(s) }

// Accept shows the step.
func (s *NoAnswer) Accept(v Visitor) error { return v.NoAnswer(s) }

// Accept shows the step.
func (s *ShapeRefused) Accept(v Visitor) error { return v.ShapeRefused(s) }

// Accept shows the step.
func (s *TakenOver) Accept(v Visitor) error { return v.TakenOver(s) }

// Accept shows the step.
func (s *Split) Accept(v Visitor) error { return v.Split(s) }

// Accept shows the step.
func (s *NotSplit) Accept(v Visitor) error { return v.NotSplit(s) }

// Accept shows the step.
func (s *Lenient) Accept(v Visitor) error { return v.Lenient(s) }

// Accept shows the step.
func (s *Unused) Accept(v Visitor) error { return v.Unused(s) }

// Accept shows the step.
func (s *Pointed) Accept(v Visitor) error { return v.Pointed(s) }

// Accept shows the step.
func (s *PointerRefused) Accept(v Visitor) error { return v.PointerRefused(s) }

// Accept shows the step.
func (s *PlaceRefused) Accept(v Visitor) error { return v.PlaceRefused(s) }

// Accept shows the step.
func (s *Normalized) Accept(v Visitor) error { return v.Normalized(s) }

// Accept shows the step.
func (s *Merged) Accept(v Visitor) error { return v.Merged(s) }

// Accept shows the step.
func (s *Uncovered) Accept(v Visitor) error { return v.Uncovered(s) }

// Accept shows the step.
func (s *Checked) Accept(v Visitor) error { return v.Checked(s) }

// Accept shows the step.
func (s *Corrected) Accept(v Visitor) error { return v.Corrected(s) }

// Accept shows the step.
func (s *CorrectionRefused) Accept(v Visitor) error { return v.CorrectionRefused(s) }

// Accept shows the step.
func (s *AskingEnded) Accept(v Visitor) error { return v.AskingEnded(s) }

// Accept shows the step.
func (s *NewDocument) Accept(v Visitor) error { return v.NewDocument(s) }

// Accept shows the step.
func (s *SameText) Accept(v Visitor) error { return v.SameText(s) }

// Accept shows the step.
func (s *SourceChanged) Accept(v Visitor) error { return v.SourceChanged(s) }

// Accept shows the step.
func (s *NothingNew) Accept(v Visitor) error { return v.NothingNew(s) }

// Accept shows the step.
func (s *Updated) Accept(v Visitor) error { return v.Updated(s) }

// Accept shows the step.
func (s *Kept) Accept(v Visitor) error { return v.Kept(s) }

// Accept shows the step.
func (s *History) Accept(v Visitor) error  { return v.History(s) }
func (s *Reviewed) Accept(v Visitor) error { return v.Reviewed(s) }

// Accept shows the step.
func (s *Evidence) Accept(v Visitor) error { return v.Evidence(s) }

// Accept shows the step.
func (s *Ended) Accept(v Visitor) error { return v.Ended(s) }

// Accept shows the step.
func (s *Other) Accept(v Visitor) error { return v.Other(s) }

// Steps are the steps of a record, in order.
type Steps []Step

// JSON gives the steps as they are kept: objects with the name of the step as
// their member step.
func (s Steps) JSON() value.Value {
	list := value.List()
	for _, step := range s {
		if o, ok := step.(*Other); ok {
			list.Kids = append(list.Kids, o.Is)
			continue
		}
		c := &coder{v: value.Obj(value.Str(step.name()).Named("step")), writes: true}
		step.code(c)
		list.Kids = append(list.Kids, c.v)
	}
	return list
}

// Parse reads steps as they are kept.
func Parse(data []byte) (Steps, error) {
	list, err := value.ParseBytes(data)
	if err != nil {
		return nil, fmt.Errorf("the trace can't be read: %w", err)
	}
	steps := make(Steps, 0, len(list.Kids))
	for i := range list.Kids {
		v := list.Kids[i].Named("")
		make, known := kinds[v.Word("step")]
		if !known {
			steps = append(steps, &Other{v.Word("step"), v})
			continue
		}
		step := make()
		step.code(&coder{v: v})
		steps = append(steps, step)
	}
	return steps, nil
}
