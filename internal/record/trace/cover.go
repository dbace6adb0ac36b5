package trace

import (
	"filler/internal/base/value"
	"filler/internal/record"
)

// Covered gives steps as they may be shown, with what is sensitive in them hidden
// where it stands.
func Covered(steps Steps, c *record.Cover) Steps {
	if c == nil {
		return steps
	}
	out := make(Steps, len(steps))
	for i, step := range steps {
		out[i] = covered(step, c)
	}
	return out
}

func covered(step Step, c *record.Cover) Step {
	switch s := step.(type) {
	case *Lenient:
		return &Lenient{Kind: s.Kind, Offset: s.Offset, Note: c.Text(s.Note)}
	case *Unused:
		now := *s
		now.Text = c.Words(s.Text)
		return &now
	case *ShapeRefused:
		return &ShapeRefused{s.Shape, c.Text(s.Why)}
	case *NoAnswer:
		return &NoAnswer{s.Request, c.Text(s.Why)}
	case *Pointed:
		now := *s
		if c.Hides(s.Path) {
			now.Copied = record.Hidden
		}
		return &now
	case *PointerRefused:
		now := *s
		if c.Hides(s.Path) {
			now.Said, now.Why = record.Hidden, c.Text(s.Why)
		}
		return &now
	case *Normalized:
		now := *s
		now.From, now.To = *c.Value(s.Path, &s.From), *c.Value(s.Path, &s.To)
		return &now
	case *Merged:
		now := *s
		now.Note, now.Was = c.Text(s.Note), merged(s, c)
		return &now
	case *Uncovered:
		now := Uncovered{Round: s.Round}
		for _, l := range s.Lines {
			now.Lines = append(now.Lines, Line{l.Line, l.Field, c.Words(l.Text), l.Left})
		}
		return &now
	}
	return coveredChange(step, c)
}

// merged gives what was merged away: an item of a list, or what stood at the path.
func merged(s *Merged, c *record.Cover) value.Value {
	if c.Hides(s.Path) && s.Was.Kind != value.Null {
		return value.Str(record.Hidden).Named(s.Was.Name)
	}
	return s.Was
}

func coveredChange(step Step, c *record.Cover) Step {
	switch s := step.(type) {
	case *Checked:
		return &Checked{c.Problems(s.Problems)}
	case *Ended:
		return &Ended{s.Status, c.Problems(s.Problems)}
	case *Corrected:
		return &Corrected{s.Request, operations(s.Operations, c), c.Problems(s.Left)}
	case *CorrectionRefused:
		return &CorrectionRefused{s.Request, operations(s.Operations, c), c.Text(s.Why)}
	case *Updated:
		now := *s
		now.Operations, now.Refused, now.New = operations(s.Operations, c), nil, nil
		for _, r := range s.Refused {
			now.Refused = append(now.Refused, Refusal{r.Operation, r.Path, c.Text(r.Why)})
		}
		for i := range s.New {
			now.New = append(now.New, *c.Value("/0", &s.New[i]))
		}
		return &now
	case *Kept:
		return &Kept{s.Path, *c.Value(s.Path, &s.Was), *c.Value(s.Path, &s.Other), s.Document}
	case *History:
		return &History{s.Before, c.History(s.Changes)}
	case *Reviewed:
		now := *s
		now.Changes = c.History(s.Changes)
		return &now
	case *Other:
		return &Other{s.Step, value.Str(record.Hidden)}
	}
	return step
}

func operations(ops []Operation, c *record.Cover) []Operation {
	out := make([]Operation, len(ops))
	for i, op := range ops {
		out[i] = Operation{op.Do, op.Path, c.Value(op.Path, op.Value), c.Words(op.Quote)}
	}
	return out
}
