package fill

import (
	"fmt"

	"filler/internal/ask/answer"
	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/normalize"
)

// trace gathers the steps that lead to one record, as JSON objects with a
// `step` each, for `filler trace`.
type trace struct{ steps []value.Value }

func (t *trace) add(step string, members ...value.Value) {
	t.steps = append(t.steps, value.Obj(append([]value.Value{value.Str(step).Named("step")}, members...)...))
}

func text(name, s string) value.Value { return value.Str(s).Named(name) }

func number[T int | int64](name string, n T) value.Value {
	return value.Num(fmt.Sprint(n)).Named(name)
}

func (t *trace) lenient(deviations []answer.Deviation) {
	for _, m := range deviations {
		t.add("lenient", text("kind", m.Kind), number("offset", m.Offset), text("note", m.Note))
	}
}

func (t *trace) normalizers(changes []normalize.Change) {
	for _, c := range changes {
		t.add("normalize", text("path", string(c.Path)), text("rule", c.Rule), c.From.Named("from"), c.To.Named("to"))
	}
}

func (t *trace) problems(problems []record.Problem) {
	t.add("check", problemList(problems).Named("problems"))
}

func problemList(problems []record.Problem) value.Value {
	list := value.List()
	for _, p := range problems {
		list.Kids = append(list.Kids, p.JSON())
	}
	return list
}

func (t *trace) json() []byte {
	v := value.List(t.steps...)
	return v.JSON()
}
