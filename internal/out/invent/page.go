package invent

import (
	"slices"
	"strings"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Page is a text being written, with the places of the values in it.
type Page struct {
	b      strings.Builder
	Places map[value.Pointer]Span
	Dims   []Span // what is no value and may be changed: words of labels and of prose
}

// Span is a stretch of bytes.
type Span struct{ Start, End int }

func newPage() *Page { return &Page{Places: map[value.Pointer]Span{}} }

// Text gives what was written.
func (p *Page) Text() string { return p.b.String() }

func (p *Page) write(text string) { p.b.WriteString(text) }

// say writes words that are no value.
func (p *Page) say(text string) {
	start := p.b.Len()
	p.b.WriteString(text)
	p.Dims = append(p.Dims, Span{start, p.b.Len()})
}

// value writes a value and keeps its place.
func (p *Page) value(at value.Pointer, text string) {
	start := p.b.Len()
	p.b.WriteString(text)
	p.Places[at] = Span{start, p.b.Len()}
}

// pad writes spaces up to a column of the line.
func (p *Page) pad(column int) {
	text := p.b.String()
	at := len([]rune(text[strings.LastIndexByte(text, '\n')+1:]))
	p.write(strings.Repeat(" ", max(1, column-at)))
}

// replace puts other words in the place of a stretch, and moves what stands behind it.
func (p *Page) replace(s Span, text string) {
	old := p.b.String()
	p.b.Reset()
	p.b.WriteString(old[:s.Start] + text + old[s.End:])
	by := len(text) - (s.End - s.Start)
	move := func(o Span) Span {
		if o.Start >= s.End {
			o.Start += by
		}
		if o.End >= s.End {
			o.End += by
		}
		return o
	}
	for at, o := range p.Places {
		p.Places[at] = move(o)
	}
	for i, o := range p.Dims {
		p.Dims[i] = move(o)
	}
}

// without gives the text with all values taken out, for how alike two texts are.
func (p *Page) without() string {
	text := []byte(p.b.String())
	for _, s := range p.Places {
		for i := s.Start; i < s.End; i++ {
			if text[i] != '\n' {
				text[i] = ' '
			}
		}
	}
	return string(text)
}

// label gives what a document prints before a field.
func (w *writer) label(f *schema.Field) string {
	name := schema.Spoken(f.Name)
	all := f.PrintedAs
	if f.Type == schema.Boolean { // Status: yes says nothing
		all = slices.DeleteFunc(slices.Clone(all), func(label string) bool { return !strings.Contains(strings.ToLower(label), name) })
	}
	if len(all) == 0 {
		all = []string{strings.ToUpper(name[:1]) + name[1:]}
	}
	return strings.TrimRight(pick(w.r, all), " :")
}
