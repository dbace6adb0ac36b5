package improve

import (
	"fmt"
	"strconv"

	"filler/internal/ask/prompt"
	"filler/internal/base/project"
	"filler/internal/run/fill"
	"filler/internal/source/layout"
)

// Setting is one thing of a run that is otherwise; the zero value is nothing.
type Setting struct{ Of, Value string }

// What settings are raced over.
const (
	OverStyle    = "style"
	OverShape    = "shape"
	OverLayout   = "layout"
	OverExamples = "examples"
	OverModel    = "model"
)

// Overs are all of them.
var Overs = []string{OverStyle, OverShape, OverLayout, OverExamples, OverModel}

// String gives it in words.
func (s Setting) String() string {
	switch s.Of {
	case "":
		return "as it is"
	case OverExamples:
		if s.Value == "1" {
			return "1 example"
		}
		return s.Value + " examples"
	}
	return s.Of + " " + s.Value
}

// Write gives what filler.yaml would say.
func (s Setting) Write() string {
	switch s.Of {
	case OverModel:
		return "use: " + s.Value
	case OverShape:
		return "shape: " + s.Value + " (at the model)"
	}
	return fmt.Sprintf("prompt: {%s: %s}", s.Of, s.Value)
}

// Settings gives what can be raced over: every value but the one that is.
func Settings(of string, now fill.Setup, models []string) (all []Setting) {
	values, is := models, now.Model.Entry
	switch of {
	case OverStyle:
		values, is = []string{prompt.Record, prompt.ByGroup, prompt.ByField, prompt.ByPointer}, now.Settings.Style
		if is == "" {
			is = prompt.Record
		}
	case OverShape:
		values, is = project.Shapes[1:], now.Model.Shape
	case OverLayout:
		values, is = layout.Renderings, now.Settings.Layout
		if is == "" {
			is = "rows"
		}
	case OverExamples:
		values, is = []string{"0", "1", "2", "4"}, strconv.Itoa(len(now.Settings.Solved))
	}
	for _, v := range values {
		if v != is {
			all = append(all, Setting{of, v})
		}
	}
	return all
}

// set changes a setup.
func (f *Filling) set(s *fill.Setup, to Setting) (err error) {
	switch to.Of {
	case OverStyle:
		s.Settings.Style = to.Value
	case OverLayout:
		s.Settings.Layout = to.Value
	case OverShape:
		m := *s.Model
		m.Shape = to.Value
		s.Model = &m
	case OverModel:
		s.Model, err = f.Model(to.Value)
	case OverExamples:
		n, _ := strconv.Atoi(to.Value)
		s.Settings.Solved, err = f.Solved(n)
	}
	return err
}
