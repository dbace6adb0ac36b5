package schema

import (
	"math"
	"slices"
	"strings"
	"unicode"

	"filler/internal/base/lang"
)

// Which options of a list a document may name is told by its words: an option whose value or other
// name stands there, whole or for the most part, each word as it is, but for figures that look like its
// letters, or but for one letter where it has five or more.

// MostCandidates is how many options of a list a request tells.
const MostCandidates = 40

// leastShare is the share of a name, its words weighed by how rare they are in the list, that has to
// stand in the document.
const leastShare = 0.6

// listWords are the words of a list.
type listWords struct {
	id     map[string]int32
	weight []float64          // by how few options have it
	near   map[string][]int32 // words by what is left of them without one letter
	of     [][]int32          // names by word
	names  []listName
}

type listName struct {
	option int32
	words  []int32
	whole  float64
}

func wordsIn(text string) []string {
	return strings.FieldsFunc(lang.PlainLetters(text), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) && !unicode.IsMark(r) })
}

func (x *listIndex) build() *listWords {
	w := &listWords{id: map[string]int32{}, near: map[string][]int32{}}
	count := []int{}
	for i := range x.options {
		o := &x.options[i]
		for j := -1; j < len(o.Also); j++ {
			text := o.Value
			if j >= 0 {
				text = o.Also[j]
			}
			name := listName{option: int32(i)}
			for _, word := range wordsIn(text) {
				n, known := w.id[word]
				if !known {
					n = int32(len(count))
					w.id[word], count, w.of = n, append(count, 0), append(w.of, nil)
				}
				if !slices.Contains(name.words, n) {
					name.words = append(name.words, n)
					count[n]++
				}
			}
			if len(name.words) == 0 {
				continue
			}
			if parts := wordsIn(text); len(parts) == 2 { // and the other way round
				joined := parts[0] + parts[1]
				n, known := w.id[joined]
				if !known {
					n = int32(len(count))
					w.id[joined], count, w.of = n, append(count, 0), append(w.of, nil)
				}
				count[n]++
				w.of[n] = append(w.of[n], int32(len(w.names)))
				w.names = append(w.names, listName{option: int32(i), words: []int32{n}})
			}
			for _, n := range name.words {
				w.of[n] = append(w.of[n], int32(len(w.names)))
			}
			w.names = append(w.names, name)
		}
	}
	w.weight = make([]float64, len(count))
	for n, c := range count {
		w.weight[n] = math.Log(1 + float64(len(x.options))/float64(c))
	}
	for i := range w.names {
		for _, n := range w.names[i].words {
			w.names[i].whole += w.weight[n]
		}
	}
	for word, n := range w.id {
		for _, key := range without(word) {
			w.near[key] = append(w.near[key], n)
		}
	}
	return w
}

// asLetters puts letters for the figures that OCR engines read in their place.
var asLetters = strings.NewReplacer("0", "o", "1", "l", "i", "l", "2", "z", "5", "s", "8", "b")

// without gives what a word is looked up by where it is not written as in the list: as letters,
// where it has any, and, of a long one, what is left of it without one of them.
func without(word string) (all []string) {
	if len(word) >= 3 && strings.IndexFunc(word, unicode.IsLetter) >= 0 {
		word = asLetters.Replace(word)
		all = append(all, word)
	}
	r := []rune(word)
	if len(r) < 5 || len(r) > 40 {
		return all
	}
	for i := range r {
		all = append(all, string(r[:i])+string(r[i+1:]))
	}
	return all
}

// Candidates gives the options of a list that a text may name, the likeliest first, at most
// MostCandidates; more tells that there are others.
func (r *Reference) Candidates(text string) (found []*Option, more bool) {
	x := r.index
	x.mu.Lock()
	if x.words == nil {
		x.words = x.build()
	}
	w := x.words
	x.mu.Unlock()
	stands := map[int32]bool{}
	seen := map[string]bool{}
	words := wordsIn(text)
	for i, word := range words[:max(0, len(words)-1)] { // also as one: Rot-Buche, Heron brook
		words = append(words, word+words[i+1])
	}
	for _, word := range words {
		if seen[word] {
			continue
		}
		seen[word] = true
		if n, known := w.id[word]; known {
			stands[n] = true
			continue
		}
		for _, key := range without(word) {
			for _, n := range w.near[key] {
				stands[n] = true
			}
		}
	}
	share := map[int32]float64{} // of each name
	for n := range stands {
		for _, name := range w.of[n] {
			share[name] += w.weight[n]
		}
	}
	type hit struct {
		option int32
		share  float64
		weight float64
	}
	named := map[int32]bool{} // the words of names that stand there whole
	for name, sum := range share {
		if n := w.names[name]; sum >= n.whole-1e-9 {
			for _, word := range n.words {
				named[word] = true
			}
		}
	}
	best := map[int32]hit{}
	for name, sum := range share {
		n := w.names[name]
		// What part of a name stands there says nothing of it, where all of that is a whole name's.
		if sum < n.whole-1e-9 && !slices.ContainsFunc(n.words, func(word int32) bool { return stands[word] && !named[word] }) {
			continue
		}
		h := hit{n.option, sum / n.whole, sum}
		if was, known := best[n.option]; h.share >= leastShare-1e-9 && (!known || h.share > was.share || h.share == was.share && h.weight > was.weight) {
			best[n.option] = h
		}
	}
	hits := make([]hit, 0, len(best))
	for _, h := range best {
		hits = append(hits, h)
	}
	slices.SortFunc(hits, func(a, b hit) int {
		switch {
		case math.Abs(a.share-b.share) > 1e-9:
			return sign(b.share - a.share)
		case math.Abs(a.weight-b.weight) > 1e-9:
			return sign(b.weight - a.weight)
		}
		return int(a.option - b.option)
	})
	for i, h := range hits {
		if i == MostCandidates {
			return found, true
		}
		found = append(found, &x.options[h.option])
	}
	return found, false
}

func sign(x float64) int {
	if x < 0 {
		return -1
	}
	return 1
}
