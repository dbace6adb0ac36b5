package evidence

import (
	"fmt"
	"slices"
	"strings"

	"filler/internal/schema"
)

// Whole numbers of an item that stand in one word of figures, each with as many: 020482 for bay 2, row 4, tier 82.

// widestJoined is how many figures each of such numbers has at most.
const widestJoined = 3

// joined gives the numbers of an item that stand nowhere, one behind the other in the order of their fields, their
// places in such a word: all together, or none.
func (w *weigher) joined(it *item) {
	for _, list := range it.lists {
		for _, kid := range list {
			w.joined(kid)
		}
	}
	home := w.homeOf(it)
	if home < 0 {
		home, _ = w.nameLine(it)
	}
	for from := 0; from < len(it.leaves); from++ {
		to := from
		for to < len(it.leaves) && w.mayBeJoined(it.leaves[to]) {
			to++
		}
		for ; to-from > 1; to-- {
			if w.joinedAs(it.leaves[from:to], home) {
				from = to
				break
			}
		}
	}
}

// mayBeJoined tells a whole number that is not below nought and of no more figures than such ones have.
func (w *weigher) mayBeJoined(l *leaf) bool {
	return l.f.Type == schema.Integer && l.fixed == nil && len(l.value) <= widestJoined && strings.Trim(l.value, "0123456789") == ""
}

// joinedAs does so for some numbers, in the line of their item where that is known; false where they stand in no word.
func (w *weigher) joinedAs(leaves []*leaf, home int) bool {
	missing := false
	for _, l := range leaves {
		missing = missing || !w.places[l.path].Found()
	}
	for width := 2; missing && width <= widestJoined; width++ {
		var b strings.Builder
		for _, l := range leaves {
			fmt.Fprintf(&b, "%0*s", width, l.value)
		}
		if b.Len() != width*len(leaves) {
			continue
		}
		at := w.ix.ByWord[b.String()]
		k := slices.IndexFunc(at, func(i int) bool { return home < 0 || w.ix.LineOf(w.ix.Tokens[i].Start) == home })
		if k < 0 {
			continue
		}
		start := w.ix.Tokens[at[k]].Start
		for i, l := range leaves {
			w.restate(l, between(start+i*width, start+(i+1)*width))
		}
		return true
	}
	return false
}
