package export

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"filler/internal/schema"
)

// Describe tells a model what the tables hold: a line for each column, with what the
// schema says of it. evidence columns are left out.
func (p *Plan) Describe() string {
	var b strings.Builder
	for _, t := range p.Tables {
		if t.gone {
			continue
		}
		fmt.Fprintf(&b, "table %s: ", inStatement(t.Name))
		switch {
		case t.List == nil && p.each:
			b.WriteString("one row for each record\n")
		case t.List == nil:
			b.WriteString("one row for each document\n")
		default:
			of := "item"
			if t.List.Type != schema.List {
				of = "entry"
			}
			fmt.Fprintf(&b, "one row for each %s of %s", of, t.List.Path)
			if t.Parent != nil {
				own, theirs := columnNames(t.Columns[:t.Parent.Keys]), t.Parent.keyNames()
				is := "are"
				if len(own) == 1 {
					is = "is"
				}
				fmt.Fprintf(&b, "; its %s %s %s of a row of %s", strings.Join(own, ", "), is, strings.Join(theirs, ", "), t.Parent.Name)
			}
			b.WriteByte('\n')
		}
		for i := range t.Columns {
			c := &t.Columns[i]
			if c.Part == "evidence" || c.Part == "place" || c.Part == "risk" {
				continue
			}
			fmt.Fprintf(&b, "  %s: %s", inStatement(c.Name), kindWords[c.Kind])
			if f := c.Field; f != nil && c.Part == "" && len(f.Kin().Of) > 0 && f.Kin().List == nil {
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

// reserved are words of SQLite that name no table or column but in quotes.
var reserved = func() map[string]bool {
	all := map[string]bool{}
	for _, w := range strings.Fields(`add all alter and as autoincrement between case cast check collate commit constraint create
		current_date current_time current_timestamp default deferrable delete distinct drop else escape except exists foreign from
		group having in index insert intersect into is isnull join limit not nothing notnull null on or order primary raise
		references returning select set table then to transaction union unique update using values when where true false`) {
		all[w] = true
	}
	return all
}()

// inStatement gives a name as it stands in a statement.
func inStatement(name string) string {
	if reserved[strings.ToLower(name)] {
		return quoted(name, '"')
	}
	return name
}

// kindWords say what a column of SQLite holds.
var kindWords = map[Kind]string{Text: "text", Integer: "integer", Number: "number", Boolean: "0 or 1", Date: "text YYYY-MM-DD", Time: "text HH:MM", Moment: "text, RFC 3339", Local: "text YYYY-MM-DDTHH:MM:SS", JSON: "text that holds JSON"}

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

// Has tells whether a column is called so.
func (a *Answer) Has(column string) bool { return slices.Contains(a.Columns, column) }

// Cut leaves the first rows.
func (a *Answer) Cut(most int) {
	if len(a.Rows) > most {
		a.Rows, a.Nulls, a.More = a.Rows[:most], a.Nulls[:most], true
	}
}

// Mixed says which amounts a statement adds up, compares or averages although they are in
// several units or currencies, and it does not look at these.
func (p *Plan) Mixed(ctx context.Context, file, statement string) (all []string, err error) {
	words, _ := wordsOf(statement)
	if !slices.ContainsFunc(words, func(w string) bool { return slices.Contains([]string{"sum", "avg", "total", "max", "min", "order"}, w) }) {
		return nil, nil
	}
	for _, t := range p.Tables {
		for i := range t.Columns {
			amount := &t.Columns[i]
			if amount.Part != "amount" || !slices.Contains(words, strings.ToLower(amount.Name)) || !slices.Contains(words, strings.ToLower(t.Name)) {
				continue
			}
			at := slices.IndexFunc(t.Columns, func(c Column) bool { return c.Field == amount.Field && (c.Part == "currency" || c.Part == "unit") })
			if at < 0 || slices.Contains(words, strings.ToLower(t.Columns[at].Name)) {
				continue
			}
			measure := quoted(t.Columns[at].Name, '"')
			found, err := Query(ctx, file, fmt.Sprintf("SELECT DISTINCT %s FROM %s WHERE %s IS NOT NULL AND %s IS NOT NULL ORDER BY 1", measure, quoted(t.Name, '"'), quoted(amount.Name, '"'), measure))
			if err != nil {
				return nil, err
			}
			if len(found.Rows) < 2 {
				continue
			}
			var of []string
			for _, row := range found.Rows[:min(len(found.Rows), 5)] {
				of = append(of, row[0])
			}
			all = append(all, fmt.Sprintf("%s.%s is in several: %s; the statement does not tell them apart by %s", t.Name, amount.Name, strings.Join(of, ", "), t.Columns[at].Name))
		}
	}
	return all, nil
}
