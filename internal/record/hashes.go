package record

// Hashes fix a document: that of its source text, in which every offset counts,
// and that of the file it was read from. Both are SHA-256 in hex, "" where
// unknown; a row of a table has no file of its own.
type Hashes struct{ Text, File string }

// Difference is how a document differs from what it was.
type Difference uint8

// The differences.
const (
	Same    Difference = iota // the same text, or nothing is known
	Reread                    // the same file, whose text is read differently now
	Changed                   // another text
)

// Since tells how a document that had the hashes was differs now.
func (was Hashes) Since(now Hashes) Difference {
	switch {
	case was.Text == "" || now.Text == "" || was.Text == now.Text:
		return Same
	case was.File != "" && was.File == now.File:
		return Reread
	}
	return Changed
}
