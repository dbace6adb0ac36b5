package score

import (
	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/record"
	"filler/internal/schema"
)

// part is what a batch of lines came to.
type part struct {
	*Scorer
	read []came
	bad  *LineError
}

// came is a document of a batch: its line, its number in the gold, and its name
// where it has none.
type came struct {
	line, n int
	id      string
}

// lines reads records for one hand.
type lines struct {
	reader value.Reader
	hand   *gold.Hand
	line   record.Line
}

// read reads a line into r.line. Where its record is written as gold's is, it is
// gold's that is given, and not read again.
func (r *lines) read(text []byte, s *schema.Schema) error {
	var known value.Known
	if id, ok := record.DocumentOf(text); ok {
		if _, g, err := r.hand.Find(id); err == nil && g != nil {
			known = r.hand.Known()
		}
	}
	var err error
	r.line, err = record.ReadLine(&r.reader, text, known, s)
	return err
}

// AddFile counts the records of a file of JSON Lines, several lines at a time;
// what comes of it does not depend on how many. An error is a *LineError.
func (sc *Scorer) AddFile(path string) error {
	return inHands(path, func() func(b *batch) *part {
		r := &lines{hand: sc.gold.Hand()}
		return func(b *batch) *part { return sc.measureAll(b, r, nil) }
	}, sc.merge)
}

// measureAll counts the lines of a batch by themselves. each, where there is one,
// hears of every record, and whether it counted.
func (sc *Scorer) measureAll(b *batch, r *lines, each func(s *Scorer, l *record.Line, counted bool)) *part {
	p := &part{Scorer: NewWith(sc.schema, sc.gold, sc.options)}
	p.hand = r.hand
	b.each(func(n int, text []byte) bool {
		if err := r.read(text, sc.schema); err != nil {
			p.bad = &LineError{n, err}
			return false
		}
		c := came{line: n}
		if c.n, _, _ = r.hand.Find(r.line.Document); c.n < 0 {
			c.id = r.line.Document
		}
		p.read = append(p.read, c)
		before := p.report.Documents
		p.measure(&r.line)
		if each != nil {
			each(p.Scorer, &r.line, p.report.Documents > before)
		}
		return true
	})
	return p
}

// merge adds what a batch came to.
func (sc *Scorer) merge(o *part) error {
	for _, c := range o.read {
		if !sc.seen.add(c.n, c.id) {
			if c.n >= 0 {
				if g, err := sc.hand.At(c.n); err == nil {
					c.id = g.Document
				}
			}
			return &LineError{c.line, &Twice{c.id}}
		}
	}
	if o.bad != nil {
		return o.bad
	}
	sc.joinSampled(o.Scorer)
	r, p := &sc.report, &o.report
	r.Documents, r.RecordsRight, r.RecordsOf, r.Drafted = r.Documents+p.Documents, r.RecordsRight+p.RecordsRight, r.RecordsOf+p.RecordsOf, r.Drafted+p.Drafted
	r.TooLong, r.Reread, r.Untouched, r.Invented = r.TooLong+p.TooLong, r.Reread+p.Reread, r.Untouched+p.Untouched, r.Invented+p.Invented
	r.Misfits += p.Misfits
	r.ByPeople += p.ByPeople
	r.Unseen.Counted, r.Unseen.Apart = r.Unseen.Counted+p.Unseen.Counted, r.Unseen.Apart+p.Unseen.Apart
	r.LeftOut = append(r.LeftOut, p.LeftOut...)
	for i := range p.Fields {
		r.Fields[i].Counts = r.Fields[i].Counts.Plus(p.Fields[i].Counts)
	}
	for i := range o.byField {
		sc.byField[i].plus(&o.byField[i])
	}
	r.Evident.plus(p.Evident)
	sc.tallies.plus(&o.tallies)
	sc.risky = append(sc.risky, o.risky...)
	for f, items := range o.lists {
		sc.itemsOf(f).plus(*items)
	}
	for f, e := range o.edges {
		sc.edges[f].plus(e)
	}
	for name, s := range o.slices {
		mine := sc.slices[name]
		if mine == nil {
			sc.slices[name] = s
			continue
		}
		mine.Documents += s.Documents
		mine.Counts = mine.Counts.Plus(s.Counts)
		mine.tallies.plus(&s.tallies)
	}
	for f, c := range o.confusion {
		for cell, n := range c.counts {
			sc.confusion[f].plus(cell, *n)
		}
	}
	sc.straight.plus(&o.straight)
	return nil
}

// itemsOf gives the counts of a list's items.
func (sc *Scorer) itemsOf(f *schema.Field) *Items {
	if sc.lists[f] == nil {
		sc.lists[f] = &Items{}
	}
	return sc.lists[f]
}

func (i *Items) plus(o Items) {
	i.Found, i.Missed, i.Extra = i.Found+o.Found, i.Missed+o.Missed, i.Extra+o.Extra
}

func (e *Evident) plus(o Evident) {
	e.Known = e.Known || o.Known
	e.RightWith, e.RightWithout, e.WrongWith, e.WrongWithout = e.RightWith+o.RightWith, e.RightWithout+o.RightWithout, e.WrongWith+o.WrongWith, e.WrongWithout+o.WrongWithout
	e.SamePlace, e.OtherPlace = e.SamePlace+o.SamePlace, e.OtherPlace+o.OtherPlace
}

func (s *straight) plus(o *straight) {
	before := len(s.docs)
	s.docs, s.parts = append(s.docs, o.docs...), append(s.parts, o.parts...)
	for _, u := range o.leaves {
		u.doc += before
		s.leaves = append(s.leaves, u)
	}
	for _, u := range o.records {
		u.doc += before
		s.records = append(s.records, u)
	}
}

// AddFile adds the records of a file of JSON Lines to a set, from 0, several lines at a
// time. An error of a line is a *LineError.
func (c *Comparer) AddFile(set int, path string) error {
	type added struct {
		n    int
		id   string
		side *side
		err  error
	}
	return inHands(path, func() func(b *batch) []added {
		gate := NewWith(c.schema, c.gate.gold, c.gate.options)
		r := &lines{hand: gate.hand}
		return func(b *batch) (out []added) {
			b.each(func(n int, text []byte) bool {
				err := r.read(text, c.schema)
				one := added{n: n, id: r.line.Document, err: err}
				if err == nil {
					one.side = c.side(gate, &r.line)
				}
				out = append(out, one)
				return err == nil
			})
			return out
		}
	}, func(all []added) error {
		for _, one := range all {
			if one.err == nil {
				one.err = c.put(set, one.id, one.side)
			}
			if one.err != nil {
				return &LineError{one.n, one.err}
			}
		}
		return nil
	})
}
