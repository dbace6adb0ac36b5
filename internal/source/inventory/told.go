package inventory

import (
	"encoding/csv"
	"io"
	"maps"
	"slices"
	"strconv"
	"time"

	"filler/internal/base/project"
	"filler/internal/base/value"
)

// Price gives what a model takes for reading all documents once, without what a schema adds to
// each request and without replies: a lower bound. Pages without words are priced as pictures, where
// the model says what one costs or how many tokens it is taken for; told tells whether it does.
func (v *Inventory) Price(m *project.Model) (cost float64, told bool) {
	all := v.All()
	blank := 0
	for i := range v.Rows {
		blank += v.Rows[i].Blank
	}
	cost = float64(all.Tokens) * m.PriceIn / 1e6
	switch {
	case blank == 0:
		return cost, true
	case m.PricePicture > 0:
		return cost + float64(blank)*m.PricePicture, true
	case m.PictureTokens > 0:
		return cost + float64(blank*m.PictureTokens)*m.PriceIn/1e6, true
	}
	return cost, false
}

// JSON gives the inventory as data. The models are those whose prices are known.
func (v *Inventory) JSON(models []*project.Model) value.Value {
	n := func(name string, n int64) value.Value { return value.Num(strconv.FormatInt(n, 10)).Named(name) }
	groups := func(list []Group, name string) value.Value {
		out := value.List()
		for _, g := range list {
			o := value.Obj(value.Str(g.Name).Named(name))
			if name == "language" {
				o.Set("language", value.Value{})
				if g.Code != "" {
					o.Set("language", value.Str(g.Code))
				}
			}
			o.Kids = append(o.Kids, n("documents", int64(g.Documents)), n("pages", int64(g.Pages)), n("bytes", g.Bytes), n("tokens", int64(g.Tokens)), n("scanned", int64(g.Scanned)), n("not_read", int64(g.Unusable)))
			out.Kids = append(out.Kids, o)
		}
		return out
	}
	all := v.All()
	out := value.Obj(n("documents", int64(all.Documents)), n("pages", int64(all.Pages)), n("bytes", all.Bytes), n("tokens", int64(all.Tokens)), value.Boolean(true).Named("tokens_estimated"),
		groups(v.Kinds(), "kind").Named("kinds"), groups(v.Languages(), "language").Named("languages"))
	least, middle, most90, most := v.Sizes()
	out.Set("tokens_a_document", value.Obj(n("least", int64(least)), n("middle", int64(middle)), n("nine_in_ten", int64(most90)), n("most", int64(most))))
	prices := value.List()
	for _, m := range models {
		cost, told := v.Price(m)
		p := value.Obj(value.Str(m.Entry).Named("model"), value.Num(strconv.FormatFloat(cost, 'f', 6, 64)).Named("at_least"), value.Boolean(told).Named("pictures_priced"))
		if m.Currency != "" {
			p.Set("currency", value.Str(m.Currency))
		}
		if m.Context > 0 {
			p.Kids = append(p.Kids, n("context", int64(m.Context)), n("longer_than_context", int64(v.Over(m.Context))))
		}
		prices.Kids = append(prices.Kids, p)
	}
	out.Set("prices", prices)
	copies := func(near bool) value.Value {
		list := value.List()
		for _, g := range v.Copies(near) {
			one := value.List()
			for _, id := range g {
				one.Kids = append(one.Kids, value.Str(id))
			}
			list.Kids = append(list.Kids, one)
		}
		return list
	}
	out.Set("same", copies(false))
	out.Set("nearly_same", copies(true))
	for _, s := range []State{Scanned, Encrypted, Unreadable} {
		list := value.List()
		for _, r := range v.In(s) {
			o := value.Obj(value.Str(r.ID).Named("document"))
			if r.Why != "" {
				o.Set("why", value.Str(r.Why))
			}
			list.Kids = append(list.Kids, o)
		}
		out.Set(string(s), list)
	}
	over := value.Obj()
	for _, ext := range slices.Sorted(maps.Keys(v.PassedOver)) {
		over.Kids = append(over.Kids, n(ext, int64(v.PassedOver[ext])))
	}
	out.Set("passed_over", over)
	oldest, newest := v.Ages()
	if oldest != nil {
		age := func(r *Row) value.Value {
			return value.Obj(value.Str(r.ID).Named("document"), value.Str(stamp(r.Modified)).Named("changed"))
		}
		out.Set("oldest", age(oldest))
		out.Set("newest", age(newest))
	}
	return out
}

func stamp(t time.Time) string { return t.UTC().Format(time.RFC3339) }

// Columns are those of WriteCSV.
var Columns = []string{"document", "kind", "state", "why", "pages", "pages_without_words", "bytes", "tokens", "language", "changed", "same_as", "nearly_same_as"}

// WriteCSV writes a row for each document. What a spreadsheet would take for a formula gets an
// apostrophe before it.
func (v *Inventory) WriteCSV(w io.Writer) error {
	out := csv.NewWriter(w)
	if err := out.Write(Columns); err != nil {
		return err
	}
	for i := range v.Rows {
		r := &v.Rows[i]
		changed, tokens := "", strconv.Itoa(r.Tokens)
		if !r.Modified.IsZero() {
			changed = stamp(r.Modified)
		}
		if r.State != Fine {
			tokens = ""
		}
		row := []string{r.ID, string(r.Kind), string(r.State), r.Why, strconv.Itoa(r.Pages), strconv.Itoa(r.Blank), strconv.FormatInt(r.Bytes, 10), tokens, r.Language.Code, changed, r.SameAs, r.NearTo}
		for j := range row {
			row[j] = value.Defused(row[j])
		}
		if err := out.Write(row); err != nil {
			return err
		}
	}
	out.Flush()
	return out.Error()
}
