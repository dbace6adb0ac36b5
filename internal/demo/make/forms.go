package main

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"html"
	"strings"
	"time"

	"github.com/go-pdf/fpdf"
)

// webForm is the page that the office's own web form makes, with everything
// around it that such pages have.
func webForm(v visit) string {
	var b strings.Builder
	p := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	e := html.EscapeString
	p("<!DOCTYPE html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>Inspection %s</title>", v.no)
	p("<style>body{font:16px sans-serif;margin:0}nav{background:#2b5d4f;color:#fff}td,th{padding:2px 8px;border-bottom:1px solid #ddd}.site-footer{color:#777}</style>")
	p("<script>window.office={page:'inspection',user:'guest',beacon:function(n){return n*7+3}};document.addEventListener('click',function(e){office.beacon(e.clientX)});</script></head>")
	p("<body>\n<nav><a href=\"/\">Home</a> <a href=\"/bridges\">Bridges</a> <a href=\"/rivers\">Rivers</a> <a href=\"/inspectors\">Inspectors</a> <a href=\"/help\">Help</a></nav>")
	p("<div class=\"cookie banner\">This site keeps a cookie to remember your language. <button>Fine</button></div>")
	p("<main>\n<h1>Ossel Valley Paths Office: footbridge inspection</h1>\n<form action=\"/save\" method=\"post\"><input type=\"hidden\" name=\"token\" value=\"c41f9e0b77\">")
	field := func(label, value string) {
		p("<div class=\"row\"><label>%s:</label> <input name=\"%s\" value=\"%s\"></div>", label, strings.ReplaceAll(strings.ToLower(label), " ", "_"), e(value))
	}
	field("Report no.", v.no)
	field("Bridge", v.bridge)
	field("River", v.river)
	field("Visited", dotted(v.visited))
	p("<div class=\"row\"><label>Weather:</label> <select name=\"weather\">")
	for _, w := range weathers {
		for _, word := range w.words {
			chosen := ""
			if word == v.weatherWords {
				chosen = " selected"
			}
			p("<option%s>%s</option>", chosen, word)
		}
	}
	p("</select></div>")
	field("Closed to walkers", map[bool]string{true: "yes", false: "no"}[v.closed])
	field("Inspector", v.inspector)
	field("Licence", v.licence)
	field("Next visit", dotted(v.next))
	field("Checked by", v.checker[0]+", lic. "+v.checker[1])
	for _, y := range v.bays {
		p("<h2>Bay %d</h2>", y.number)
		field("Clear length", y.length+" m")
		field("Deck", y.written)
		if len(y.defects) == 0 {
			p("<p>Defects: none</p>")
			continue
		}
		p("<table><thead><tr><th>Defect</th><th>Grade</th><th>Photos</th></tr></thead><tbody>")
		for _, d := range y.defects {
			photos := photoList(d.photos, "")
			if photos == "" {
				photos = "-"
			}
			p("<tr><td>%s</td><td>%d</td><td>%s</td></tr>", d.words, d.grade, photos)
		}
		p("</tbody></table>")
	}
	p("<h2>Actions</h2>")
	if len(v.actions) == 0 {
		p("<p>none</p>")
	} else {
		p("<ol>")
		for _, a := range v.actions {
			p("<li>%s, bay %d, by %s%s</li>", upper(a.what), a.bay, dotted(a.by), estimate(a.cost, ", cost %s"))
		}
		p("</ol>")
	}
	p("<button type=\"submit\">Save</button></form></main>\n<footer class=\"site-footer\"><p>Ossel Valley Paths Office, 4 Weir Lane, Quennaford. Open on weekdays from 9 to 4.</p><p><a href=\"/imprint\">Imprint</a> <a href=\"/privacy\">Privacy</a></p></footer>\n</body></html>")
	return b.String()
}

// export is what the office's old database writes out.
func export(v visit) string {
	var b strings.Builder
	p := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	e := html.EscapeString
	yes := map[bool]string{true: "yes", false: "no"}
	p("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<!-- exported for the paths office -->\n<inspection xmlns=\"urn:ossel:inspection\">")
	p("  <report_no>%s</report_no>\n  <bridge>%s</bridge>\n  <river>%s</river>", v.no, e(v.bridge), e(v.river))
	p("  <visited>%s</visited>\n  <weather>%s</weather>\n  <closed_to_walkers>%s</closed_to_walkers>", dotted(v.visited), v.weatherWords, yes[v.closed])
	p("  <inspector>%s</inspector>\n  <licence>%s</licence>", v.inspector, v.licence)
	p("  <next_visit>%s</next_visit>\n  <checked_by>%s, lic. %s</checked_by>", dotted(v.next), v.checker[0], v.checker[1])
	for _, y := range v.bays {
		p("  <bay number=\"%d\">\n    <clear_length>%s m</clear_length>\n    <deck>%s</deck>", y.number, y.length, y.written)
		for _, d := range y.defects {
			p("    <defect>%s, grade %d%s</defect>", d.words, d.grade, photoTail(d.photos))
		}
		p("  </bay>")
	}
	p("  <actions>")
	for _, a := range v.actions {
		p("    <action>%s (bay %d), by %s%s</action>", a.what, a.bay, dotted(a.by), estimate(a.cost, ", cost %s"))
	}
	p("  </actions>\n</inspection>")
	return b.String()
}

func photoTail(photos []int) string {
	if len(photos) == 0 {
		return ""
	}
	return ", " + photoWord(photos) + photoList(photos, " + ")
}

// note is what is scribbled on a card.
func note(v visit) string {
	parts := []string{fmt.Sprintf("report %s, bridge: %s", v.no, v.bridge), "visited: " + dotted(v.visited), "status: " + status(v)}
	for _, y := range v.bays {
		line := fmt.Sprintf("bay %d - %s m, %s", y.number, y.length, y.written)
		for _, d := range y.defects {
			line += fmt.Sprintf("\n  * %s, grade %d%s", d.words, d.grade, photoTail(d.photos))
		}
		parts = append(parts, line)
	}
	return strings.Join(append(parts, v.inspector+", lic. "+v.licence), "\n")
}

func fitNote(v visit) visit {
	v.river, v.weather, v.checker, v.next, v.actions = "", "", [2]string{}, time.Time{}, nil
	return v
}

func officeOf(v visit) string {
	if v.river == "Ossel" || v.river == "Lirr" {
		return "Quennaford"
	}
	return "Vanmouth"
}

func notesTable(all []visit) string {
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	rows := [][]string{{"ref", "month", "office", "note"}}
	for _, v := range all {
		rows = append(rows, []string{v.no, fmt.Sprint(int(v.visited.Month())), officeOf(v), note(v)})
	}
	if err := w.WriteAll(rows); err != nil {
		panic(err) // a buffer takes all
	}
	return b.String()
}

// typesetPDF is a page of the office's yearbook: two columns of running text.
func typesetPDF(v visit) []byte {
	p := fpdf.New("P", "mm", "A4", "")
	made := time.Date(2031, 11, 1, 9, 0, 0, 0, time.UTC)
	p.SetCreationDate(made)
	p.SetModificationDate(made)
	p.SetCatalogSort(true)
	p.SetCompression(false)
	p.AddPage()
	p.SetFont("Times", "I", 9)
	p.Text(20, 15, "Ossel Valley Paths Office")
	p.Text(165, 15, "Yearbook 2031")
	p.SetFont("Times", "B", 17)
	p.Text(20, 30, v.bridge+" over the "+v.river)
	p.SetFont("Times", "", 10.5)
	c := &columns{pdf: p, x: []float64{20, 109}, width: 81, top: 40, bottom: 150, y: 40}
	c.line("Report no.: " + v.no)
	c.line("Visited: " + spelled(v.visited))
	c.line("Weather: " + v.weatherWords)
	c.line("Inspector: " + v.inspector)
	c.line("Licence: " + v.licence)
	c.line("Closed to walkers: " + map[bool]string{true: "yes", false: "no"}[v.closed])
	c.line("Next visit: " + spelled(v.next))
	c.gap()
	c.text("The footbridge stands on the walkers' way down the valley and is looked at every year, after the high water has gone down. The inspector goes over it bay by bay, lifts what boards can be lifted, sounds the timber with a hammer and takes pictures of what has changed since the visit before.")
	for _, y := range v.bays {
		c.gap()
		c.line(fmt.Sprintf("Bay %d", y.number))
		c.line(fmt.Sprintf("Clear length: %s m", y.length))
		c.line("Deck: " + y.written)
		for _, d := range y.defects {
			c.line(fmt.Sprintf("- %s, grade %d%s", d.words, d.grade, photoTail(d.photos)))
		}
		if len(y.defects) == 0 {
			c.line("Defects: none")
		}
	}
	if len(v.actions) > 0 {
		c.gap()
		c.line("Actions")
		for i, a := range v.actions {
			c.text(fmt.Sprintf("%d. %s, bay %d, by %s%s", i+1, a.what, a.bay, dotted(a.by), estimate(a.cost, ", cost %s")))
		}
	}
	c.gap()
	c.text("Walkers are asked to keep to the middle of the deck in frost, to lead horses across one at a time, and to tell the office of any board that gives. The valley's bridges are kept by the parishes on either bank; the office lends tools, timber and a hand where a parish has too few of them.")
	var out bytes.Buffer
	if err := p.Output(&out); err != nil {
		panic(err) // the fonts are the format's own
	}
	return out.Bytes()
}

// columns sets text into columns of a page.
type columns struct {
	pdf         *fpdf.Fpdf
	x           []float64
	width       float64
	top, bottom float64
	y           float64
	n           int
}

const linePitch = 5.0

func (c *columns) put(s string, stretch float64) {
	if c.y > c.bottom && c.n+1 < len(c.x) {
		c.n, c.y = c.n+1, c.top
	}
	x := c.x[c.n]
	for i, w := range strings.Split(s, " ") {
		if i > 0 {
			x += c.pdf.GetStringWidth(" ") + stretch
		}
		c.pdf.Text(x, c.y, w)
		x += c.pdf.GetStringWidth(w)
	}
	c.y += linePitch
}

func (c *columns) line(s string) { c.put(s, 0) }
func (c *columns) gap()          { c.y += linePitch * 0.7 }

// text sets a paragraph, justified, with long words broken.
func (c *columns) text(s string) {
	words := strings.Fields(s)
	for len(words) > 0 {
		n := 1
		for n < len(words) && c.pdf.GetStringWidth(strings.Join(words[:n+1], " ")) <= c.width {
			n++
		}
		line := append([]string{}, words[:n]...)
		words = words[n:]
		if len(words) > 0 {
			if at := len(words[0]) / 2; at > 3 && strings.Trim(words[0], "abcdefghijklmnopqrstuvwxyz") == "" {
				if start := words[0][:at] + "-"; c.pdf.GetStringWidth(strings.Join(line, " ")+" "+start) <= c.width {
					line, words[0] = append(line, start), words[0][at:]
				}
			}
		}
		stretch := 0.0
		if len(words) > 0 && len(line) > 1 {
			stretch = (c.width - c.pdf.GetStringWidth(strings.Join(line, " "))) / float64(len(line)-1)
		}
		c.put(strings.Join(line, " "), stretch)
	}
}
