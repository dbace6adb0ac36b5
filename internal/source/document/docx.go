package document

import (
	"archive/zip"
	"bytes"
	"cmp"
	"errors"
	"filler/internal/base/lang"
	"fmt"
	"html"
	"io"
	"slices"
	"strconv"
	"strings"
	"unicode"
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
	for file, read := range map[string]func(*wordNode){"word/styles.xml": w.readStyles, "word/numbering.xml": w.readNumbers} {
		if err := w.open(archive, file, read); err != nil {
			return "", nil, damaged
		}
	}
	for _, part := range []struct{ file, element string }{{"word/footnotes.xml", "footnote"}, {"word/endnotes.xml", "endnote"}, {"word/comments.xml", "comment"}} {
		if err := w.open(archive, part.file, func(n *wordNode) { w.below(n, part.element) }); err != nil {
			return "", nil, damaged
		}
	}
	w.edge(archive, "word/header")
	found := false
	if err := w.open(archive, wordFile, func(n *wordNode) {
		found = true
		w.blocks(n)
	}); err != nil || !found {
		return "", nil, damaged
	}
	w.edge(archive, "word/footer")
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
	}{{w.edges, "a header or footer stands in the text once", "%d headers and footers stand in the text once"}, {w.pictures, "a picture was left out", "%d pictures were left out"},
		{w.unfilled, "a field that nothing was filled into was left out", "%d fields that nothing was filled into were left out"}} {
		if one.n > 0 {
			notes = append(notes, counted(one.n, one.one, one.many))
		}
	}
	if len(w.comments) > 0 {
		notes = append(notes, counted(len(w.comments), "a comment is no part of the text", "%d comments are no part of the text")+fmt.Sprintf(": %q", clipped(w.comments[0], 60)))
	}
	return text, notes, nil
}

// countsPages tells a header or footer that counts pages and says no more.
func countsPages(text string) bool {
	return !slices.ContainsFunc(strings.FieldsFunc(text, func(r rune) bool { return !unicode.IsLetter(r) }), func(word string) bool {
		return !lang.PageCount.Has(word)
	})
}

// edge writes the headers or the footers of a text, each once: the head of a letter often stands in one.
// Those that count pages alone are left out.
func (w *wordReader) edge(archive *zip.Reader, begins string) {
	var names []string
	for _, f := range archive.File {
		if strings.HasPrefix(f.Name, begins) && strings.HasSuffix(f.Name, ".xml") {
			names = append(names, f.Name)
		}
	}
	slices.Sort(names)
	seen := map[string]bool{}
	for _, name := range names {
		_ = w.open(archive, name, func(n *wordNode) {
			text := strings.Join(strings.Fields(n.allText()), " ")
			if seen[text] || countsPages(text) {
				return
			}
			seen[text] = true
			w.edges++
			w.blocks(n)
		})
	}
}

// wordReader reads the parts of an office text.
type wordReader struct {
	out      strings.Builder
	notes    map[string]string // the text of footnotes and endnotes, by kind and id
	ends     []string          // those that the text refers to, in order
	comments []string
	pictures int
	edges    int // headers and footers
	unfilled int // fields that nothing was filled into
	styles   map[string]wordStyle
	numbers  *wordNumbers
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
		case "sdt":
			if k.isOn("sdtPr", "showingPlcHdr") {
				w.unfilled++
				continue
			}
			w.blocks(k)
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

// wordMark is the attribute of a list's item that holds the number that stands before it.
const wordMark = "filler-mark"

func (w *wordReader) paragraph(n *wordNode) {
	element, mark := "p", ""
	id := n.val("pPr", "pStyle")
	style := w.style(id)
	name := strings.ReplaceAll(cmp.Or(style.name, strings.ToLower(id)), " ", "")
	if level, ok := strings.CutPrefix(name, "heading"); ok && len(level) == 1 && level >= "1" && level <= "6" {
		element = "h" + level
	} else if name == "title" {
		element = "h1"
	}
	list, level := w.numberOf(n, id)
	if list != "" {
		mark = w.numbers.next(list, level)
	}
	if mark != "" && element == "p" {
		for ; w.lists < level+1; w.lists++ {
			w.out.WriteString("<ul>")
		}
		for ; w.lists > level+1; w.lists-- {
			w.out.WriteString("</ul>")
		}
		fmt.Fprintf(&w.out, "<li %s=%q>", wordMark, html.EscapeString(mark))
		element = "li"
	} else {
		w.endList()
		w.out.WriteString("<" + element + ">")
		if mark != "" && mark != "-" {
			w.out.WriteString(html.EscapeString(mark) + " ")
		}
	}
	w.looking(style, func() { w.runs(n) })
	w.out.WriteString("</" + element + ">")
}

// looking writes what a style strikes out or hides as such.
func (w *wordReader) looking(style wordStyle, write func()) {
	open, closing := "", ""
	switch {
	case style.hidden:
		open, closing = "<span hidden>", "</span>"
	case style.struck:
		open, closing = "<del>", "</del>"
	}
	w.out.WriteString(open)
	write()
	w.out.WriteString(closing)
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
		case "sdt":
			if k.isOn("sdtPr", "showingPlcHdr") { // what stands there asks to be filled in
				w.unfilled++
				continue
			}
			if box := k.kid("sdtPr", "checkbox"); box != nil {
				w.out.WriteString(ticked(box.isOn("checked")))
				continue
			}
			w.runs(k)
		case "f", "sSup", "sSub", "rad":
			w.formula(k)
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

// formula writes what stands above and below other things in a formula: a fraction is 1/2, and not 12.
func (w *wordReader) formula(n *wordNode) {
	part := func(name, open, closing string) {
		w.out.WriteString(open)
		if k := n.kid(name); k != nil {
			w.runs(k)
		}
		w.out.WriteString(closing)
	}
	switch n.name {
	case "f":
		part("num", "<mfrac><mn>", "</mn>")
		part("den", "<mn>", "</mn></mfrac>")
	case "sSup":
		part("e", "", "")
		part("sup", "<sup>", "</sup>")
	case "sSub":
		part("e", "", "")
		part("sub", "<sub>", "</sub>")
	case "rad":
		part("e", "√", "")
	}
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
	style := w.style(look.val("rStyle"))
	if k := look.kid("vanish"); k != nil {
		style.hidden = look.isOn("vanish")
	}
	if look.kid("strike") != nil || look.kid("dstrike") != nil {
		style.struck = look.isOn("strike") || look.isOn("dstrike")
	}
	w.looking(style, func() {
		switch look.val("vertAlign") {
		case "superscript":
			w.wrapped("sup", n)
		case "subscript":
			w.wrapped("sub", n)
		default:
			w.runs(n)
		}
	})
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
