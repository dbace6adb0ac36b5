package draft

import (
	"errors"
	"fmt"

	"filler/internal/base/value"
)

// Collector drafts a schema from records, one after the other.
type Collector struct {
	root    *node
	samples int
	entries bool
}

// NewCollector starts a draft from records. With entries each of them is one
// of many that a document holds.
func NewCollector() *Collector { return &Collector{root: newNode("")} }

// Add takes one record in; it may be an array of records.
func (c *Collector) Add(rec *value.Value) error {
	if rec.Kind == value.Array {
		c.entries = true
		for i := range rec.Kids {
			if err := c.Add(&rec.Kids[i]); err != nil {
				return err
			}
		}
		return nil
	}
	if rec.Kind != value.Object {
		return fmt.Errorf("a record is an object, not a %s", rec.Kind)
	}
	c.add(c.root, rec, c.samples)
	c.samples++
	return nil
}

// Result gives the draft.
func (c *Collector) Result() (*Result, error) {
	if len(c.root.kids) == 0 {
		return nil, errors.New("the records hold no fields; give at least one record with a value")
	}
	each := "document"
	if c.entries {
		each = "entry"
	}
	return finish(c.root, c.samples, each)
}

func (c *Collector) add(n *node, v *value.Value, sample int) {
	for i := range v.Kids {
		kid := &v.Kids[i]
		k := n.exact(kid.Name)
		if kid.Kind == value.Null {
			continue
		}
		k.seen[sample] = true
		c.take(k, kid, sample)
	}
}

// exact gives the child of just this name: keys of records are no labels.
func (n *node) exact(name string) *node {
	for _, k := range n.kids {
		if k.label == name {
			return k
		}
	}
	k := newNode(name)
	if goodName.MatchString(name) {
		k.name = name
	}
	n.keep(k)
	return k
}

// The forms of values. A field whose values have several is of any.
const (
	anObject uint8 = 1 << iota
	aList
	oneValue
	listOfLists
	objects // as items
	values  // as items
)

// isAny tells a field whose values have no one form.
func (n *node) isAny() bool {
	return n.forms&(anObject|objects) != 0 && len(n.kids) == 0 || n.forms&listOfLists != 0 || n.forms&anObject != 0 && n.forms&(aList|oneValue) != 0 || n.forms&aList != 0 && n.forms&oneValue != 0 || n.forms&objects != 0 && n.forms&values != 0
}

func (c *Collector) take(k *node, v *value.Value, sample int) {
	k.formed(v)
	k.stood(v)
	switch v.Kind {
	case value.Object:
		if amount := v.Get("amount"); isAmount(v) {
			k.add(amount.Text+" "+v.Kids[1].Text, sample)
			return
		}
		c.add(k, v, sample)
	case value.Array:
		k.list = true
		for i := range v.Kids {
			k.stood(&v.Kids[i])
			k.items++
			if v.Kids[i].Kind == value.Array {
				k.forms |= listOfLists
			}
			if kid := &v.Kids[i]; isAmount(kid) {
				k.add(kid.Get("amount").Text+" "+kid.Kids[1].Text, sample)
			} else if kid.Kind == value.Object {
				c.add(k, kid, sample)
			} else if v.Kids[i].Kind != value.Null {
				k.add(v.Kids[i].Text, sample)
			}
		}
	default:
		k.add(v.Text, sample)
	}
}

// formed notes the form of a value. What is an amount with its measure is one value.
func (n *node) formed(v *value.Value) {
	switch {
	case v.Kind == value.Array:
		n.forms |= aList
		for i := range v.Kids {
			switch k := &v.Kids[i]; {
			case k.Kind == value.Object && !isAmount(k):
				n.forms |= objects
			case k.Kind != value.Array: // no list of groups takes null as an item
				n.forms |= values
			}
		}
	case v.Kind == value.Object && !isAmount(v):
		n.forms |= anObject
	case v.Kind != value.Null:
		n.forms |= oneValue
	}
}

// isAmount tells an amount with its measure.
func isAmount(v *value.Value) bool {
	a := v.Get("amount")
	return v.Kind == value.Object && len(v.Kids) == 2 && a != nil && a.Kind == value.Number && v.Kids[0].Name == "amount"
}
