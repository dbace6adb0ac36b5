package cli

import (
	"fmt"
	"strings"
	"unicode/utf8"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/pair"
	"filler/internal/schema"
	"filler/internal/view/signs"
)

// printRecord prints a record as a tree. The letter before each value is the kind
// of its evidence.
func (a *app) printRecord(s *schema.Schema, l *record.Line) {
	a.printf("%s  %s\n", a.paint(bold, l.Document), a.paint(statusTone(l.Status), string(l.Status)))
	t := tree{a: a, line: l, schema: s, problems: map[value.Pointer]record.Problem{}}
	for _, p := range l.Problems {
		t.problems[p.Path] = p
	}
	if l.Status != record.Failed {
		t.field(s.Root, "", &l.Record, 0)
		t.print()
		loose := ""
		if t.near {
			loose += "   l lookalike"
		}
		if t.seen {
			loose += "   p pictured"
		}
		a.printf("%s\n", a.paint(faint, `evidence: q quoted   r restated`+loose+`   i inferred   ? none   ! problem   L4 line 4`))
	}
	for _, p := range l.Problems {
		a.printf("%s %s\n", a.paint(bad, "!"), p)
	}
}

func statusTone(s record.Status) tone {
	switch s {
	case record.Unflagged, record.Repaired:
		return good
	case record.Flagged:
		return soft
	}
	return bad
}

type treeRow struct {
	name, mark string
	tone       tone
	value      string
	line       string // of the source
}

type tree struct {
	a        *app
	schema   *schema.Schema
	line     *record.Line
	problems map[value.Pointer]record.Problem
	rows     []treeRow
	near     bool // some value has evidence lookalike
	seen     bool // some value has evidence pictured
}

func (t *tree) field(f *schema.Field, p value.Pointer, v *value.Value, level int) {
	pad := strings.Repeat("  ", level)
	switch {
	case f.Type == schema.Group && v.Kind == value.Object:
		for i := range v.Kids {
			kid := &v.Kids[i]
			at := p.Key(kid.Name)
			below := f.Child(kid.Name)
			if below == nil {
				t.rows = append(t.rows, treeRow{pad + kid.Name, "!", bad, kid.String(), ""})
				continue
			}
			if below.Type == schema.List && below.Item.IsLeaf() && kid.Kind == value.Array && t.inline(pad+kid.Name, at, kid) {
				continue
			}
			if pair.HasEntries(below, kid) {
				t.rows = append(t.rows, treeRow{name: pad + signs.Visible(kid.Name)})
				t.entries(below, at, kid, level+1)
				continue
			}
			if below.IsLeaf() || simple(kid) {
				t.leaf(pad+kid.Name, at, kid)
				continue
			}
			t.rows = append(t.rows, treeRow{name: pad + kid.Name})
			t.field(below, at, kid, level+1)
		}
	case f.Type == schema.List && v.Kind == value.Array:
		for i := range v.Kids {
			name := fmt.Sprintf("%s%d", pad, i+1)
			if f.Item.IsLeaf() {
				t.leaf(name, p.Index(i), &v.Kids[i])
				continue
			}
			t.rows = append(t.rows, treeRow{name: name})
			t.field(f.Item, p.Index(i), &v.Kids[i], level+1)
		}
	default:
		t.leaf(pad+"?", p, v)
	}
}

// entries shows a map name by name.
func (t *tree) entries(f *schema.Field, p value.Pointer, v *value.Value, level int) {
	pad := strings.Repeat("  ", level)
	pair.Entries(v, nil, func(name string, kid, _ *value.Value) {
		if shown := pad + signs.Visible(name); pair.HasEntries(f, kid) {
			t.rows = append(t.rows, treeRow{name: shown})
			t.entries(f, p.Key(name), kid, level+1)
		} else {
			t.leaf(shown, p.Key(name), kid)
		}
	})
}

// simple: nothing to unfold.
func simple(v *value.Value) bool {
	return len(v.Kids) == 0
}

// inline puts a list of plain items into one row, marked by its weakest item.
func (t *tree) inline(name string, p value.Pointer, v *value.Value) bool {
	row := treeRow{name: name, mark: " "}
	var texts []string
	for i := range v.Kids {
		mark, tn, line := t.mark(p.Index(i))
		if weaker(mark, row.mark) {
			row.mark, row.tone = mark, tn
		}
		if row.line == "" {
			row.line = line
		}
		texts = append(texts, v.Kids[i].Text)
	}
	if _, wrong := t.problems[p]; wrong {
		row.mark, row.tone = "!", bad
	}
	row.value = strings.Join(texts, ", ")
	if len(texts) == 0 {
		row.value = "–"
	}
	t.rows = append(t.rows, row)
	return true
}

func weaker(a, b string) bool {
	const order = " qrlpi?!"
	return strings.Index(order, a) > strings.Index(order, b)
}

// mark gives the letter of a place: the kind of its evidence, or ! for a problem;
// and the line of the source.
func (t *tree) mark(p value.Pointer) (mark string, tn tone, line string) {
	mark = " "
	if place := t.line.Evidence.Get(string(p)); place != nil {
		if at := place.Get("line"); at != nil {
			line = at.Text
		}
		if d := place.Get("document"); d != nil {
			line += " of " + d.Text
		}
		switch place.Get("kind").Text {
		case "quoted":
			mark = "q"
		case "restated":
			mark = "r"
		case "lookalike":
			mark, t.near = "l", true
		case "pictured":
			mark, t.seen = "p", true
		case "inferred":
			mark = "i"
		case "none":
			mark, tn = "?", soft
		}
	}
	if _, wrong := t.problems[p]; wrong {
		mark, tn = "!", bad
	}
	return mark, tn, line
}

func (t *tree) leaf(name string, p value.Pointer, v *value.Value) {
	mark, mt, line := t.mark(p)
	text := v.Text
	if amount := v.Get("amount"); amount != nil && len(v.Kids) == 2 {
		if text = amount.Text + " " + v.Kids[1].Text; amount.Text == record.Hidden {
			text = record.Hidden
		}
		t.rows = append(t.rows, treeRow{name, mark, mt, text, line})
		return
	}
	switch v.Kind {
	case value.Null:
		text = "–"
	case value.Array, value.Object:
		text = v.String()
		for at := range t.problems {
			if at.Within(p) {
				mark, mt = "!", bad
			}
		}
	}
	t.rows = append(t.rows, treeRow{name, mark, mt, text, line})
}

func (t *tree) print() {
	width := 0
	for _, r := range t.rows {
		width = max(width, utf8.RuneCountInString(r.name))
	}
	for _, r := range t.rows {
		if r.mark == "" {
			t.a.printf("%s\n", r.name)
			continue
		}
		text := r.value
		if t.a.term.out {
			text = clip(text, max(10, t.a.term.width-width-10))
		}
		line := fmt.Sprintf("%-*s  %s %s", width, r.name, t.a.paint(r.tone, r.mark), text)
		if r.line != "" {
			line += t.a.paint(faint, "  L"+r.line)
		}
		t.a.printf("%s\n", strings.TrimRight(line, " "))
	}
}
