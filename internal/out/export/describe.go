package export

import (
	"fmt"
	"regexp"
	"strings"

	"github.com/shopspring/decimal"
)

// Describe tells a model what the tables hold: a line for each column, with what the
// schema says of it. evidence columns are left out.
func (p *Plan) Describe() string {
	var b strings.Builder
	for _, t := range p.Tables {
		if t.gone {
			continue
		}
		fmt.Fprintf(&b, "table %s: ", t.Name)
		switch {
		case t.List == nil && p.each:
			b.WriteString("one row for each record\n")
		case t.List == nil:
			b.WriteString("one row for each document\n")
		default:
			fmt.Fprintf(&b, "one row for each item of %s", t.List.Path)
			if t.Parent != nil {
				own, theirs := columnNames(t.Columns[:t.Parent.Keys]), t.Parent.keyNames()
				fmt.Fprintf(&b, "; its %s are %s of a row of %s", strings.Join(own, ", "), strings.Join(theirs, ", "), t.Parent.Name)
			}
			b.WriteByte('\n')
		}
		for i := range t.Columns {
			c := &t.Columns[i]
			if c.Part == "evidence" || c.Part == "place" || c.Part == "risk" {
				continue
			}
			fmt.Fprintf(&b, "  %s: %s", c.Name, kindWords[c.Kind])
			if f := c.Field; f != nil && c.Part == "" && len(f.Kin().Of) > 0 {
				var of []string
				for _, o := range f.Kin().Of {
					of = append(of, o.Value)
				}
				fmt.Fprintf(&b, ", one of %s", strings.Join(of, ", "))
			}
			if about := c.About(); about != "" {
				fmt.Fprintf(&b, "; %s", about)
			}
			b.WriteByte('\n')
		}
	}
	return b.String()
}

func columnNames(columns []Column) (all []string) {
	for i := range columns {
		all = append(all, columns[i].Name)
	}
	return all
}

// kindWords say what a column of SQLite holds.
var kindWords = map[Kind]string{Text: "text", Integer: "integer", Number: "number", Boolean: "0 or 1", Date: "text YYYY-MM-DD", Time: "text HH:MM", Moment: "text, RFC 3339"}

// Text writes rows as text, a line each.
func (a *Answer) Text() string {
	var b strings.Builder
	b.WriteString(strings.Join(a.Columns, " | "))
	b.WriteByte('\n')
	for i, row := range a.Rows {
		for j, cell := range row {
			if j > 0 {
				b.WriteString(" | ")
			}
			if a.Nulls[i][j] {
				cell = "unknown"
			}
			b.WriteString(strings.Join(strings.Fields(cell), " "))
		}
		b.WriteByte('\n')
	}
	fmt.Fprintf(&b, "rows: %d\n", len(a.Rows))
	return b.String()
}

var figureInWords = regexp.MustCompile(`\d+(?:[.,]\d+)*`)

// Unfounded gives the figures of a sentence that stand in no row, and are not how many
// rows there are.
func (a *Answer) Unfounded(sentence string) (figures []string) {
	known := map[string]bool{fmt.Sprint(len(a.Rows)): true}
	for _, f := range figureInWords.FindAllString(a.Text(), -1) {
		known[plainFigure(f)] = true
	}
	for _, f := range figureInWords.FindAllString(sentence, -1) {
		if !known[plainFigure(f)] {
			figures = append(figures, f)
		}
	}
	return figures
}

// plainFigure writes a figure without signs between thousands and without noughts that say
// nothing.
func plainFigure(f string) string {
	d, err := decimal.NewFromString(strings.ReplaceAll(f, ",", ""))
	if err != nil {
		return f
	}
	return d.String()
}
