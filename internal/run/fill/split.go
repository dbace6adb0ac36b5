package fill

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"filler/internal/ask/prompt"
	"filler/internal/base/tokens"
	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/trace"
	"filler/internal/source/layout"
)

// deepest bounds how often a chunk is split, and leastSplit is the estimate of
// tokens below which none is.
const (
	deepest    = 5
	leastSplit = 80
)

// split asks again for the two halves of a piece whose reply was cut short. It
// stays as it is where it can't be split, or where that did not help.
func (x *piece) split(ctx context.Context) error {
	doc := x.w.doc
	most := deepest
	if !x.schema.EachEntry() {
		most = 2
	}
	whole := prompt.Chunk{N: 1, Of: 1, Core: layout.Span{End: len(doc.Text)}, Shown: []layout.Span{{End: len(doc.Text)}}}
	if x.chunk != nil {
		whole = *x.chunk
	}
	if x.level >= most || x.style == prompt.ByField || whole.Only || len(x.w.images()) > 0 {
		return nil
	}
	var chunks []prompt.Chunk
	if tokens.EstimateBytes(whole.Core.End-whole.Core.Start) >= leastSplit {
		chunks = x.w.cuts.Split(whole, x.room)
	}
	if chunks == nil {
		return x.rest(ctx)
	}
	x.trace.add(&trace.Split{Request: x.step, Chunks: len(chunks), Why: "the reply was cut short"})
	for i, c := range chunks {
		c.N, c.Of = i+1, len(chunks)
		half := &piece{by: x.by, part: x.part, chunk: &c, room: x.room, step: fmt.Sprintf("%s.%d", x.step, i+1), level: x.level + 1, w: x.w, keys: x.keys}
		half.index = x.w.index.Within(spansOf(c.Shown))
		if err := half.fill(ctx); err != nil {
			return err
		}
		x.trace.steps = append(x.trace.steps, half.trace.steps...)
		x.halves = append(x.halves, half)
	}
	for _, half := range x.halves {
		if half.code != "" || half.cut {
			if x.code == "" && half.code != "" { // what came whole of the first reply is more
				x.trace.add(&trace.NotSplit{Request: x.step, Why: half.why})
				x.halves = nil
				return nil
			}
		}
	}
	x.cut, x.code, x.why = false, "", ""
	for _, half := range x.halves {
		x.cut = x.cut || half.cut
	}
	return nil
}

// rest asks for the fields that had not come whole when the reply was cut short,
// where the document is too small to be split.
func (x *piece) rest(ctx context.Context) error {
	if x.code != "" || len(x.came) == 0 || x.schema.EachEntry() || x.style == prompt.ByPointer {
		return nil
	}
	var left []string
	kept := *x
	kept.record, kept.cut, kept.halves, kept.trace = x.record.Clone(), false, nil, log{}
	for _, f := range x.schema.Record().Fields {
		if slices.Contains(x.came, f.Name) {
			continue
		}
		left = append(left, f.Path)
		kept.record.Kids = slices.DeleteFunc(kept.record.Kids, func(v value.Value) bool { return v.Name == f.Name })
	}
	if len(left) == 0 {
		return nil
	}
	p := *x.part
	p.schema = x.w.schemaOf(x.schema, left)
	rest := &piece{by: x.by, part: &p, chunk: x.chunk, room: x.room, step: x.step + ".rest", level: deepest, w: x.w, keys: x.keys, index: x.index}
	x.trace.add(&trace.Split{Request: x.step, Chunks: 1, Why: "the reply was cut short; asked for " + strings.Join(left, ", ") + " again"})
	if err := rest.fill(ctx); err != nil {
		return err
	}
	x.trace.steps = append(x.trace.steps, rest.trace.steps...)
	if rest.code != "" || rest.cut {
		return nil
	}
	for _, f := range x.schema.Record().Fields { // what came in part is better than nothing
		began, whole := x.record.Get(f.Name), rest.record.Get(f.Name)
		if !slices.Contains(x.came, f.Name) && began != nil && !began.Empty() && (f.IsLeaf() || whole.Empty()) {
			kept.record.Set(f.Name, began.Clone())
		}
	}
	kept.record = record.Arrange(x.schema, &kept.record)
	kept.places = kept.locate(&kept.record)
	x.halves, x.cut = []*piece{&kept, rest}, false
	return nil
}

// leaves gives the pieces whose records count: the piece, or what it was split
// into.
func (x *piece) leaves() []*piece {
	if x.halves == nil {
		return []*piece{x}
	}
	var all []*piece
	for _, half := range x.halves {
		all = append(all, half.leaves()...)
	}
	return all
}
