package fill

import (
	"context"
	"fmt"
	"slices"
	"sort"

	"filler/internal/ask/outline"
	"filler/internal/ask/prompt"
	"filler/internal/base/tokens"
	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/evidence"
	"filler/internal/record/merge"
	"filler/internal/record/trace"
	"filler/internal/schema"
	"filler/internal/source/layout"
)

// maxUnread bounds how many unread lines a record names one by one.
const maxUnread = 12

// again asks once more for the labelled lines and rows that no value comes
// from, and for what was left over, and takes from the answers what stands in
// those lines; then for the unread ones of them, each place by itself. What then
// still is unread is a problem; what is left over may be of no field, and
// weighs on the risk of those that have no value.
func (w *filling) again(ctx context.Context, by *Model) error {
	if w.Settings.Style == prompt.Open || len(w.images()) > 0 || by.prints() {
		return nil
	}
	whole := part{schema: w.Schema, style: prompt.Record}
	room, err := w.asker(by).room(&whole)
	lines, left := w.unread()
	ask := len(left) > 0 && !w.Settings.Sparing
	// Where there is no room for all fields at once, the lines stay a problem.
	a := &another{by: by, whole: &whole, room: room, asked: map[int]bool{}}
	for round := 1; err == nil && round <= w.Rounds && (len(lines) > 0 || ask); round++ {
		if ask {
			lines = append(lines, left...)
			sort.SliceStable(lines, func(i, j int) bool { return lines[i].Start < lines[j].Start })
		}
		a.round, a.sent, a.alone = round, 0, false
		if err := w.lookAt(ctx, lines, a); err != nil {
			return err
		}
		lines, left = w.unread()
		ask = false // once is enough: it may be of no field
	}
	w.stillUnread(lines, left)
	return nil
}

// another is a further look at lines of a document.
type another struct {
	by    *Model
	whole *part
	room  prompt.Room
	round int
	sent  int          // requests so far
	asked map[int]bool // the places that were asked about in an earlier round
	alone bool         // each place by itself
}

// lookAt asks for lines: for all that were not asked about before; then for the others, each
// place by itself, a few first, and more as long as that is of avail.
func (w *filling) lookAt(ctx context.Context, lines []evidence.Line, a *another) error {
	var fresh, left []evidence.Line
	for _, l := range lines {
		if a.asked[l.Start] {
			left = append(left, l)
			continue
		}
		fresh = append(fresh, l)
		a.asked[l.Start] = true
	}
	if len(fresh) > 0 {
		if err := w.look(ctx, fresh, a); err != nil {
			return err
		}
	}
	a.alone = true
	for few := enoughInVain; len(left) > 0; few *= 2 {
		now := left[:min(few, len(left))]
		was, before := w.record.Clone(), a.sent
		if err := w.look(ctx, now, a); err != nil {
			return err
		}
		if left = left[len(now):]; len(left) > 0 && value.Equal(&was, &w.record) {
			w.trace.add(&trace.AskingEnded{Code: record.Uncovered, Requests: a.sent - before, Left: len(now) + len(left)})
			break
		}
	}
	return nil
}

// look asks for lines and fills gaps with the answers.
func (w *filling) look(ctx context.Context, lines []evidence.Line, a *another) error {
	pieces := w.askAgain(lines, a)
	step := &trace.Uncovered{Round: a.round}
	var asked []layout.Span
	contested := map[value.Pointer]string{}
	for _, l := range lines {
		if l.Left && l.At != "" {
			contested[l.At] = l.Says
		}
		step.Lines = append(step.Lines, trace.Line{Line: l.Line, Field: l.Field, Text: l.Text, Left: l.Left})
		asked = append(asked, layout.Span{Start: l.Start, End: l.End})
	}
	w.trace.add(step)
	if err := w.fillAll(ctx, pieces); err != nil {
		return err
	}
	parts := []merge.Part{{Record: w.record, Places: w.places(&w.record), Contested: contested}}
	for _, x := range pieces {
		w.trace.steps = append(w.trace.steps, x.trace.steps...)
		if x.code == "" {
			w.follow(&x.record, x.places, x.normalized)
			parts = append(parts, merge.Part{Record: x.record, Places: x.places, Inside: true, Gaps: true, Asked: asked})
			continue
		}
		for _, l := range lines {
			if slices.ContainsFunc(x.chunk.Shown, func(s layout.Span) bool { return s.Holds(l.Start) }) {
				w.unanswered[l.Start] = true
			}
		}
	}
	r := merge.Parts(w.Schema, parts, w.starts())
	w.decided(r)
	w.record, w.found = record.Arrange(w.Schema, &r.Record), r.Places
	w.remember()
	return nil
}

// unread gives the lines that nothing comes from, and those with what was left
// over, but those of pieces that came to nothing: their own problem says so.
func (w *filling) unread() (lines, left []evidence.Line) {
	lines, left = evidence.Look(w.Schema, &w.record, w.index, w.places(&w.record))
	return w.ofAnswered(lines), w.ofAnswered(left)
}

func (w *filling) ofAnswered(lines []evidence.Line) []evidence.Line {
	sort.Slice(lines, func(i, j int) bool { return lines[i].Start < lines[j].Start })
	kept := lines[:0:0]
	for _, l := range lines {
		lost := l.List // which may name a heading, or what the field is not: a reviewer sees it
		for _, s := range w.lost {
			lost = lost || s.Holds(l.Start)
		}
		if !lost {
			kept = append(kept, l)
		}
	}
	return kept
}

// askAgain gives the requests for lines, with what stands around them: as many in
// one as are read with care, or each place by itself.
func (w *filling) askAgain(lines []evidence.Line, a *another) []*piece {
	most := a.room.Tokens
	if most == 0 || most > carefully {
		most = carefully
	}
	time := 1
	if a.alone {
		most, time = 1, a.round
	}
	var pieces []*piece
	var group []layout.Span
	var missed []outline.Missed // the same lines, as they are asked about
	var around prompt.Chunk     // of the group
	flush := func() {
		if len(group) > 0 {
			c := around
			c.Time, c.Missing = time, missed
			a.sent++
			pieces = append(pieces, &piece{by: a.by, part: a.whole, chunk: &c, room: a.room, step: fmt.Sprintf("look again %d.%d", a.round, a.sent)})
		}
		group, missed = nil, nil
	}
	for _, line := range lines {
		l := layout.Span{Start: line.Start, End: line.End}
		next := w.cuts.Around(append(group[:len(group):len(group)], l))
		same := len(group) > 0 && slices.Equal(next.Shown, around.Shown)
		if len(group) > 0 && !same && tokens.Estimate(w.doc.Part("flow", next.Shown)) > most {
			flush()
			next = w.cuts.Around([]layout.Span{l})
		}
		group, around = append(group, l), next
		one := outline.Missed{Field: line.Field, Line: line.Text, Row: line.Row}
		if v := w.record.At(line.At); line.At != "" && !v.Empty() && v.Kind != value.Object && v.Kind != value.Array {
			one.Now = string(v.JSON())
		}
		if !slices.Contains(missed, one) { // of fields of one name in a list
			missed = append(missed, one)
		}
	}
	flush()
	return pieces
}

// carefully is how many tokens of unread lines go into one request.
const carefully = 1500

// stillUnread makes problems of the lines that nothing comes from, and notes what
// was left over. What was asked about without an answer is a problem, too.
func (w *filling) stillUnread(lines, left []evidence.Line) {
	w.missed, w.leftOver = map[string]bool{}, map[value.Pointer]bool{}
	for _, l := range left {
		if w.unanswered[l.Start] {
			lines = append(lines, l)
		}
		w.leftOver[l.At] = true
		if f := w.Schema.Find(l.Field); f != nil && l.At == "" && f.Type == schema.List { // right below the record
			w.leftOver[value.Pointer("").Key(f.Name)] = true
		}
	}
	for _, l := range lines {
		w.missed[l.Field] = true
	}
	w.others = append(w.others, unreadProblems(w.Schema, lines)...)
}

// unreadProblems makes problems of lines that nothing comes from.
func unreadProblems(s *schema.Schema, lines []evidence.Line) (problems []record.Problem) {
	for i, l := range lines {
		if i == maxUnread {
			return append(problems, record.Problem{What: record.MoreUnread{Lines: len(lines) - i}})
		}
		unread := record.Unread{Line: l.Line, Field: l.Field, Said: l.Text}
		if f := s.Find(l.Field); f != nil && (f.Sensitive || f.IsHidden()) {
			unread.Said = ""
		}
		problems = append(problems, record.Problem{What: unread})
	}
	return problems
}

// readSince drops the problems of lines that a value comes from since the record
// was repaired.
func (w *filling) readSince() {
	isUnread := func(p record.Problem) bool { return p.Code() == record.Uncovered }
	if !slices.ContainsFunc(w.others, isUnread) {
		return
	}
	w.others = slices.DeleteFunc(w.others, isUnread)
	lines, left := w.unread()
	// The places that were chosen before the repair may hold others back.
	again := w.ofAnswered(evidence.Unread(w.Schema, &w.record, w.index, evidence.Of(w.Schema, &w.record, w.index)))
	lines = slices.DeleteFunc(lines, func(l evidence.Line) bool {
		return !slices.ContainsFunc(again, func(other evidence.Line) bool { return other.Start == l.Start && other.Field == l.Field })
	})
	w.stillUnread(lines, left)
}
