package document

import (
	"encoding/xml"
	"errors"
	"filler/internal/base/project"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"

	"filler/internal/source/layout"
)

// xmlReader gives the tokens of an XML file. Entities that a file declares
// itself are not expanded.
func xmlReader(r io.Reader) *xml.Decoder {
	d := xml.NewDecoder(r)
	d.Entity = xml.HTMLEntity
	d.CharsetReader = func(_ string, in io.Reader) (io.Reader, error) { return in, nil } // it is UTF-8 by now
	return d
}

// xmlFault gives the place of an XML error, and what it means.
func xmlFault(id string, d *xml.Decoder, err error) error {
	line, column := d.InputPos()
	place := fmt.Sprintf("%s:%d:%d", project.OneLine(id), line, column)
	var syntax *xml.SyntaxError
	switch {
	case errors.Is(err, io.EOF), errors.As(err, &syntax) && strings.Contains(syntax.Msg, "unexpected EOF"):
		return &Error{place, "the XML is cut short: elements are not closed", "save the file again"}
	case errors.As(err, &syntax) && strings.Contains(syntax.Msg, "invalid character entity"):
		entity := strings.TrimPrefix(syntax.Msg, "invalid character entity ")
		return &Error{place, fmt.Sprintf("unknown entity %s; entities declared in the file are not expanded", strings.TrimSuffix(entity, " (no semicolon)")), "write its text in its place"}
	case errors.As(err, &syntax):
		return &Error{place, "not XML: " + syntax.Msg, "correct it there"}
	}
	return &Error{place, "not XML: " + strings.TrimPrefix(err.Error(), "xml: "), "correct it there"}
}

func attr(e xml.StartElement, name string) string {
	for _, a := range e.Attr {
		if a.Name.Local == name {
			return a.Value
		}
	}
	return ""
}

func number(s string) float64 {
	f, err := strconv.ParseFloat(strings.TrimSpace(s), 64)
	if err != nil || math.IsNaN(f) || math.Abs(f) > 1e7 {
		return 0
	}
	return f
}

// fromALTO reads the words of ALTO, versions 2 to 4: String elements with
// their places in pixels, or in tenths of a millimetre or 1200ths of an inch,
// which are taken at 300 dots an inch.
func fromALTO(id string, d *xml.Decoder) ([]layout.Page, error) {
	a := &alto{unit: 1}
	for {
		t, err := d.Token()
		if errors.Is(err, io.EOF) {
			return a.pages, nil
		}
		if err != nil {
			return nil, xmlFault(id, d, err)
		}
		switch e := t.(type) {
		case xml.StartElement:
			a.inUnit = e.Name.Local == "MeasurementUnit"
			a.start(e)
		case xml.CharData:
			if a.inUnit {
				a.setUnit(strings.TrimSpace(string(e)))
			}
		case xml.EndElement:
			a.inUnit = false
		}
	}
}

type alto struct {
	pages  []layout.Page
	unit   float64 // pixels a unit
	dpi    int
	inUnit bool
}

func (a *alto) setUnit(unit string) {
	switch unit {
	case "mm10":
		a.unit, a.dpi = 300.0/254, 300
	case "inch1200":
		a.unit, a.dpi = 300.0/1200, 300
	}
}

func (a *alto) start(e xml.StartElement) {
	px := func(name string) int { return int(math.Round(number(attr(e, name)) * a.unit)) }
	switch e.Name.Local {
	case "Page":
		a.pages = append(a.pages, layout.Page{Width: px("WIDTH"), Height: px("HEIGHT"), DPI: a.dpi})
	case "String":
		if len(a.pages) == 0 {
			a.pages = append(a.pages, layout.Page{DPI: a.dpi})
		}
		x, y := px("HPOS"), px("VPOS")
		w := layout.Word{Text: strings.TrimSpace(attr(e, "CONTENT")), Box: layout.Box{x, y, x + px("WIDTH"), y + px("HEIGHT")}, Confidence: confidence(attr(e, "WC"), 100)}
		p := &a.pages[len(a.pages)-1]
		p.Words = append(p.Words, splitWord(w)...)
	case "HYP":
		// The sign that breaks the word before it.
		if n := len(a.pages); n > 0 && len(a.pages[n-1].Words) > 0 {
			w := &a.pages[n-1].Words[len(a.pages[n-1].Words)-1]
			sign := attr(e, "CONTENT")
			if sign == "" {
				sign = "-"
			}
			if !strings.HasSuffix(w.Text, sign) {
				w.Text += sign
			}
		}
	}
}

// fromPage reads the words of PAGE XML: Word elements, whose outline's box is
// their place; where a line has no words, the words share out their line.
func fromPage(id string, d *xml.Decoder) ([]layout.Page, error) {
	p := &pageXML{}
	for {
		t, err := d.Token()
		if errors.Is(err, io.EOF) {
			return p.pages, nil
		}
		if err != nil {
			return nil, xmlFault(id, d, err)
		}
		switch e := t.(type) {
		case xml.StartElement:
			p.start(e)
		case xml.CharData:
			if p.inText {
				p.text = append(p.text, e...)
			}
		case xml.EndElement:
			p.end(e.Name.Local)
		}
	}
}

// unit is a Word or a TextLine that is being read.
type unit struct {
	name  string
	word  layout.Word
	taken bool // its text is known
	words int  // how many words were in it
}

type pageXML struct {
	pages  []layout.Page
	open   []unit
	path   []string
	text   []byte
	inText bool
}

func (p *pageXML) start(e xml.StartElement) {
	p.path = append(p.path, e.Name.Local)
	switch e.Name.Local {
	case "Page":
		p.pages = append(p.pages, layout.Page{Width: int(number(attr(e, "imageWidth"))), Height: int(number(attr(e, "imageHeight")))})
	case "TextLine", "Word":
		p.open = append(p.open, unit{name: e.Name.Local, word: layout.Word{Confidence: layout.NoConfidence}})
	case "Coords":
		if u := p.parent(2); u != nil {
			u.word.Box = outline(u.word.Box, attr(e, "points"))
		}
	case "Point": // as the format had it until 2010
		if u := p.parent(3); u != nil {
			u.word.Box = outline(u.word.Box, attr(e, "x")+","+attr(e, "y"))
		}
	case "TextEquiv":
		if u := p.parent(2); u != nil && !u.taken {
			u.word.Confidence = confidence(attr(e, "conf"), 100)
		}
	case "Unicode":
		if u := p.parent(3); u != nil && !u.taken {
			p.inText, p.text = true, p.text[:0]
		}
	}
}

// parent gives the unit at hand if the element so many steps up is its own:
// glyphs and regions have outlines and texts too.
func (p *pageXML) parent(up int) *unit {
	if len(p.open) == 0 || len(p.path) < up {
		return nil
	}
	if u := &p.open[len(p.open)-1]; p.path[len(p.path)-up] == u.name {
		return u
	}
	return nil
}

// outline grows a box by the points of an outline.
func outline(b layout.Box, points string) layout.Box {
	for _, point := range strings.Fields(points) {
		xs, ys, ok := strings.Cut(point, ",")
		if !ok {
			continue
		}
		x, y := int(math.Round(number(xs))), int(math.Round(number(ys)))
		b = b.Union(layout.Box{x, y, x, y})
	}
	return b
}

func (p *pageXML) end(name string) {
	if len(p.path) > 0 {
		p.path = p.path[:len(p.path)-1]
	}
	switch name {
	case "Unicode":
		if p.inText && len(p.open) > 0 {
			u := &p.open[len(p.open)-1]
			u.word.Text, u.taken = strings.TrimSpace(string(p.text)), true
		}
		p.inText = false
	case "TextLine", "Word":
		if len(p.open) == 0 {
			return
		}
		u := p.open[len(p.open)-1]
		p.open = p.open[:len(p.open)-1]
		if u.words == 0 && u.word.Text != "" {
			if len(p.pages) == 0 {
				p.pages = append(p.pages, layout.Page{})
			}
			to := &p.pages[len(p.pages)-1]
			to.Words = append(to.Words, splitWord(u.word)...)
			u.words = 1
		}
		if len(p.open) > 0 {
			p.open[len(p.open)-1].words += u.words
		}
	}
}

// tsvHead is how the OCR engine's table begins.
const tsvHead = "level\tpage_num\tblock_num\tpar_num\tline_num\tword_num\tleft\ttop\twidth\theight\tconf\ttext"

// fromTSV reads the engine's table: a row a piece, those of level 5 words.
func fromTSV(id, text string) ([]layout.Page, error) {
	var pages []layout.Page
	for n, l := range strings.Split(text, "\n") {
		if n == 0 || strings.TrimSpace(l) == "" {
			continue
		}
		f := strings.SplitN(strings.TrimSuffix(l, "\r"), "\t", 12)
		if len(f) < 11 {
			return nil, &Error{fmt.Sprintf("%s:%d", project.OneLine(id), n+1), fmt.Sprintf("%d columns where the OCR engine writes 12", len(f)), "the file may be cut short; make it again"}
		}
		var v [10]int
		for i := range v {
			x, err := strconv.Atoi(f[i])
			if err != nil {
				return nil, &Error{fmt.Sprintf("%s:%d", project.OneLine(id), n+1), fmt.Sprintf("%q is not a whole number", f[i]), "the file may be damaged; make it again"}
			}
			v[i] = x
		}
		switch {
		case v[0] == 1:
			pages = append(pages, layout.Page{Width: v[8], Height: v[9]})
		case v[0] == 5 && len(f) == 12 && strings.TrimSpace(f[11]) != "":
			if len(pages) == 0 {
				pages = append(pages, layout.Page{})
			}
			p := &pages[len(pages)-1]
			w := layout.Word{Text: strings.TrimSpace(f[11]), Box: layout.Box{v[6], v[7], v[6] + v[8], v[7] + v[9]}, Confidence: confidence(f[10], 1)}
			p.Words = append(p.Words, splitWord(w)...)
		}
	}
	return pages, nil
}
