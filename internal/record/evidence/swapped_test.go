package evidence

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
)

// Two values of one type in the wrong fields of an item or a record: how many of such swaps are
// told, of either value.
func TestSwappedFields(t *testing.T) {
	for folder, least := range map[string]int{"trades": 30, "labels": 51} {
		all, told := swaps(t, tradesIn(t, folder))
		sum, of := 0, 0
		for what, n := range all {
			t.Logf("%s: %d of %d", what, told[what], n)
			sum, of = sum+told[what], of+n
		}
		t.Logf("%s: %d of %d swaps are told", folder, sum, of)
		assert.Greater(t, of, 150)
		assert.Greater(t, sum*100, of*least, "where a label has a word of the one name and not of the other")
	}
}

// A field's values of two items next to each other in a list, each in the other: how many of such swaps are told.
func TestSwappedItems(t *testing.T) {
	for _, folder := range []string{"trades", "sheets"} {
		all, told := 0, 0
		for _, of := range some(tradesIn(t, folder)) {
			rec, err := value.Parse(of.rec)
			require.NoError(t, err)
			ix := NewIndex(of.doc)
			rec.Walk(func(p value.Pointer, list *value.Value) bool {
				for i := 0; list.Kind == value.Array && i+1 < len(list.Kids); i++ {
					for j := range list.Kids[i].Kids {
						a, b := &list.Kids[i].Kids[j], list.Kids[i+1].Get(list.Kids[i].Kids[j].Name)
						if b == nil || a.Empty() || b.Empty() || value.Equal(a, b) || a.Kind == value.Bool || a.Kind == value.Array {
							continue
						}
						*a, *b = *b, *a
						all++
						places := Of(of.schema, &rec, ix)
						for _, q := range []value.Pointer{p.Index(i).Key(a.Name), p.Index(i + 1).Key(a.Name)} {
							if f := of.schema.At(q); f != nil && ix.Doubt(f, rec.At(q), places[q], false) != nil {
								told++
								break
							}
						}
						*a, *b = *b, *a
					}
				}
				return true
			})
		}
		t.Logf("%s: %d of %d swaps of items are told", folder, told, all)
		assert.Greater(t, all, 200)
		assert.Greater(t, told*100, all*76, "a value in another item's row")
	}
}

// Documents whose labels are like the names of fields, in one way and another: nothing is doubted
// of a right record but what is concluded.
func TestLikeNames(t *testing.T) {
	for _, of := range tradesIn(t, "labels") {
		for p, what := range doubts(t, of.schema, of.rec, of.doc) {
			assert.Contains(t, of.concluded, string(p), "%s: %s", of.key(), what.Text())
		}
	}
}

// swaps counts swaps of values in right records, and those that are told, by types.
func swaps(t *testing.T, docs []trade) (all, told map[string]int) {
	all, told = map[string]int{}, map[string]int{}
	for _, of := range docs {
		rec, err := value.Parse(of.rec)
		require.NoError(t, err)
		ix := NewIndex(of.doc)
		if len(doubts(t, of.schema, of.rec, of.doc)) > 0 {
			continue
		}
		leaves := of.schema.Leaves()
		rec.Walk(func(p value.Pointer, group *value.Value) bool {
			if group.Kind != value.Object {
				return true
			}
			for i := range group.Kids {
				for j := i + 1; j < len(group.Kids); j++ {
					f, g := of.schema.At(p.Key(group.Kids[i].Name)), of.schema.At(p.Key(group.Kids[j].Name))
					a, b := group.Kids[i].Clone(), group.Kids[j].Clone()
					if f == nil || g == nil || !slices.Contains(leaves, f) || !slices.Contains(leaves, g) || f.Type != g.Type || a.Empty() || b.Empty() || value.Equal(&a, &b) || a.Kind == value.Bool {
						continue
					}
					what := string(f.Type)
					if strings.Contains(f.Path, "[]") {
						what += " in a list"
					}
					group.Kids[i], group.Kids[j] = b.Named(a.Name), a.Named(b.Name)
					all[what]++
					places := Of(of.schema, &rec, ix)
					for _, q := range []value.Pointer{p.Key(a.Name), p.Key(b.Name)} {
						if ix.Doubt(of.schema.At(q), rec.At(q), places[q], false) != nil {
							told[what]++
							break
						}
					}
					group.Kids[i], group.Kids[j] = a, b
				}
			}
			return true
		})
	}
	return all, told
}

// A field that the document says nothing of, filled with what it says of another of its type.
func TestTakenFromAnotherField(t *testing.T) {
	all, told := 0, 0
	for _, of := range trades(t) {
		rec, err := value.Parse(of.rec)
		require.NoError(t, err)
		ix := NewIndex(of.doc)
		rec.Walk(func(p value.Pointer, group *value.Value) bool {
			if group.Kind != value.Object {
				return true
			}
			for i := range group.Kids {
				for j := range group.Kids {
					f, g := of.schema.At(p.Key(group.Kids[i].Name)), of.schema.At(p.Key(group.Kids[j].Name))
					from := &group.Kids[j]
					if f == nil || g == nil || !f.IsLeaf() || f.Type != g.Type || group.Kids[i].Kind != value.Null || from.Kind == value.Null || from.Kind == value.Bool {
						continue
					}
					name := group.Kids[i].Name
					group.Kids[i] = from.Clone().Named(name)
					at := p.Key(name)
					if all++; ix.Doubt(f, rec.At(at), Of(of.schema, &rec, ix)[at], false) != nil {
						told++
					}
					group.Kids[i] = value.Value{Name: name}
				}
			}
			return true
		})
	}
	t.Logf("%d of %d are told", told, all)
	assert.Greater(t, all, 200)
	assert.Greater(t, told*100, all*11)
}
