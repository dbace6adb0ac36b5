package nightly

import (
	"os"
	"sort"
	"time"

	"filler/internal/source/document"
	"filler/internal/store"
)

// Inbox is a folder into which files are put. A file is whole once its size and time have stayed the
// same for a while: who writes it may take as long as that.
type Inbox struct {
	Settle time.Duration
	seen   map[string]stamp
}

type stamp struct {
	size    int64
	changed time.Time
	since   time.Time // that it is so
	given   bool      // it was handed out as it is
}

// Whole gives the files that are whole and were not given as they are. stat tells size and time of a
// file; those it can't tell are passed over until the next time.
func (x *Inbox) Whole(sources []document.Source, now time.Time, stat func(file string) (os.FileInfo, error)) (whole []document.Source) {
	if x.seen == nil {
		x.seen = map[string]stamp{}
	}
	there := map[string]bool{}
	for _, s := range sources {
		info, err := stat(s.File)
		if err != nil || !info.Mode().IsRegular() {
			continue
		}
		there[s.ID] = true
		was, known := x.seen[s.ID]
		if !known || was.size != info.Size() || !was.changed.Equal(info.ModTime()) {
			x.seen[s.ID] = stamp{info.Size(), info.ModTime(), now, false}
			continue
		}
		if !was.given && now.Sub(was.since) >= x.Settle {
			was.given = true
			x.seen[s.ID] = was
			whole = append(whole, s)
		}
	}
	for id := range x.seen {
		if !there[id] {
			delete(x.seen, id)
		}
	}
	sort.SliceStable(whole, func(i, j int) bool { return whole[i].ID < whole[j].ID })
	return whole
}

// Note takes in what a run has made.
func (s *Seen) Note(l store.Store, run int64) error {
	return l.Outcomes(run, func(rec store.Record) error {
		s.note(run, rec)
		return nil
	})
}

// Record gives the newest record of a document that did not fail; false where there is none.
func (s *Seen) Record(l store.Store, document string) (run int64, r store.Record, ok bool, err error) {
	at, known := s.by[document]
	if !known || at.failed {
		return 0, r, false, nil
	}
	r, ok, err = l.RecordAt(at.run, at.n)
	return at.run, r, ok, err
}
