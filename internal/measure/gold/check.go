package gold

import (
	"bytes"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"os"
	"sort"
	"strconv"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/evidence"
	"filler/internal/schema"
	"filler/internal/source/document"
)

// Kind is what a finding is about.
type Kind string

// The kinds of findings.
const (
	Breaks     Kind = "schema"      // it breaks the schema, and does not count
	Unexpected Kind = "unexpected"  // a field that the schema does not have
	NoEvidence Kind = "no-evidence" // a value that is nowhere in the document
	Changed    Kind = "changed"     // the document has changed since review
	Untouched  Kind = "untouched"   // a draft that nobody changed
	Gone       Kind = "gone"        // the document can't be read
	Unsigned   Kind = "unsigned"    // reviewed, without a reviewer
	Edited     Kind = "edited"      // it is not what was signed
)

// Finding is something that a person should look at.
type Finding struct {
	Kind Kind
	File string
	Line int // 0: the file as a whole
	Path value.Pointer
	Msg  string
}

// markOf gives a short hash of a record, by which an untouched draft is known.
func markOf(rec *value.Value) string {
	sum := sha256.Sum256(rec.JSON())
	return fmt.Sprintf("%x", sum[:6])
}

// AsDrafted reports whether a record is unchanged since the model drafted it.
func (r *Record) AsDrafted() bool { return r.Mark != "" && r.Mark == markOf(&r.Record) }

// Check looks at a gold record and its document; unreadable says why the document
// could not be read, if it could not.
func Check(s *schema.Schema, v *record.Validator, r *Record, doc *document.Document, unreadable error) []Finding {
	lines := linesOf(r)
	var all []Finding
	add := func(k Kind, p value.Pointer, format string, args ...any) {
		all = append(all, Finding{k, r.File, lines.at(p), p, fmt.Sprintf(format, args...)})
	}
	at := map[value.Pointer]bool{}
	for _, p := range v.Check(&r.Record) {
		at[p.Path] = true
		switch {
		case isNone(&r.Record, &p):
		case p.Code() == record.Unexpected:
			add(Unexpected, p.Path, "the schema has no such field; remove it, or use the right name")
		default:
			add(Breaks, p.Path, "%s (%s)", p.Message(), p.Code())
		}
	}
	switch {
	case doc == nil:
		if unreadable != nil {
			add(Gone, "", "%s can't be read: %s", r.Document, unreadable)
		}
	case r.Hashes.Since(record.Hashes{Text: doc.Hash, File: doc.FileHash}) == record.Changed:
		add(Changed, "", "%s has changed since review; review it again and sign", r.Document)
	default:
		ix := evidence.NewIndex(doc.Text)
		for p, place := range evidence.Of(s, &r.Record, ix) {
			if place.Kind != evidence.None || at[p] {
				continue
			}
			own := r.Record.At(p)
			switch why := ix.Doubt(s.Holding(p), own, place, false); why.(type) {
			case record.TwoFigures, record.SaysOther, record.TakenBack:
				add(NoEvidence, p, "%s, in %s: %s", own.Named(""), r.Document, why.Text())
			default:
				add(NoEvidence, p, "%s is nowhere in %s", own.Named(""), r.Document)
			}
		}
	}
	if r.State == Reviewed && r.Seal != "" && r.Seal != r.SealNow() {
		add(Edited, "", "it is not what %s signed: edited since; look at it again and sign", orSomebody(r.Reviewer))
	}
	if r.State == Draft && r.AsDrafted() {
		add(Untouched, "", "a draft of %s that nobody changed", r.Model)
	}
	if r.State == Reviewed && r.Reviewer == "" && r.n == 0 {
		add(Unsigned, "", "reviewed, but no `reviewer` is named; `filler gold sign` adds one")
	}
	sort.SliceStable(all, func(i, j int) bool {
		if all[i].Line != all[j].Line {
			return all[i].Line < all[j].Line
		}
		return all[i].Path < all[j].Path
	})
	return all
}

func orSomebody(reviewer string) string {
	if reviewer == "" {
		return "somebody"
	}
	return reviewer
}

// fileLines are the lines of a file by the path within its record.
type fileLines map[value.Pointer]int

// at gives the line of a path, or of what is nearest above it.
func (l fileLines) at(p value.Pointer) int {
	for {
		if n, ok := l[p]; ok || p == "" {
			return n
		}
		p = p.Parent()
	}
}

// linesOf reads the places of a record's values in its file. In a file of JSON
// Lines all of a record stands on one.
func linesOf(r *Record) fileLines {
	if r.n > 0 {
		return fileLines{"": r.n}
	}
	data, err := os.ReadFile(r.File)
	if err != nil {
		return nil
	}
	w := &lineWalker{data: data, d: json.NewDecoder(bytes.NewReader(data)), lines: fileLines{}}
	w.d.UseNumber()
	w.value("")
	out := fileLines{}
	for _, name := range []string{"record", schema.Wrapper} {
		top := value.Pointer("").Key(name)
		for p, n := range w.lines {
			if p.Within(top) {
				out[p[len(top):]] = n
			}
		}
	}
	delete(out, "")
	return out
}

type lineWalker struct {
	data  []byte
	d     *json.Decoder
	lines fileLines
	at, n int // up to at, n line breaks were counted
}

func (w *lineWalker) line() int {
	now := min(int(w.d.InputOffset()), len(w.data))
	w.n += bytes.Count(w.data[w.at:now], []byte("\n"))
	w.at = now
	return 1 + w.n
}

func (w *lineWalker) value(p value.Pointer) {
	t, err := w.d.Token()
	if err != nil {
		return
	}
	w.lines[p] = w.line()
	open, ok := t.(json.Delim)
	if !ok {
		return
	}
	for i := 0; w.d.More(); i++ {
		at := p.Key(strconv.Itoa(i))
		if open == '{' {
			name, err := w.d.Token()
			if err != nil {
				return
			}
			at = p.Key(fmt.Sprint(name))
		}
		w.value(at)
	}
	w.d.Token()
}
