package trace

import (
	"fmt"
	"strconv"

	"filler/internal/base/value"
	"filler/internal/record"
)

// coder writes the members of a step or reads them, so that each kind names its
// members once.
type coder struct {
	v      value.Value
	writes bool
}

func (c *coder) put(name string, v value.Value) { c.v.Kids = append(c.v.Kids, v.Named(name)) }

func text[T ~string](c *coder, name string, s *T) {
	if c.writes {
		c.put(name, value.Str(string(*s)))
	} else {
		*s = T(c.v.Word(name))
	}
}

// some is text that is left out where it is empty.
func some[T ~string](c *coder, name string, s *T) {
	if !c.writes || *s != "" {
		text(c, name, s)
	}
}

func (c *coder) number(name string, n *int) {
	if c.writes {
		c.put(name, value.Num(fmt.Sprint(*n)))
	} else {
		*n, _ = strconv.Atoi(c.v.Word(name))
	}
}

func (c *coder) flag(name string, b *bool) {
	if c.writes {
		c.put(name, value.Boolean(*b))
	} else {
		*b = c.v.Word(name) == "true"
	}
}

func (c *coder) value(name string, v *value.Value) {
	if c.writes {
		c.put(name, *v)
	} else if at := c.v.Get(name); at != nil {
		*v = at.Named("")
	}
}

// optional is a value that is left out where it is nil.
func (c *coder) optional(name string, v **value.Value) {
	if c.writes {
		if *v != nil {
			c.put(name, **v)
		}
	} else if at := c.v.Get(name); at != nil {
		own := at.Named("")
		*v = &own
	}
}

// list codes the items of a list, each by its own function.
func list[T any](c *coder, name string, items *[]T, code func(c *coder, item *T)) {
	if c.writes {
		all := value.List()
		for i := range *items {
			one := &coder{v: value.Obj(), writes: true}
			code(one, &(*items)[i])
			all.Kids = append(all.Kids, one.v)
		}
		c.put(name, all)
		return
	}
	if all := c.v.Get(name); all != nil {
		for i := range all.Kids {
			var item T
			code(&coder{v: all.Kids[i]}, &item)
			*items = append(*items, item)
		}
	}
}

func (c *coder) problems(name string, problems *[]record.Problem) {
	if c.writes {
		c.put(name, record.ProblemsJSON(*problems))
	} else if all := c.v.Get(name); all != nil {
		for i := range all.Kids {
			*problems = append(*problems, record.ProblemFromJSON(&all.Kids[i]))
		}
	}
}

func (c *coder) operations(ops *[]Operation) {
	list(c, "operations", ops, func(c *coder, op *Operation) {
		text(c, "op", &op.Do)
		text(c, "path", &op.Path)
		c.optional("value", &op.Value)
		some(c, "quote", &op.Quote)
	})
}

// OperationsOf gives the operations of a JSON Patch (RFC 6902), with the quotes
// that updates have.
func OperationsOf(patch *value.Value) (ops []Operation) {
	for i := range patch.Kids {
		o := &patch.Kids[i]
		op := Operation{Do: o.Word("op"), Path: value.Pointer(o.Word("path")), Quote: o.Word("quote")}
		if v := o.Get("value"); v != nil {
			own := v.Clone().Named("")
			op.Value = &own
		}
		ops = append(ops, op)
	}
	return ops
}

func (s *Read) code(c *coder) {
	text(c, "document", &s.Document)
	text(c, "format", &s.Format)
	text(c, "notes", &s.Notes)
	c.number("bytes", &s.Bytes)
	text(c, "text_sha256", &s.Text)
}

func (s *Unreadable) code(c *coder) { text(c, "note", &s.Why) }
func (s *Example) code(c *coder)    { text(c, "document", &s.Document) }

func (s *Printed) code(c *coder) { c.number("values", &s.Values) }

func (s *Plan) code(c *coder) {
	c.number("requests", &s.Requests)
	c.number("parts", &s.Parts)
	list(c, "pieces", &s.Pieces, func(c *coder, p *Piece) {
		text(c, "request", &p.Request)
		if c.writes && !p.Cut {
			return
		}
		p.Cut = c.writes || c.v.Get("inside") != nil
		c.number("start", &p.Start)
		c.number("end", &p.End)
		if p.Cut {
			c.flag("inside", &p.Inside)
		}
	})
}

func (s *Asked) code(c *coder) {
	text(c, "request", &s.Request)
	some(c, "shape", &s.Shape)
	c.flag("cached", &s.Cached)
}

func (s *NoAnswer) code(c *coder) {
	text(c, "request", &s.Request)
	text(c, "note", &s.Why)
}

func (s *ShapeRefused) code(c *coder) {
	text(c, "refused", &s.Shape)
	text(c, "note", &s.Why)
}

func (s *TakenOver) code(c *coder) { text(c, "model", &s.Model) }

func (s *Split) code(c *coder) {
	text(c, "request", &s.Request)
	c.number("chunks", &s.Chunks)
	text(c, "note", &s.Why)
}

func (s *NotSplit) code(c *coder) {
	text(c, "request", &s.Request)
	text(c, "note", &s.Why)
}

func (s *Lenient) code(c *coder) {
	text(c, "kind", &s.Kind)
	c.number("offset", &s.Offset)
	text(c, "note", &s.Note)
}

func (s *Unused) code(c *coder) {
	c.number("offset", &s.Offset)
	c.number("line", &s.Line)
	text(c, "text", &s.Text)
	text(c, "reason", &s.Reason)
	c.flag("chatter", &s.Chatter)
}

func (s *Pointed) code(c *coder) {
	text(c, "path", &s.Path)
	text(c, "said", &s.Said)
	text(c, "copied", &s.Copied)
}

func (s *PointerRefused) code(c *coder) {
	text(c, "path", &s.Path)
	text(c, "said", &s.Said)
	text(c, "note", &s.Why)
}

func (s *PlaceRefused) code(c *coder) {
	text(c, "path", &s.Path)
	text(c, "note", &s.Why)
}

func (s *Normalized) code(c *coder) {
	text(c, "path", &s.Path)
	text(c, "rule", &s.Rule)
	c.value("from", &s.From)
	c.value("to", &s.To)
}

func (s *Merged) code(c *coder) {
	text(c, "what", &s.What)
	text(c, "path", &s.Path)
	text(c, "note", &s.Note)
	if !c.writes || s.Was.Kind != value.Null {
		c.value("was", &s.Was)
	}
}

func (s *Uncovered) code(c *coder) {
	c.number("round", &s.Round)
	list(c, "lines", &s.Lines, func(c *coder, l *Line) {
		c.number("line", &l.Line)
		text(c, "field", &l.Field)
		text(c, "text", &l.Text)
		c.flag("left", &l.Left)
	})
}

func (s *Checked) code(c *coder) { c.problems("problems", &s.Problems) }

func (s *Corrected) code(c *coder) {
	text(c, "request", &s.Request)
	c.operations(&s.Operations)
	c.problems("left", &s.Left)
}

func (s *CorrectionRefused) code(c *coder) {
	text(c, "request", &s.Request)
	c.operations(&s.Operations)
	text(c, "note", &s.Why)
}

func (s *AskingEnded) code(c *coder) {
	text(c, "asking_ended", &s.Field)
	text(c, "code", &s.Code)
	c.number("requests", &s.Requests)
	c.number("left", &s.Left)
}

func (s *NewDocument) code(c *coder) {
	text(c, "document", &s.Document)
	text(c, "format", &s.Format)
	c.number("bytes", &s.Bytes)
	text(c, "text_sha256", &s.Text)
}

func (s *SameText) code(c *coder)    { text(c, "document", &s.Document) }
func (s *SourceChanged) code(*coder) {}
func (s *NothingNew) code(c *coder)  { text(c, "request", &s.Request) }

func (s *Updated) code(c *coder) {
	text(c, "request", &s.Request)
	c.operations(&s.Operations)
	list(c, "refused", &s.Refused, func(c *coder, r *Refusal) {
		c.number("operation", &r.Operation)
		text(c, "path", &r.Path)
		text(c, "why", &r.Why)
	})
	if c.writes {
		c.put("new", value.List(s.New...))
	} else if all := c.v.Get("new"); all != nil {
		s.New = append(s.New, all.Kids...)
	}
	c.number("confirmed", &s.Confirmed)
}

func (s *Kept) code(c *coder) {
	text(c, "path", &s.Path)
	c.value("was", &s.Was)
	c.value("other", &s.Other)
	text(c, "document", &s.Document)
}

func (s *History) code(c *coder) {
	c.number("before", &s.Before)
	c.value("changes", &s.Changes)
}

func (s *Reviewed) code(c *coder) {
	text(c, "by", &s.By)
	text(c, "on", &s.On)
	c.flag("done", &s.Done)
	c.flag("stale", &s.Stale)
	c.value("values", &s.Values)
	c.value("changes", &s.Changes)
}

func (s *Evidence) code(c *coder) {
	c.number("quoted", &s.Quoted)
	c.number("restated", &s.Restated)
	c.number("lookalike", &s.Lookalike)
	c.number("pictured", &s.Pictured)
	c.number("inferred", &s.Inferred)
	c.number("none", &s.None)
}

func (s *Ended) code(c *coder) {
	text(c, "status", &s.Status)
	c.problems("problems", &s.Problems)
}

func (s *Other) code(*coder) {}
