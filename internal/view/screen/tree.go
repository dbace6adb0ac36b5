package screen

import (
	"fmt"
	"strings"

	"github.com/charmbracelet/x/ansi"

	"filler/internal/base/value"
	"filler/internal/measure/review"
	"filler/internal/schema"
)

// row is one line of the record's tree.
type row struct {
	depth int
	label string
	point review.Point
	has   bool // it is a decision
	count int  // of a list: its items; -1 of all else
	extra bool // the schema has no such field
}

// tree lists the rows of the record at hand. They are listed again where the record has
// changed.
func (m *Model) tree() []row {
	sh := m.Desk.Sheet()
	m.rows = m.rows[:0]
	points := map[review.Point]bool{}
	for _, p := range sh.Points() {
		points[p] = true
	}
	m.field(sh.Schema.Root, "", &sh.Record, -1, "", points)
	for _, p := range sh.Points() {
		if p.Kind == review.OfItem && sh.Schema.At(p.Path) == nil {
			m.rows = append(m.rows, row{label: p.Path.Words(), point: p, has: true, count: -1, extra: true})
		}
	}
	if whole := (review.Point{Kind: review.OfItem}); points[whole] {
		m.rows = append(m.rows, row{label: "the record", point: whole, has: true, count: -1})
	}
	for _, p := range sh.Points() {
		if p.Kind == review.OfLine {
			m.rows = append(m.rows, row{label: fmt.Sprintf("line %d", p.Line), point: p, has: true, count: -1})
		}
	}
	return m.rows
}

func (m *Model) field(f *schema.Field, p value.Pointer, v *value.Value, depth int, label string, points map[review.Point]bool) {
	if f.IsLeaf() || f.Type == schema.List && f.Item.IsLeaf() {
		own := review.Point{Kind: review.OfValue, Path: p}
		m.rows = append(m.rows, row{depth: depth, label: label, point: own, has: points[own], count: -1})
		if v != nil && v.Kind == value.Array && !points[own] { // items of a list that are decided one by one
			for i := range v.Kids {
				if item := (review.Point{Kind: review.OfValue, Path: p.Index(i)}); points[item] {
					m.rows = append(m.rows, row{depth: depth + 1, label: fmt.Sprintf("%s %d", label, i+1), point: item, has: true, count: -1})
				}
			}
		}
		return
	}
	item := review.Point{Kind: review.OfItem, Path: p}
	if label != "" {
		r := row{depth: depth, label: label, point: item, has: points[item], count: -1}
		if f.Type == schema.List {
			r.count = 0
			if v != nil {
				r.count = len(v.Kids)
			}
		}
		m.rows = append(m.rows, r)
	}
	if v == nil {
		v = &value.Value{}
	}
	if f.Type == schema.Group {
		for _, kid := range f.Fields {
			m.field(kid, p.Key(kid.Name), v.Get(kid.Name), depth+1, kid.Name, points)
		}
		return
	}
	name := f.Name
	if name == "" {
		name = "entry"
	}
	for i := range v.Kids {
		m.field(f.Item, p.Index(i), &v.Kids[i], depth+1, fmt.Sprintf("%s %d", name, i+1), points)
	}
}

// signs of what was made of a value.
var verdictSigns = map[review.Verdict]string{review.Right: "✓", review.Changed: "≠", review.Taken: "≠", review.Unseen: "~", review.Unsure: "?", "": "·"}

// treeLines draws the rows that fit, the one at hand among them.
func (m *Model) treeLines(width, height int) []string {
	sh := m.Desk.Sheet()
	rows := m.tree()
	now, _ := m.Desk.Point()
	at := 0
	for i, r := range rows {
		if r.has && r.point == now {
			at = i
		}
	}
	if at < m.treeTop+2 || at >= m.treeTop+height-2 {
		m.treeTop = at - height/2
	}
	m.treeTop = max(0, min(m.treeTop, len(rows)-height))
	var lines []string
	seen := rows[m.treeTop:min(len(rows), m.treeTop+height)]
	labels := 8
	for _, r := range seen {
		labels = max(labels, ansi.StringWidth(r.indented())+1)
	}
	labels = min(labels, width*3/5)
	for i, r := range seen {
		lines = append(lines, m.treeLine(sh, r, m.treeTop+i == at, labels, width))
	}
	return lines
}

// indented gives the name of a row below what it lies in.
func (r row) indented() string { return strings.Repeat(" ", max(0, r.depth)) + r.label }

// treeLine draws one row: the sign of its verdict, its name, its value.
func (m *Model) treeLine(sh *review.Sheet, r row, atHand bool, labels, width int) string {
	lead := " "
	if atHand {
		lead = "▸"
	}
	mark, tone := " ", plain
	if r.has {
		verdict := sh.Verdict(r.point)
		mark = verdictSigns[verdict]
		switch {
		case verdict == "" && len(sh.Said(r.point)) > 0:
			mark, tone = "!", bad
		case verdict == review.Unsure:
			tone = soft
		case verdict == "":
		default:
			tone = good
		}
	}
	label := r.indented()
	if sh.Notes[r.point.Key()] != "" {
		label += "*"
	}
	shown := ""
	switch {
	case r.count >= 0:
		shown = fmt.Sprint(r.count)
	case r.point.Kind == review.OfValue:
		shown = m.shown(sh, r.point.Path)
		if other, ok := sh.Rivals[r.point.Path]; ok {
			shown += " | " + strings.Join(strings.Fields(shownOrNothing(&other)), " ")
		}
	case r.extra:
		shown = strings.Join(strings.Fields(review.Shown(sh.Record.At(r.point.Path))), " ")
	case r.point.Kind == review.OfLine:
		l, _ := sh.LineAt(r.point.Line)
		shown = l.Text
	}
	text := lead + m.paint(tone, mark) + " " + cell(label, labels) + " "
	value := clip(shown, width-labels-4)
	switch {
	case atHand:
		value = m.paint(bold, value)
	case r.point.Kind == review.OfValue && shown == "–":
		value = m.paint(faint, value)
	}
	return text + value
}

// shown writes a value for the tree; a dash for none.
func (m *Model) shown(sh *review.Sheet, p value.Pointer) string {
	if text := review.Shown(sh.Record.At(p)); text != "" {
		return strings.Join(strings.Fields(text), " ")
	}
	return "–"
}
