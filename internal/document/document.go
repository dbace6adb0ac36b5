// Package document reads sources and gives each its one source text.
//
// Rules it keeps:
//
//   - What a source is, is told by its content as well as by its name: text
//     (UTF-8, UTF-16, Latin-1, Windows-1252), a web page, an e-mail.
//   - The source text is UTF-8 without a byte order mark, its lines end in LF.
//     All offsets in Filler are byte offsets into it, half-open.
//   - A source text is fixed by its hash: 64 hexadecimal digits of SHA-256.
//   - A document's id is its path below the project, with forward slashes.
//   - What can't be read is an error that names the file, the place and what
//     to do. Nothing is read in part.
package document

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"sort"
	"strings"
	"unicode/utf8"
)

// MaxBytes is the largest source that is read.
const MaxBytes = 64 << 20

// Extensions are the file names that are taken for documents in a folder.
var Extensions = []string{".txt", ".md", ".html", ".htm", ".xhtml", ".eml"}

// Document is one source, read.
type Document struct {
	ID     string // path below the project
	Text   string // the source text
	Hash   string // of Text
	Format Format
	Notes  []string // what a reader should know of how it was read
	Raw    []byte   // the source before cleaning; nil of plain text
}

// Error says why a source can't be read.
type Error struct {
	File string
	Msg  string
	Hint string
}

func (e *Error) Error() string {
	if e.Hint == "" {
		return e.File + ": " + e.Msg
	}
	return e.File + ": " + e.Msg + "; " + e.Hint
}

// Source names a document that is not read yet.
type Source struct {
	ID   string
	File string // the path to open; "" for a text that came another way
	Text string // that text
}

// Read reads the source.
func (s Source) Read() (*Document, error) {
	if s.File == "" {
		return Parse(s.ID, []byte(s.Text))
	}
	info, err := os.Stat(s.File)
	if err != nil {
		return nil, fileError(s.File, err)
	}
	if info.IsDir() {
		return nil, &Error{s.File, "this is a folder", "name a file in it"}
	}
	if info.Size() > MaxBytes {
		return nil, tooLarge(s.File)
	}
	data, err := os.ReadFile(s.File)
	if err != nil {
		return nil, fileError(s.File, err)
	}
	return Parse(s.ID, data)
}

// ReadFrom reads a document from a stream, such as standard input.
func ReadFrom(id string, r io.Reader) (*Document, error) {
	data, err := io.ReadAll(io.LimitReader(r, MaxBytes+1))
	if err != nil {
		return nil, &Error{id, "reading stopped: " + err.Error(), "try again"}
	}
	if len(data) > MaxBytes {
		return nil, tooLarge(id)
	}
	return Parse(id, data)
}

func tooLarge(name string) error {
	return &Error{name, fmt.Sprintf("larger than %d MB", MaxBytes>>20), "split it"}
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

var utf8Mark = []byte("\ufeff")

// Parse turns the bytes of a file into a document. What it is, is told by its
// content as well as by its name.
func Parse(id string, data []byte) (*Document, error) {
	d := &Document{ID: id, Format: formatOf(id, data)}
	var text string
	var err error
	if d.Format == Mail {
		text, err = fromMail(id, data)
		if errors.Is(err, errMail) {
			d.Format = Plain
		}
	}
	if d.Format != Mail {
		var note string
		if text, note, err = decode(id, data); note != "" {
			d.Notes = append(d.Notes, note)
		}
		if err == nil && d.Format == WebPage {
			if text, err = fromHTML(text); err != nil {
				err = &Error{id, "this web page can't be read", "save its text as a file"}
			}
		}
	}
	if err != nil {
		return nil, err
	}
	if d.Format != Plain {
		d.Raw = data
		if clean := strings.ReplaceAll(strings.ToValidUTF8(text, "\ufffd"), "\x00", "\ufffd"); clean != text {
			text = clean
			d.Notes = append(d.Notes, "bytes that are no text became U+FFFD")
		}
	}
	if strings.Contains(text, "\r") {
		text = strings.ReplaceAll(strings.ReplaceAll(text, "\r\n", "\n"), "\r", "\n")
	}
	if strings.TrimSpace(text) == "" {
		return nil, &Error{id, "the document is empty", "take it out, or put its text in"}
	}
	d.Text, d.Hash = text, Hash(text)
	return d, nil
}

// Format is what kind of source a document was read from.
type Format string

// The formats.
const (
	Plain   Format = "text"
	WebPage Format = "html"
	Mail    Format = "mail"
)

var pageStart = regexp.MustCompile(`(?is)^\s*(?:<!--.*?-->\s*)*(?:<\?xml[^>]*>\s*)?(?:<!doctype html|<html[\s>])`)
var mailStart = regexp.MustCompile(`(?i)^(?:received|return-path|from|to|subject|date|message-id|mime-version|delivered-to):[^\n]*\n(?:[ \t][^\n]*\n)*(?:[A-Za-z-]+:)`)

// formatOf tells the format by content, and by the name where the content
// says little.
func formatOf(id string, data []byte) Format {
	head := string(bytes.TrimPrefix(data[:min(len(data), 2048)], utf8Mark))
	ext := strings.ToLower(filepath.Ext(id))
	switch {
	case ext == ".eml":
		return Mail
	case ext == ".html" || ext == ".htm" || ext == ".xhtml" || pageStart.MatchString(head):
		return WebPage
	case ext == "" && mailStart.MatchString(head) && strings.Contains(strings.ToLower(head), "\nmessage-id:"):
		return Mail
	}
	return Plain
}

// Hash gives the hash that fixes a source text.
func Hash(text string) string {
	sum := sha256.Sum256([]byte(text))
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

// Find gives the sources that names stand for: files, or folders whose
// documents are taken with all below, sorted. A name is relative to the
// current folder; ids are relative to root where the file lies below it.
func Find(root string, names []string) ([]Source, error) {
	var found []Source
	seen := map[string]bool{}
	for _, name := range names {
		info, err := os.Stat(name)
		if err != nil {
			return nil, fileError(name, err)
		}
		files := []string{name}
		if info.IsDir() {
			if files, err = inFolder(name); err != nil {
				return nil, err
			}
		}
		for _, file := range files {
			if id := idOf(root, file); !seen[id] {
				seen[id] = true
				found = append(found, Source{ID: id, File: file})
			}
		}
	}
	return found, nil
}

func inFolder(dir string) ([]string, error) {
	var files []string
	err := filepath.WalkDir(dir, func(path string, entry os.DirEntry, err error) error {
		if err != nil {
			return fileError(path, err)
		}
		if strings.HasPrefix(entry.Name(), ".") && path != dir {
			if entry.IsDir() {
				return filepath.SkipDir
			}
			return nil
		}
		if !entry.IsDir() && isDocument(path) {
			files = append(files, path)
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	if len(files) == 0 {
		return nil, &Error{dir, "no document in this folder", "documents end in " + strings.Join(Extensions[:len(Extensions)-1], ", ") + " or " + Extensions[len(Extensions)-1]}
	}
	sort.Strings(files)
	return files, nil
}

func isDocument(path string) bool {
	ext := strings.ToLower(filepath.Ext(path))
	for _, known := range Extensions {
		if ext == known {
			return true
		}
	}
	return false
}

func idOf(root, file string) string {
	abs, err := filepath.Abs(file)
	if err != nil {
		return filepath.ToSlash(file)
	}
	base, err := filepath.Abs(root)
	if err != nil {
		return filepath.ToSlash(file)
	}
	rel, err := filepath.Rel(base, abs)
	if err != nil || strings.HasPrefix(rel, "..") {
		return filepath.ToSlash(file)
	}
	return filepath.ToSlash(rel)
}
