package paper

import (
	"fmt"
	"math/rand"
	"strings"
)

// Kinds are the kinds of pages that Random draws.
var Kinds = []string{"two columns", "three columns", "table", "form", "side notes", "columns and table", "headings", "wrapped table"}

var nouns = strings.Fields("bridge river bay handrail deck pier footing plank bolt rope gate bank path railing girder stone timber lamp ditch slope weir mill ford stair landing arch cable anchor shoe beam walkway")
var verbs = strings.Fields("was were had stood showed carried lost kept needed crossed held moved leaned opened closed began sank turned")
var others = strings.Fields("the a its near under over beside with after before some heavy loose narrow upper lower eastern western old new soft hard wet and but then where because still only again")

// Sentence gives made-up prose of so many words.
func Sentence(r *rand.Rand, words int) string {
	var b strings.Builder
	for i := range words {
		w := others[r.Intn(len(others))]
		switch i % 4 {
		case 1:
			w = nouns[r.Intn(len(nouns))]
		case 2:
			w = verbs[r.Intn(len(verbs))]
		}
		if i == 0 {
			w = strings.ToUpper(w[:1]) + w[1:]
		} else {
			b.WriteByte(' ')
		}
		b.WriteString(w)
	}
	return b.String() + "."
}

func prose(r *rand.Rand, sentences int) string {
	var all []string
	for range sentences {
		all = append(all, Sentence(r, 6+r.Intn(12)))
	}
	return strings.Join(all, " ")
}

// hyphenate breaks long words in the middle, now and then.
func hyphenate(r *rand.Rand) func(string) int {
	return func(w string) int {
		if len(w) < 7 || strings.Trim(w, "abcdefghijklmnopqrstuvwxyz") != "" || r.Intn(2) == 0 {
			return 0
		}
		return 3 + r.Intn(len(w)-5)
	}
}

// Random draws a page of one kind, of about 1240 x 1754 pixels at 150 dots an
// inch, with everything else left to chance.
func Random(kind string, r *rand.Rand) *Sheet {
	s := New(1240, 1754, 150)
	d := &drawer{Sheet: s, r: r, x: 90 + r.Float64()*40, y: 130, st: Style{Size: 9.5 + r.Float64()*2}}
	d.width = 1240 - 2*d.x
	switch kind {
	case "two columns":
		d.heading()
		d.columns(2, 1650)
	case "three columns":
		d.st.Size = 8.5
		d.columns(3, 1600)
	case "table":
		d.paragraphs(1 + r.Intn(2))
		d.table(4+r.Intn(14), 3+r.Intn(3), false)
		d.paragraphs(1)
	case "wrapped table":
		d.heading()
		d.table(4+r.Intn(4), 3+r.Intn(2), true)
	case "form":
		d.heading()
		d.form(5 + r.Intn(5))
		d.paragraphs(2)
	case "side notes":
		d.sideNotes()
	case "columns and table":
		d.columns(2, d.y+500)
		d.table(4+r.Intn(6), 4, false)
		d.paragraphs(1)
	case "headings":
		for range 2 + r.Intn(2) {
			d.heading()
			d.columns(2, d.y+300)
		}
	}
	return s
}

type drawer struct {
	*Sheet
	r     *rand.Rand
	st    Style
	x, y  float64
	width float64
}

func (d *drawer) heading() {
	st := Style{Font: "bold", Size: d.st.Size * (1.2 + d.r.Float64()*0.6)}
	d.y += d.Pitch(st)
	d.Line(d.x, d.y, strings.TrimSuffix(Sentence(d.r, 3+d.r.Intn(3)), "."), st)
	d.y += d.Pitch(st) * 1.5
}

func (d *drawer) paragraphs(n int) {
	for range n {
		d.y = d.Paragraph(d.x, d.y, d.width, prose(d.r, 2+d.r.Intn(4)), d.st, d.r.Intn(2) == 0, nil) + d.Pitch(d.st)*0.8
	}
}

// columns draws prose in columns down to bottom; their paragraphs and so their
// lines need not stand side by side.
func (d *drawer) columns(n int, bottom float64) {
	gutter := 28 + d.r.Float64()*40
	width := (d.width - gutter*float64(n-1)) / float64(n)
	justify := d.r.Intn(2) == 0
	top, low := d.y, d.y
	for c := range n {
		y := top + float64(d.r.Intn(2))*d.r.Float64()*8
		end := bottom
		if c == n-1 {
			end = bottom - d.r.Float64()*(bottom-top)*0.5
		}
		for y < end-4*d.Pitch(d.st) {
			room := int((end - y) / d.Pitch(d.st))
			y = d.Paragraph(d.x+float64(c)*(width+gutter), y, width, prose(d.r, 1+d.r.Intn(max(room/6, 1))), d.st, justify, hyphenate(d.r))
			y += d.Pitch(d.st) * []float64{0, 0.5, 1}[d.r.Intn(3)]
		}
		low = max(low, y)
	}
	d.y = low + 1.5*d.Pitch(d.st)
}

func (d *drawer) cell(column int, wrapped bool) string {
	switch {
	case column == 0:
		return fmt.Sprintf("%d", 1+d.r.Intn(99))
	case column == 1 && wrapped:
		return Sentence(d.r, 5+d.r.Intn(14))
	case column == 1:
		return Sentence(d.r, 1+d.r.Intn(4))
	case column%2 == 0:
		return fmt.Sprintf("%d.%d.2031", 1+d.r.Intn(28), 1+d.r.Intn(12))
	}
	return nouns[d.r.Intn(len(nouns))]
}

// table draws rows of cells, with rules or without. Some cells are empty.
func (d *drawer) table(rows, columns int, wrapped bool) {
	ruled := d.r.Intn(2) == 0
	wide := 0.3 + d.r.Float64()*0.2
	left := make([]float64, columns+1)
	for c := range left {
		switch {
		case c == 0:
			left[c] = 0
		case c == 1:
			left[c] = 0.08
		default:
			left[c] = 0.08 + wide + (1-0.08-wide)*float64(c-2)/float64(columns-2)
		}
	}
	pitch := d.Pitch(d.st) * (1.05 + d.r.Float64()*0.8)
	if ruled {
		pitch = max(pitch, d.Pitch(d.st)*1.5)
	}
	top := d.y
	for i := range rows + 1 {
		low := d.y
		if ruled {
			d.Rule(d.x-8, d.y-d.Pitch(d.st), d.x+d.width, d.y-d.Pitch(d.st)+2)
		}
		for c := range columns {
			text := d.cell(c, wrapped)
			st := d.st
			if i == 0 {
				text, st.Font = strings.ToUpper(nouns[c][:1])+nouns[c][1:], "bold"
			} else if c > 1 && d.r.Intn(8) == 0 {
				continue
			}
			y := d.Paragraph(d.x+left[c]*d.width, d.y, (left[c+1]-left[c])*d.width-24, text, st, false, nil)
			low = max(low, y-d.Pitch(d.st))
		}
		d.y = low + pitch
	}
	if ruled {
		for c := range columns + 1 {
			d.Rule(d.x+left[c]*d.width-8, top-d.Pitch(d.st), d.x+left[c]*d.width-6, d.y-pitch+0.4*pitch)
		}
	}
	d.y += d.Pitch(d.st)
}

// form draws two labels with their values to a line.
func (d *drawer) form(rows int) {
	half := d.width / 2
	bold := Style{Font: "bold", Size: d.st.Size}
	for range rows {
		for c := range 2 {
			x := d.Line(d.x+float64(c)*half, d.y, strings.TrimSuffix(Sentence(d.r, 1+d.r.Intn(2)), ".")+":", bold)
			d.Line(x+10+d.r.Float64()*20, d.y, strings.TrimSuffix(Sentence(d.r, 1+d.r.Intn(3)), "."), d.st)
		}
		d.y += d.Pitch(d.st) * (1.2 + 0.1*float64(d.r.Intn(3)))
	}
	d.y += d.Pitch(d.st)
}

// sideNotes draws prose with small notes in the margin. The notes are read
// after the prose.
func (d *drawer) sideNotes() {
	gutter := 30 + d.r.Float64()*30
	narrow := d.width * 0.22
	small := Style{Size: d.st.Size * 0.8}
	mainX, noteX := d.x, d.x+d.width-narrow
	onLeft := d.r.Intn(2) == 0
	if onLeft {
		mainX, noteX = d.x+narrow+gutter, d.x
	}
	notes := func() {
		y := d.y
		for range 2 + d.r.Intn(3) {
			y += d.r.Float64() * 200
			y = d.Paragraph(noteX, y, narrow, prose(d.r, 1), small, false, nil) + 2*d.Pitch(small)
		}
	}
	if onLeft {
		notes()
	}
	y := d.y
	for y < 1400 {
		y = d.Paragraph(mainX, y, d.width-narrow-gutter, prose(d.r, 3+d.r.Intn(4)), d.st, d.r.Intn(2) == 0, nil) + d.Pitch(d.st)*0.6
	}
	if !onLeft {
		notes()
	}
}
