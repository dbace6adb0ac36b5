package values

import (
	"fmt"
	"strings"
	"time"

	"github.com/shopspring/decimal"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

// seen is one observation: an item with its value.
type seen struct {
	word    string          // of a value that is no figure; Unknown where there is none
	figure  decimal.Decimal // of one that is
	known   bool
	measure string // its unit or currency
	when    string // the step of time
	slice   string
	with    string
	doc     int
}

// Tally gathers the values of records.
type Tally struct {
	*plan
	schema    *schema.Schema
	seen      []seen
	Documents int
	Failed    int // documents without a record
	Vague     int // dates that say less than the step of time
	Misfits   int // values that are not what their field holds
	metadata  func(document string) map[string]string
	measures  []string // of the figures, where there are several
}

// NewTally makes a tally. metadata gives what is known of a document; it may be nil.
func NewTally(s *schema.Schema, a Ask, metadata func(document string) map[string]string) (*Tally, error) {
	p, err := settle(s, a)
	if err != nil {
		return nil, err
	}
	return &Tally{plan: p, schema: s, metadata: metadata}, nil
}

// Add adds the values of a document's record.
func (t *Tally) Add(l *record.Line) {
	if l.Status == record.Failed {
		t.Failed++
		return
	}
	t.Documents++
	slice := ""
	if t.ask.Metadata != "" {
		slice = Unknown
		if t.metadata != nil {
			if v := t.metadata(l.Document)[t.ask.Metadata]; v != "" {
				slice = v
			}
		}
	}
	if !t.schema.EachEntry() {
		t.within(&l.Record, nil, slice)
		return
	}
	for i := range l.Record.Kids {
		t.within(&l.Record.Kids[i], nil, slice)
	}
}

// level is an item, or the record, with the lists that it stands in.
type level struct {
	lists int
	at    *value.Value
}

// within observes the items of the deepest list below a record.
func (t *Tally) within(rec *value.Value, levels []level, slice string) {
	levels = append(levels, level{len(levels), rec})
	depth := len(levels) - 1
	if depth == len(t.deepest) {
		t.observe(levels, slice)
		return
	}
	before := ""
	if depth > 0 {
		before = t.deepest[depth-1] + "."
	}
	list := at(rec, strings.TrimSuffix(strings.TrimPrefix(t.deepest[depth], before), "[]"))
	if list.Empty() || list.Kind != value.Array {
		if depth >= len(t.value.lists) { // the value is there, and nothing to count beside it
			t.observe(levels, slice)
		}
		return
	}
	for i := range list.Kids {
		t.within(&list.Kids[i], levels, slice)
	}
}

// at gives what stands at some names below a value; nil for nothing.
func at(v *value.Value, path string) *value.Value {
	if path == "" {
		return v
	}
	for name := range strings.SplitSeq(path, ".") {
		if v == nil {
			return nil
		}
		v = v.Get(name)
	}
	return v
}

// of gives the value of a field at the item that it belongs to.
func (f *field) of(levels []level) *value.Value {
	item := levels[len(f.lists)].at
	rest := f.path
	if n := len(f.lists); n > 0 {
		rest = strings.TrimPrefix(strings.TrimPrefix(f.path, f.lists[n-1]), ".")
	}
	return at(item, rest)
}

func (t *Tally) observe(levels []level, slice string) {
	v := t.value.of(levels)
	byName := t.entries && t.ask.Slice+t.ask.Metadata == ""
	if !t.entries || v.Empty() || v.Kind != value.Object {
		if byName {
			slice = Unknown
		}
		t.one(levels, v, slice)
		return
	}
	for i := range v.Kids {
		if byName {
			slice = strings.Clone(v.Kids[i].Name)
		}
		t.one(levels, &v.Kids[i], slice)
	}
}

// one observes a value.
func (t *Tally) one(levels []level, v *value.Value, slice string) {
	s := seen{doc: t.Documents, slice: slice, word: Unknown}
	if numeric(t.value.Field) {
		s.figure, s.measure, s.known = figureOf(v)
	} else if !v.Empty() {
		s.word, s.known = wordOf(v), true
	}
	if !s.known && !v.Empty() {
		t.Misfits++
	}
	if t.hasOver {
		var vague bool
		if s.when, vague = stepOf(t.over.of(levels), t.unit); vague {
			t.Vague++
		}
	}
	if t.slice != nil {
		s.slice = named(t.slice.of(levels))
	}
	if t.with != nil {
		if s.with = None; len(levels) > len(t.with.lists) {
			s.with = named(t.with.of(levels))
		}
	}
	t.seen = append(t.seen, s)
}

func named(v *value.Value) string {
	if v.Empty() {
		return Unknown
	}
	return wordOf(v)
}

// wordOf writes a value as people call it.
func wordOf(v *value.Value) string {
	switch {
	case v.Kind == value.Object && v.Get("amount") != nil:
		return strings.TrimSpace(v.Word("amount") + " " + v.Word("unit") + v.Word("currency"))
	case v.Kind == value.Object || v.Kind == value.Array:
		bare := v.Named("")
		return bare.String()
	}
	return strings.Clone(v.Text)
}

// figureOf gives the figure of a value, with what measures it.
func figureOf(v *value.Value) (d decimal.Decimal, measure string, ok bool) {
	if v.Empty() {
		return d, "", false
	}
	if v.Kind == value.Object {
		measure = strings.Clone(v.Word("unit") + v.Word("currency"))
		if v = v.Get("amount"); v == nil {
			return d, "", false
		}
	}
	if v.Kind != value.Number || len(v.Text) > 60 || strings.ContainsAny(v.Text, "eE") && len(v.Text) > 12 {
		return d, "", false
	}
	d, err := decimal.NewFromString(v.Text)
	return d, measure, err == nil && d.Exponent() < 400 && d.Exponent() > -400
}

// stepOf gives the step of time that a date falls into, in a form whose order is that of
// time; vague where the date does not say it.
func stepOf(v *value.Value, unit string) (step string, vague bool) {
	if v.Empty() {
		return Unknown, false
	}
	text := v.Text
	if len(text) > 10 {
		text = text[:10]
	}
	if unit == "year" && len(text) >= 4 {
		return strings.Clone(text[:4]), false
	}
	if (unit == "month" || unit == "quarter") && len(text) == 7 {
		text += "-01"
	}
	day, err := time.Parse("2006-01-02", text)
	if err != nil {
		return Unknown, true
	}
	return stepAt(day, unit), false
}

func stepAt(day time.Time, unit string) string {
	switch unit {
	case "day":
		return day.Format("2006-01-02")
	case "week":
		year, week := day.ISOWeek()
		return fmt.Sprintf("%04d-W%02d", year, week)
	case "quarter":
		return fmt.Sprintf("%04d-Q%d", day.Year(), (int(day.Month())+2)/3)
	case "year":
		return day.Format("2006")
	}
	return day.Format("2006-01")
}

// startOf gives the first day of a step.
func startOf(step, unit string) (time.Time, bool) {
	layout := map[string]string{"day": "2006-01-02", "month": "2006-01", "year": "2006"}[unit]
	var year, n int
	switch unit {
	case "week":
		if _, err := fmt.Sscanf(step, "%d-W%d", &year, &n); err != nil {
			return time.Time{}, false
		}
		first := time.Date(year, 1, 4, 0, 0, 0, 0, time.UTC) // always in the first week
		return first.AddDate(0, 0, 7*(n-1)-(int(first.Weekday())+6)%7), true
	case "quarter":
		if _, err := fmt.Sscanf(step, "%d-Q%d", &year, &n); err != nil {
			return time.Time{}, false
		}
		return time.Date(year, time.Month(3*n-2), 1, 0, 0, 0, 0, time.UTC), true
	}
	day, err := time.Parse(layout, step)
	return day, err == nil
}

// after gives the first day of the next step.
func after(day time.Time, unit string) time.Time {
	switch unit {
	case "day":
		return day.AddDate(0, 0, 1)
	case "week":
		return day.AddDate(0, 0, 7)
	case "quarter":
		return day.AddDate(0, 3, 0)
	case "year":
		return day.AddDate(1, 0, 0)
	}
	return day.AddDate(0, 1, 0)
}

func valueOf(text string) value.Value { return value.Str(text) }
