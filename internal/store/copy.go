package store

import (
	"crypto/sha256"
	"errors"
	"fmt"
	"hash"
	"time"
)

// Copied is a run that was copied into another store.
type Copied struct {
	From, To int64 // its numbers
	Totals   Totals
	Was      bool // it was there already
}

// CopyRuns copies all runs of a store into another, the oldest first, with their tasks, exchanges,
// records and open requests; a run that is there already is not copied twice, and one that was
// copied in part is copied again. Each is read back and held against what was copied. Numbers are
// new there. told hears of each.
func CopyRuns(from, to Store, told func(Copied)) (map[int64]int64, error) {
	runs, err := from.Runs()
	if err != nil {
		return nil, err
	}
	there, err := to.Runs()
	if err != nil {
		return nil, err
	}
	numbers := map[int64]int64{}
	for i := len(runs) - 1; i >= 0; i-- {
		run, err := from.Find(fmt.Sprint(runs[i].ID))
		if err != nil {
			return nil, err
		}
		if run.State == Going {
			return nil, fmt.Errorf("run %d is going; copy when it is done, or stop it first", run.ID)
		}
		c, err := copyRun(from, to, run, there)
		if err != nil {
			return nil, fmt.Errorf("run %d: %w", run.ID, err)
		}
		numbers[run.ID] = c.To
		told(c)
	}
	return numbers, nil
}

// sameRun tells a run that was copied: no two begin in the same microsecond with the same words.
func sameRun(a, b Run) bool {
	return a.Began.Truncate(time.Microsecond).Equal(b.Began.Truncate(time.Microsecond)) && a.SchemaHash == b.SchemaHash && a.PromptHash == b.PromptHash && a.Identity == b.Identity && a.Name == b.Name
}

func copyRun(from, to Store, run Run, there []Run) (c Copied, err error) {
	c.From = run.ID
	if c.Totals, err = from.Totals(run.ID); err != nil {
		return c, err
	}
	for _, other := range there {
		if !sameRun(run, other) {
			continue
		}
		if err := equalRuns(from, to, run.ID, other.ID); err == nil {
			c.To, c.Was = other.ID, true
			return c, nil
		}
		pruner, is := to.(Pruner)
		if !is {
			return c, fmt.Errorf("run %d there is a part of it; drop that first", other.ID)
		}
		if _, err := pruner.Prune([]int64{other.ID}, false); err != nil {
			return c, err
		}
	}
	tasks, err := from.Tasks(run.ID)
	if err != nil {
		return c, err
	}
	metadata, err := from.Metadata(run.ID)
	if err != nil {
		return c, err
	}
	for i := range tasks {
		t := &tasks[i]
		t.Metadata = metadata[t.Document]
		if text := t.TextHash; t.File == "" {
			t.Text = func() ([]byte, error) { return from.Blob(text) }
		}
		if held := t.Copy; held != "" {
			t.Bytes = func() ([]byte, error) { return from.Blob(held) }
		}
	}
	if c.To, err = to.Start(run, tasks); err != nil {
		return c, err
	}
	state := run.State
	if state == Interrupted {
		state = Stopped
	}
	for _, t := range tasks {
		if err = copyOne(from, to, run.ID, c.To, t.N); err != nil {
			break
		}
	}
	if err == nil {
		err = copyOpen(from, to, run.ID, c.To)
	}
	if end := to.End(c.To, state, time.Duration(run.Seconds*float64(time.Second))); err == nil {
		err = end
	}
	if err == nil {
		err = equalRuns(from, to, run.ID, c.To)
	}
	if shape, serr := from.Shape(run.Identity); err == nil && serr == nil && shape != "" {
		err = to.SaveShape(run.Identity, shape)
	}
	return c, err
}

// copyOne copies what came of one task.
func copyOne(from, to Store, was, now int64, n int) error {
	exchanges, err := from.Exchanges(was, n)
	if err != nil {
		return err
	}
	for _, x := range exchanges {
		if x.Request, err = from.Parts(x); err != nil {
			return err
		}
		x.ID, x.Run, x.Kept = 0, now, nil
		if err := to.SaveExchange(x); err != nil {
			return err
		}
	}
	r, found, err := from.RecordAt(was, n)
	if err != nil || !found {
		return err
	}
	return to.SaveRecord(now, r)
}

func copyOpen(from, to Store, was, now int64) error {
	return from.Opened(was, time.Time{}, func(o Open, body []byte) error {
		o.Run = now
		o.Request = [][]byte{body}
		return to.SaveOpen(o)
	})
}

// ErrDiffers says that a copy is not what was copied.
var ErrDiffers = errors.New("the copy differs from what was copied; copy it again")

// equalRuns reads two runs whole and holds them against each other.
func equalRuns(a, b Store, runA, runB int64) error {
	x, err := digest(a, runA)
	if err != nil {
		return err
	}
	y, err := digest(b, runB)
	if err != nil {
		return err
	}
	if x != y {
		return ErrDiffers
	}
	return nil
}

// digest sums up all that a run holds, but for its number and those of its exchanges.
func digest(s Store, run int64) (sum [32]byte, err error) {
	h := sha256.New()
	t, err := s.Totals(run)
	if err != nil {
		return sum, err
	}
	t.Waiting, t.Failed = 0, 0 // what failed and waits again is not told apart in a copy
	fmt.Fprintln(h, t)
	tasks, err := s.Tasks(run)
	if err != nil {
		return sum, err
	}
	for _, t := range tasks {
		fmt.Fprintf(h, "%d %q %q\n", t.N, t.Document, t.File)
		all, err := s.Exchanges(run, t.N)
		if err != nil {
			return sum, err
		}
		for _, x := range all {
			if err := digestOne(h, s, x); err != nil {
				return sum, err
			}
		}
	}
	err = s.Records(run, 0, func(r Record) error {
		fmt.Fprintf(h, "%d %q %q %q %q %x %x %x %x %x\n", r.N, r.Document, r.TextHash, r.FileHash, r.Status, r.Record, r.Problems, r.Evidence, r.Trace, r.Risk)
		return nil
	})
	h.Sum(sum[:0])
	return sum, err
}

func digestOne(h hash.Hash, s Store, x Exchange) error {
	body, err := s.RequestOf(x)
	if err != nil {
		return err
	}
	_, err = fmt.Fprintf(h, "%q %q %d %x %d %x %q %q %d %d %t %d %d %d\n", x.Key, x.Step, x.Try, sha256.Sum256(body), x.Status, sha256.Sum256(x.Reply), x.Error, x.Finish, x.TokensIn, x.TokensOut, x.Estimated, x.CostNano, x.Took.Milliseconds(), x.At.UnixMilli())
	return err
}

// CopyReviews copies what people made of records under some schemas; numbers are those of the runs.
func CopyReviews(from, to Store, schemas []string, numbers map[int64]int64) (n int, err error) {
	for _, schema := range schemas {
		if err := from.Reviews(schema, func(r Review) error {
			r.Run = numbers[r.Run]
			n++
			return to.SaveReview(r)
		}); err != nil {
			return n, err
		}
	}
	return n, nil
}
