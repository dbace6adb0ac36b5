// Package pair compares two values and pairs the items of two lists.
//
// Rules it keeps (the definitions are in docs/scoring.md):
//
//   - Texts are compared character by character, numbers as exact decimals.
//   - null, an empty text and an absent key are the same: no value.
//   - Pairing is optimal, not greedy, and falls the same way whatever order
//     items or keys come in.
package pair

import (
	"github.com/agext/levenshtein"

	"filler/internal/schema"
	"filler/internal/value"
)

// Least is the similarity from which on two items may be a pair.
const Least = 0.3

// Has reports whether v holds a value of field f: a leaf that is not empty.
func Has(v *value.Value) bool { return !v.Empty() }

// Right reports whether two values, neither of them empty, are the same.
func Right(_ *schema.Field, gold, filled *value.Value) bool { return value.Equal(gold, filled) }

// likeness gives what two leaf values that both stand there add to the
// similarity of their items: 1 if right; for two texts that differ half of
// their edit similarity where that is at least 0.5; else 0.
func likeness(f *schema.Field, gold, filled *value.Value) float64 {
	if Right(f, gold, filled) {
		return 1
	}
	if gold.Kind != value.String || filled.Kind != value.String {
		return 0
	}
	a, b := []rune(gold.Text), []rune(filled.Text)
	longer := max(len(a), len(b))
	if min(len(a), len(b))*2 < longer {
		return 0 // the difference in length alone takes the similarity below 0.5
	}
	similarity := 1 - float64(levenshtein.Distance(gold.Text, filled.Text, nil))/float64(longer)
	if similarity < 0.5 {
		return 0
	}
	return similarity / 2
}

// Similarity gives how alike two items of a list are, from 0 to 1: the sum
// over their leaves divided by the number of leaves that either has. Nested
// lists are paired first, by the same rule. Two items without any leaf are
// alike.
func Similarity(f *schema.Field, gold, filled *value.Value) float64 {
	sum, leaves := alike(f, gold, filled)
	if leaves == 0 {
		return 1
	}
	return sum / float64(leaves)
}

func alike(f *schema.Field, gold, filled *value.Value) (sum float64, leaves int) {
	switch f.Type {
	case schema.Group:
		for _, kid := range f.Fields {
			s, n := alike(kid, Member(gold, kid.Name), Member(filled, kid.Name))
			sum, leaves = sum+s, leaves+n
		}
	case schema.List:
		g, d := Items(gold), Items(filled)
		if len(g) == 0 && len(d) == 0 {
			return 0, 0
		}
		for _, p := range Lists(f, g, d) {
			s, n := alike(f.Item, item(g, p.Gold), item(d, p.Filled))
			sum, leaves = sum+s, leaves+n
		}
	default:
		switch {
		case Has(gold) && Has(filled):
			return likeness(f, gold, filled), 1
		case Has(gold) || Has(filled):
			return 0, 1
		}
	}
	return sum, leaves
}

func item(items []value.Value, i int) *value.Value {
	if i < 0 {
		return nil
	}
	return &items[i]
}

// Member gives the member of a group, or nil where there is no such group.
func Member(group *value.Value, name string) *value.Value { return group.Get(name) }

// Items gives the items of a list, or none where there is no list.
func Items(list *value.Value) []value.Value {
	if list == nil || list.Kind != value.Array {
		return nil
	}
	return list.Kids
}
