// Package record checks, orders and patches records.
//
// Rules it keeps:
//
//   - All problems of a record come at once, in the order of its fields, each
//     with a JSON Pointer, a code, a message for people, and the value.
//   - A patch from a model is applied whole or not at all, only at or below
//     the paths of problems, and only where it makes nothing worse.
package record

import (
	"fmt"

	"filler/internal/base/value"
)

// Code is the kind of a problem.
type Code string

// The codes.
const (
	Syntax     Code = "syntax"        // the reply could not be read
	Missing    Code = "missing"       // a required value is not there
	Type       Code = "type"          // a value of another type
	Choice     Code = "choice"        // not one of the choices
	Pattern    Code = "pattern"       // does not match the pattern
	Range      Code = "range"         // a number out of bounds
	Format     Code = "format"        // not written as its type asks
	Length     Code = "length"        // a text or list too short or too long
	Unexpected Code = "unexpected"    // a field that the schema has not
	Rule       Code = "rule"          // breaks a rule of the schema
	Link       Code = "link"          // points to nothing
	Schema     Code = "schema"        // breaks a kept keyword of an imported schema
	NoEvidence Code = "no-evidence"   // stands nowhere in the source
	Against    Code = "contradicted"  // the source says otherwise of its only figure
	Twice      Code = "duplicate-key" // two items of a list with one key
	Truncated  Code = "truncated"     // the reply ended early
	Unused     Code = "unused"        // the reply says more than was read
	Encoding   Code = "encoding"      // the reply is not all UTF-8
	Conflict   Code = "conflict"      // parts of the document disagree
	Uncovered  Code = "uncovered"     // a line that speaks of a field, and no value comes from it
	Unreadable Code = "unreadable"    // the document could not be read
	NoAnswer   Code = "no-answer"     // the model gave no answer
)

// Unfound tells the codes of values without evidence.
// Codes gives all codes.
func Codes() []Code {
	return []Code{Syntax, Missing, Type, Choice, Pattern, Range, Format, Length, Unexpected, Rule, Link, Schema, NoEvidence, Against, Twice, Truncated, Unused, Encoding, Conflict, Uncovered, Unreadable, NoAnswer}
}

func (c Code) Unfound() bool { return c == NoEvidence || c == Against }

// Problem is one thing wrong with a record.
type Problem struct {
	Path   value.Pointer
	What   What
	Value  *value.Value    // what failed; nil where nothing is there
	Fields []value.Pointer // of a rule: what it speaks of
}

// Code gives the kind of the problem.
func (p Problem) Code() Code { return p.What.Code() }

// Message says for people what is wrong.
func (p Problem) Message() string { return p.What.Text() }

// JSON gives the problem in its machine form.
func (p Problem) JSON() value.Value {
	v := value.Obj(value.Str(string(p.Path)).Named("path"), value.Str(string(p.Code())).Named("code"), value.Str(p.Message()).Named("message"))
	if p.Value != nil {
		v.Kids = append(v.Kids, p.Value.Named("value"))
	}
	if len(p.Fields) > 0 {
		list := value.List()
		for _, f := range p.Fields {
			list.Kids = append(list.Kids, value.Str(string(f)))
		}
		v.Kids = append(v.Kids, list.Named("fields"))
	}
	return v
}

// ProblemsJSON gives problems as a list, in their machine form.
func ProblemsJSON(problems []Problem) value.Value {
	list := value.List()
	for _, p := range problems {
		list.Kids = append(list.Kids, p.JSON())
	}
	return list
}

// ProblemFromJSON reads the machine form.
func ProblemFromJSON(v *value.Value) Problem {
	text := func(name string) string {
		if kid := v.Get(name); kid != nil {
			return kid.Text
		}
		return ""
	}
	p := Problem{Path: value.Pointer(text("path")), What: Told{Code(text("code")), text("message")}}
	if kid := v.Get("value"); kid != nil {
		c := kid.Named("")
		p.Value = &c
	}
	if list := v.Get("fields"); list != nil {
		for _, f := range list.Kids {
			p.Fields = append(p.Fields, value.Pointer(f.Text))
		}
	}
	return p
}

func (p Problem) String() string {
	path := string(p.Path)
	if path == "" {
		path = "the record"
	}
	return fmt.Sprintf("%s: %s", path, p.Message())
}

// Subset reports whether the problems of a are a strict subset of those of b,
// told apart by path and code.
func Subset(a, b []Problem) bool { return len(a) < len(b) && within(a, b) }

// Beyond gives the problems of a that b has not, told apart by path and code.
func Beyond(a, b []Problem) (more []Problem) {
	known := map[problemID]bool{}
	for _, p := range b {
		known[problemID{p.Path, p.Code()}] = true
	}
	for _, p := range a {
		if !known[problemID{p.Path, p.Code()}] {
			more = append(more, p)
		}
	}
	return more
}

// problemID is what tells problems apart.
type problemID struct {
	path value.Pointer
	code Code
}

// within reports whether all problems of a are among those of b.
func within(a, b []Problem) bool {
	count := map[problemID]int{}
	for _, p := range b {
		count[problemID{p.Path, p.Code()}]++
	}
	for _, p := range a {
		if count[problemID{p.Path, p.Code()}]--; count[problemID{p.Path, p.Code()}] < 0 {
			return false
		}
	}
	return true
}
