package invent

import (
	"time"

	"github.com/shopspring/decimal"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// number draws a figure between the bounds: of the schema, else of those that exist; a
// corner often draws the bounds themselves.
func (d *drawing) number(f *schema.Field, whole bool) string {
	low, high, places := decimal.Zero, decimal.NewFromInt(100), int32(1)
	if f.Type == schema.Money {
		high, places = decimal.NewFromInt(2000), 2
	}
	if d.pool != nil && !d.Schema.IsSensitive(f.Path) {
		first := true
		for _, v := range d.pool.leaves[f.Path] {
			if v.Kind == value.Object {
				v = v.Get("amount")
			}
			if v.Empty() {
				continue
			}
			n, err := decimal.NewFromString(v.Text)
			if err != nil {
				continue
			}
			if first {
				low, high, places, first = n, n, 0, false
			}
			low, high, places = decimal.Min(low, n), decimal.Max(high, n), max(places, min(-n.Exponent(), 6))
		}
	}
	if n, err := decimal.NewFromString(f.Min); err == nil {
		if low = decimal.Max(low, n); high.LessThan(low) {
			high = low.Add(decimal.NewFromInt(50))
		}
	}
	if n, err := decimal.NewFromString(f.Max); err == nil {
		if high = decimal.Min(high, n); low.GreaterThan(high) {
			low = high.Sub(decimal.NewFromInt(50))
		}
	}
	if d.Rare && d.r.IntN(2) == 0 {
		return pick(d.r, []decimal.Decimal{low, high}).String()
	}
	if whole {
		places = 0
	}
	n := low.Add(high.Sub(low).Mul(decimal.NewFromFloat(d.r.Float64())))
	if n = n.Round(places); n.GreaterThan(high) {
		n = high
	}
	if n.LessThan(low) {
		n = low
	}
	if whole {
		return n.Round(0).String()
	}
	return n.StringFixed(max(places, -n.Exponent()))
}

// day draws a day: mostly some time after the one before, so that what comes later in a
// record is later.
func (d *drawing) day() time.Time {
	if d.last.IsZero() || d.r.IntN(6) == 0 {
		d.last = time.Date(2031, 1, 1, 0, 0, 0, 0, time.UTC).AddDate(0, 0, d.r.IntN(900))
		return d.last
	}
	d.last = d.last.AddDate(0, 0, 1+d.r.IntN(120))
	return d.last
}

func (d *drawing) date(f *schema.Field) string {
	day := d.day()
	switch {
	case f.Precision == "year" && d.r.IntN(3) > 0:
		return day.Format("2006")
	case (f.Precision == "month" || f.Precision == "year") && d.r.IntN(2) == 0:
		return day.Format("2006-01")
	}
	return day.Format(time.DateOnly)
}

// links sets what links point to: items that are there.
func (d *drawing) links(v *value.Value) {
	root, targets := d.Schema.Record(), map[string][]*value.Value{}
	eachLeaf(root, v, "", func(f *schema.Field, own *value.Value, _ value.Pointer) {
		if f.Type != schema.Link && !own.Empty() {
			targets[f.Path] = append(targets[f.Path], own)
		}
	})
	eachLeaf(root, v, "", func(f *schema.Field, own *value.Value, _ value.Pointer) {
		if f.Type != schema.Link || own == nil || own.Text != unset {
			return
		}
		var all []*value.Value
		for _, to := range f.To {
			all = append(all, targets[to]...)
		}
		name := own.Name
		*own = value.Value{Name: name}
		if len(all) > 0 {
			*own = pick(d.r, all).Clone().Named(name)
		}
	})
}
