package cli

import (
	"fmt"
	"strings"

	"filler/internal/value"
)

// updated prints a step of an update.
func (t *tracer) updated(s *value.Value) error {
	switch text(s, "step") {
	case "new document":
		t.line("new", plain, "%s: %s, %s bytes, source %s", text(s, "document"), text(s, "format"), text(s, "bytes"), clip(text(s, "source"), 12))
	case "same", "changed":
		t.line("note", soft, "%s", text(s, "note"))
	case "kept":
		t.line("kept", soft, "%s  %s, though %s says %s", text(s, "path"), shownValue(s.Get("was")), text(s, "document"), shownValue(s.Get("other")))
	case "update":
		if err := t.upTo(text(s, "request")); err != nil {
			return err
		}
		t.operations(s)
		t.each(s.Get("refused"), func(r *value.Value) {
			t.line("refused", bad, "operation %s, %s: %s", text(r, "operation"), text(r, "path"), text(r, "why"))
		})
		t.each(s.Get("new"), func(r *value.Value) { t.line("not kept", soft, "%s", clip(r.String(), 90)) })
		if n := text(s, "confirmed"); n != "0" && n != "" {
			t.line("confirmed", faint, "%s values said once more", n)
		}
	case "history":
		t.each(s.Get("changes"), func(c *value.Value) {
			t.line("changed", good, "%s  %s → %s  (%s, line %s: %q)", text(c, "path"), clip(shownValue(c.Get("was")), 40), clip(shownValue(c.Get("now")), 40), text(c, "document"), text(c, "line"), clip(oneLine(text(c, "words")), 50))
		})
	}
	return nil
}

func (t *tracer) each(list *value.Value, do func(v *value.Value)) {
	if list != nil {
		for i := range list.Kids {
			do(&list.Kids[i])
		}
	}
}

// operations prints the operations of a patch, with the words of each.
func (t *tracer) operations(s *value.Value) {
	t.each(s.Get("operations"), func(op *value.Value) {
		v := ""
		if at := op.Get("value"); at != nil {
			v = "  " + clip(at.Named("").String(), 60)
		}
		if words := text(op, "words"); words != "" {
			v += fmt.Sprintf("  by %q", clip(oneLine(words), 40))
		}
		t.line("patch", soft, "%s %s%s", text(op, "op"), text(op, "path"), v)
	})
}

// oneLine puts a text on one line.
func oneLine(s string) string { return strings.Join(strings.Fields(s), " ") }
