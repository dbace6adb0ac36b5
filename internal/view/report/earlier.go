package report

import (
	"fmt"

	"filler/internal/base/value"
	"filler/internal/record/trace"
	"filler/internal/view/signs"
)

// tells notes what led to each value: what rules and corrections changed, and what
// updates and people did.
func (b *builder) tells(steps trace.Steps, history value.Value) {
	b.earlier = map[value.Pointer][]string{}
	note := func(p value.Pointer, format string, args ...any) {
		b.earlier[p] = append(b.earlier[p], signs.Visible(fmt.Sprintf(format, args...)))
	}
	for _, step := range steps {
		switch s := step.(type) {
		case *trace.Printed:
			note("", "%d values filled by what the document prints", s.Values)
		case *trace.TakenOver:
			note("", "model %s went on", s.Model)
		case *trace.Pointed:
			note(s.Path, "copied from where the model pointed: %s", s.Said)
		case *trace.PointerRefused:
			note(s.Path, "pointer %s refused: %s", s.Said, s.Why)
		case *trace.Normalized:
			note(s.Path, "normalized from %s by %s", clip(s.From.String()), s.Rule)
		case *trace.Merged:
			note(s.Path, "merged: %s", s.Note)
		case *trace.Corrected:
			for _, o := range s.Operations {
				note(o.Path, "%s", said("corrected", o))
			}
		case *trace.CorrectionRefused:
			for _, o := range s.Operations {
				note(o.Path, "%s: %s", said("correction refused", o), s.Why)
			}
		case *trace.Updated:
			for _, o := range s.Operations {
				note(o.Path, "%s", said("updated", o))
			}
		case *trace.Kept:
			note(s.Path, "kept, though %s says %s", s.Document, clip(s.Other.String()))
		case *trace.Reviewed:
			if !s.Stale && s.Values.Kind == value.Array {
				for i := range s.Values.Kids {
					note(value.Pointer(s.Values.Kids[i].Text), "decided by %s on %s", s.By, s.On)
				}
			}
		}
	}
	for _, list := range []value.Value{history, b.Cover.History(b.given.Decided)} {
		for i := range list.Kids {
			c := &list.Kids[i]
			note(value.Pointer(c.Word("path")), "%s", changed(c))
		}
	}
}

// changed says what an update or a person changed.
func changed(c *value.Value) string {
	text := "changed"
	switch who, document := c.Word("reviewer"), c.Word("document"); {
	case who != "":
		text += fmt.Sprintf(" by %s on %s", who, c.Word("on"))
	case document != "":
		text += " from " + document
	}
	if was := c.Get("was"); was != nil {
		text += ", was " + clip(was.Named("").String())
	}
	if now := c.Get("now"); now != nil {
		text += ", then " + clip(now.Named("").String())
	}
	return text
}

// said says what a correction did.
func said(what string, o trace.Operation) string {
	switch {
	case o.Do == "remove":
		what += ": taken out"
	case o.Value != nil:
		what += " to " + clip(o.Value.Named("").String())
	}
	if o.Quote != "" {
		what += ", resting on “" + clip(o.Quote) + "”"
	}
	return what
}

// clip cuts what is too long to be read in a line.
func clip(s string) string {
	const most = 120
	runes := []rune(s)
	if len(runes) <= most {
		return s
	}
	return string(runes[:most-1]) + "…"
}
