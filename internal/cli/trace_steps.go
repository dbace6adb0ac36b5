package cli

import (
	"fmt"
	"strings"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/trace"
	"filler/internal/store"
)

// tracer prints the steps of a record between the exchanges that they came
// from. It is a trace.Visitor.
type tracer struct {
	a         *app
	l         store.Store
	run       store.Run
	exchanges []store.Exchange
	shown     map[int]bool // those that a step has claimed
	full      bool
	cover     *record.Cover
}

func (t *tracer) line(kind string, tn tone, format string, args ...any) error {
	t.a.printf("  %s  %s\n", t.a.paint(tn, fmt.Sprintf("%-9s", kind)), fmt.Sprintf(format, args...))
	return nil
}

func (t *tracer) Read(s *trace.Read) error {
	note := ""
	if s.Notes != "" {
		note = ", " + s.Notes
	}
	return t.line("read", faint, "%s, %d bytes%s, text %.12s", s.Format, s.Bytes, note, s.Text)
}

func (t *tracer) Unreadable(s *trace.Unreadable) error {
	return t.line("read", bad, "not read: %s; the record is worked on without its document", s.Why)
}

func (t *tracer) Example(s *trace.Example) error {
	return t.line("example", soft, "%s is a solved example of the prompt, or nearly: this record never counts in a score", s.Document)
}

func (t *tracer) Printed(s *trace.Printed) error {
	return t.line("printed", faint, "%s filled by what the document prints, at no cost", plural(s.Values, "value"))
}

func (t *tracer) Plan(s *trace.Plan) error {
	said := plural(s.Requests, "request")
	if s.Parts != 1 {
		said += fmt.Sprintf(", the record in %d parts", s.Parts)
	}
	chunks, inside := 0, 0
	for _, p := range s.Pieces {
		if p.Cut {
			chunks++
		}
		if p.Inside {
			inside++
		}
	}
	if chunks > 0 {
		said += fmt.Sprintf(", the document in %d chunks, of which %d begin within an entry", chunks, inside)
	}
	return t.line("plan", faint, "%s", said)
}

func (t *tracer) Asked(s *trace.Asked) error { return t.upTo(s.Request) }

func (t *tracer) NoAnswer(s *trace.NoAnswer) error {
	if err := t.upTo(s.Request); err != nil {
		return err
	}
	return t.line("refused", bad, "no answer came: %s", s.Why)
}

func (t *tracer) ShapeRefused(s *trace.ShapeRefused) error {
	return t.line("shape", soft, "shape %s did not work (%s); asked again in a weaker one", s.Shape, s.Why)
}

func (t *tracer) TakenOver(s *trace.TakenOver) error {
	return t.line("then", bold, "model %s takes over", s.Model)
}

func (t *tracer) Split(s *trace.Split) error {
	return t.line("split", soft, "%s: %s; asked again in %s", s.Request, s.Why, plural(s.Chunks, "chunk"))
}

func (t *tracer) NotSplit(s *trace.NotSplit) error {
	return t.line("split", soft, "%s: the chunks did no better (%s); the complete values of the first reply are kept", s.Request, s.Why)
}

func (t *tracer) Lenient(s *trace.Lenient) error {
	return t.line("lenient", soft, "%s at byte %d: %s", s.Kind, s.Offset, s.Note)
}

func (t *tracer) Unused(s *trace.Unused) error {
	if s.Chatter {
		return nil // its step Lenient tells of it
	}
	return t.line("unused", soft, "line %d of the reply: %s  %s", s.Line, s.Reason, clip(s.Text, 80))
}

func (t *tracer) Pointed(s *trace.Pointed) error {
	return t.line("pointer", faint, "%s  %s → %s", s.Path, s.Said, value.Str(s.Copied).String())
}

func (t *tracer) PointerRefused(s *trace.PointerRefused) error {
	return t.line("pointer", bad, "%s  %s: %s", s.Path, s.Said, s.Why)
}

func (t *tracer) PlaceRefused(s *trace.PlaceRefused) error {
	return t.line("place", soft, "%s  %s", s.Path, s.Why)
}

func (t *tracer) Normalized(s *trace.Normalized) error {
	return t.line("normalize", soft, "%s  %s → %s  (%s)", s.Path, clip(s.From.String(), 60), clip(s.To.String(), 60), s.Rule)
}

func (t *tracer) Merged(s *trace.Merged) error {
	was := ""
	if s.Was.Kind != value.Null {
		was = "  " + clip(s.Was.String(), 60)
	}
	return t.line("merge", soft, "%s  %s: %s%s", orRecord(s.Path), s.What, s.Note, was)
}

func orRecord(path value.Pointer) string {
	if path == "" {
		return "the record"
	}
	return string(path)
}

func (t *tracer) Uncovered(s *trace.Uncovered) error {
	for _, l := range s.Lines {
		what := l.Field
		if l.Left {
			what = "perhaps " + l.Field
		}
		t.line("uncovered", soft, "L%d, %s: %s", l.Line, what, clip(l.Text, 80))
	}
	return nil
}

func (t *tracer) Checked(s *trace.Checked) error { return t.problems("check", s.Problems) }

func (t *tracer) problems(kind string, problems []record.Problem) error {
	if len(problems) == 0 {
		return t.line(kind, good, "no problems")
	}
	for _, p := range problems {
		now := ""
		if p.Value != nil {
			now = "  " + clip(p.Value.String(), 60)
		}
		t.line(kind, bad, "%s  %s  %s%s", p.Path, p.Code(), p.Message(), now)
	}
	return nil
}

func (t *tracer) Corrected(s *trace.Corrected) error {
	if err := t.upTo(s.Request); err != nil {
		return err
	}
	t.operations(s.Operations)
	t.line("taken", good, "all corrections")
	return t.problems("remain", s.Left)
}

func (t *tracer) CorrectionRefused(s *trace.CorrectionRefused) error {
	if err := t.upTo(s.Request); err != nil {
		return err
	}
	t.operations(s.Operations)
	return t.line("refused", bad, "%s", s.Why)
}

func (t *tracer) AskingEnded(s *trace.AskingEnded) error {
	if s.Code == record.Uncovered {
		return t.line("ended", bad, "asking about uncovered places: %d requests in a row gave nothing; %d such places remain", s.Requests, s.Left)
	}
	of := "the record"
	if s.Field != "" {
		of = s.Field
	}
	return t.line("ended", bad, "repair of %s (%s): %d requests in a row left it as it was; %d such problems remain", of, s.Code, s.Requests, s.Left)
}

func (t *tracer) NewDocument(s *trace.NewDocument) error {
	return t.line("new", plain, "%s: %s, %d bytes, text %.12s", s.Document, s.Format, s.Bytes, s.Text)
}

func (t *tracer) SameText(*trace.SameText) error {
	return t.line("note", soft, "the record was filled from this same text")
}

func (t *tracer) SourceChanged(*trace.SourceChanged) error {
	return t.line("note", soft, "the record's own document has changed since; its evidence is kept as it was")
}

func (t *tracer) NothingNew(s *trace.NothingNew) error {
	if err := t.upTo(s.Request); err != nil {
		return err
	}
	return t.line("note", plain, "the new document changes nothing")
}

func (t *tracer) Kept(s *trace.Kept) error {
	return t.line("kept", soft, "%s  %s, though %s says %s", s.Path, shownValue(&s.Was), s.Document, shownValue(&s.Other))
}

func (t *tracer) Updated(s *trace.Updated) error {
	if err := t.upTo(s.Request); err != nil {
		return err
	}
	t.operations(s.Operations)
	for _, r := range s.Refused {
		t.line("refused", bad, "operation %d, %s: %s", r.Operation, r.Path, r.Why)
	}
	for i := range s.New {
		t.line("not kept", soft, "%s", clip(s.New[i].String(), 90))
	}
	if s.Confirmed > 0 {
		t.line("confirmed", faint, "%s confirmed by the new document", plural(s.Confirmed, "value"))
	}
	return nil
}

func (t *tracer) History(s *trace.History) error {
	for i := range s.Changes.Kids {
		c := &s.Changes.Kids[i]
		if c.Word("reviewer") != "" {
			continue // told where it is heeded
		}
		t.line("changed", good, "%s  %s → %s  (%s, line %s: %q)", c.Word("path"), clip(shownValue(c.Get("was")), 40), clip(shownValue(c.Get("now")), 40), c.Word("document"), c.Word("line"), clip(oneLine(c.Word("quote")), 50))
	}
	return nil
}

func (t *tracer) Reviewed(s *trace.Reviewed) error {
	if s.Stale {
		return t.line("reviewed", soft, "by %s on %s, but the document's text is another now: not heeded", s.By, s.On)
	}
	t.line("reviewed", good, "%s as %s decided on %s", plural(len(s.Values.Kids), "value"), s.By, s.On)
	for i := range s.Changes.Kids {
		c := &s.Changes.Kids[i]
		t.line("changed", good, "%s  %s → %s  (%s, %s)", c.Word("path"), clip(shownValue(c.Get("was")), 40), clip(shownValue(c.Get("now")), 40), c.Word("reviewer"), c.Word("on"))
	}
	return nil
}

func (t *tracer) Evidence(s *trace.Evidence) error {
	loose := ""
	if s.Lookalike > 0 {
		loose = fmt.Sprintf("%d lookalike, ", s.Lookalike)
	}
	if s.Pictured > 0 {
		loose += fmt.Sprintf("%d pictured, ", s.Pictured)
	}
	return t.line("evidence", faint, "%d quoted, %d restated, %s%d inferred, %d none", s.Quoted, s.Restated, loose, s.Inferred, s.None)
}

func (t *tracer) Ended(s *trace.Ended) error { return t.line("end", bold, "%s", s.Status) }

func (t *tracer) Other(s *trace.Other) error {
	return t.line(s.Step, soft, "%s", clip(s.Is.String(), 100))
}

// operations prints the changes that a model asked for, with the words of each.
func (t *tracer) operations(ops []trace.Operation) {
	for _, op := range ops {
		v := ""
		if op.Value != nil {
			v = "  " + clip(op.Value.String(), 60)
		}
		if op.Quote != "" {
			v += fmt.Sprintf("  quoting %q", clip(oneLine(op.Quote), 40))
		}
		t.line("patch", soft, "%s %s%s", op.Do, op.Path, v)
	}
}

// oneLine puts a text on one line.
func oneLine(s string) string { return strings.Join(strings.Fields(s), " ") }
