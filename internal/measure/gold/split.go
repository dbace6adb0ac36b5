package gold

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
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
// Within each stratum (all documents of one value of a fact; "" for all), and over all,
// the share is kept as nearly as whole groups allow, also where a group is of several
// strata: the largest groups are placed first, each where the shares so far are nearer to
// what they should be. Same input and seed, same split.
func Divide(ids []string, texts map[string]string, stratum func(id string) string, share float64, seed int64) Split {
	ids = append([]string(nil), ids...)
	sort.Strings(ids)
	s := Split{Of: map[string]string{}}
	groups := alike(ids, texts)
	for _, g := range groups {
		if len(g) > 1 {
			s.Alike = append(s.Alike, g)
		}
	}
	rng := rand.New(rand.NewPCG(uint64(seed), 0x51))
	rng.Shuffle(len(groups), func(i, j int) { groups[i], groups[j] = groups[j], groups[i] })
	sort.SliceStable(groups, func(i, j int) bool { return len(groups[i]) > len(groups[j]) })
	const all = "\x00"
	placed, test := map[string]float64{}, map[string]float64{}
	for _, g := range groups {
		in := map[string]float64{all: float64(len(g))}
		for _, id := range g {
			in[stratum(id)]++
		}
		toTest, toTune := 0.0, 0.0                          // how far off the shares are then
		for _, name := range slices.Sorted(maps.Keys(in)) { // in one order, so that sums are the same
			n := in[name]
			placed[name] += n
			off := test[name] - share*placed[name]
			toTest, toTune = toTest+(off+n)*(off+n), toTune+off*off
		}
		side := Tune
		if toTest < toTune {
			side = Test
			for name, n := range in {
				test[name] += n
			}
		}
		for _, id := range g {
			s.Of[id] = side
		}
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
