package gold

import (
	"bytes"
	"fmt"
	"hash/maphash"
	"io"
	"os"
	"slices"

	"filler/internal/base/place"
	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

// Shelf is gold to measure by. Of a long file of JSON Lines only where each
// record stands is held, about 20 bytes a document, and the record is read when
// it is asked for.
type Shelf struct {
	set    Set
	ids    []string // of the set, sorted
	number map[string]int
	long   *long
}

// Shelf gives a set to measure by.
func (s Set) Shelf() *Shelf {
	shelf := &Shelf{set: s, ids: s.Documents(), number: make(map[string]int, len(s))}
	for i, id := range shelf.ids {
		shelf.number[id] = i
	}
	return shelf
}

// inMemory is how long a file of JSON Lines may be to be held in memory.
const inMemory = 4 << 20

// Open gives what Load reads, to measure by. A record of a long file that can't
// be read is no fault here: it is told when it is asked for.
func Open(path string, s *schema.Schema) (*Shelf, error) {
	info, l, err := begin(path, s)
	if err != nil {
		return nil, err
	}
	if info.IsDir() || info.Size() <= inMemory {
		set, err := Load(path, s)
		if err != nil {
			return nil, err
		}
		return set.Shelf(), nil
	}
	file, err := os.Open(path)
	if err != nil {
		return nil, place.Faults{{File: path, Msg: "can't be read", Hint: "check its permissions"}}
	}
	long := &long{file: file, path: path, loader: l, end: info.Size(), seed: maphash.MakeSeed(), first: map[uint32]int32{}, more: map[uint32][]int32{}}
	if err := long.index(); err != nil {
		return nil, err
	}
	return &Shelf{long: long}, l.faults.Err()
}

// HasPeople tells whether people reviewed any of it, and not all is made up.
func (s *Shelf) HasPeople() bool {
	for _, g := range s.set {
		if g.State == Reviewed && g.Reviewer != Invented {
			return true
		}
	}
	return false
}

// Set gives the records of a shelf that holds them all; false for a long file, of which it
// only knows where they stand.
func (s *Shelf) Set() (Set, bool) { return s.set, s.long == nil }

// Len gives how many documents have gold. They are numbered from 0.
func (s *Shelf) Len() int {
	if s.long != nil {
		return s.long.n
	}
	return len(s.ids)
}

// Hand reads a shelf, for one goroutine.
type Hand struct {
	shelf  *Shelf
	reader value.Reader
	window []byte // of the file, from a place on
	from   int64
	last   int // the number that was read last, -1 at first

	id   string // that was asked for last, with what was found
	n    int
	rec  Record
	err  error
	text string
}

// Hand gives a reader.
func (s *Shelf) Hand() *Hand { return &Hand{shelf: s, last: -1, n: -1} }

// Find gives the gold of a document and its number; -1 and no record where there
// is none. It is good until another is asked for.
func (h *Hand) Find(id string) (n int, r *Record, err error) {
	if l := h.shelf.long; l != nil {
		if h.id != id || id == "" {
			h.id, h.n, h.err = id, -1, nil
			l.each(id, func(n int) bool {
				h.read(n)
				if h.isAnother(n, id) {
					h.err = nil
					return true
				}
				h.n = n
				return false
			})
		}
		if h.n < 0 || h.err != nil {
			return h.n, nil, h.err
		}
		return h.n, &h.rec, nil
	}
	n, ok := h.shelf.number[id]
	if !ok {
		return -1, nil, nil
	}
	return n, h.shelf.set[id], nil
}

// Known gives the record that was found last with its text, where it was read for
// it.
func (h *Hand) Known() value.Known { return value.Known{Text: h.text, Value: &h.rec.Record} }

// At gives the nth record.
func (h *Hand) At(n int) (*Record, error) {
	if h.shelf.long == nil {
		return h.shelf.set[h.shelf.ids[n]], nil
	}
	h.id, h.n = "", n
	h.read(n)
	return &h.rec, h.err
}

func (h *Hand) read(n int) {
	h.rec, h.err, h.text = Record{}, nil, ""
	text, err := h.line(n)
	if err != nil {
		h.err = fmt.Errorf("its gold, line %d, can't be read any more", h.shelf.long.lineOf(n))
		return
	}
	l := h.shelf.long.loader
	h.rec, err = l.line(&h.reader, text)
	if err != nil {
		h.err = fmt.Errorf("its gold, line %d, is not a record: %s", h.shelf.long.lineOf(n), err)
		return
	}
	h.rec.File, h.rec.Fault = h.shelf.long.path, l.breaks(&h.rec.Record)
	h.text = h.reader.TextOf(record.Key(l.schema.EachEntry()))
}

// isAnother tells whether the record that was read is of another document, whose
// id has the same hash.
func (h *Hand) isAnother(n int, id string) bool {
	if h.err == nil {
		return h.rec.Document != id
	}
	text, err := h.line(n)
	found, ok := record.DocumentOf(text)
	return err == nil && ok && found != id
}

// readOn is how much of a file is read at once where records are asked for in the
// order in which they stand.
const readOn = 64 << 10

// line reads the line of the nth record.
func (h *Hand) line(n int) ([]byte, error) {
	l := h.shelf.long
	from, to := l.place(n), l.place(n+1)
	if from < h.from || to > h.from+int64(len(h.window)) {
		size := to - from
		if n == h.last+1 {
			size = min(max(size, readOn), l.end-from)
		}
		h.window, h.from = slices.Grow(h.window[:0], int(size))[:size], from
		if got, err := l.file.ReadAt(h.window, from); err != nil && !(err == io.EOF && got == len(h.window)) {
			h.window = h.window[:0]
			return nil, err
		}
	}
	h.last = n
	text := h.window[from-h.from : to-h.from]
	if i := bytes.IndexByte(text, '\n'); i >= 0 {
		text = text[:i]
	}
	return bytes.TrimSpace(text), nil
}

// long is where the records of a long file stand.
type long struct {
	*loader
	file  *os.File
	path  string
	end   int64
	n     int
	seed  maphash.Seed
	few   uint32             // hashes, where a test wants ids to share them; else 0
	first map[uint32]int32   // the number of the first document with a hash
	more  map[uint32][]int32 // those of further ones
	at    []*places
}

// places are where records begin: so many in a piece, that nothing is copied as
// they grow, and for each the distance from the first of its sixteen, which fits
// as long as a line has at most 256 MB.
type places struct {
	first [piece / 16]int64
	from  [piece]uint32
}

const piece = 1 << 12

func (l *long) place(n int) int64 {
	if n == l.n {
		return l.end
	}
	p, i := l.at[n/piece], n%piece
	return p.first[i/16] + int64(p.from[i])
}

// put notes where the next record begins.
func (l *long) put(at int64) {
	i := l.n % piece
	if i == 0 {
		l.at = append(l.at, &places{})
	}
	p := l.at[len(l.at)-1]
	if i%16 == 0 {
		p.first[i/16] = at
	}
	p.from[i] = uint32(at - p.first[i/16])
	l.n++
}

func (l *long) hash(id string) uint32 {
	h := uint32(maphash.String(l.seed, id))
	if l.few > 0 {
		h %= l.few
	}
	return h
}

// each calls do for the numbers of the documents that an id may be, until it
// gives false.
func (l *long) each(id string, do func(n int) bool) {
	hash := l.hash(id)
	n, ok := l.first[hash]
	if !ok || !do(int(n)) {
		return
	}
	for _, n := range l.more[hash] {
		if !do(int(n)) {
			return
		}
	}
}

// index notes where each record stands.
func (l *long) index() error {
	var reader value.Reader
	shelf := &Shelf{long: l}
	return record.ReadTexts(l.path, func(n int, at int64, text []byte) error {
		id, ok := record.DocumentOf(text)
		if !ok {
			r, err := l.line(&reader, text)
			if err != nil {
				l.faults = append(l.faults, jsonFault(l.path, n, err))
				return nil
			}
			id = r.Document
		}
		number, hash := int32(l.n), l.hash(id)
		l.put(at)
		if _, taken := l.first[hash]; !taken {
			l.first[hash] = number
			return nil
		}
		l.more[hash] = append(l.more[hash], number)
		l.each(id, func(other int) bool {
			if other == int(number) {
				return false
			}
			text, err := shelf.Hand().line(other)
			if first, _ := l.idOf(text); err == nil && first == id {
				l.second(id, l.path, n, l.path)
				return false
			}
			return true
		})
		return nil
	})
}

// idOf gives the document of a line.
func (l *long) idOf(text []byte) (string, error) {
	if id, ok := record.DocumentOf(text); ok {
		return id, nil
	}
	var reader value.Reader
	r, err := l.line(&reader, text)
	return r.Document, err
}

// lineOf gives the number of the line of the nth record, from 1: it is counted
// only when it has to be told.
func (l *long) lineOf(n int) int {
	lines := 1
	buf := make([]byte, 1<<20)
	for from, to := int64(0), l.place(n); from < to; {
		got, err := l.file.ReadAt(buf[:min(int64(len(buf)), to-from)], from)
		lines += bytes.Count(buf[:got], []byte("\n"))
		from += int64(got)
		if err != nil {
			break
		}
	}
	return lines
}
