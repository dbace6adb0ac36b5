package score

import (
	"errors"
	"runtime"
	"sync"

	"filler/internal/record"
	"filler/internal/schema"
	"filler/internal/value"
)

// batchLines is how many lines one hand takes at once.
const batchLines = 128

// batch is some lines of a file, on their way to a hand and back.
type batch struct {
	n     []int // of the lines, from 1
	text  []byte
	ends  []int
	part  *Scorer
	lines []string // the documents of the lines that were read
	at    []int    // their numbers
	bad   *LineError
	done  chan struct{}
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
			for b := range queue {
				b.work(sc, &reader)
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
		}
		failed <- err
	}()
	now := &batch{done: make(chan struct{})}
	send := func() bool {
		if len(now.n) == 0 {
			return true
		}
		b := now
		now = &batch{done: make(chan struct{})}
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
func (b *batch) work(sc *Scorer, reader *value.Reader) {
	b.part = NewWith(sc.schema, sc.gold, sc.options)
	from := 0
	for i, end := range b.ends {
		l, err := record.ReadLine(reader, b.text[from:end], sc.schema.EachEntry())
		from = end
		if err == nil {
			b.lines, b.at = append(b.lines, l.Document), append(b.at, b.n[i])
			err = b.part.Add(l)
		}
		if err != nil {
			b.bad = &LineError{b.n[i], err}
			return
		}
	}
}

// merge adds what a batch came to.
func (sc *Scorer) merge(b *batch) error {
	for i, id := range b.lines {
		if sc.seen[id] {
			return &LineError{b.at[i], &Twice{id}}
		}
		sc.seen[id] = true
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
	sc.tallies = append(sc.tallies, o.tallies...)
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
		mine.tallies = append(mine.tallies, s.tallies...)
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
