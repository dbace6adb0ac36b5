package invent

import (
	"hash/fnv"
	"strings"
)

// shingle is how many words in a row two texts are compared by.
const shingle = 4

// Alikeness keeps how alike texts are outside of their values: of all runs of four words
// of two texts, the share that both have (Jaccard's index, by Broder's shingles, 1997).
type Alikeness struct {
	seen    []map[uint64]bool
	frames  map[string]int // texts that are the same but for their values
	Nearest []float64      // of each text, to the nearest before it
}

// shingles gives the runs of words of a text.
func shingles(text string) map[uint64]bool {
	words := strings.Fields(strings.ToLower(text))
	all := map[uint64]bool{}
	for i := 0; i == 0 || i+shingle <= len(words); i++ {
		h := fnv.New64a()
		for _, w := range words[i:min(i+shingle, len(words))] {
			h.Write([]byte(w))
			h.Write([]byte{0})
		}
		all[h.Sum64()] = true
	}
	return all
}

// To gives how alike a text is to the nearest of those that were added.
func (a *Alikeness) To(text string) float64 {
	own, nearest := shingles(text), 0.0
	for _, other := range a.seen {
		if small, large := min(len(own), len(other)), max(len(own), len(other)); float64(small)/float64(large) <= nearest {
			continue // it can't be nearer
		}
		both := 0
		for s := range own {
			if other[s] {
				both++
			}
		}
		nearest = max(nearest, float64(both)/float64(len(own)+len(other)-both))
	}
	return nearest
}

// Add adds a text, and gives how alike it is to the nearest before it.
func (a *Alikeness) Add(text string) float64 {
	if a.frames == nil {
		a.frames = map[string]int{}
	}
	a.frames[strings.Join(strings.Fields(text), " ")]++
	nearest := a.To(text)
	a.Nearest = append(a.Nearest, nearest)
	if nearest < 1 {
		a.seen = append(a.seen, shingles(text))
	}
	return nearest
}

// Different counts the texts that differ in more than their values.
func (a *Alikeness) Different() int { return len(a.frames) }

// Histogram counts texts by how alike they are to the nearest before them: ten steps.
func (a *Alikeness) Histogram() (of [10]int) {
	for _, n := range a.Nearest {
		of[min(int(n*10), 9)]++
	}
	return of
}
