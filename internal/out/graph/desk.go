package graph

import (
	"slices"
	"time"
)

// Desk is where somebody decides which names mean one thing, pair by pair. Each decision
// is in its file before the next; all can be undone, back to where it was begun.
type Desk struct {
	Graph *Graph
	Pairs []Candidate
	By    string
	File  string
	kept  []Decision
	near  [][]int
	made  []int // the pairs that were decided, in order
	is    map[int]bool
}

// NewDesk begins to decide on pairs that nothing is decided on yet.
func NewDesk(g *Graph, pairs []Candidate, kept []Decision, file, by string) *Desk {
	return &Desk{Graph: g, Pairs: pairs, By: by, File: file, kept: slices.Clone(kept), near: g.neighbours(), is: map[int]bool{}}
}

// Near names what is next to an entity: its kind and its name.
func (d *Desk) Near(n int) (all []string) {
	for _, i := range d.near[n] {
		all = append(all, d.Graph.Nodes[i].Kind+" "+d.Graph.Nodes[i].Name)
	}
	return all
}

// Decided tells what was decided on a pair here.
func (d *Desk) Decided(pair int) (same, decided bool) {
	same, decided = d.is[pair]
	return same, decided
}

// Counts tells how many pairs were decided to be one thing, and how many to be two.
func (d *Desk) Counts() (one, two int) {
	for _, same := range d.is {
		if same {
			one++
		} else {
			two++
		}
	}
	return one, two
}

// Decide keeps what a pair is; once more on the same pair is another decision on it.
func (d *Desk) Decide(pair int, same bool) error {
	if was, decided := d.is[pair]; decided {
		if was == same {
			return nil
		}
		d.drop(pair)
	}
	c := d.Pairs[pair]
	a, b := &d.Graph.Nodes[c.A], &d.Graph.Nodes[c.B]
	d.kept = append(d.kept, Decision{Kind: a.Kind, A: a.Name, B: b.Name, Same: same, By: d.By, On: time.Now().Format("2006-01-02")})
	d.made, d.is[pair] = append(d.made, pair), same
	return WriteDecisions(d.File, d.kept)
}

// Undo takes the last decision back and gives its pair; false where none is left.
func (d *Desk) Undo() (pair int, undone bool, err error) {
	if len(d.made) == 0 {
		return 0, false, nil
	}
	pair = d.made[len(d.made)-1]
	d.drop(pair)
	return pair, true, WriteDecisions(d.File, d.kept)
}

// drop takes back what was decided on a pair here: decisions are kept behind those that
// were there before, in the order in which they were made.
func (d *Desk) drop(pair int) {
	i := slices.Index(d.made, pair)
	at := len(d.kept) - len(d.made) + i
	d.kept = slices.Delete(d.kept, at, at+1)
	d.made = slices.Delete(d.made, i, i+1)
	delete(d.is, pair)
}

// Open gives the next pair from a place on that nothing was decided on, once around; -1
// where there is none.
func (d *Desk) Open(from int) int {
	for i := range d.Pairs {
		at := (from + i) % len(d.Pairs)
		if _, decided := d.is[at]; !decided {
			return at
		}
	}
	return -1
}
