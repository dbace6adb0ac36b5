package invent

import (
	"cmp"
	"fmt"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"time"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

// Maker makes records of a schema.
type Maker struct {
	Schema *schema.Schema
	Values map[string][]string // of text fields, by path: what they may hold
	Rare   bool                // draw the corners
	Rules  []*schema.Rule      // that every record has to keep besides the schema's
	Seed   int64

	check *record.Validator
	pool  *pool // what the values look like, or nil
	used  map[string]bool
	least map[string]int // items that a list has at least, by its path
}

// pool is what the values of existing records look like.
type pool struct {
	records []*value.Value
	items   map[string][]*value.Value // by the path of their list
	leaves  map[string][]*value.Value // by path, those that are there
}

// NewMaker begins to make records.
func NewMaker(s *schema.Schema, seed int64) (*Maker, error) {
	check, err := record.NewValidator(s)
	if err != nil {
		return nil, err
	}
	return &Maker{Schema: s, Values: map[string][]string{}, Seed: seed, check: check, used: map[string]bool{}}, nil
}

// Like has records look like these: their ranges, how many items, what is null, and which
// choices come together.
func (m *Maker) Like(records []*value.Value) {
	p := &pool{items: map[string][]*value.Value{}, leaves: map[string][]*value.Value{}}
	var walk func(f *schema.Field, v *value.Value)
	walk = func(f *schema.Field, v *value.Value) {
		switch {
		case v.Empty():
		case f.Type == schema.Group:
			for _, kid := range f.Fields {
				if own := v.Get(kid.Name); own != nil {
					walk(kid, own)
				}
			}
		case f.Type == schema.List && v.Kind == value.Array:
			for i := range v.Kids {
				p.items[f.Path] = append(p.items[f.Path], &v.Kids[i])
				walk(f.Item, &v.Kids[i])
			}
		case f.IsLeaf():
			p.leaves[f.Path] = append(p.leaves[f.Path], v)
		}
	}
	for _, r := range records {
		p.records = append(p.records, r)
		walk(m.Schema.Record(), r)
	}
	if len(records) > 0 {
		m.pool = p
	}
}

// Impossible says which rule or constraint no record was found for.
type Impossible struct{ Why string }

func (e *Impossible) Error() string {
	return "no record was found that keeps the schema: " + e.Why
}

// How often a record is put right, and how often it is begun again.
const (
	mostSteps = 120
	mostTries = 12
)

// Record makes the record of a number, from 0: the same one for the same seed. held are
// values that it has to have.
func (m *Maker) Record(n int, held map[value.Pointer]value.Value) (value.Value, error) {
	why := ""
	for try := range mostTries {
		r := rand.New(rand.NewPCG(uint64(m.Seed), uint64(n)<<8+uint64(try)))
		d := &drawing{Maker: m, r: r, held: held, shift: r.IntN(361) - 180}
		v, err := d.begin()
		if err != nil {
			return v, err
		}
		if why = d.settle(&v); why == "" {
			return v, nil
		}
	}
	return value.Value{}, &Impossible{why}
}

// Sensitive gives the texts of records that are sensitive, and long enough to be told from
// words that stand anywhere.
func Sensitive(s *schema.Schema, records []*value.Value) (all []string) {
	seen := map[string]bool{}
	for _, r := range records {
		eachLeaf(s.Record(), r, "", func(f *schema.Field, v *value.Value, _ value.Pointer) {
			if !v.Empty() && v.Kind == value.String && f.Type == schema.Text && s.IsSensitive(f.Path) && len([]rune(v.Text)) >= telling && !seen[v.Text] {
				seen[v.Text] = true
				all = append(all, v.Text)
			}
		})
	}
	return all
}

// Keep says that a record is used: the values that name it do not come again.
func (m *Maker) Keep(v *value.Value) {
	if v.Kind == value.Array {
		for i := range v.Kids {
			m.Keep(&v.Kids[i])
		}
		return
	}
	for _, f := range m.keys() {
		if own := v.Get(f.Name); !own.Empty() {
			m.used[f.Path+"\x00"+own.Text] = true
		}
	}
}

// at gives the field of a place in one record.
func (m *Maker) at(p value.Pointer) *schema.Field {
	if m.Schema.EachEntry() {
		return m.Schema.At("/0" + p)
	}
	return m.Schema.At(p)
}

// problems gives what is wrong with one record.
func (m *Maker) problems(v *value.Value) []record.Problem {
	if !m.Schema.EachEntry() {
		return append(m.check.Check(v), record.Twins(m.Schema, v)...)
	}
	list := value.List(v.Clone().Named(""))
	all := append(m.check.Check(&list), record.Twins(m.Schema, &list)...)
	for i := range all {
		all[i].Path = value.Pointer(strings.TrimPrefix(string(all[i].Path), "/0"))
	}
	return all
}

// keys are the texts that name a record.
func (m *Maker) keys() (all []*schema.Field) {
	root := m.Schema.Record()
	for _, f := range root.Fields {
		own := root.Entity != nil && len(root.Entity.Key) == 1 && root.Entity.Key[0] == f.Name
		if f.Type == schema.Text && (own || f.Required && f.Pattern != nil) {
			all = append(all, f)
		}
	}
	return all
}

// drawing is one record being drawn.
type drawing struct {
	*Maker
	r     *rand.Rand
	held  map[value.Pointer]value.Value
	shift int // days by which the dates of the donor are moved
	last  time.Time
	err   error
}

func (d *drawing) begin() (value.Value, error) {
	var donor *value.Value
	if d.pool != nil {
		donor = pick(d.r, d.pool.records)
	}
	v := d.field(d.Schema.Record(), donor, "")
	d.links(&v)
	for p, own := range d.held {
		v.Put(p, own)
	}
	return v, d.err
}

// field draws a value, as the donor has it where there is one.
func (d *drawing) field(f *schema.Field, donor *value.Value, p value.Pointer) value.Value {
	if own, held := d.held[p]; held && f.Type != schema.Group {
		return own.Named("")
	}
	switch f.Type {
	case schema.Group:
		out := value.Obj()
		for _, kid := range f.Fields {
			var own *value.Value
			if donor != nil {
				own = donor.Get(kid.Name)
			}
			if own == nil && donor != nil {
				own = &value.Value{}
			}
			out.Set(kid.Name, d.field(kid, own, p.Key(kid.Name)))
		}
		return out
	case schema.List:
		return d.list(f, donor, p)
	}
	return d.leaf(f, donor)
}

func (d *drawing) list(f *schema.Field, donor *value.Value, p value.Pointer) value.Value {
	least, most := max(bound(f.Min, 0), d.least[f.Path]), bound(f.Max, 6)
	n := min(max(least, d.r.IntN(4)), most)
	if donor != nil && donor.Kind == value.Array {
		n = min(max(least, len(donor.Kids)), most)
	}
	if d.Rare {
		n = pick(d.r, []int{least, least, most, min(most, n+5), n})
	}
	out := value.List()
	for i := range n {
		var own *value.Value
		if items := d.poolItems(f.Path); len(items) > 0 {
			own = pick(d.r, items)
		}
		item := d.field(f.Item, own, p.Index(i))
		for range 20 {
			if saysSomething(&item, f.Key) {
				break
			}
			item = d.field(f.Item, nil, p.Index(i)) // an item of which nothing is known stands nowhere
		}
		if d.Rare && i > 0 && len(f.Key) == 0 && d.r.IntN(4) == 0 {
			item = out.Kids[i-1].Clone() // several alike
		}
		d.keyed(f, &out, &item, i)
		out.Kids = append(out.Kids, item)
	}
	return out
}

// saysSomething tells whether anything of an item is known, its key aside.
func saysSomething(item *value.Value, key []string) bool {
	if item.Kind != value.Object {
		return !item.Empty()
	}
	for i := range item.Kids {
		kid := &item.Kids[i]
		if slices.Contains(key, kid.Name) && len(item.Kids) > len(key) {
			continue
		}
		if kid.Kind == value.Object && kid.Get("amount") == nil && !saysSomething(kid, nil) || kid.Kind == value.Array && len(kid.Kids) == 0 {
			continue
		}
		if !kid.Empty() {
			return true
		}
	}
	return false
}

func (d *drawing) poolItems(path string) []*value.Value {
	if d.pool == nil {
		return nil
	}
	return d.pool.items[path]
}

// keyed gives an item a key that none before it has: numbers in order.
func (d *drawing) keyed(f *schema.Field, list, item *value.Value, i int) {
	for k, name := range f.Key {
		kid := f.Item.Child(name)
		if kid == nil || k > 0 && len(f.Key) > 1 {
			continue
		}
		if kid.Type == schema.Integer {
			item.Set(name, value.Num(strconv.Itoa(bound(kid.Min, 1)+i)))
			continue
		}
		for range 40 {
			own := item.Get(name)
			twice := own.Empty()
			for j := range list.Kids {
				twice = twice || !own.Empty() && value.Equal(own, list.Kids[j].Get(name))
			}
			if !twice {
				break
			}
			item.Set(name, d.fresh(kid))
		}
	}
}

func bound(text string, other int) int {
	if f, err := strconv.ParseFloat(text, 64); err == nil && f < 1e6 && f > -1e6 {
		return int(f)
	}
	return other
}

// leaf draws a single value.
func (d *drawing) leaf(f *schema.Field, donor *value.Value) value.Value {
	nulls := 8
	if d.Rare {
		nulls = 2
	}
	switch {
	case f.Type == schema.Link:
		if donor != nil && donor.Empty() {
			return value.Value{}
		}
		return value.Str(unset)
	case f.Required:
	case donor != nil && !d.Rare:
		if donor.Empty() {
			return value.Value{}
		}
	case d.r.IntN(nulls) == 0:
		return value.Value{}
	}
	if donor != nil && !donor.Empty() && d.r.IntN(12) > 0 {
		if v, ok := d.similar(f, donor); ok {
			return v
		}
	}
	return d.fresh(f)
}

// unset stands in links until the items are known.
const unset = "\x00"

// similar draws a value that looks like the donor's; a sensitive one looks like none, but
// for choices, which the schema itself names.
func (d *drawing) similar(f *schema.Field, donor *value.Value) (value.Value, bool) {
	switch {
	case f.Type == schema.Choice, f.Type == schema.Boolean:
		return donor.Clone().Named(""), true
	case d.Schema.IsSensitive(f.Path):
		return value.Value{}, false
	}
	switch f.Type {
	case schema.Date:
		if t, err := time.Parse(time.DateOnly, donor.Text); err == nil {
			return value.Str(t.AddDate(0, 0, d.shift).Format(time.DateOnly)), true
		}
	case schema.Text:
		if f.Pattern != nil || len(d.Values[f.Path]) > 0 || f.Compare.Kind == "none" {
			return value.Value{}, false
		}
		if text, ok := shaped(donor.Text, d.r); ok {
			return value.Str(text), true
		}
		if d.few(f.Path) {
			return donor.Clone().Named(""), true
		}
	}
	return value.Value{}, false
}

// few tells whether a field holds the same few texts again and again.
func (d *drawing) few(path string) bool {
	seen := map[string]bool{}
	all := d.pool.leaves[path]
	for _, v := range all {
		seen[v.Text] = true
	}
	return len(all) >= 8 && len(seen)*2 <= len(all)
}

// fresh draws a value by the schema, within the bounds of those that exist.
func (d *drawing) fresh(f *schema.Field) value.Value {
	switch f.Type {
	case schema.Integer, schema.Number:
		return value.Num(d.number(f, f.Type == schema.Integer))
	case schema.Money, schema.Quantity:
		name, own := f.Measure()
		if own == "" {
			own = d.measure(f, name)
		}
		return value.Obj(value.Num(d.number(f, false)).Named("amount"), value.Str(own).Named(name))
	case schema.Boolean:
		return value.Boolean(d.r.IntN(2) == 0)
	case schema.Choice:
		return value.Str(pick(d.r, f.Of).Value)
	case schema.Date:
		return value.Str(d.date(f))
	case schema.Time:
		return value.Str(fmt.Sprintf("%02d:%02d", 6+d.r.IntN(15), 5*d.r.IntN(12)))
	case schema.DateTime:
		local := d.day().Format(time.DateOnly) + fmt.Sprintf("T%02d:%02d:00", 6+d.r.IntN(15), 5*d.r.IntN(12))
		if f.Zone == schema.NoZone {
			return value.Str(local)
		}
		return value.Str(cmp.Or(f.Zoned(local), local+"Z"))
	case schema.Link:
		return value.Str(unset)
	case schema.Any:
		return d.anything(f)
	}
	return value.Str(d.text(f))
}

func (d *drawing) measure(f *schema.Field, name string) string {
	if d.pool != nil {
		if all := d.pool.leaves[f.Path]; len(all) > 0 {
			if own := pick(d.r, all).Get(name); !own.Empty() {
				return own.Text
			}
		}
	}
	if f.Type == schema.Money {
		return "EUR"
	}
	return pick(d.r, []string{"m", "kg", "h"})
}

func (d *drawing) text(f *schema.Field) string {
	if form := f.Extra.Get("format"); form != nil {
		if text := d.inFormat(form.Text); text != "" {
			return text
		}
	}
	for range 50 {
		text := ""
		switch {
		case len(d.Values[f.Path]) > 0:
			text = pick(d.r, d.Values[f.Path])
		case f.Pattern != nil:
			own, err := fromPattern(f.Pattern, d.r)
			if err != nil {
				d.err = fmt.Errorf("%s: %w", f.Path, err)
				return ""
			}
			text = own
		default:
			text = d.words(f, d.r)
		}
		if n := bound(f.Max, 0); f.Max != "" && len([]rune(text)) > n {
			text = strings.TrimSpace(string([]rune(text)[:n]))
		}
		for f.Min != "" && len([]rune(text)) < bound(f.Min, 0) {
			text += " " + pick(d.r, things)
		}
		if !d.used[f.Path+"\x00"+text] {
			return text
		}
	}
	return d.words(f, d.r)
}
