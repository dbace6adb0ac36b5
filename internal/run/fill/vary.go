package fill

import (
	"context"
	"errors"

	"filler/internal/measure/gold"
	"filler/internal/measure/score"
	"filler/internal/record"
	"filler/internal/run/vary"
	"filler/internal/source/document"
	"filler/internal/store"
)

// Robustness is what the changes to documents did to their records.
type Robustness struct {
	Run       int64
	Documents int
	Changes   []Varied
	Idle      []string // changes that found nothing to do in any document
}

// Varied is one change: the same documents before and after.
type Varied struct {
	vary.Change
	Documents int // that the change found something to do in
	Before    score.Report
	After     score.Report
	Drop      score.Interval // of F1, after less before
}

// Vary fills documents as they are and changed, and measures both: the originals
// by gold, the others by what the change does to gold. Every document is filled
// as plain text, so that nothing but the change tells the two apart.
func (f *Filler) Vary(ctx context.Context, docs []*document.Document, golds gold.Set, changes []vary.Change, seed int64, name string, h Hooks) (*Robustness, error) {
	pool := vary.Pool{}
	for _, g := range golds {
		pool.Add(f.Schema, &g.Record)
	}
	set := gold.Set{}
	var sources []document.Source
	add := func(id, text string, g gold.Record) {
		g.Document, g.Hashes = id, record.Hashes{}
		set[id] = &g
		sources = append(sources, document.Source{ID: id, Text: text})
	}
	varied := map[string][]string{} // by change
	for _, d := range docs {
		g := golds[d.ID]
		add(d.ID+asItIs, d.Text, *g)
		for _, c := range changes {
			if v, ok := c.Apply(f.Schema, vary.Document{ID: d.ID, Text: d.Text, Gold: &g.Record}, pool, seed); ok {
				own := *g
				own.Record = v.Gold
				add(d.ID+"~"+c.Name, v.Text, own)
				varied[c.Name] = append(varied[c.Name], d.ID)
			}
		}
	}
	if len(sources) == len(docs) {
		return nil, errors.New("these changes do not apply to these documents")
	}
	run, err := f.Start(Fill{}, Beginning{Name: name, Aside: "vary"}, sources)
	if err != nil {
		return nil, err
	}
	out := &Robustness{Run: run, Documents: len(docs)}
	if err := f.Run(ctx, Fill{}, run, h); err != nil {
		return out, err
	}
	lines := map[string]record.Line{}
	if err := f.Ledger.Records(run, 0, func(r store.Record) error {
		line, err := ToLine(run, r, nil)
		lines[line.Document] = line
		return err
	}); err != nil {
		return out, err
	}
	for _, c := range changes {
		ids := varied[c.Name]
		if len(ids) == 0 {
			out.Idle = append(out.Idle, c.Name)
			continue
		}
		v, err := f.measured(c, ids, set, lines)
		if err != nil {
			return out, err
		}
		out.Changes = append(out.Changes, v)
	}
	return out, nil
}

// asItIs is what the id of a document as it is ends in, which is read as plain
// text whatever its own ending says.
const asItIs = "~as-it-is"

// measured measures one change.
func (f *Filler) measured(c vary.Change, ids []string, set gold.Set, lines map[string]record.Line) (Varied, error) {
	v := Varied{Change: c, Documents: len(ids)}
	before, after := gold.Set{}, gold.Set{}
	for _, id := range ids {
		before[id+asItIs], after[id+"~"+c.Name] = set[id+asItIs], set[id+"~"+c.Name]
	}
	apart := score.Options{Between: true}
	a, b := score.NewWith(f.Schema, before.Shelf(), apart), score.NewWith(f.Schema, after.Shelf(), apart)
	for _, id := range ids {
		if err := a.Add(lines[id+asItIs]); err != nil {
			return v, err
		}
		if err := b.Add(lines[id+"~"+c.Name]); err != nil {
			return v, err
		}
	}
	v.Before, v.After, v.Drop = a.Report(), b.Report(), score.Between(a, b)
	return v, nil
}
