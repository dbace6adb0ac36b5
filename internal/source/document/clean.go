package document

import (
	"strings"

	"filler/internal/base/lang"
	"filler/internal/source/layout"
)

// What is made of a text however it came: line ends, figures and bytes that are no text.

// clean makes line ends and bytes that are no text what the rules say.
func (d *Document) clean(text string) string {
	if d.Format != Plain {
		if clean := strings.ReplaceAll(strings.ToValidUTF8(text, "\ufffd"), "\x00", "\ufffd"); clean != text {
			text = clean
			d.Notes = append(d.Notes, "bytes that are not text became U+FFFD")
		}
	}
	if strings.Contains(text, "\r") {
		text = strings.ReplaceAll(strings.ReplaceAll(text, "\r\n", "\n"), "\r", "\n")
	}
	text, others := lang.ASCIIDigits(text)
	d.noteDigits(others)
	return text
}

// noteDigits says that figures of another script are written as ours, which models and checks read more surely.
func (d *Document) noteDigits(n int) {
	if n > 0 {
		d.Notes = append(d.Notes, counted(n, "a figure of another script is written as 0 to 9", "%d figures of another script are written as 0 to 9"))
	}
}

// cleanWords makes every word valid text on one line, with figures from 0 to 9, and gives a page without
// a size the one that its words take. It gives how many figures were of another script.
func cleanWords(p *layout.Page) (others int) {
	n := 0
	for i := range p.Words {
		w := &p.Words[i]
		w.Text, n = lang.ASCIIDigits(w.Text)
		others += n
		if strings.ContainsFunc(w.Text, func(r rune) bool { return r < ' ' || r == 0x7f || r == '\ufffd' || r == '\u2028' || r == '\u2029' }) {
			w.Text = strings.Map(func(r rune) rune {
				if r < ' ' || r == 0x7f || r == '\u2028' || r == '\u2029' {
					return '\ufffd'
				}
				return r
			}, strings.ToValidUTF8(w.Text, "\ufffd"))
		}
		if w.Box[2] < w.Box[0] {
			w.Box[0], w.Box[2] = w.Box[2], w.Box[0]
		}
		if w.Box[3] < w.Box[1] {
			w.Box[1], w.Box[3] = w.Box[3], w.Box[1]
		}
	}
	if p.Width <= 0 || p.Height <= 0 {
		for _, w := range p.Words {
			p.Width, p.Height = max(p.Width, w.Box[2]), max(p.Height, w.Box[3])
		}
	}
	p.Text, n = lang.ASCIIDigits(p.Text)
	return others + n
}
