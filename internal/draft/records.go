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

func (c *Collector) take(k *node, v *value.Value, sample int) {
	switch v.Kind {
	case value.Object:
		amount := v.Get("amount")
		if amount != nil && len(v.Kids) == 2 && amount.Kind == value.Number {
			k.add(amount.Text+" "+v.Kids[1].Text, sample)
			return
		}
		c.add(k, v, sample)
	case value.Array:
		k.list = true
		for i := range v.Kids {
			k.items++
			if v.Kids[i].Kind == value.Object {
				c.add(k, &v.Kids[i], sample)
			} else if v.Kids[i].Kind != value.Null {
				k.add(v.Kids[i].Text, sample)
			}
		}
	default:
		k.add(v.Text, sample)
	}
}
