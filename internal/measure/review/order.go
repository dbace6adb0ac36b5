package review

import (
	"math/rand/v2"
	"slices"
	"sort"
)

// Order says in which order decisions are asked for, and which.
type Order struct {
	ByRisk bool   // the riskiest first, over all documents
	Field  string // of one field, over all documents
	Values int    // so many values at random; 0: all
	Seed   int64
	Show   string // one of Shows; "" shows all
	Signed bool   // documents that are signed are looked at again
}

// Shows are what can be asked for alone: values and items of which something is said,
// lines that no value comes from, values that are another than the model's.
var Shows = []string{"problems", "uncovered", "changed"}

// stop is a decision in an order over all documents.
type stop struct {
	document string
	point    Point
	part     int // of a sample
}

// arrange lists the decisions of an order over all documents.
func (d *Desk) arrange() error {
	type weighed struct {
		stop
		risk float64
	}
	var all []weighed
	for _, id := range d.ids {
		k, err := d.keeper.Open(id)
		if err != nil {
			return err
		}
		if k.Signed {
			continue
		}
		sh := NewSheet(d.Schema, d.check, k, nil)
		for _, p := range sh.points {
			if f := d.Schema.At(p.Path); d.Order.Field != "" && (p.Kind != OfValue || f.Path != d.Order.Field) || d.Order.Values > 0 && p.Kind != OfValue {
				continue
			}
			all = append(all, weighed{stop: stop{document: id, point: p}, risk: sh.doubt(p)})
		}
	}
	if d.Order.ByRisk || d.Order.Values > 0 {
		sort.SliceStable(all, func(i, j int) bool { return all[i].risk > all[j].risk })
	}
	if d.Order.Values > 0 {
		d.Sample = newSample(len(all), d.Order.Values)
		picked := d.Sample.pick(rand.New(rand.NewPCG(uint64(d.Order.Seed), 1)))
		for _, i := range picked {
			all[i].part = d.Sample.partOf(i)
			d.stops = append(d.stops, all[i].stop)
		}
		return nil
	}
	for _, w := range all {
		d.stops = append(d.stops, w.stop)
	}
	if d.stops == nil {
		d.stops = []stop{}
	}
	return nil
}

// unknownRisk is what a value without a known risk is taken for.
const unknownRisk = 0.5

// Stops gives how far an order over all documents has come; 0 of 0 in any other.
func (d *Desk) Stops() (n, all int) { return min(d.at+1, len(d.stops)), len(d.stops) }

// along goes through an order over all documents.
func (d *Desk) along(by int, open bool) error {
	for at := d.at + by; at >= 0 && at < len(d.stops); at += by {
		sh, err := d.open(d.stops[at].document)
		if err != nil {
			return err
		}
		i := slices.Index(sh.points, d.stops[at].point)
		if i < 0 || !d.wanted(sh, sh.points[i]) || open && !sh.Waits(sh.points[i]) {
			continue
		}
		d.at, d.sheet, d.point = at, sh, i
		return nil
	}
	if by > 0 && open {
		d.sheet, d.at = nil, len(d.stops)
	}
	return nil
}

// follow gives the decisions of an order over all documents after items of the document
// at hand have moved: each goes with its item; those of an item that is gone go.
func (d *Desk) follow(s step) (stops []stop) {
	for i, st := range d.stops {
		if now, below := moved(s.list, st.point.Path, s.to); below && st.document == d.sheet.Document {
			if now == "" {
				if i <= d.at {
					d.at--
				}
				continue
			}
			st.point.Path = now
		}
		stops = append(stops, st)
	}
	return stops
}
