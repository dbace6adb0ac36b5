package export

import (
	"crypto/sha256"
	"encoding/binary"

	"filler/internal/record"
	"filler/internal/schema"
)

// Changes tells what happened to documents since another run. It holds some bytes a
// document.
type Changes struct {
	each bool
	was  map[uint64]uint64 // the record's hash, by the document's
	name map[uint64]string // of the documents that have not come yet
}

// NewChanges begins to compare; Was is called for each record of the other run first.
func NewChanges(s *schema.Schema) *Changes {
	return &Changes{each: s.EachEntry(), was: map[uint64]uint64{}, name: map[uint64]string{}}
}

func hashOf(text string) uint64 {
	sum := sha256.Sum256([]byte(text))
	return binary.LittleEndian.Uint64(sum[:])
}

// Was notes a record of the other run. One that failed was none.
func (c *Changes) Was(l *record.Line) {
	if l.Status == record.Failed {
		return
	}
	h := hashOf(l.Document)
	c.was[h], c.name[h] = hashOf(l.Record.String()), l.Document
}

// Of tells what happened to a record: "added", "changed", or "" where it is the same.
func (c *Changes) Of(l *record.Line) string {
	h := hashOf(l.Document)
	was, ok := c.was[h]
	delete(c.name, h)
	switch {
	case !ok:
		return "added"
	case was != hashOf(l.Record.String()):
		return "changed"
	}
	return ""
}

// Gone calls do for the documents of the other run that have not come.
func (c *Changes) Gone(do func(document string) error) error {
	for _, document := range sortedNames(c.name) {
		if err := do(document); err != nil {
			return err
		}
	}
	return nil
}
