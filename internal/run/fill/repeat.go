package fill

import (
	"context"
	"fmt"
	"sort"
	"strings"
	"sync"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/source/document"
	"filler/internal/store"
)

// Repeated is what filling one document many times has shown.
type Repeated struct {
	Times  int
	Form   int // records with the most frequent structure: as many items in each list
	Status map[record.Status]int
	Leaves []RepeatedLeaf // in the order of the records
}

// RepeatedLeaf is one place of the records. List items are told apart by their
// place in the list.
type RepeatedLeaf struct {
	Path   value.Pointer
	Values []ValueCount // the most frequent first
}

// ValueCount is a value, as JSON, and how often it came. Where a record has
// nothing at the place, the value is null.
type ValueCount struct {
	Value string
	Times int
}

// Same gives how often the most frequent value came.
func (l *RepeatedLeaf) Same() int { return l.Values[0].Times }

// Repeat fills one document so many times, each past the cache and with the
// seed that follows the one before. Its exchanges are in the ledger under run
// 0; no run and no record is made.
func (f *Filler) Repeat(ctx context.Context, s document.Source, times int, seed int64) (*Repeated, error) {
	f.First().Client.Fresh = true
	records := make([]store.Record, times)
	errs := make([]error, times)
	var wait sync.WaitGroup
	slots := make(chan bool, max(f.Pace.AtOnce, 1))
	for i := range times {
		wait.Go(func() {
			slots <- true
			defer func() { <-slots }()
			at := seed + int64(i)
			task := store.Task{N: i, Document: s.ID, File: s.File}
			if s.File == "" {
				task.Text = textOf(s)
			}
			records[i], errs[i] = Fill{Seed: &at}.make(ctx, f, 0, task)
		})
	}
	wait.Wait()
	for _, err := range errs {
		if err != nil {
			return nil, err
		}
	}
	return f.tally(records)
}

// tally counts values by place.
func (f *Filler) tally(records []store.Record) (*Repeated, error) {
	out := &Repeated{Times: len(records), Status: map[record.Status]int{}}
	counts := map[value.Pointer]map[string]int{}
	var order []record.Problem // for their order alone
	forms := map[string]int{}
	for _, r := range records {
		out.Status[record.Status(r.Status)]++
		v, err := value.ParseBytes(r.Record)
		if err != nil {
			return nil, err
		}
		if r.Status != string(record.Failed) {
			forms[formOf(&v)]++
			out.Form = max(out.Form, forms[formOf(&v)])
		}
		for p, text := range leavesOf(&v) {
			if counts[p] == nil {
				counts[p] = map[string]int{}
				order = append(order, record.Problem{Path: p})
			}
			counts[p][text]++
		}
	}
	record.Sort(f.Schema, order)
	for _, at := range order {
		p := at.Path
		leaf := RepeatedLeaf{Path: p}
		seen := 0
		for text, n := range counts[p] {
			leaf.Values = append(leaf.Values, ValueCount{text, n})
			seen += n
		}
		if seen < len(records) {
			leaf.Values = addNull(leaf.Values, len(records)-seen)
		}
		sort.Slice(leaf.Values, func(i, j int) bool {
			a, b := leaf.Values[i], leaf.Values[j]
			return a.Times > b.Times || a.Times == b.Times && a.Value < b.Value
		})
		out.Leaves = append(out.Leaves, leaf)
	}
	return out, nil
}

func addNull(values []ValueCount, n int) []ValueCount {
	for i := range values {
		if values[i].Value == "null" {
			values[i].Times += n
			return values
		}
	}
	return append(values, ValueCount{"null", n})
}

// formOf gives the structure of a record: how many items each of its lists has.
func formOf(v *value.Value) string {
	var b strings.Builder
	v.Walk(func(p value.Pointer, at *value.Value) bool {
		if at.Kind == value.Array {
			fmt.Fprintf(&b, "%s %d\n", p, len(at.Kids))
		}
		return true
	})
	return b.String()
}

// leavesOf gives the values of a record by place, as JSON; amounts with their
// units are one.
func leavesOf(v *value.Value) map[value.Pointer]string {
	found := map[value.Pointer]string{}
	v.Walk(func(p value.Pointer, at *value.Value) bool {
		switch {
		case at.Kind == value.Object && at.Get("amount") != nil:
			found[p] = at.Clone().Named("").String()
			return false
		case at.Kind != value.Object && at.Kind != value.Array:
			found[p] = at.Clone().Named("").String()
		}
		return true
	})
	return found
}
