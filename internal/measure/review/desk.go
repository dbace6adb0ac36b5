package review

import (
	"errors"
	"fmt"
	"slices"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
	"filler/internal/source/document"
)

// Desk is where records are reviewed, one decision after another.
type Desk struct {
	Schema *schema.Schema
	Order  Order
	Sample *Sample // of an order of random values; else nil

	check   *record.Validator
	keeper  Keeper
	read    func(id string) (*document.Document, error)
	ids     []string
	sheets  map[string]*Sheet
	recent  []string // documents that were read, the latest last
	stops   []stop   // in an order over all documents; else nil
	at      int      // of ids, or of stops
	point   int      // of the sheet at hand
	sheet   *Sheet
	history []deed // all that was done, the last behind
	undone  []deed
	version int             // how often something has changed
	told    map[string]bool // documents of which it was told that they can't be signed
	// Refused says why the document at hand could not be signed though all is decided.
	Refused string
}

// deed is one step, of whichever document.
type deed struct {
	document string
	stops    []stop // as they were on the other side of it, where it moved items
}

// mostRead is how many documents are held as they were read.
const mostRead = 6

// NewDesk lays out records for review. read reads a document.
func NewDesk(s *schema.Schema, check *record.Validator, keeper Keeper, read func(id string) (*document.Document, error), o Order) (*Desk, error) {
	d := &Desk{Schema: s, Order: o, check: check, keeper: keeper, read: read, ids: keeper.Documents(), sheets: map[string]*Sheet{}, told: map[string]bool{}, at: -1}
	if o.Field != "" {
		if f := s.Find(o.Field); f == nil || !isValue(f) {
			return nil, fmt.Errorf("--field %s: the schema has no such value; `filler schema outline` lists the fields", o.Field)
		}
	}
	if o.ByRisk || o.Field != "" || o.Values > 0 {
		if err := d.arrange(); err != nil {
			return nil, err
		}
	}
	return d, nil
}

// Sheet gives the document at hand; nil where there is none left.
func (d *Desk) Sheet() *Sheet { return d.sheet }

// Point gives what is to be decided; false where nothing is at hand.
func (d *Desk) Point() (Point, bool) {
	if d.sheet == nil || d.point < 0 || d.point >= len(d.sheet.points) {
		return Point{}, false
	}
	return d.sheet.points[d.point], true
}

// Documents gives how many documents there are, and the number of the one at hand,
// from 1.
func (d *Desk) Documents() (n, all int) {
	if d.sheet == nil {
		return 0, len(d.ids)
	}
	return slices.Index(d.ids, d.sheet.Document) + 1, len(d.ids)
}

// open puts a document on the desk.
func (d *Desk) open(id string) (*Sheet, error) {
	sh := d.sheets[id]
	if sh == nil {
		k, err := d.keeper.Open(id)
		if err != nil {
			return nil, err
		}
		source, err := d.read(id)
		sh = NewSheet(d.Schema, d.check, k, source)
		if err != nil {
			sh.Unread = err.Error()
		}
		d.sheets[id] = sh
	} else if sh.Source == nil && sh.Unread == "" {
		source, err := d.read(id)
		if err != nil {
			sh.Unread = err.Error()
		} else {
			sh.attach(source)
		}
	}
	d.recent = append(slices.DeleteFunc(d.recent, func(r string) bool { return r == id }), id)
	if len(d.recent) > mostRead {
		old := d.recent[0]
		d.recent = d.recent[1:]
		if len(d.sheets[old].past)+len(d.sheets[old].future) == 0 {
			delete(d.sheets, old)
		} else {
			d.sheets[old].detach()
		}
	}
	return sh, nil
}

// Begin puts the first document on the desk of which something is open; where signed
// ones are to be looked at again, and nothing is open, the first of all.
func (d *Desk) Begin() error {
	if err := d.Forward(true); err != nil || d.sheet != nil || !d.Order.Signed || d.stops != nil {
		return err
	}
	d.at = -1
	return d.Turn(1)
}

// Version counts what has changed: whoever shows the desk knows by it whether somebody
// else has done something.
func (d *Desk) Version() int { return d.version }

// wanted tells whether a decision is among those asked for.
func (d *Desk) wanted(sh *Sheet, p Point) bool {
	switch d.Order.Show {
	case "problems":
		return p.Kind != OfLine && len(sh.Said(p)) > 0
	case "uncovered":
		return p.Kind == OfLine
	case "changed":
		v := sh.Verdict(p)
		return v == Changed || v == Taken || p.Kind == OfValue && !same(sh.Record.At(p.Path), sh.Was.At(p.Path))
	}
	return true
}

func same(a, b *value.Value) bool {
	if a.Empty() || b.Empty() {
		return a.Empty() && b.Empty()
	}
	return value.Equal(a, b)
}

// Forward goes to the next decision, to the next open one with open set; over all
// documents. Behind the last there is none at hand.
func (d *Desk) Forward(open bool) error {
	d.Refused = ""
	if d.stops != nil {
		return d.along(1, open)
	}
	isMeant := func(sh *Sheet, p Point) bool {
		return d.wanted(sh, p) && (!open || sh.Waits(p) || d.Order.Show == "changed")
	}
	if d.sheet != nil {
		for i := d.point + 1; i < len(d.sheet.points); i++ {
			if isMeant(d.sheet, d.sheet.points[i]) {
				d.point = i
				return nil
			}
		}
		if open { // what was passed over before
			for i := 0; i <= d.point && i < len(d.sheet.points); i++ {
				if isMeant(d.sheet, d.sheet.points[i]) && i != d.point {
					d.point = i
					return nil
				}
			}
		}
	}
	for at := d.at + 1; at < len(d.ids); at++ {
		if skip, ok := d.keeper.(interface{ Done(string) bool }); open && ok && skip.Done(d.ids[at]) {
			continue
		}
		sh, err := d.open(d.ids[at])
		if err != nil {
			return err
		}
		if left, unsure := sh.Left(); left+unsure == 0 && !sh.Signed { // stopped before it could be
			if err := d.sign(sh); err != nil {
				return err
			}
			if d.Refused != "" && !d.told[sh.Document] && len(sh.points) > 0 { // somebody has to know
				d.told[sh.Document] = true
				d.at, d.sheet, d.point = at, sh, len(sh.points)-1
				return nil
			}
			d.Refused = ""
		}
		for i, p := range sh.points {
			if isMeant(sh, p) && !(open && sh.Signed && d.Order.Show == "") {
				d.at, d.sheet, d.point = at, sh, i
				return nil
			}
		}
	}
	if open {
		d.sheet, d.at = nil, len(d.ids)
	}
	return nil
}

// Backward goes to the decision before.
func (d *Desk) Backward() error {
	d.Refused = ""
	if d.stops != nil {
		return d.along(-1, false)
	}
	if d.sheet != nil {
		for i := d.point - 1; i >= 0; i-- {
			if d.wanted(d.sheet, d.sheet.points[i]) {
				d.point = i
				return nil
			}
		}
	}
	for at := min(d.at, len(d.ids)) - 1; at >= 0; at-- {
		sh, err := d.open(d.ids[at])
		if err != nil {
			return err
		}
		for i := len(sh.points) - 1; i >= 0; i-- {
			if d.wanted(sh, sh.points[i]) {
				d.at, d.sheet, d.point = at, sh, i
				return nil
			}
		}
	}
	return nil
}

// Turn goes to the first decision of the next document, or of the one before.
func (d *Desk) Turn(by int) error {
	d.Refused = ""
	if d.stops != nil {
		return d.along(by, false)
	}
	at := d.at + by
	if at < 0 || at >= len(d.ids) {
		return nil
	}
	sh, err := d.open(d.ids[at])
	if err != nil {
		return err
	}
	d.at, d.sheet, d.point = at, sh, 0
	for i, p := range sh.points {
		if sh.Verdict(p) == "" {
			d.point = i
			break
		}
	}
	return nil
}

// Select goes to a decision of the document at hand; false where it has it not.
func (d *Desk) Select(p Point) bool {
	if d.sheet == nil {
		return false
	}
	i := slices.Index(d.sheet.points, p)
	if i >= 0 {
		d.point = i
	}
	return i >= 0
}

// Do has something done to the document at hand, and keeps it. A document of which
// all is decided is signed.
func (d *Desk) Do(change func(sh *Sheet) error) error {
	if d.sheet == nil {
		return nil
	}
	before := len(d.sheet.past)
	point, _ := d.Point()
	was := slices.Clone(d.sheet.points)
	if err := change(d.sheet); err != nil {
		return err
	}
	if len(d.sheet.past) == before {
		return nil
	}
	made := deed{document: d.sheet.Document}
	if last := d.sheet.past[len(d.sheet.past)-1]; last.to != nil && d.stops != nil {
		made.stops = d.stops
		d.stops = d.follow(last)
	}
	d.history, d.undone = append(d.history, made), nil
	d.version++
	d.settle(point, was)
	return d.keep(d.sheet)
}

// settle finds the decision at hand again after the list of them changed.
func (d *Desk) settle(point Point, was []Point) {
	if slices.Equal(was, d.sheet.points) {
		return
	}
	if !d.Select(point) {
		d.point = max(0, min(d.point, len(d.sheet.points)-1))
	}
}

// keep writes a sheet down, and signs it, or takes the signature back.
func (d *Desk) keep(sh *Sheet) error {
	d.Refused = ""
	if err := d.keeper.Keep(sh.Kept); err != nil {
		var other *Meanwhile
		if errors.As(err, &other) {
			d.again(sh.Document)
		}
		return err
	}
	open, unsure := sh.Left()
	switch {
	case open == 0 && unsure == 0:
		return d.sign(sh)
	case sh.Signed:
		return d.keeper.Unsign(sh.Kept)
	}
	return nil
}

// again opens a document as it is now, without what was decided here and not kept.
func (d *Desk) again(id string) {
	delete(d.sheets, id)
	d.version++
	forget := func(all []deed) []deed { return slices.DeleteFunc(all, func(h deed) bool { return h.document == id }) }
	d.history, d.undone = forget(d.history), forget(d.undone)
	if sh, err := d.open(id); err == nil {
		d.sheet, d.point = sh, max(0, min(d.point, len(sh.points)-1))
	}
}

// sign signs a sheet of which all is decided, or says why it can't be.
func (d *Desk) sign(sh *Sheet) (err error) {
	if sh.Source == nil {
		d.Refused = "its document can't be read: " + sh.Unread
		return nil
	}
	d.Refused, err = d.keeper.Sign(sh.Kept, record.Hashes{Text: sh.Source.Hash, File: sh.Source.FileHash})
	return err
}

// Undo takes the last decision back, in whichever document it was, and goes there.
func (d *Desk) Undo() (bool, error) {
	return d.travel(&d.history, &d.undone, (*Sheet).Undo)
}

// Redo makes the decision again that was undone last.
func (d *Desk) Redo() (bool, error) {
	return d.travel(&d.undone, &d.history, (*Sheet).Redo)
}

func (d *Desk) travel(from, to *[]deed, step func(*Sheet) (Point, bool)) (bool, error) {
	if len(*from) == 0 {
		return false, nil
	}
	last := (*from)[len(*from)-1]
	id := last.document
	sh, err := d.open(id)
	if err != nil {
		return false, err
	}
	p, ok := step(sh)
	if !ok {
		return false, nil
	}
	if last.stops != nil {
		d.stops, last.stops = last.stops, d.stops
	}
	*from, *to = (*from)[:len(*from)-1], append(*to, last)
	d.version++
	d.sheet = sh
	if d.stops == nil {
		d.at = slices.Index(d.ids, id)
	} else if i := slices.IndexFunc(d.stops, func(s stop) bool { return s.document == id && s.point == p }); i >= 0 {
		d.at = i
	}
	if !d.Select(p) {
		d.point = max(0, min(d.point, len(sh.points)-1))
	}
	return true, d.keep(sh)
}

// Left counts what is open in the document at hand, and of how many decisions.
func (d *Desk) Left() (open, all int) {
	if d.sheet == nil {
		return 0, 0
	}
	open, unsure := d.sheet.Left()
	return open + unsure, len(d.sheet.points)
}

// Estimate gives what the values that were looked at say of all; false where the order
// is no sample.
func (d *Desk) Estimate() (Estimate, bool) {
	if d.Sample == nil {
		return Estimate{}, false
	}
	for i := range d.Sample.parts {
		d.Sample.parts[i].right, d.Sample.parts[i].seen = 0, 0
	}
	for _, st := range d.stops {
		if sh := d.sheets[st.document]; sh != nil {
			d.Sample.saw(st.part, sh.Verdict(st.point))
		}
	}
	return d.Sample.estimate(), true
}
