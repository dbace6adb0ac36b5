// Package nightly is what a pile that grows needs every night: which documents are new or have
// changed, whether the model is still the one that was approved, and a page that says what happened.
//
// Rules it keeps:
//
//   - A document counts as filled where a run of the same schema and prompt has a record of it that
//     did not fail. What a run that was cut off has filled counts; what it has not is filled now.
//   - A document is known by its name, and what it says by the hash of its file.
//   - Nothing answered is paid twice: what is filled again asks the cache first, but for the recheck,
//     which goes past it on purpose.
package nightly

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"os"
	"sort"
	"strings"

	"filler/internal/record"
	"filler/internal/run/fill"
	"filler/internal/source/document"
	"filler/internal/store"
)

// Mark is what runs have to share for one to count for the other: the hashes of schema and prompt.
type Mark struct{ Schema, Prompt string }

// has tells whether a run bears the mark; repairs and updates need not have the prompt, since they
// change records that others have filled. One that was made aside, or asked for some fields alone, is
// none of the pile's.
func (m Mark) has(r store.Run) bool {
	return r.SchemaHash == m.Schema && (r.PromptHash == m.Prompt || fill.MadeBy(r) != "") && fill.AsideOf(r) == "" && !fill.IsPartial(r)
}

// Seen is what the runs of a mark have of each document.
type Seen struct {
	by    map[string]seen
	taken map[string]bool // documents that an update brought into the records of others
}

type seen struct {
	run        int64
	n          int
	file, text string // hashes
	failed     bool
}

// SeenBy reads the runs of a mark.
func SeenBy(l store.Store, m Mark) (*Seen, error) {
	runs, err := l.Runs()
	if err != nil {
		return nil, err
	}
	s := &Seen{by: map[string]seen{}, taken: map[string]bool{}}
	for i := len(runs) - 1; i >= 0; i-- { // the newest comes last, and counts
		r := runs[i]
		if !m.has(r) {
			continue
		}
		if err := s.Note(l, r.ID); err != nil {
			return nil, err
		}
		if took := fill.TookIn(r); len(took) > 0 {
			t, err := l.Totals(r.ID)
			if err != nil {
				return nil, err
			}
			for _, id := range took {
				if t.Waiting == 0 { // one that was cut off is made again
					s.taken[id] = true
				}
			}
		}
	}
	return s, nil
}

// Unseen gives the sources that no run has, neither as a record nor brought into another's.
func (s *Seen) Unseen(sources []document.Source) (list []document.Source) {
	for _, src := range sources {
		if _, known := s.by[src.ID]; !known && !s.taken[src.ID] {
			list = append(list, src)
		}
	}
	return list
}

func (s *Seen) note(run int64, rec store.Record) {
	now := seen{run, rec.N, rec.FileHash, rec.TextHash, rec.Status == string(record.Failed)}
	if was, known := s.by[rec.Document]; now.failed && known && !was.failed {
		return // what was filled before stands
	}
	s.by[rec.Document] = now
}

// Wanted says which documents are picked.
type Wanted struct{ Unfilled, Changed bool }

// Picked is the documents of a night, and what the pile is like.
type Picked struct {
	Sources []document.Source
	New     int // no run has them
	Again   int // they failed in all runs
	Changed int // their files say something else now
	Same    int // filled, and as they were; not among Sources
	Left    int // changed, and not asked for
	Gone    []string
	Renamed [][2]string // an older name, and the one that the same file has now
}

// Pick picks documents. hash gives that of a document's file, or of its text where it has none; one
// that can't be read is left to the run, which says why.
func (s *Seen) Pick(sources []document.Source, want Wanted, hash func(document.Source) (string, error)) Picked {
	var p Picked
	there := map[string]bool{}
	for _, src := range sources {
		there[src.ID] = true
	}
	gone := map[string]string{} // names by what the files said
	for id, was := range s.by {
		if !there[id] {
			p.Gone = append(p.Gone, id)
			if was.file != "" {
				gone[was.file] = id
			}
		}
	}
	sort.Strings(p.Gone)
	for _, src := range sources {
		was, known := s.by[src.ID]
		now, err := "", error(nil)
		if !known && len(gone) > 0 || known && !was.failed {
			now, err = hash(src)
		}
		take := false
		switch {
		case !known && s.taken[src.ID]:
			p.Same++
		case !known:
			p.New++
			take = want.Unfilled
			if older := gone[now]; err == nil && older != "" {
				p.Renamed = append(p.Renamed, [2]string{older, src.ID})
			}
		case was.failed:
			p.Again++
			take = want.Unfilled
		case err == nil && now != was.file && now != was.text:
			if take = want.Changed; take {
				p.Changed++
			} else {
				p.Left++
			}
		default:
			p.Same++
		}
		if take {
			p.Sources = append(p.Sources, src)
		}
	}
	return p
}

// Hasher gives what Pick asks for: a file is hashed as it lies there, a part of one and a row of a
// table by what is read of it. Addresses are not fetched: what a run has of one stands.
func Hasher(ctx context.Context, r *document.Reader) func(document.Source) (string, error) {
	return func(s document.Source) (string, error) {
		switch {
		case document.IsAddress(s.File):
			return "", os.ErrNotExist
		case s.File == "" || strings.Contains(s.ID, "#"):
			d, err := r.Read(ctx, s)
			if err != nil {
				return "", err
			}
			if d.FileHash != "" {
				return d.FileHash, nil
			}
			return d.Hash, nil
		}
		data, err := os.ReadFile(s.File)
		if err != nil {
			return "", err
		}
		sum := sha256.Sum256(data)
		return hex.EncodeToString(sum[:]), nil
	}
}

// Newest gives the newest record of each document that is still there, over all runs of the mark, in
// the order of the sources; those that failed in all runs as failed.
func (s *Seen) Newest(l store.Store, sources []document.Source, each func(run int64, r store.Record) error) error {
	for _, src := range sources {
		at, known := s.by[src.ID]
		if !known {
			continue
		}
		r, ok, err := l.RecordAt(at.run, at.n)
		if err == nil && ok {
			err = each(at.run, r)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// MarkOf gives the mark of the runs that a filler makes.
func MarkOf(f *fill.Filler) Mark {
	schema, prompt := f.Marks()
	return Mark{schema, prompt}
}
