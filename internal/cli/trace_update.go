package cli

import (
	"fmt"
	"strings"

	"filler/internal/base/value"
)

// updated prints a step of an update.
func (t *tracer) updated(s *value.Value) error {
	switch s.Word("step") {
	case "new document":
		t.line("new", plain, "%s: %s, %s bytes, text %.12s", s.Word("document"), s.Word("format"), s.Word("bytes"), s.Word("text_sha256"))
	case "same", "changed":
		t.line("note", soft, "%s", s.Word("note"))
	case "kept":
		t.line("kept", soft, "%s  %s, though %s says %s", s.Word("path"), shownValue(s.Get("was")), s.Word("document"), shownValue(s.Get("other")))
	case "update":
		if err := t.upTo(s.Word("request")); err != nil {
			return err
		}
		t.operations(s)
		t.each(s.Get("refused"), func(r *value.Value) {
			t.line("refused", bad, "operation %s, %s: %s", r.Word("operation"), r.Word("path"), r.Word("why"))
		})
		t.each(s.Get("new"), func(r *value.Value) { t.line("not kept", soft, "%s", clip(r.String(), 90)) })
		if n := s.Word("confirmed"); n != "0" && n != "" {
			t.line("confirmed", faint, "%s values confirmed by the new document", n)
		}
	case "history":
		t.each(s.Get("changes"), func(c *value.Value) {
			t.line("changed", good, "%s  %s → %s  (%s, line %s: %q)", c.Word("path"), clip(shownValue(c.Get("was")), 40), clip(shownValue(c.Get("now")), 40), c.Word("document"), c.Word("line"), clip(oneLine(c.Word("quote")), 50))
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
		if words := op.Word("quote"); words != "" {
			v += fmt.Sprintf("  quoting %q", clip(oneLine(words), 40))
		}
		t.line("patch", soft, "%s %s%s", op.Word("op"), op.Word("path"), v)
	})
}

// oneLine puts a text on one line.
func oneLine(s string) string { return strings.Join(strings.Fields(s), " ") }
