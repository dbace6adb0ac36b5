package fill

import (
	"context"
	"fmt"
	"sort"

	"filler/internal/evidence"
	"filler/internal/layout"
	"filler/internal/merge"
	"filler/internal/prompt"
	"filler/internal/record"
	"filler/internal/tokens"
	"filler/internal/value"
)

// maxUnread bounds how many unread lines a record names one by one.
const maxUnread = 12

// again asks once more for the labelled lines and rows that no value comes
// from, and takes from the answers what stands in those lines. What then still
// is unread is a problem.
func (w *filling) again(ctx context.Context) error {
	if w.Settings.Style == prompt.Open || len(w.images()) > 0 {
		return nil
	}
	lines := w.unread()
	if len(lines) == 0 {
		return nil
	}
	list := value.List()
	for _, l := range lines {
		list.Kids = append(list.Kids, value.Obj(number("line", l.Line), text("field", l.Field), text("text", l.Text)))
	}
	w.trace.add("unread", list.Named("lines"))
	whole := part{schema: w.Schema, style: prompt.Whole}
	room, err := (&asker{Filler: w.Filler, doc: w.doc}).room(&whole)
	if err != nil || w.Rounds == 0 { // nothing is to be spent on mending, or there is no room for all fields
		w.stillUnread(lines)
		return nil
	}
	pieces := w.askAgain(lines, &whole, room)
	if err := w.fillAll(ctx, pieces); err != nil {
		return err
	}
	parts := []merge.Part{{Record: w.record, Places: w.places(&w.record)}}
	for _, x := range pieces {
		w.trace.steps = append(w.trace.steps, x.trace.steps...)
		if x.code != "" {
			continue
		}
		asked := []layout.Span{}
		for _, l := range lines {
			asked = append(asked, layout.Span{Start: l.Start, End: l.End})
		}
		parts = append(parts, merge.Part{Record: x.record, Places: x.places, Core: x.chunk.Core, Inside: true, Gaps: true, Asked: asked})
	}
	r := merge.Parts(w.Schema, parts)
	w.decided(r)
	w.record, w.found = record.Arrange(w.Schema, &r.Record), r.Places
	w.remember()
	w.stillUnread(w.unread())
	return nil
}

// unread gives the lines that nothing comes from, but those of pieces that came
// to nothing: their own problem says so.
func (w *filling) unread() []evidence.Line {
	lines := evidence.Unread(w.Schema, &w.record, w.index, w.places(&w.record))
	sort.Slice(lines, func(i, j int) bool { return lines[i].Start < lines[j].Start })
	kept := lines[:0:0]
	for _, l := range lines {
		lost := false
		for _, s := range w.lost {
			lost = lost || s.Holds(l.Start)
		}
		if !lost {
			kept = append(kept, l)
		}
	}
	return kept
}

// askAgain gives the requests for lines, with what stands around them.
func (w *filling) askAgain(lines []evidence.Line, whole *part, room prompt.Room) []*piece {
	var pieces []*piece
	var group []layout.Span
	flush := func() {
		if len(group) == 0 {
			return
		}
		c := prompt.Around(w.doc, group, room)
		pieces = append(pieces, &piece{part: whole, chunk: &c, room: room, step: fmt.Sprintf("fill again %d", len(pieces)+1)})
		group = nil
	}
	for _, l := range lines {
		next := append(group[:len(group):len(group)], layout.Span{Start: l.Start, End: l.End})
		c := prompt.Around(w.doc, next, room)
		most := room.Tokens
		if most == 0 {
			most = 1500 // as much as is read with care
		}
		if len(group) > 0 && tokens.Estimate(w.doc.Part("flow", c.Shown)) > most {
			flush()
			next = next[len(next)-1:]
		}
		group = next
	}
	flush()
	return pieces
}

// stillUnread makes problems of the lines that nothing comes from.
func (w *filling) stillUnread(lines []evidence.Line) {
	for i, l := range lines {
		if i == maxUnread {
			w.others = append(w.others, record.Problem{Code: record.Unread, Message: fmt.Sprintf("%d more lines speak of fields, and no value comes from them", len(lines)-i)})
			return
		}
		said := l.Text
		if r := []rune(said); len(r) > 60 {
			said = string(r[:59]) + "…"
		}
		w.others = append(w.others, record.Problem{Code: record.Unread, Message: fmt.Sprintf("line %d speaks of %s, and no value comes from it (%q)", l.Line, l.Field, said)})
	}
}
