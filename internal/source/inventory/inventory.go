// Package inventory says what a pile of documents holds before anything is asked about it: kinds,
// pages, languages, tokens, ages, what is there twice, and what can't be read.
//
// Rules it keeps:
//
//   - Nothing is sent, and no picture is read for its words: pages without any are counted.
//   - Of a document no more is kept than a row of some 400 bytes, whatever its size.
//   - The same pile gives the same inventory, in whatever order its documents were read.
//   - Every document has a row: one that can't be read with the reason.
package inventory

import (
	"context"
	"encoding/hex"
	"errors"
	"os"
	"runtime"
	"slices"
	"sync"
	"time"

	"filler/internal/base/lang"
	"filler/internal/base/tokens"
	"filler/internal/source/document"
)

// State says whether a document can be filled from as it is.
type State string

// The states.
const (
	Fine       State = ""
	Scanned    State = "scanned"    // pages without words: an OCR engine has to read them, or a model look at them
	Encrypted  State = "encrypted"  // and no password opens it
	Unreadable State = "unreadable" // for another reason
)

// Row is what is known of one document.
type Row struct {
	ID       string
	Kind     document.Format // "" where it was not read
	Pages    int             // 0 of what has none
	Blank    int             // of them, without a word
	Bytes    int64           // of the file; of a row of a table those of its text
	Tokens   int             // estimated
	Language lang.Told
	Modified time.Time // of the file; zero of what is none
	State    State
	Why      string // it can't be read
	// SameAs is the first document with the same text, or the same bytes where there is no text;
	// NearTo the first that is nearly the same.
	SameAs, NearTo string

	hash [16]byte
	sign *signature
}

// Inventory is what a pile holds.
type Inventory struct {
	Rows       []Row
	PassedOver map[string]int // files in its folders that are not taken for documents, by their endings
}

// Options say how it is taken.
type Options struct {
	Reader   *document.Reader // reads without words of pictures, whatever it says itself
	Progress func(done, all int)
	AtOnce   int // documents; 0: as many as there are processors
}

// Take reads documents, and keeps a row of each, in their order.
func Take(ctx context.Context, sources []document.Source, o Options) (*Inventory, error) {
	r := document.Reader{}
	if o.Reader != nil {
		r = *o.Reader
	}
	r.NoWords = true
	rows := make([]Row, len(sources))
	var next, done int
	var mu sync.Mutex
	var wait sync.WaitGroup
	step := func(finished bool) int {
		mu.Lock()
		defer mu.Unlock()
		if finished {
			if done++; o.Progress != nil {
				o.Progress(done, len(sources))
			}
			return 0
		}
		next++
		return next - 1
	}
	atOnce := o.AtOnce
	if atOnce <= 0 {
		atOnce = runtime.GOMAXPROCS(0)
	}
	for range min(atOnce, len(sources)) {
		wait.Add(1)
		go func() {
			defer wait.Done()
			for i := step(false); i < len(sources) && ctx.Err() == nil; i = step(false) {
				rows[i] = rowOf(ctx, &r, sources[i])
				step(true)
			}
		}()
	}
	wait.Wait()
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	findSame(rows)
	return &Inventory{Rows: rows}, nil
}

func rowOf(ctx context.Context, r *document.Reader, s document.Source) Row {
	row := Row{ID: s.ID}
	if s.File != "" && !document.IsAddress(s.File) {
		if info, err := os.Stat(s.File); err == nil && info.Mode().IsRegular() {
			row.Bytes, row.Modified = info.Size(), info.ModTime()
		}
	}
	d, err := r.Read(ctx, s)
	if err != nil {
		row.State, row.Why = Unreadable, err.Error()
		var said *document.Error
		if errors.As(err, &said) {
			if row.Why = said.Msg; said.IsEncrypted() {
				row.State = Encrypted
			}
		}
		return row
	}
	row.Kind, row.Tokens, row.Language = d.Format, tokens.Estimate(d.Text), lang.Guess(d.Text)
	if row.Bytes == 0 {
		row.Bytes = int64(max(d.RawSize, len(d.Text)))
	}
	if d.Layout != nil {
		row.Pages = len(d.Layout.Pages)
		with := map[int]bool{}
		for i := range d.Layout.Words {
			with[d.Layout.Words[i].Page] = true
		}
		row.Blank = row.Pages - len(with)
	}
	if d.Text == "" || row.Pages > 0 && row.Blank == row.Pages {
		row.State, row.Tokens = Scanned, 0
		row.Pages = max(row.Pages, 1)
		row.Blank = row.Pages
	}
	if sum, err := hex.DecodeString(d.Hash); err == nil {
		copy(row.hash[:], sum)
	}
	row.sign = signed(d.Text)
	return row
}

// Group is documents of one kind, or of one language.
type Group struct {
	Name              string
	Code              string // of a language
	Documents, Pages  int
	Bytes             int64
	Tokens            int
	Scanned, Unusable int // documents among them
}

// Unread stands for the kind of what was not read.
const Unread = "not read"

// Kinds gives the documents by their kinds, the most frequent first.
func (v *Inventory) Kinds() []Group {
	return v.grouped(func(r *Row) (string, string) {
		if r.Kind == "" {
			return Unread, ""
		}
		return string(r.Kind), ""
	})
}

// Languages gives those with a text by their languages, the most frequent first; those whose
// language is not told stand under "".
func (v *Inventory) Languages() []Group {
	return v.grouped(func(r *Row) (string, string) {
		if r.State != Fine {
			return "\x00", ""
		}
		return r.Language.Name, r.Language.Code
	})
}

func (v *Inventory) grouped(by func(r *Row) (name, code string)) (list []Group) {
	at := map[string]int{}
	for i := range v.Rows {
		r := &v.Rows[i]
		name, code := by(r)
		if name == "\x00" {
			continue
		}
		n, known := at[name]
		if !known {
			n = len(list)
			at[name], list = n, append(list, Group{Name: name, Code: code})
		}
		list[n].add(r)
	}
	slices.SortStableFunc(list, func(a, b Group) int {
		if a.Documents != b.Documents {
			return b.Documents - a.Documents
		}
		if a.Name < b.Name {
			return -1
		}
		return 1
	})
	return list
}

func (g *Group) add(r *Row) {
	g.Documents, g.Pages, g.Bytes, g.Tokens = g.Documents+1, g.Pages+r.Pages, g.Bytes+r.Bytes, g.Tokens+r.Tokens
	switch r.State {
	case Scanned:
		g.Scanned++
	case Encrypted, Unreadable:
		g.Unusable++
	}
}

// All counts all documents.
func (v *Inventory) All() (g Group) {
	for i := range v.Rows {
		g.add(&v.Rows[i])
	}
	return g
}

// In gives the documents of a state.
func (v *Inventory) In(s State) (rows []*Row) {
	for i := range v.Rows {
		if v.Rows[i].State == s {
			rows = append(rows, &v.Rows[i])
		}
	}
	return rows
}

// Sizes gives the tokens of the documents with a text, of the smallest, the one in the middle, the
// one that nine in ten do not exceed, and the largest.
func (v *Inventory) Sizes() (least, middle, most90, most int) {
	var all []int
	for i := range v.Rows {
		if v.Rows[i].State == Fine {
			all = append(all, v.Rows[i].Tokens)
		}
	}
	if len(all) == 0 {
		return 0, 0, 0, 0
	}
	slices.Sort(all)
	return all[0], all[(len(all)-1)/2], all[(9*len(all)+9)/10-1], all[len(all)-1]
}

// Over counts the documents of more tokens than so many.
func (v *Inventory) Over(n int) (count int) {
	for i := range v.Rows {
		if v.Rows[i].Tokens > n {
			count++
		}
	}
	return count
}

// Ages gives the documents that were changed first and last; nil where no file is among them.
func (v *Inventory) Ages() (oldest, newest *Row) {
	for i := range v.Rows {
		r := &v.Rows[i]
		if r.Modified.IsZero() {
			continue
		}
		if oldest == nil || r.Modified.Before(oldest.Modified) {
			oldest = r
		}
		if newest == nil || r.Modified.After(newest.Modified) {
			newest = r
		}
	}
	return oldest, newest
}

// Copies gives the documents that are there more than once, each with the others: the same, or
// nearly the same.
func (v *Inventory) Copies(near bool) (groups [][]string) {
	at := map[string]int{}
	for i := range v.Rows {
		r := &v.Rows[i]
		of := r.SameAs
		if near {
			of = r.NearTo
		}
		if of == "" {
			continue
		}
		n, known := at[of]
		if !known {
			n = len(groups)
			at[of], groups = n, append(groups, []string{of})
		}
		groups[n] = append(groups[n], r.ID)
	}
	return groups
}
