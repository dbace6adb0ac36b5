package layout

import (
	"cmp"
	"slices"
	"unicode"
	"unicode/utf8"
)

// Pages whose lines run from top to bottom, the first line at the right, as Chinese
// and Japanese are set.

// isUpright tells a letter of a script that is set so.
func isUpright(r rune) bool {
	return unicode.In(r, unicode.Han, unicode.Hiragana, unicode.Katakana, unicode.Hangul, unicode.Bopomofo) || r >= 0x3000 && r <= 0x303f || r >= 0xff00 && r <= 0xff60 || r == 'ー'
}

// isUprightWord tells a word of such letters alone.
func isUprightWord(w *Word) bool {
	for _, r := range w.Text {
		if !isUpright(r) {
			return false
		}
	}
	return w.Text != ""
}

// leastUpright is how many words of such letters a page has at least that is read
// from top to bottom.
const leastUpright = 8

// fallen gives the words of a page that is set from top to bottom, those of a line that
// touch made one; nil where the page is not set so. It is where most words of
// one letter or two have their next one right below, and few right beside, or
// where an engine gives most of them as tall boxes.
func fallen(words []Word) []Word {
	var short []*Word
	tall, all := 0, 0
	for i := range words {
		w := &words[i]
		if !isUprightWord(w) {
			continue
		}
		all++
		width, height := w.Box[2]-w.Box[0], w.Box[3]-w.Box[1]
		switch n := utf8.RuneCountInString(w.Text); {
		case n <= 2:
			short = append(short, w)
		case height >= width*2:
			tall++
		}
	}
	if all < leastUpright || all*2 < len(words) {
		return nil
	}
	next := underneath(short)
	beside := besides(short)
	switch {
	case tall*2 > all:
		return words
	case len(short)*3 < all*2 || len(next)*5 < len(short)*3 || len(next) < 2*beside:
		return nil
	}
	return joined(words, next)
}

// underneath gives, for words of a letter or two, the word that goes on right below.
func underneath(short []*Word) map[*Word]*Word {
	order := slices.Clone(short)
	slices.SortFunc(order, func(a, b *Word) int { return cmp.Or(cmp.Compare(a.Box[0], b.Box[0]), cmp.Compare(a.Box[1], b.Box[1])) })
	next := map[*Word]*Word{}
	for i, a := range order {
		em := emOfWord(a)
		best := 0
		for j := i - 1; j >= 0 && order[j].Box[0] >= a.Box[0]-em; j-- {
			best = nearer(next, a, order[j], best)
		}
		for j := i + 1; j < len(order) && order[j].Box[0] <= a.Box[2]; j++ {
			best = nearer(next, a, order[j], best)
		}
	}
	return next
}

// nearer notes b as the one below a, if it stands in its line and nearer than what
// was noted so far.
func nearer(next map[*Word]*Word, a, b *Word, best int) int {
	gap := b.Box[1] - a.Box[3]
	centre := (a.Box[0]+a.Box[2])/2 - (b.Box[0]+b.Box[2])/2
	em := max(emOfWord(a), emOfWord(b))
	if b.Box[1] <= a.Box[1] || gap > em*6/10 || max(centre, -centre) > em*6/10 {
		return best
	}
	if next[a] == nil || gap < best {
		next[a] = b
		return gap
	}
	return best
}

// besides counts the words that have one right beside them.
func besides(short []*Word) (n int) {
	order := slices.Clone(short)
	slices.SortFunc(order, func(a, b *Word) int { return cmp.Or(cmp.Compare(a.Box[1], b.Box[1]), cmp.Compare(a.Box[0], b.Box[0])) })
	for i, a := range order {
		em := emOfWord(a)
		for j := i + 1; j < len(order) && order[j].Box[1] <= a.Box[3]; j++ {
			if gap := order[j].Box[0] - a.Box[2]; gap >= -em/4 && gap < em*3/10 {
				n++
				break
			}
		}
	}
	return n
}

// emOfWord is about how large the letters of a short word are.
func emOfWord(w *Word) int {
	return max(w.Box[2]-w.Box[0], (w.Box[3]-w.Box[1])/max(utf8.RuneCountInString(w.Text), 1), 1)
}

// joined makes one word of each run of words that go on below.
func joined(words []Word, next map[*Word]*Word) []Word {
	follows := map[*Word]bool{}
	for a, b := range next {
		if follows[b] { // two claim it: the line is told by the first
			delete(next, a)
		}
		follows[b] = true
	}
	var out []Word
	for i := range words {
		w := &words[i]
		if follows[w] {
			continue
		}
		whole := *w
		for at, n := next[w], 0; at != nil && n < len(words); at, n = next[at], n+1 {
			whole.Text += at.Text
			whole.Box = whole.Box.Union(at.Box)
			whole.Confidence = min(whole.Confidence, at.Confidence)
		}
		out = append(out, whole)
	}
	return out
}

// lay turns the boxes of a page that is set from top to bottom, so that its lines run
// from left to right, the first one above.
func lay(items []item, width int) {
	for i := range items {
		it := &items[i]
		it.x0, it.y0, it.x1, it.y1 = it.y0, float64(width)-it.x1, it.y1, float64(width)-it.x0
	}
}
