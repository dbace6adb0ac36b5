package document

import (
	"encoding/xml"
	"errors"
	"io"
	"strings"
)

// maxIndent bounds how far elements within elements are moved to the right.
const maxIndent = 20

// fromXML gives the elements of an XML file as labelled lines, in order: one
// that holds text as "name: text", one that holds others as "name:" with them
// below it, its attributes first.
func fromXML(id string, d *xml.Decoder) (string, error) {
	x := &xmlWriter{}
	for {
		t, err := d.Token()
		if errors.Is(err, io.EOF) {
			if len(x.open) > 0 || x.out.Len() == 0 {
				return "", xmlFault(id, d, io.EOF)
			}
			return x.out.String(), nil
		}
		if err != nil {
			return "", xmlFault(id, d, err)
		}
		switch e := t.(type) {
		case xml.StartElement:
			x.flush(false)
			x.pending = true
			x.open = append(x.open, e.Name.Local)
			for _, a := range e.Attr {
				if a.Name.Space != "xmlns" && a.Name.Local != "xmlns" && a.Name.Local != "schemaLocation" {
					x.head()
					x.line(len(x.open), a.Name.Local, a.Value)
				}
			}
		case xml.CharData:
			x.text = append(x.text, e...)
		case xml.EndElement:
			x.flush(true)
			x.open = x.open[:len(x.open)-1]
		}
	}
}

type xmlWriter struct {
	out     strings.Builder
	open    []string
	text    []byte
	pending bool // the innermost element's name is not written yet
}

// head writes the name of the innermost element on a line of its own.
func (x *xmlWriter) head() {
	if x.pending {
		x.pending = false
		x.line(len(x.open)-1, x.open[len(x.open)-1], "")
	}
}

// flush writes the text that was gathered; ends says that its element ends, so
// that name and text make one line.
func (x *xmlWriter) flush(ends bool) {
	text := strings.Join(strings.Fields(string(x.text)), " ")
	x.text = x.text[:0]
	switch {
	case ends && x.pending:
		x.pending = false
		x.line(len(x.open)-1, x.open[len(x.open)-1], text)
	case text != "":
		x.head()
		x.indent(len(x.open))
		x.out.WriteString(text + "\n")
	case len(x.open) > 0:
		x.head()
	}
}

func (x *xmlWriter) indent(depth int) {
	x.out.WriteString(strings.Repeat("  ", min(depth, maxIndent)))
}

func (x *xmlWriter) line(depth int, name, text string) {
	x.indent(depth)
	x.out.WriteString(name + ":")
	if text = strings.Join(strings.Fields(text), " "); text != "" {
		x.out.WriteString(" " + text)
	}
	x.out.WriteByte('\n')
}
