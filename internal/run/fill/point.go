package fill

import (
	"fmt"
	"strconv"
	"strings"

	"filler/internal/ask/outline"
	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/record/evidence"
	"filler/internal/record/trace"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/source/layout"
	"filler/internal/source/reading"
)

// point puts the words that a reply points to in place of its pointers, and
// keeps where they stand. What is no pointer stays as it is: it will be looked
// for in the source like any value.
func (x *piece) point() {
	x.pointed = evidence.Places{}
	p := &pointer{doc: x.w.doc, text: x.w.index.Text, places: x.pointed, trace: &x.trace}
	p.lines = p.linesOf()
	eachLeaf(x.schema.Root, "", &x.record, func(f *schema.Field, at value.Pointer, v *value.Value) {
		if !outline.ByID(f) {
			return
		}
		if said := pointerIn(v); said != "" {
			*v = value.Str(said).Named(v.Name)
		}
		if v.Kind == value.String {
			p.leaf(f, at, v)
		}
	})
}

// pointer reads pointers of one reply.
type pointer struct {
	doc    *document.Document
	text   *reading.Text
	lines  [][]layout.Span // the words of each line, by the line's index
	places evidence.Places
	trace  *log
}

// linesOf gives the words of every line that can be pointed to.
func (p *pointer) linesOf() [][]layout.Span {
	words := p.doc.Words()
	var lines [][]layout.Span
	if t := p.doc.Layout; t != nil {
		lines = make([][]layout.Span, len(t.Lines))
	}
	for i := range words {
		w := &words[i]
		for len(lines) <= w.Line {
			lines = append(lines, nil)
		}
		if i > 0 && words[i-1].Joined { // the rest of a broken word is shown where it began
			if line := lines[words[i-1].Line]; len(line) > 0 {
				line[len(line)-1].End = w.End
				continue
			}
		}
		lines[w.Line] = append(lines[w.Line], layout.Span{Start: w.Start, End: w.End})
	}
	return lines
}

// leaf copies a value from where it stands.
func (p *pointer) leaf(f *schema.Field, at value.Pointer, v *value.Value) {
	spans, whole, err := p.read(v.Text)
	if err != nil {
		p.trace.add(&trace.PointerRefused{Path: at, Said: v.Text, Why: err.Error()})
		return
	}
	if spans == nil {
		return
	}
	said := v.Text
	var words []string
	for _, s := range spans {
		words = append(words, p.doc.Text[s.Start:s.End])
	}
	place := reading.Span{Start: spans[0].Start, End: spans[len(spans)-1].End}
	copied := strings.Join(words, " ")
	if len(spans) == 1 {
		copied = words[0]
	}
	copied, place = evidence.Taken(f, p.text, evidence.Words{Text: copied, At: place, Lines: whole})
	*v = value.Str(copied).Named(v.Name)
	p.places[at] = evidence.Place{Kind: evidence.Quoted, Start: place.Start, End: place.End, Line: 1 + strings.Count(p.doc.Text[:place.Start], "\n"), Led: true}
	p.trace.add(&trace.Pointed{Path: at, Said: said, Copied: copied})
}

// pointerIn gives the pointer that stands in an object, or the ones of a list with
// a plus between them; "" where there is none.
func pointerIn(v *value.Value) string {
	switch v.Kind {
	case value.Object:
		for _, name := range []string{"pointer", "id", "ref", "line", "at"} {
			if said := v.Get(name); said != nil && pointerPart.MatchString(plainPointer(said.Text)) {
				return said.Text
			}
		}
	case value.Array:
		var parts []string
		for i := range v.Kids {
			if v.Kids[i].Kind != value.String || !pointerPart.MatchString(plainPointer(v.Kids[i].Text)) {
				return ""
			}
			parts = append(parts, plainPointer(v.Kids[i].Text))
		}
		return strings.Join(parts, "+")
	}
	return ""
}

var (
	pointerSigns = strings.NewReplacer("`", "", "[", "", "]", "", "–", "-", "—", "-", "‑", "-")
	pointerHead  = lazy.New(`^([lL] ?\d{1,7}(?:\.\d{1,4}(?: ?- ?(?:[lL]\d{1,7}\.)?\d{1,4})?)?)(?:\s*[:=]\s|\s+\(|\s*$)`)
	pointerRange = lazy.New(`^[lL] ?(\d+)(?:\.(\d+)(?: ?- ?(?:[lL](\d+)\.)?(\d+))?)?$`)
	lineInWords  = lazy.New(`^(?i:line) (\d{1,7})$`)
)

// plainPointer writes one pointer as it was asked for, where a model has put signs
// around it or its words behind it. Any other text stays as it is.
func plainPointer(said string) string {
	bare := strings.TrimSpace(pointerSigns.Replace(said))
	if m := lineInWords.FindStringSubmatch(bare); m != nil {
		return "L" + m[1]
	}
	head := pointerHead.FindStringSubmatch(bare)
	if head == nil {
		return said
	}
	m := pointerRange.FindStringSubmatch(head[1])
	switch {
	case m == nil || m[3] != "" && m[3] != m[1]:
		return said
	case m[2] == "":
		return "L" + m[1]
	case m[4] == "":
		return "L" + m[1] + "." + m[2]
	}
	return "L" + m[1] + "." + m[2] + "-" + m[4]
}

var pointerPart = lazy.New(`^L(\d{1,7})(?:\.(\d{1,4})(?:-(\d{1,4}))?)?$`)

// read gives the stretches that a pointer names, and whether it names whole
// lines alone. No stretch and no error: the text is no pointer at all.
func (p *pointer) read(said string) (spans []layout.Span, whole bool, err error) {
	whole = true
	said = plainPointer(said)
	for _, part := range strings.FieldsFunc(said, func(r rune) bool { return r == '+' || r == ',' || r == ' ' }) {
		m := pointerPart.FindStringSubmatch(part)
		if m == nil {
			return nil, false, nil
		}
		n, _ := strconv.Atoi(m[1])
		if n < 1 || n > len(p.lines) || len(p.lines[n-1]) == 0 {
			return nil, false, fmt.Errorf("the document has no line L%d", n)
		}
		words := p.lines[n-1]
		from, to := 1, len(words)
		if m[2] != "" {
			whole = false
			from, _ = strconv.Atoi(m[2])
			if to = from; m[3] != "" {
				to, _ = strconv.Atoi(m[3])
			}
		}
		if from < 1 || to < from || to > len(words) {
			return nil, false, fmt.Errorf("line L%d has %d words", n, len(words))
		}
		spans = append(spans, layout.Span{Start: words[from-1].Start, End: words[to-1].End})
	}
	return spans, whole, nil
}
