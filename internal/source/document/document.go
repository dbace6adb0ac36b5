// Package document reads sources and gives each its one source text.
//
// Rules it keeps:
//
//   - What a source is, is told by its content as well as by its name.
//   - The source text is UTF-8 without a byte order mark, its lines end in LF.
//     All offsets in Filler are byte offsets into it, half-open.
//   - A source text is fixed by its hash: 64 hexadecimal digits of SHA-256.
//     It is the same whatever layout a model is shown.
//   - Where a source has words with boxes, every word has its offsets, and the
//     text at them is the word (package layout).
//   - A document's id is its path below the project, with forward slashes, or
//     its address.
//   - What can't be read is an error that names the file, the place and what
//     to do. Nothing is read in part.
package document

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"unicode"
	"unicode/utf8"
	"unsafe"

	"filler/internal/base/project"
	"filler/internal/source/layout"
	"filler/internal/source/pdf"
)

// Extensions are the file names that are taken for documents in a folder.
var Extensions = []string{".txt", ".md", ".html", ".htm", ".xhtml", ".eml", ".xml", ".hocr", ".alto", ".mbox", ".docx", ".pdf", ".png", ".jpg", ".jpeg", ".tif", ".tiff"}

// Document is one source, read.
type Document struct {
	ID       string // path below the project, or address
	Text     string // the source text
	Hash     string // of Text
	FileHash string // of the file's bytes; "" for a row of a table and for a run's kept text
	Format   Format
	Notes    []string     // what a reader should know of how it was read
	Raw      []byte       // the source before cleaning, where it is text with marks; nil of others and of long ones
	RawSize  int          // its bytes
	Layout   *layout.Text // words, lines and pages; nil of a source without boxes
	Metadata Metadata
}

// counted puts a count into words: one, or many with the number in it.
func counted(n int, one, many string) string {
	if n == 1 {
		return one
	}
	return fmt.Sprintf(many, n)
}

// Render gives the text as a model is shown it: one of layout.Renderings. A
// source without boxes is the same in flow and rows; in boxes its lines have
// ids and no places.
func (d *Document) Render(how string) string { return d.Show(layout.Rendering{How: how}) }

// Show is Render with more said: one page, words marked.
func (d *Document) Show(r layout.Rendering) string {
	switch {
	case d.Layout != nil:
		return d.Layout.Show(r)
	case r.How == layout.Boxes:
		var b strings.Builder
		n, at := 0, 0
		for l := range strings.SplitSeq(strings.TrimSuffix(d.Text, "\n"), "\n") {
			n++
			if r.Span == nil || r.Span.Holds(at) {
				layout.WriteLine(&b, n-1, "", l)
			}
			at += len(l) + 1
		}
		return b.String()
	case r.Span != nil:
		return d.Text[r.Span.Start:r.Span.End]
	}
	return d.Text
}

// Gap stands on a line of its own where lines between two parts of a document
// are not shown.
const Gap = "[…]"

// IsRow tells a row of a table: cells between bars, tabs or wide gaps.
func IsRow(line string) bool {
	text := strings.TrimSpace(line)
	return strings.Count(text, "|") >= 2 || strings.Contains(text, "\t") || strings.Contains(text, "   ") || strings.Count(text, "  ") >= 2
}

// inTable tells whether nothing but rows of one table stands between two places:
// a table whose rows are left out stays one table.
func (d *Document) inTable(from, to int) bool {
	before := d.Text[strings.LastIndexByte(strings.TrimSuffix(d.Text[:from], "\n"), '\n')+1 : from]
	for l := range strings.SplitSeq(strings.TrimSuffix(d.Text[from:to], "\n"), "\n") {
		if !IsRow(l) {
			return false
		}
	}
	return IsRow(before)
}

// Part gives stretches of the text as a model is shown them, with Gap where
// lines between two of them are left out.
func (d *Document) Part(how string, spans []layout.Span) string {
	var b strings.Builder
	for i := range spans {
		if i > 0 && strings.TrimSpace(d.Text[spans[i-1].End:spans[i].Start]) != "" && !d.inTable(spans[i-1].End, spans[i].Start) {
			b.WriteString(Gap + "\n")
		}
		b.WriteString(strings.TrimSuffix(d.Show(layout.Rendering{How: how, Span: &spans[i]}), "\n") + "\n")
	}
	return b.String()
}

// Words gives the words of the source text with their offsets, also where the
// source has no boxes.
func (d *Document) Words() []layout.Placed {
	if d.Layout != nil {
		return d.Layout.Words
	}
	var found []layout.Placed
	start, line := -1, 0
	for i, r := range d.Text {
		switch white := unicode.IsSpace(r); {
		case !white && start < 0:
			start = i
		case white && start >= 0:
			found = append(found, plainWord(d.Text, start, i, line))
			start = -1
		}
		if r == '\n' {
			line++
		}
	}
	if start >= 0 {
		found = append(found, plainWord(d.Text, start, len(d.Text), line))
	}
	return found
}

// CountWords counts the words of a page, from 1, or of all (0).
func (d *Document) CountWords(page int) (n int) {
	if d.Layout == nil {
		within := false
		for _, r := range d.Text {
			white := unicode.IsSpace(r)
			if !white && !within {
				n++
			}
			within = !white
		}
		return n
	}
	for i := range d.Layout.Words {
		if page == 0 || d.Layout.Words[i].Page == page {
			n++
		}
	}
	return n
}

func plainWord(text string, start, end, line int) layout.Placed {
	return layout.Placed{Word: layout.Word{Text: text[start:end], Confidence: layout.NoConfidence}, Start: start, End: end, Line: line}
}

// Confidence gives the mean confidence of the words whose engine gives one,
// and whether there are any.
func (d *Document) Confidence() (mean int, ok bool) {
	if d.Layout == nil {
		return 0, false
	}
	sum, n := 0, 0
	for i := range d.Layout.Words {
		if c := d.Layout.Words[i].Confidence; c != layout.NoConfidence {
			sum, n = sum+c, n+1
		}
	}
	if n == 0 {
		return 0, false
	}
	return (sum + n/2) / n, true
}

// Error says why a source can't be read.
type Error struct {
	File string
	Msg  string
	Hint string
}

func (e *Error) Error() string {
	if e.Hint == "" {
		return project.OneLine(e.File) + ": " + e.Msg
	}
	return project.OneLine(e.File) + ": " + e.Msg + "; " + e.Hint
}

// IsEncrypted tells a file that nobody opens without its password.
func (e *Error) IsEncrypted() bool { return strings.HasPrefix(e.Msg, pdf.Encrypted) }

// Source names a document that is not read yet.
type Source struct {
	ID       string
	File     string // the path or address to open; "" for a text that came another way
	Text     string // that text
	Metadata Metadata
	Bytes    func() ([]byte, error) // what is in the file, where it comes another way; of a mailbox, the message

	row rowAt // of a table, where Text is left out
}

// Whole gives the text of a source that no file holds.
func (s Source) Whole() (string, error) {
	if s.row.table != nil {
		return s.row.read()
	}
	return s.Text, nil
}

// Read reads the source with the defaults of a Reader.
func (s Source) Read() (*Document, error) { return (&Reader{}).Read(context.Background(), s) }

// ReadFrom reads a document from a stream, such as standard input, with the
// defaults of a Reader.
func ReadFrom(id string, r io.Reader) (*Document, error) {
	return (&Reader{}).ReadFrom(context.Background(), id, r)
}

// Parse turns the bytes of a file into a document, with the defaults of a
// Reader.
func Parse(id string, data []byte) (*Document, error) {
	return (&Reader{}).Parse(context.Background(), id, data)
}

func fileError(file string, err error) error {
	switch {
	case os.IsNotExist(err):
		return &Error{file, "there is no such file", "check the path"}
	case os.IsPermission(err):
		return &Error{file, "not allowed to read this file", "check its permissions"}
	}
	return &Error{file, "can't be read: " + strings.TrimPrefix(err.Error(), "open "+file+": "), "check the file"}
}

// IsOCR tells whether an OCR engine read the document from pictures.
func (d *Document) IsOCR() bool {
	switch d.Format {
	case HOCR, ALTO, PageXML, TSV, Picture:
		return true
	}
	return false
}

// Hash gives the hash that fixes a source text.
func Hash(text string) string {
	// The bytes of the string itself: a copy would take a tenth of the time.
	return hashOf(unsafe.Slice(unsafe.StringData(text), len(text)))
}

func hashOf(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

func firstInvalid(data []byte) (int, bool) {
	for i := 0; i < len(data); {
		if data[i] < utf8.RuneSelf {
			i++
			continue
		}
		r, size := utf8.DecodeRune(data[i:])
		if r == utf8.RuneError && size == 1 {
			return i, true
		}
		i += size
	}
	return 0, false
}

// IDOf gives the id of a file: its path below root, else as it is named.
func IDOf(root, file string) string {
	abs, err := filepath.Abs(file)
	if err != nil {
		return strings.ToValidUTF8(filepath.ToSlash(file), "\ufffd")
	}
	base, err := filepath.Abs(root)
	if err != nil {
		return strings.ToValidUTF8(filepath.ToSlash(file), "\ufffd")
	}
	rel, err := filepath.Rel(base, abs)
	if err != nil || rel == ".." || strings.HasPrefix(rel, "../") {
		return strings.ToValidUTF8(filepath.ToSlash(file), "\ufffd")
	}
	return strings.ToValidUTF8(filepath.ToSlash(rel), "\ufffd")
}
