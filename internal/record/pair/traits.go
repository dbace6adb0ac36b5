package pair

import (
	"cmp"
	"slices"
	"strings"
	"unicode/utf8"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// traits are what an item can share with another: hashes of its values, each with its
// field, of the words of its texts and of three letters in them that follow each other, of
// all its values but one, and of any two of them.
type traits struct{ values, words, letters, butOne, pairs []uint64 }

// most is of how many values all but one, and any two, are taken.
const most = 12

func traitsOf(n *node) (t traits) {
	t.gather(n)
	if k := len(t.values); k > 2 && k <= 2*most {
		sum := uint64(k)
		for _, v := range t.values {
			sum += mixed(v)
		}
		for _, v := range t.values {
			t.butOne = append(t.butOne, mixed(sum-mixed(v)))
		}
	}
	for i := range t.values[:min(most, len(t.values))] {
		for j := range i {
			t.pairs = append(t.pairs, mixed(t.values[i])+mixed(t.values[j]))
		}
	}
	return t
}

func (t *traits) gather(n *node) {
	switch {
	case len(n.text) == 0:
	case n.kids != nil:
		for i := range n.kids {
			t.gather(&n.kids[i])
		}
	case n.leaves > 0:
		field := hashed(offset, n.f.Path)
		text := n.text
		if k := n.f.Compare.Kind; n.v.Kind == value.String && (k == "loose" || k == "set" || k == "similar") {
			text = nil
			words := plainWords(n.v.Text)
			if k == "set" {
				slices.Sort(words)
			}
			for _, w := range words {
				text = append(append(text, w...), ' ')
			}
		}
		t.values = append(t.values, hashed(field, text))
		if n.v.Kind == value.String && n.f.Type == schema.Text {
			for _, w := range plainWords(n.v.Text) {
				t.words = append(t.words, hashed(field+1, w))
			}
			t.gatherLetters(field+2, n.v.Text)
		}
	}
}

// mostLetters is of how many letters of a text those that follow each other are taken.
const mostLetters = 60

func (t *traits) gatherLetters(field uint64, text string) {
	text = strings.ToLower(text)
	before, last := -1, -1 // where the two letters before begin
	n := 0
	for at, r := range text {
		if before >= 0 {
			t.letters = append(t.letters, hashed(field, text[before:at+utf8.RuneLen(r)]))
		}
		before, last = last, at
		if n++; n > mostLetters {
			return
		}
	}
}

// offset is where a hash begins (FNV-1a).
const offset = 1469598103934665603

// hashed goes on with a hash.
func hashed[T string | []byte](h uint64, text T) uint64 {
	for i := range len(text) {
		h = (h ^ uint64(text[i])) * 1099511628211
	}
	return h
}

// mixed spreads a hash (the finish of MurmurHash3).
func mixed(h uint64) uint64 {
	h = (h ^ h>>33) * 0xff51afd7ed558ccd
	h = (h ^ h>>33) * 0xc4ceb9fe1a85ec53
	return h ^ h>>33
}

// posting is an item that has a trait.
type posting struct {
	trait uint64
	item  int32
}

// index is who has a trait, in the order of the items.
type index struct {
	all []posting
	at  map[uint64][2]int32 // where the postings of a trait stand
}

func indexOf(items []traits, of func(t *traits) []uint64) index {
	n := 0
	for i := range items {
		n += len(of(&items[i]))
	}
	ix := index{all: make([]posting, 0, n)}
	for i := range items {
		for _, h := range of(&items[i]) {
			ix.all = append(ix.all, posting{h, int32(i)})
		}
	}
	slices.SortFunc(ix.all, func(a, b posting) int {
		if a.trait != b.trait {
			return cmp.Compare(a.trait, b.trait)
		}
		return cmp.Compare(a.item, b.item)
	})
	ix.all = slices.Compact(ix.all)
	ix.at = make(map[uint64][2]int32, len(ix.all)/2)
	for from := 0; from < len(ix.all); {
		to := from + 1
		for to < len(ix.all) && ix.all[to].trait == ix.all[from].trait {
			to++
		}
		ix.at[ix.all[from].trait] = [2]int32{int32(from), int32(to)}
		from = to
	}
	return ix
}

func (ix index) having(trait uint64) []posting {
	at := ix.at[trait]
	return ix.all[at[0]:at[1]]
}

// rankIn gives where an item stands among those that have a trait.
func (ix index) rankIn(trait uint64, item int32) (rank, of int) {
	all := ix.having(trait)
	rank, _ = slices.BinarySearchFunc(all, item, func(p posting, i int32) int { return cmp.Compare(p.item, i) })
	return rank, len(all)
}
