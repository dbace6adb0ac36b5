package score

import (
	"errors"
	"runtime"
	"sync"

	"filler/internal/record"
)

// batchLines is how many lines one hand takes at once.
const batchLines = 128

// batch is some lines of a file, on their way to a hand and back.
type batch struct {
	n    []int // of the lines, from 1
	text []byte
	ends []int
	done chan struct{}
}

// batches are kept for the next lines.
var batches = sync.Pool{New: func() any { return &batch{} }}

func newBatch() *batch {
	b := batches.Get().(*batch)
	*b = batch{n: b.n[:0], text: b.text[:0], ends: b.ends[:0], done: make(chan struct{})}
	return b
}

// each calls do for the lines of a batch until it gives false.
func (b *batch) each(do func(n int, text []byte) bool) {
	from := 0
	for i, end := range b.ends {
		if !do(b.n[i], b.text[from:end]) {
			return
		}
		from = end
	}
}

// LineError says what is wrong with a line of a file.
type LineError struct {
	N   int
	Err error
}

func (e *LineError) Error() string { return e.Err.Error() }
func (e *LineError) Unwrap() error { return e.Err }

var errQuit = errors.New("stopped")

// inHands has the lines of a file worked on by several goroutines, and what came of
// them put together in the order of the file. hand makes what one hand works with.
func inHands[T any](path string, hand func() func(b *batch) T, merge func(T) error) error {
	type job struct {
		*batch
		out T
	}
	hands := runtime.GOMAXPROCS(0)
	queue, order := make(chan *job, hands), make(chan *job, 4*hands)
	var wait sync.WaitGroup
	for range hands {
		wait.Go(func() {
			work := hand()
			for j := range queue {
				j.out = work(j.batch)
				close(j.done)
			}
		})
	}
	failed, quit := make(chan error, 1), make(chan struct{})
	go func() {
		var err error
		for j := range order {
			<-j.done
			if err == nil {
				if err = merge(j.out); err != nil {
					close(quit)
				}
			}
			batches.Put(j.batch)
		}
		failed <- err
	}()
	now := newBatch()
	send := func() bool {
		select {
		case <-quit:
			return false
		default:
		}
		j := &job{batch: now}
		now = newBatch()
		queue <- j
		order <- j
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
	if err == nil && len(now.n) > 0 {
		send()
	}
	close(queue)
	close(order)
	wait.Wait()
	if merr := <-failed; merr != nil || errors.Is(err, errQuit) {
		return merr
	}
	return err
}
