package invent

import (
	"bytes"
	"fmt"
	"html"
	"image"
	"image/png"
	old "math/rand"
	"math/rand/v2"
	"strings"
	"time"

	"github.com/go-pdf/fpdf"
	"golang.org/x/image/draw"
	"golang.org/x/image/font/gofont/gomono"
	"golang.org/x/image/font/gofont/goregular"

	"filler/internal/base/lazy"
	"filler/internal/demo/paper"
)

// Looks are the formats in which documents are made, and the endings of their files.
var Looks = map[string]string{"txt": ".txt", "html": ".html", "eml": ".eml", "pdf": ".pdf", "scan": ".png"}

// Draw gives a document as a file. A scan is a picture, which an OCR engine has to read.
func (m *Made) Draw(look string, seed int64) ([]byte, error) {
	r := random(seed*7919+int64(m.N), 1)
	switch look {
	case "html":
		return []byte(m.html()), nil
	case "eml":
		return []byte(m.mail(r)), nil
	case "pdf":
		return m.pdf(r)
	case "scan":
		return m.scan(r)
	}
	return []byte(m.Text), nil
}

var crossedOut = lazy.New(`~~([^~\n]+)~~`)

// html writes paragraphs as paragraphs, and lines in columns as tables.
func (m *Made) html() string {
	var b strings.Builder
	fmt.Fprintf(&b, "<!doctype html>\n<html><head><meta charset=\"utf-8\"><title>%s</title></head><body>\n", m.Name())
	escaped := func(text string) string {
		return crossedOut.ReplaceAllString(html.EscapeString(text), "<s>$1</s>")
	}
	for _, part := range strings.Split(strings.Trim(m.Text, "\n"), "\n\n") {
		lines := strings.Split(part, "\n")
		rows := len(lines)
		for rows > 0 && len(cellsOf(lines[rows-1])) > 1 {
			rows--
		}
		if rows < len(lines)-1 {
			if rows > 0 {
				b.WriteString("<p>" + escaped(strings.Join(lines[:rows], "\n")) + "</p>\n")
			}
			b.WriteString("<table>\n")
			for _, line := range lines[rows:] {
				b.WriteString("<tr>")
				for _, cell := range cellsOf(line) {
					b.WriteString("<td>" + escaped(cell) + "</td>")
				}
				b.WriteString("</tr>\n")
			}
			b.WriteString("</table>\n")
			continue
		}
		b.WriteString("<p>" + strings.ReplaceAll(escaped(part), "\n", "<br>\n") + "</p>\n")
	}
	b.WriteString("</body></html>\n")
	return b.String()
}

var wideGap = lazy.New(` {2,}`)

// cellsOf gives the parts of a line that wide gaps set apart.
func cellsOf(line string) []string {
	return wideGap.Split(strings.TrimSpace(line), -1)
}

func (m *Made) mail(r *rand.Rand) string {
	from := person(r)
	user := strings.ToLower(strings.ReplaceAll(from, " ", "."))
	day := time.Date(2031, 1, 2, 8, 30, 0, 0, time.UTC).AddDate(0, 0, r.IntN(700))
	return fmt.Sprintf("From: %s <%s@paths.example>\nTo: office@paths.example\nDate: %s\nSubject: %s\nMIME-Version: 1.0\nContent-Type: text/plain; charset=utf-8\nContent-Transfer-Encoding: 8bit\n\n%s", from, user, day.Format(time.RFC1123Z), m.Name(), m.Text)
}

// columns tells whether a text stands in columns, so that it needs letters of one width.
func (m *Made) columns() bool {
	return strings.Contains(m.Text, "   ")
}

func (m *Made) pdf(r *rand.Rand) ([]byte, error) {
	p := fpdf.New("P", "mm", "A4", "")
	p.SetCatalogSort(true)
	at := time.Date(2031, 1, 1, 0, 0, 0, 0, time.UTC)
	p.SetCreationDate(at)
	p.SetModificationDate(at)
	font := goregular.TTF
	if m.columns() {
		font = gomono.TTF
	}
	p.AddUTF8FontFromBytes("own", "", font)
	p.AddPage()
	size := 9.5 + 2*r.Float64()
	p.SetFont("own", "", size)
	p.SetDrawColor(90, 90, 90)
	if r.IntN(2) == 0 {
		p.Line(20, 16, 190, 16)
	}
	p.SetXY(20, 20)
	p.SetLeftMargin(20)
	p.SetRightMargin(20)
	for _, line := range strings.Split(m.Text, "\n") {
		if m.columns() && p.GetStringWidth(line) > 170 {
			p.SetFont("own", "", size*165/p.GetStringWidth(line))
		}
		p.MultiCell(170, size*0.5, line, "", "L", false)
		p.SetFont("own", "", size)
	}
	var b bytes.Buffer
	if err := p.Output(&b); err != nil {
		return nil, fmt.Errorf("%s: the PDF can't be made: %w", m.Name(), err)
	}
	return b.Bytes(), nil
}

// scan draws the page as an office scanner sees it: a little turned, with specks, and now
// and then of low resolution.
func (m *Made) scan(r *rand.Rand) ([]byte, error) {
	const dpi = 200
	st := paper.Style{Font: "mono", Size: 10}
	lines := strings.Split(strings.TrimRight(m.Text, "\n"), "\n")
	sheet := paper.New(1654, 2339, dpi)
	widest := 1.0
	for _, line := range lines {
		widest = max(widest, sheet.Width(line, st))
	}
	if widest > 1440 {
		st.Size *= 1440 / widest
	}
	pitch := sheet.Pitch(st)
	if most := 2130 / float64(len(lines)); pitch > most {
		return nil, fmt.Errorf("%s: %d lines do not fit on one scanned page; leave scan out of --as", m.Name(), len(lines))
	}
	for i, line := range lines {
		sheet.Line(107, 133+float64(i)*pitch, line, st)
	}
	for _, at := range crossedOut.FindAllStringIndex(m.Text, -1) {
		row := strings.Count(m.Text[:at[0]], "\n")
		start := strings.LastIndexByte(m.Text[:at[0]], '\n') + 1
		x := 107 + sheet.Width(m.Text[start:at[0]], st)
		y := 133 + float64(row)*pitch - st.Size*dpi/72*0.3
		sheet.Rule(x, y, x+sheet.Width(m.Text[at[0]:at[1]], st), y)
	}
	img, _ := sheet.Turned(r.Float64()*1.6 - 0.8)
	paper.Speckle(img, old.New(old.NewSource(r.Int64())), 150+r.IntN(200))
	if r.IntN(4) == 0 {
		small := image.NewGray(image.Rect(0, 0, img.Bounds().Dx()*3/4, img.Bounds().Dy()*3/4))
		draw.ApproxBiLinear.Scale(small, small.Bounds(), img, img.Bounds(), draw.Src, nil)
		img = small
	}
	var b bytes.Buffer
	err := png.Encode(&b, img)
	return b.Bytes(), err
}
