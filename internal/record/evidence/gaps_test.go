package evidence

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// A column that a record leaves out as a whole is asked about cell by cell, with the row, wherever its
// head is called like the field; blank cells, and columns that have been read, never are.
func TestColumnsLeftOut(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(`schema: s
fields:
  market: Market.
  stalls:
    list: Each stall.
    key: holder
    fields:
      holder: Holder.
      pitch: Pitch.
      goods: Goods.
      fee: {money: Fee., currency: GBP}
      paid: {boolean: Paid.}
      since: {date: Since.}
      remarks: Remarks.
`))
	require.NoError(t, err)
	fields := []string{"holder", "pitch", "goods", "fee", "paid", "since", "remarks"}
	said := [][]string{
		{"Ada Quill", "A1", "cheese", "12.00", "yes", "3 May 2031", "by the pump"},
		{"Tom Reed", "A2", "bread", "9.50", "no", "4 May 2031", "-"},
		{"Una Marsh", "B1", "honey", "7.00", "yes", "9 May 2031", "late"},
		{"Ivo Garth", "B2", "eggs", "8.00", "no", "2 June 2031", ""},
	}
	read := [][]string{
		{`"Ada Quill"`, `"A1"`, `"cheese"`, `{"amount":12.00,"currency":"GBP"}`, "true", `"2031-05-03"`, `"by the pump"`},
		{`"Tom Reed"`, `"A2"`, `"bread"`, `{"amount":9.50,"currency":"GBP"}`, "false", `"2031-05-04"`, "null"},
		{`"Una Marsh"`, `"B1"`, `"honey"`, `{"amount":7.00,"currency":"GBP"}`, "true", `"2031-05-09"`, `"late"`},
		{`"Ivo Garth"`, `"B2"`, `"eggs"`, `{"amount":8.00,"currency":"GBP"}`, "false", `"2031-06-02"`, "null"},
	}
	r := rand.New(rand.NewPCG(4, 5))
	for _, form := range []string{"ruled", "bars", "tabs", "gaps"} {
		for rows := 1; rows <= len(said); rows++ {
			for out := range fields { // 0: nothing is left out
				order := append([]int{0}, r.Perm(len(fields)-1)...)
				for i := 1; i < len(order); i++ {
					order[i]++
				}
				text := "Market: Oldgate\n\n" + drawn(form, fields, said[:rows], order)
				var items, want []string
				for i := range rows {
					var kids []string
					for k, f := range fields {
						if out > 0 && k == out {
							if cell := said[i][k]; len(cell) > 1 {
								want = append(want, fmt.Sprintf("/stalls/%d/%s %s", i, f, cell))
							}
							continue
						}
						kids = append(kids, fmt.Sprintf("%q:%s", f, read[i][k]))
					}
					items = append(items, "{"+strings.Join(kids, ",")+"}")
				}
				rec, err := value.Parse(`{"market":"Oldgate","stalls":[` + strings.Join(items, ",") + `]}`)
				require.NoError(t, err)
				ix := NewIndex(text)
				var got []string
				for _, l := range Unread(s, &rec, ix, Of(s, &rec, ix)) {
					got = append(got, fmt.Sprintf("%s %s", l.At, l.Text))
					assert.Contains(t, l.Row, l.Text)
					assert.Contains(t, l.Row, said[l.Line-strings.Count(text[:strings.Index(text, "Ada Quill")], "\n")-1][0])
				}
				assert.ElementsMatch(t, want, got, "%s without %s\n%s", form, fields[out], text)
			}
		}
	}
}

// drawn writes a table, its columns in an order.
func drawn(form string, fields []string, rows [][]string, order []int) string {
	var b strings.Builder
	line := func(cells []string) {
		var own []string
		for _, k := range order {
			cell := cells[k]
			if form == "gaps" {
				if cell == "" {
					cell = "-"
				}
				cell = fmt.Sprintf("%-14s", cell)
			}
			own = append(own, cell)
		}
		switch form {
		case "ruled":
			b.WriteString("| " + strings.Join(own, " | ") + " |\n")
		case "bars":
			b.WriteString(strings.Join(own, " | ") + "\n")
		case "tabs":
			b.WriteString(strings.Join(own, "\t") + "\n")
		default:
			b.WriteString(strings.TrimRight(strings.Join(own, ""), " ") + "\n")
		}
	}
	var heads []string
	for _, f := range fields {
		heads = append(heads, schema.Spoken(strings.ToUpper(f[:1])+f[1:]))
	}
	line(heads)
	if form == "ruled" {
		b.WriteString("|" + strings.Repeat("---|", len(fields)) + "\n")
	}
	for _, r := range rows {
		line(r)
	}
	return b.String()
}

// Where one column that nothing was read from has the form of the one field that no item has, its first
// cells are asked about; where two have, or the form is another, nothing is.
func TestColumnsByTheirForm(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(`schema: s
fields:
  runners:
    list: Runners.
    fields:
      name: Name.
      club: Club.
      born: {integer: Year.}
      paid: {date: Day of payment.}
`))
	require.NoError(t, err)
	rows := func(cells ...string) string {
		text := "Läufer         Verein          Jg.    gezahlt\n"
		for i := range 5 {
			text += fmt.Sprintf("Ole Hinz %c      %s\n", 'A'+i, strings.ReplaceAll(strings.Join(cells, "   "), "#", fmt.Sprint(i+1)))
		}
		return text
	}
	runners := func(format string) string {
		var all []string
		for i := range 5 {
			all = append(all, fmt.Sprintf(`{"name":"Ole Hinz %c",`, 'A'+i)+strings.ReplaceAll(format, "#", fmt.Sprint(i+1))+"}")
		}
		return `{"runners":[` + strings.Join(all, ",") + `]}`
	}
	whole := rows("SV Deich #0", "198#", "0#.05.2031")
	for _, c := range []struct{ text, read, field string }{
		{whole, `"club":"SV Deich #0","born":198#,"paid":"2031-05-0#"`, ""},
		{whole, `"club":null,"born":198#,"paid":"2031-05-0#"`, "runners[].club"},
		{whole, `"club":"SV Deich #0","born":null,"paid":"2031-05-0#"`, "runners[].born"},
		{whole, `"club":"SV Deich #0","born":198#,"paid":null`, "runners[].paid"},
		{rows("SV Deich #0", "LG Watt #0", "198#", "0#.05.2031"), `"club":null,"born":198#,"paid":"2031-05-0#"`, ""},
		{rows("198#", "1:0#:44 h"), `"club":"Deich","born":198#,"paid":null`, ""},
	} {
		rec, err := value.Parse(runners(c.read))
		require.NoError(t, err)
		ix := NewIndex(c.text)
		_, left := Look(s, &rec, ix, Of(s, &rec, ix))
		if c.field == "" {
			assert.Empty(t, left, c.text)
			continue
		}
		require.Len(t, left, mostLeft, "%s without %s", c.text, c.field)
		for i, l := range left {
			assert.Equal(t, c.field, l.Field)
			assert.Equal(t, i+2, l.Line)
		}
	}
}
