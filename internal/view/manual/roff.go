package manual

import (
	"fmt"
	"strings"
	"time"

	"github.com/yuin/goldmark/ast"
	tables "github.com/yuin/goldmark/extension/ast"

	"filler/internal/view/tones"
)

// Command is what a man page says of a command.
type Command struct {
	Name   string // with the commands above it: "filler gold draft"
	Short  string
	Long   string // plain text; lines that are indented are to be copied as they stand
	Use    string // the form, with places for arguments
	Flags  []Flag
	Others []string // man pages to see also: "filler-score(1)"
}

// Flag is a flag of a command.
type Flag struct {
	Names string // with the name of its value: "-o, --output FILE"
	Usage string
}

// Version is that of the program, and the day on which it was made.
type Version struct {
	Program string
	Day     time.Time // zero where it is not known
}

// Man gives the man page of a command, in the macros of man(7).
func (c Command) Man(v Version) []byte {
	r := &roff{}
	r.title(strings.ReplaceAll(c.Name, " ", "-"), "1", v)
	r.section("Name")
	r.text(strings.ReplaceAll(c.Name, " ", "-") + " \x00 " + c.Short)
	r.section("Synopsis")
	r.request(".B " + escaped(c.Use))
	r.section("Description")
	r.description(c.Long)
	if len(c.Flags) > 0 {
		r.section("Options")
		for _, f := range c.Flags {
			r.request(".TP\n.B " + escaped(f.Names))
			r.text(f.Usage)
		}
	}
	if len(c.Others) > 0 {
		r.section("See also")
		r.text(strings.Join(c.Others, ", "))
	}
	return r.bytes()
}

// Man gives a page as a man page.
func (p Page) Man(v Version) []byte {
	r := &roff{page: p}
	r.title("filler-"+p.Name, "7", v)
	r.section("Name")
	r.text("filler-" + p.Name + " \x00 " + p.Title)
	r.blocks(p.parse())
	return r.bytes()
}

type roff struct {
	b    strings.Builder
	page Page
	deep int // lists within lists
}

func (r *roff) bytes() []byte { return []byte(strings.TrimRight(r.b.String(), "\n") + "\n") }

func (r *roff) title(name, section string, v Version) {
	day := ""
	if !v.Day.IsZero() {
		day = v.Day.Format(time.DateOnly)
	}
	r.request(fmt.Sprintf(".TH %q %q %q %q", strings.ToUpper(name), section, day, "filler "+v.Program))
}

func (r *roff) section(title string) { r.request(".SH " + escaped(title)) }

// request writes lines that are roff already.
func (r *roff) request(lines string) { r.b.WriteString(lines + "\n") }

// Runes by which text carries fonts past the escaping: a dash, bold, roman.
var fonts = strings.NewReplacer("\x00", `\-`, "\x01", `\fB`, "\x02", `\fP`)

// escaped makes text safe for roff: nothing in it is a request or an escape, and a hyphen stays
// one that can be copied.
func escaped(text string) string {
	return fonts.Replace(strings.NewReplacer(`\`, `\e`, "-", `\-`, "'", `\(aq`, "`", `\(ga`, "^", `\(ha`, "~", `\(ti`).Replace(text))
}

// text writes a paragraph's text.
func (r *roff) text(text string) {
	for _, line := range strings.Split(strings.TrimSpace(text), "\n") {
		r.line(line)
	}
}

// line writes one line of text, which may begin with a point.
func (r *roff) line(line string) {
	safe := escaped(line)
	if strings.HasPrefix(safe, ".") {
		safe = `\&` + safe
	}
	r.request(safe)
}

// verbatim writes lines as they stand.
func (r *roff) verbatim(text string) {
	r.request(".PP\n.RS 4\n.nf")
	for _, line := range strings.Split(strings.TrimRight(text, "\n"), "\n") {
		r.line(line)
	}
	r.request(".fi\n.RE")
}

// description writes the long text of a command: paragraphs, and lines to be copied.
func (r *roff) description(long string) {
	for _, part := range strings.Split(strings.TrimSpace(long), "\n\n") {
		var copied []string
		flush := func() {
			if len(copied) > 0 {
				r.verbatim(strings.Join(copied, "\n"))
				copied = nil
			}
		}
		r.request(".PP")
		for _, line := range strings.Split(part, "\n") {
			if strings.HasPrefix(line, "  ") {
				copied = append(copied, strings.TrimPrefix(line, "  "))
				continue
			}
			flush()
			r.line(line)
		}
		flush()
	}
}

func (r *roff) blocks(parent ast.Node) {
	for n := parent.FirstChild(); n != nil; n = n.NextSibling() {
		r.block(n)
	}
}

func (r *roff) block(n ast.Node) {
	switch n := n.(type) {
	case *ast.Heading:
		switch {
		case n.Level == 1: // the name of the page
			r.section("Description")
		case n.Level == 2:
			r.section(marks.Replace(r.inline(n)))
		default:
			r.request(".SS " + escaped(marks.Replace(r.inline(n))))
		}
	case *ast.List:
		r.list(n)
	case *ast.FencedCodeBlock, *ast.CodeBlock:
		r.verbatim(string(n.Lines().Value(r.page.text)))
	case *tables.Table:
		r.table(n)
	case *ast.HTMLBlock, *ast.ThematicBreak:
	case *ast.Blockquote:
		r.request(".RS 4")
		r.blocks(n)
		r.request(".RE")
	case *ast.TextBlock:
		r.text(r.inline(n))
	default:
		r.request(".PP")
		r.text(r.inline(n))
	}
}

func (r *roff) list(n *ast.List) {
	number := n.Start
	if r.deep++; r.deep > 1 {
		r.request(".RS 4")
	}
	for item := n.FirstChild(); item != nil; item = item.NextSibling() {
		sign := `\(bu`
		if n.IsOrdered() {
			sign = fmt.Sprintf("%d.", number)
			number++
		}
		r.request(".IP " + sign + " 4")
		for part := item.FirstChild(); part != nil; part = part.NextSibling() {
			if _, is := part.(*ast.Paragraph); is && part == item.FirstChild() {
				r.text(r.inline(part))
				continue
			}
			r.block(part)
		}
	}
	if r.deep--; r.deep > 0 {
		r.request(".RE")
	}
}

// table writes each row as an entry: its first cell, and what the others say below it.
func (r *roff) table(n *tables.Table) {
	var heads []string
	for row := n.FirstChild(); row != nil; row = row.NextSibling() {
		var cells []string
		for cell := row.FirstChild(); cell != nil; cell = cell.NextSibling() {
			cells = append(cells, strings.TrimSpace(r.inline(cell)))
		}
		if heads == nil {
			heads = cells
			continue
		}
		r.request(".TP")
		r.line("\x01" + cells[0] + "\x02")
		for i, cell := range cells[1:] {
			if head := heads[i+1]; head != "" && len(cells) > 2 {
				cell = head + ": " + cell
			}
			if i > 0 {
				r.request(".br")
			}
			r.text(cell)
		}
	}
}

// inline gives text with the signs of its fonts.
func (r *roff) inline(n ast.Node) string {
	t := terminal{page: r.page, paint: func(tone tones.Tone, s string) string {
		if tone == tones.Bold {
			return "\x01" + s + "\x02"
		}
		return s
	}}
	return t.inline(n)
}
