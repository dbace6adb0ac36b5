package score

import (
	"errors"
	"runtime"
	"sync"

	"filler/internal/gold"
	"filler/internal/record"
	"filler/internal/schema"
	"filler/internal/value"
)

// batchLines is how many lines one hand takes at once.
const batchLines = 128

// batch is some lines of a file, on their way to a hand and back.
type batch struct {
	n    []int // of the lines, from 1
	text []byte
	ends []int
	part *Scorer
	read []came
	bad  *LineError
	done chan struct{}
}

// batches are kept for the next lines.
var batches = sync.Pool{New: func() any { return &batch{} }}

func newBatch() *batch {
	b := batches.Get().(*batch)
	*b = batch{n: b.n[:0], text: b.text[:0], ends: b.ends[:0], read: b.read[:0], done: make(chan struct{})}
	return b
}

// came is a document of a batch: its line, its number in the gold, and its name
// where it has none.
type came struct {
	line, n int
	id      string
}

// LineError says what is wrong with a line of a file.
type LineError struct {
	N   int
	Err error
}

func (e *LineError) Error() string { return e.Err.Error() }
func (e *LineError) Unwrap() error { return e.Err }

// AddFile counts the records of a file of JSON Lines, several lines at a time;
// what comes of it does not depend on how many. An error is a *LineError.
func (sc *Scorer) AddFile(path string) error {
	hands := runtime.GOMAXPROCS(0)
	queue, order := make(chan *batch, hands), make(chan *batch, 4*hands)
	var wait sync.WaitGroup
	for range hands {
		wait.Go(func() {
			var reader value.Reader
			hand := sc.gold.Hand()
			for b := range queue {
				b.work(sc, &reader, hand)
				close(b.done)
			}
		})
	}
	failed := make(chan error, 1)
	var stop sync.Once
	quit := make(chan struct{})
	go func() { // puts batches together in the order of the file
		var err error
		for b := range order {
			<-b.done
			if err == nil {
				if err = sc.merge(b); err != nil {
					stop.Do(func() { close(quit) })
				}
			}
			batches.Put(b)
		}
		failed <- err
	}()
	now := newBatch()
	send := func() bool {
		if len(now.n) == 0 {
			return true
		}
		b := now
		now = newBatch()
		select {
		case <-quit:
			return false
		default:
		}
		queue <- b
		order <- b
		return true
	}
	err := record.ReadTexts(path, func(n int, _ int64, text []byte) error {
		now.n = append(now.n, n)
		now.text = append(now.text, text...)
		now.ends = append(now.ends, len(now.text))
		if len(now.n) == batchLines && !send() {
			return errQuit
		}
		return nil
	})
	if err == nil {
		send()
	}
	close(queue)
	close(order)
	wait.Wait()
	if ferr := <-failed; ferr != nil {
		return ferr
	}
	if err == errQuit {
		return nil
	}
	return err
}

var errQuit = errors.New("stopped")

// work counts the lines of a batch by themselves.
func (b *batch) work(sc *Scorer, reader *value.Reader, hand *gold.Hand) {
	b.part = NewWith(sc.schema, sc.gold, sc.options)
	b.part.hand = hand
	var l record.Line
	from := 0
	for i, end := range b.ends {
		text := b.text[from:end]
		from = end
		var known value.Known
		if id, ok := record.DocumentOf(text); ok {
			if _, g, err := hand.Find(id); err == nil && g != nil {
				known = hand.Known()
			}
		}
		var err error
		if l, err = record.ReadLine(reader, text, known, sc.schema.EachEntry()); err != nil {
			b.bad = &LineError{b.n[i], err}
			return
		}
		c := came{line: b.n[i]}
		if c.n, _, _ = hand.Find(l.Document); c.n < 0 {
			c.id = l.Document
		}
		b.read = append(b.read, c)
		b.part.measure(&l)
	}
}

// merge adds what a batch came to.
func (sc *Scorer) merge(b *batch) error {
	for _, c := range b.read {
		if !sc.seen.add(c.n, c.id) {
			if c.n >= 0 {
				if g, err := sc.hand.At(c.n); err == nil {
					c.id = g.Document
				}
			}
			return &LineError{c.line, &Twice{c.id}}
		}
	}
	if b.bad != nil {
		return b.bad
	}
	o := b.part
	r, p := &sc.report, &o.report
	r.Documents, r.RecordsRight, r.RecordsOf, r.Drafted = r.Documents+p.Documents, r.RecordsRight+p.RecordsRight, r.RecordsOf+p.RecordsOf, r.Drafted+p.Drafted
	r.TooLong += p.TooLong
	r.LeftOut = append(r.LeftOut, p.LeftOut...)
	for i := range p.Fields {
		r.Fields[i].Counts = r.Fields[i].Counts.Plus(p.Fields[i].Counts)
	}
	r.Evident.plus(p.Evident)
	sc.tallies.plus(&o.tallies)
	sc.risky = append(sc.risky, o.risky...)
	for f, items := range o.lists {
		sc.itemsOf(f).plus(*items)
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
	i.Found, i.Missed, i.Invented = i.Found+o.Found, i.Missed+o.Missed, i.Invented+o.Invented
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
