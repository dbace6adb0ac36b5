package document

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"html"
	"io"
	"strconv"
	"strings"
)

// An office text (ECMA-376, .docx) is an archive of XML files. What it says is written
// as the elements of a web page that mean the same, and read as such: headings, lists,
// tables with their spans, what is struck out.

const wordFile = "word/document.xml"

// isWord tells an office text.
func isWord(data []byte) bool {
	return bytes.HasPrefix(data, []byte("PK\x03\x04")) && bytes.Contains(data, []byte(wordFile))
}

// isSheet tells a spreadsheet.
func isSheet(data []byte) bool {
	return bytes.HasPrefix(data, []byte("PK\x03\x04")) && bytes.Contains(data, []byte("xl/workbook"))
}

// fromWord gives the text of an office text, and what is to be noted.
func (r *Reader) fromWord(id string, data []byte) (string, []string, error) {
	damaged := &Error{id, "this office text is damaged", "open it and save it again, or save it as PDF"}
	archive, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return "", nil, damaged
	}
	w := &wordReader{notes: map[string]string{}, left: int64(r.Limits.filled().Bytes) * 4}
	for _, part := range []struct{ file, element string }{{"word/footnotes.xml", "footnote"}, {"word/endnotes.xml", "endnote"}, {"word/comments.xml", "comment"}} {
		if err := w.open(archive, part.file, func(n *wordNode) { w.below(n, part.element) }); err != nil {
			return "", nil, damaged
		}
	}
	found := false
	if err := w.open(archive, wordFile, func(n *wordNode) {
		found = true
		w.blocks(n)
	}); err != nil || !found {
		return "", nil, damaged
	}
	edges := 0
	for _, f := range archive.File {
		if strings.HasPrefix(f.Name, "word/header") || strings.HasPrefix(f.Name, "word/footer") {
			_ = w.open(archive, f.Name, func(n *wordNode) {
				if strings.TrimSpace(n.allText()) != "" {
					edges++
				}
			})
		}
	}
	for _, text := range w.ends {
		w.out.WriteString("<p>" + text + "</p>")
	}
	text, notes, err := fromHTML("<html><body>"+w.out.String()+"</body></html>", r.Links)
	if err != nil {
		return "", nil, damaged
	}
	for _, one := range []struct {
		n         int
		one, many string
	}{{edges, "a header or footer was left out", "%d headers and footers were left out"}, {w.pictures, "a picture was left out", "%d pictures were left out"}} {
		if one.n > 0 {
			notes = append(notes, counted(one.n, one.one, one.many))
		}
	}
	if len(w.comments) > 0 {
		notes = append(notes, counted(len(w.comments), "a comment is no part of the text", "%d comments are no part of the text")+fmt.Sprintf(": %q", clipped(w.comments[0], 60)))
	}
	return text, notes, nil
}

// wordNode is an element of an office text, by its name without a space.
type wordNode struct {
	name  string
	attrs []xml.Attr
	text  string
	kids  []*wordNode
}

func (n *wordNode) attr(name string) string {
	for _, a := range n.attrs {
		if a.Name.Local == name {
			return a.Value
		}
	}
	return ""
}

func (n *wordNode) kid(path ...string) *wordNode {
	at := n
	for _, name := range path {
		var next *wordNode
		for _, k := range at.kids {
			if k.name == name {
				next = k
				break
			}
		}
		if next == nil {
			return nil
		}
		at = next
	}
	return at
}

// allText gives the text below an element.
func (n *wordNode) allText() string {
	var b strings.Builder
	var walk func(n *wordNode)
	walk = func(n *wordNode) {
		b.WriteString(n.text)
		for _, k := range n.kids {
			walk(k)
		}
		if n.name == "p" {
			b.WriteByte(' ')
		}
	}
	walk(n)
	return b.String()
}

// isOn tells a property that is there and not switched off.
func (n *wordNode) isOn(path ...string) bool {
	k := n.kid(path...)
	if k == nil {
		return false
	}
	v := k.attr("val")
	return v != "0" && v != "false" && v != "none"
}

// wordReader reads the parts of an office text.
type wordReader struct {
	out      strings.Builder
	notes    map[string]string // the text of footnotes and endnotes, by kind and id
	ends     []string          // those that the text refers to, in order
	comments []string
	pictures int
	lists    int   // how deep the list at hand is
	left     int64 // bytes that may still be unpacked
}

var errTooMuch = errors.New("too much to unpack")

// maxWordDepth bounds how deep elements may be nested.
const maxWordDepth = 400

// open reads a part of the archive, where it is there.
func (w *wordReader) open(archive *zip.Reader, name string, do func(n *wordNode)) error {
	for _, f := range archive.File {
		if f.Name != name {
			continue
		}
		in, err := f.Open()
		if err != nil {
			return err
		}
		defer in.Close()
		limited := &io.LimitedReader{R: in, N: w.left + 1}
		root, err := parseWord(limited)
		if w.left -= w.left + 1 - limited.N; w.left < 0 {
			return errTooMuch
		}
		if err == nil {
			do(root)
		}
		return err
	}
	return nil
}

func parseWord(in io.Reader) (*wordNode, error) {
	d := xmlReader(in)
	root := &wordNode{}
	open := []*wordNode{root}
	for {
		t, err := d.Token()
		if errors.Is(err, io.EOF) && len(open) == 1 {
			return root, nil
		}
		if err != nil {
			return nil, err
		}
		switch e := t.(type) {
		case xml.StartElement:
			n := &wordNode{name: e.Name.Local, attrs: e.Copy().Attr}
			at := open[len(open)-1]
			if at.kids = append(at.kids, n); len(open) > maxWordDepth {
				return nil, errTooMuch
			}
			open = append(open, n)
		case xml.EndElement:
			open = open[:len(open)-1]
		case xml.CharData:
			switch at := open[len(open)-1]; at.name {
			case "t", "delText", "instrText":
				at.text += string(e)
			}
		}
	}
}

// below keeps the footnotes, endnotes or comments of a part.
func (w *wordReader) below(n *wordNode, element string) {
	for _, k := range n.kids {
		if k.name != element {
			w.below(k, element)
			continue
		}
		text := strings.Join(strings.Fields(k.allText()), " ")
		if element == "comment" {
			w.comments = append(w.comments, text)
		} else if text != "" && k.attr("type") == "" {
			w.notes[element+k.attr("id")] = text
		}
	}
}

// blocks writes paragraphs and tables.
func (w *wordReader) blocks(n *wordNode) {
	for _, k := range n.kids {
		switch k.name {
		case "p":
			w.paragraph(k)
		case "tbl":
			w.endList()
			w.table(k)
		case "Fallback", "sectPr": // the same once more; how pages are set
		default:
			w.blocks(k)
		}
	}
	w.endList()
}

func (w *wordReader) endList() {
	for ; w.lists > 0; w.lists-- {
		w.out.WriteString("</ul>")
	}
}

func (w *wordReader) paragraph(n *wordNode) {
	element := "p"
	style := ""
	if s := n.kid("pPr", "pStyle"); s != nil {
		style = strings.ToLower(s.attr("val"))
	}
	if level, ok := strings.CutPrefix(style, "heading"); ok && len(level) == 1 && level >= "1" && level <= "6" {
		element = "h" + level
	} else if style == "title" {
		element = "h1"
	}
	if number := n.kid("pPr", "numPr"); number != nil && element == "p" && number.kid("numId") != nil && number.kid("numId").attr("val") != "0" {
		level := 1
		if l := number.kid("ilvl"); l != nil {
			deep, _ := strconv.Atoi(l.attr("val"))
			level = min(max(deep, 0), 8) + 1
		}
		for ; w.lists < level; w.lists++ {
			w.out.WriteString("<ul>")
		}
		for ; w.lists > level; w.lists-- {
			w.out.WriteString("</ul>")
		}
		element = "li"
	} else {
		w.endList()
	}
	w.out.WriteString("<" + element + ">")
	w.runs(n)
	w.out.WriteString("</" + element + ">")
}

// runs writes what stands within a paragraph.
func (w *wordReader) runs(n *wordNode) {
	for _, k := range n.kids {
		switch k.name {
		case "t":
			w.out.WriteString(html.EscapeString(k.text))
		case "delText":
			w.out.WriteString(html.EscapeString(k.text))
		case "tab", "ptab":
			w.out.WriteString(" ")
		case "br", "cr":
			w.out.WriteString("<br>")
		case "noBreakHyphen":
			w.out.WriteString("-")
		case "sym":
			w.out.WriteString(symbol(k))
		case "del", "moveFrom":
			w.wrapped("del", k)
		case "ins", "moveTo":
			w.wrapped("ins", k)
		case "r":
			w.run(k)
		case "footnoteReference":
			w.refer("footnote", k)
		case "endnoteReference":
			w.refer("endnote", k)
		case "checkBox":
			w.out.WriteString(ticked(k.isOn("checked") || k.kid("checked") == nil && k.isOn("default")))
		case "pict", "drawing":
			if text := k.kidOf("txbxContent"); text != nil {
				w.out.WriteString("<div>")
				w.blocks(text)
				w.out.WriteString("</div>")
			} else {
				w.pictures++
			}
		case "pPr", "rPr", "instrText", "Fallback", "sdtPr":
		default:
			w.runs(k)
		}
	}
}

// kidOf gives the first element of a name, however deep.
func (n *wordNode) kidOf(name string) *wordNode {
	for _, k := range n.kids {
		if k.name == name {
			return k
		}
		if found := k.kidOf(name); found != nil {
			return found
		}
	}
	return nil
}

func (w *wordReader) wrapped(element string, n *wordNode) {
	w.out.WriteString("<" + element + ">")
	w.runs(n)
	w.out.WriteString("</" + element + ">")
}

// run writes letters of one look. Hidden ones are left out as those of a page are.
func (w *wordReader) run(n *wordNode) {
	look := n.kid("rPr")
	if look == nil {
		w.runs(n)
		return
	}
	raised := look.kid("vertAlign") != nil && look.kid("vertAlign").attr("val") == "superscript"
	switch {
	case look.isOn("vanish"):
		w.out.WriteString("<span hidden>")
		w.runs(n)
		w.out.WriteString("</span>")
	case look.isOn("strike") || look.isOn("dstrike"):
		w.wrapped("del", n)
	case raised:
		w.wrapped("sup", n)
	default:
		w.runs(n)
	}
}

// refer writes the number of a note, whose text stands at the end.
func (w *wordReader) refer(kind string, n *wordNode) {
	text, ok := w.notes[kind+n.attr("id")]
	if !ok {
		return
	}
	w.ends = append(w.ends, fmt.Sprintf("[%d] %s", len(w.ends)+1, html.EscapeString(text)))
	fmt.Fprintf(&w.out, " [%d]", len(w.ends))
}

func ticked(is bool) string {
	if is {
		return " [x] "
	}
	return " [ ] "
}

// symbol gives what a letter of a font of symbols means; boxes are what forms have.
func symbol(n *wordNode) string {
	switch strings.ToUpper(n.attr("char")) {
	case "F0FE", "F0FD", "F052", "F053", "F054", "F0FC":
		return ticked(true)
	case "F0A8", "F06F", "F0A3", "F071":
		return ticked(false)
	}
	return " "
}

// table writes a table with its spans.
func (w *wordReader) table(n *wordNode) {
	type cell struct {
		node   *wordNode
		column int
		wide   int
		merges string // "", restart or continue
	}
	var rows [][]cell
	heads := 0
	for _, r := range n.kidsOf("tr") {
		var row []cell
		column := 0
		for _, c := range r.kidsOf("tc") {
			k := cell{node: c, column: column, wide: 1}
			if span := c.kid("tcPr", "gridSpan"); span != nil {
				wide, _ := strconv.Atoi(span.attr("val"))
				k.wide = min(max(wide, 1), maxSpan)
			}
			if m := c.kid("tcPr", "vMerge"); m != nil {
				if k.merges = m.attr("val"); k.merges == "" {
					k.merges = "continue"
				}
			}
			column += k.wide
			row = append(row, k)
		}
		if r.isOn("trPr", "tblHeader") && heads == len(rows) {
			heads++
		}
		rows = append(rows, row)
	}
	w.out.WriteString("<table>")
	for i, row := range rows {
		switch {
		case i == 0 && heads > 0:
			w.out.WriteString("<thead>")
		case i == heads && heads > 0:
			w.out.WriteString("</thead><tbody>")
		}
		w.out.WriteString("<tr>")
		for _, c := range row {
			if c.merges == "continue" {
				continue
			}
			high := 1
			for j := i + 1; c.merges == "restart" && j < len(rows); j++ {
				goesOn := false
				for _, below := range rows[j] {
					goesOn = goesOn || below.column == c.column && below.merges == "continue"
				}
				if !goesOn {
					break
				}
				high++
			}
			fmt.Fprintf(&w.out, "<td colspan=%d rowspan=%d>", c.wide, high)
			w.blocks(c.node)
			w.out.WriteString("</td>")
		}
		w.out.WriteString("</tr>")
	}
	w.out.WriteString("</table>")
}

// kidsOf gives the elements of a name below, those within others that only hold them
// included (content controls, tracked rows).
func (n *wordNode) kidsOf(name string) (found []*wordNode) {
	for _, k := range n.kids {
		switch k.name {
		case name:
			found = append(found, k)
		case "sdt", "sdtContent", "ins", "customXml":
			found = append(found, k.kidsOf(name)...)
		}
	}
	return found
}
