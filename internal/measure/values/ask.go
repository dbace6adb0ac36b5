// Package values tells what the values of records are: how often each, their share in
// time, their sums and spreads, and which come together.
//
// Rules it keeps:
//
//   - What is unknown is counted as unknown, and never dropped.
//   - Amounts of different currencies, and quantities of different units, are never added.
//   - A value is set beside another only where one item has both: where two fields stand in
//     different lists nothing says which values go together, and that is an error.
package values

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"filler/internal/base/place"
	"filler/internal/schema"
)

// Unknown is what stands for no value.
const Unknown = "(unknown)"

// None stands for a list in which there is nothing.
const None = "(none)"

// Units are the steps of time that dates can be taken in.
var Units = []string{"day", "week", "month", "quarter", "year"}

// Ask is what is to be told of which values.
type Ask struct {
	Field    string // whose values; of money and quantities also with .amount behind it
	Over     string // a date, by time: FIELD or FIELD:UNIT
	Slice    string // a field whose values set others apart
	Metadata string // likewise, a metadata field of the documents
	With     string // a field whose values are counted beside those of Field
	Sum      bool   // figures are added
}

// field is a field with its way through the record.
type field struct {
	*schema.Field
	lists []string // the lists that it stands in, from outside
	path  string
}

// plan is an Ask that fits a schema.
type plan struct {
	ask               Ask
	value, over       field
	slice, with       *field
	unit              string
	deepest           []string // the lists whose items are observed
	hasOver, hasSlice bool
	entries           bool // the value is a map: each of its entries is one, by its name
}

// find finds a field by its path.
func find(s *schema.Schema, path string) (field, error) {
	own := strings.TrimSuffix(path, ".amount")
	var names []string
	var found *schema.Field
	for _, f := range s.Leaves() {
		names = append(names, f.Path)
		if f.Path == path || f.Path == own && (f.Type == schema.Money || f.Type == schema.Quantity) {
			found = f
		}
	}
	if found == nil {
		return field{}, &NoField{Path: path, Names: names}
	}
	return field{Field: found, lists: listsOf(found.Path), path: found.Path}, nil
}

// NoField says that the schema has no such field with a value.
type NoField struct {
	Path  string
	Names []string
}

func (e *NoField) Error() string {
	return fmt.Sprintf("the schema has no field %s with a value; %s", e.Path, place.Suggest(e.Path, e.Names))
}

// listsOf gives the lists that a field stands in: for bays[].defects[].kind bays[] and
// bays[].defects[].
func listsOf(path string) (lists []string) {
	for at := 0; ; {
		i := strings.Index(path[at:], "[]")
		if i < 0 {
			return lists
		}
		at += i + 2
		lists = append(lists, path[:at])
	}
}

// settle fits an Ask to a schema.
func settle(s *schema.Schema, a Ask) (*plan, error) {
	p := &plan{ask: a}
	var err error
	if p.value, err = find(s, a.Field); err != nil {
		return nil, err
	}
	p.deepest = p.value.lists
	if entry := p.value.Entry(); entry != nil {
		p.value.Field, p.entries = entry, true
	}
	if a.Over != "" {
		path, unit, has := strings.Cut(a.Over, ":")
		if p.over, err = find(s, path); err != nil {
			return nil, err
		}
		if p.over.Type != schema.Date && p.over.Type != schema.DateTime {
			return nil, fmt.Errorf("--over %s: it is a %s, not a date", path, p.over.Type)
		}
		if p.unit = "month"; has {
			p.unit = unit
		}
		if !slices.Contains(Units, p.unit) {
			return nil, fmt.Errorf("--over %s: time is taken by %s, not by %q", a.Over, strings.Join(Units, ", "), p.unit)
		}
		p.hasOver = true
		if err := p.beside("--over", p.over, false); err != nil {
			return nil, err
		}
	}
	if a.Slice != "" && a.Metadata != "" {
		return nil, errors.New("--slice and --metadata both set values apart; use one of the two")
	}
	if p.hasSlice = a.Slice != "" || a.Metadata != ""; a.Slice != "" {
		f, err := find(s, a.Slice)
		if err != nil {
			return nil, err
		}
		p.slice = &f
		if err := p.beside("--slice", f, false); err != nil {
			return nil, err
		}
	}
	if a.With != "" {
		if a.Sum || p.hasOver || p.hasSlice {
			return nil, errors.New("--with counts two fields beside each other; it goes with none of --sum, --over, --slice and --metadata")
		}
		f, err := find(s, a.With)
		if err != nil {
			return nil, err
		}
		if f.path == p.value.path {
			return nil, fmt.Errorf("--with %s: that is the same field", a.With)
		}
		p.with = &f
		if err := p.beside("--with", f, true); err != nil {
			return nil, err
		}
	}
	p.hasSlice = p.hasSlice || p.entries && a.With == "" && (!p.hasOver || numeric(p.value.Field))
	if a.Sum && !numeric(p.value.Field) {
		return nil, fmt.Errorf("--sum adds figures, and %s is a %s", a.Field, p.value.Type)
	}
	return p, nil
}

// beside checks that an item which has the value has one of another field at most; with
// deeper the other may stand in a list within.
func (p *plan) beside(flag string, f field, deeper bool) error {
	switch {
	case within(p.value.lists, f.lists):
		return nil
	case within(f.lists, p.value.lists):
		if deeper {
			p.deepest = f.lists
			return nil
		}
		return fmt.Errorf("%s %s: one item with %s can have several of it; count them with `--with`", flag, f.path, p.value.path)
	}
	return fmt.Errorf("%s %s: it stands in another list than %s, and nothing says which values go together", flag, f.path, p.value.path)
}

// within tells whether the lists of a field are among those that another stands in.
func within(lists, other []string) bool {
	return len(other) <= len(lists) && slices.Equal(lists[:len(other)], other)
}

// numeric tells fields whose values are figures.
func numeric(f *schema.Field) bool {
	switch f.Kin().Type {
	case schema.Integer, schema.Number, schema.Money, schema.Quantity:
		return true
	}
	return false
}

// Fields names the fields that an Ask is about.
func (a *Ask) Fields() (paths []string) {
	over, _, _ := strings.Cut(a.Over, ":")
	for _, path := range []string{a.Field, over, a.Slice, a.With} {
		if path != "" {
			paths = append(paths, strings.TrimSuffix(path, ".amount"))
		}
	}
	return paths
}
