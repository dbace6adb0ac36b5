package plot

import (
	"fmt"

	"github.com/shopspring/decimal"

	"filler/internal/measure/values"
	"filler/internal/view/figures"
)

// Values draws what the values of records come to. bands draws a table as bands.
func Values(r *values.Result, name string, bands bool) *Picture {
	p := &Picture{Along: r.Along, Apart: r.Apart, Scale: r.Measure}
	switch r.Kind {
	case values.Counts:
		p.Kind, p.Title, p.Scale = Bars, r.Field+", how often", "values"
		if r.Measure != "" {
			p.Along += " in " + r.Measure
		}
	case values.Shares:
		p.Kind, p.Title, p.Scale, p.High = Dots, "share of "+r.Field, "share", 1
		if r.Apart != r.Field {
			p.Title += " that is true"
		}
	case values.Sums:
		p.Kind, p.Title = Bars, "sum of "+r.Field
	case values.Spreads:
		p.Kind, p.Title = Boxes, r.Field
	case values.Table:
		p.Kind, p.Title = Shades, r.Along+" and "+r.Apart
		if bands {
			p.Kind = Bands
		}
		p.Columns, p.Cells = r.Columns, r.Cells
	}
	for _, row := range r.Rows {
		if r.Kind == values.Table {
			p.Rows = append(p.Rows, row.Label)
			continue
		}
		p.Marks = append(p.Marks, mark(r.Kind, row))
	}
	if r.InTime && len(p.labels()) > 2 && (r.Kind == values.Shares || r.Kind == values.Sums) {
		p.Kind = Lines
	}
	if r.Along != "" && r.Kind != values.Counts && r.Kind != values.Table {
		p.Title += ", by " + r.Along
		if r.Apart != "" && r.Apart != r.Field {
			p.Title += " and " + r.Apart
		}
	}
	p.Title += " · " + name
	p.Foot = append([]string{fmt.Sprintf("%s known, %s unknown, in %s", figures.Plural(r.Values, "value"), figures.Thousands(r.Unknown), figures.Plural(r.Documents, "document"))}, r.Notes...)
	switch r.Kind {
	case values.Shares:
		p.Foot = append(p.Foot, "bars: 95 % intervals of the share among the known; values of one document go together")
	case values.Spreads:
		p.Foot = append(p.Foot, "boxes: the middle half, with the median; lines: from the least to the most")
	}
	return p
}

// mostPlaces is how many decimals of a sum are drawn; --csv has them all.
const mostPlaces = 4

func cutDecimals(exact string) string {
	d, err := decimal.NewFromString(exact)
	if err != nil || -d.Exponent() <= mostPlaces {
		return exact
	}
	return d.Round(mostPlaces).String()
}

func mark(kind values.Kind, row values.Row) Mark {
	m := Mark{Series: row.Series, Label: row.Label, At: row.Value, Has: row.Has, Low: row.Low, High: row.High, Bounded: row.Bounded, Spread: row.Spread, N: row.N, Unknown: row.Unknown}
	switch {
	case !row.Has:
		m.Text = "–"
	case kind == values.Shares:
		m.Text = fmt.Sprintf("%.0f %%", 100*row.Value)
	case kind == values.Sums:
		m.Text = figures.Decimal(cutDecimals(row.Exact))
	case kind == values.Spreads:
		m.Text = figures.Short(row.Value)
	default:
		m.Text = figures.Thousands(row.N)
	}
	return m
}
