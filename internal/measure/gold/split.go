package gold

import (
	"fmt"
	"math/rand/v2"
	"sort"

	"filler/internal/source/document"
)

// alikeFrom is the likeness, by shingles, from which on two documents are nearly
// the same: one of them in each part would let the parts know each other.
const alikeFrom = 0.8

// Split is how a gold set falls into two parts.
type Split struct {
	Of    map[string]string // by document
	Alike [][]string        // documents that are nearly the same, and so stay together
}

// Divide splits documents into a tune and a test part, with about the given
// share in the test part. Documents that are nearly the same fall on one side.
// Within each stratum (all documents of one value of a fact; "" for all) the
// share is kept as nearly as whole groups allow. Same input and seed, same split.
func Divide(ids []string, texts map[string]string, stratum func(id string) string, share float64, seed int64) Split {
	ids = append([]string(nil), ids...)
	sort.Strings(ids)
	s := Split{Of: map[string]string{}}
	groups := alike(ids, texts)
	strata := map[string][][]string{}
	var names []string
	for _, g := range groups {
		if len(g) > 1 {
			s.Alike = append(s.Alike, g)
		}
		name := stratum(g[0])
		if strata[name] == nil {
			names = append(names, name)
		}
		strata[name] = append(strata[name], g)
	}
	sort.Strings(names)
	rng := rand.New(rand.NewPCG(uint64(seed), 0x51))
	carried := 0.0 // what earlier strata still owe to the test part
	for _, name := range names {
		list := strata[name]
		rng.Shuffle(len(list), func(i, j int) { list[i], list[j] = list[j], list[i] })
		n := 0
		for _, g := range list {
			n += len(g)
		}
		want := share*float64(n) + carried
		got := 0
		for _, g := range list {
			side := Tune
			if float64(got)+float64(len(g))/2 <= want {
				side, got = Test, got+len(g)
			}
			for _, id := range g {
				s.Of[id] = side
			}
		}
		carried = want - float64(got)
	}
	return s
}

// alike groups documents that are nearly the same, each group in order. Whoever is
// like one of a group belongs to it: no two that are alike are ever apart.
func alike(ids []string, texts map[string]string) [][]string {
	shingles := make([]document.Shingles, len(ids))
	for i, id := range ids {
		shingles[i] = document.NewShingles(texts[id])
	}
	head := make([]int, len(ids)) // of each document's group its first, by way of others
	first := func(i int) int {
		for head[i] != i {
			i = head[i]
		}
		return i
	}
	for i := range ids {
		head[i] = i
		for j := range i {
			if a, b := first(i), first(j); a != b && len(shingles[i]) > 0 && shingles[i].Likeness(shingles[j]) >= alikeFrom {
				head[max(a, b)] = min(a, b)
			}
		}
	}
	at := map[int]int{}
	var groups [][]string
	for i, id := range ids {
		n, ok := at[first(i)]
		if !ok {
			n = len(groups)
			at[first(i)] = n
			groups = append(groups, nil)
		}
		groups[n] = append(groups[n], id)
	}
	return groups
}

// Counted says how many documents fall into each part.
func (s Split) Counted() (tune, test int) {
	for _, p := range s.Of {
		if p == Test {
			test++
		} else {
			tune++
		}
	}
	return tune, test
}

func (s Split) String() string {
	tune, test := s.Counted()
	return fmt.Sprintf("%d tune, %d test", tune, test)
}
