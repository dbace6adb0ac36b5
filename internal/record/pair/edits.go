package pair

import (
	"strings"
	"unicode/utf8"
)

// edits gives the edit distance of two texts, in code points. It goes by whole columns of
// the table at once, 64 letters of the shorter in a word (Myers 1999, in the form of Hyyrö
// 2003), one word under the other where it is longer.
func edits(a, b string) int { return editsOf(a, b, isASCII(a) && isASCII(b)) }

func editsOf(a, b string, ascii bool) int {
	if len(a) > len(b) {
		a, b = b, a
	}
	switch {
	case a == "":
		return utf8.RuneCountInString(b)
	case len(a) == 1 && ascii:
		if strings.IndexByte(b, a[0]) >= 0 {
			return len(b) - 1
		}
		return len(b)
	case !ascii:
		return editsOfRunes([]rune(a), []rune(b))
	case len(a) > 64:
		return editsInWords(a, b)
	}
	var at [128]uint64 // for each letter the places of a where it stands
	for i := 0; i < len(a); i++ {
		at[a[i]] |= 1 << i
	}
	c := newColumn(len(a))
	for i := 0; i < len(b); i++ {
		c.next(at[b[i]], 1, 0)
	}
	return c.score
}

// column is one word of a column of the table: where the distance goes up from one
// letter to the next and where it goes down, and the distance at the last letter.
type column struct {
	up, down, last uint64
	score          int
}

func newColumn(letters int) column {
	return column{up: ^uint64(0), last: 1 << (letters - 1), score: letters}
}

// next goes to the next column. match has the letters that are as the column's; more and
// less, 1 or 0, say that the distance above the word goes up or down; so do what comes back
// for its last letter.
func (c *column) next(match, more, less uint64) (up, down uint64) {
	match0 := match | less
	diagonal := (((match0 & c.up) + c.up) ^ c.up) | match0 | c.down
	right := c.down | ^(diagonal | c.up)
	left := diagonal & c.up
	if right&c.last != 0 {
		c.score++
		up = 1
	}
	if left&c.last != 0 {
		c.score--
		down = 1
	}
	right = right<<1 | more
	left = left<<1 | less
	c.up = left | ^(diagonal | right)
	c.down = right & diagonal
	return up, down
}

// mostWords is how many words a column has that need no memory of their own.
const mostWords = 8

// editsInWords is editsOf for a text of more than 64 letters, all ASCII.
func editsInWords(a, b string) int {
	words := (len(a) + 63) / 64
	var few [mostWords]column
	columns := few[:]
	var fewAt [mostWords * 128]uint64
	at := fewAt[:]
	if words > mostWords {
		columns, at = make([]column, words), make([]uint64, words*128)
	}
	for i := 0; i < len(a); i++ {
		at[i/64*128+int(a[i])] |= 1 << (i % 64)
	}
	for w := range words {
		columns[w] = newColumn(min(64, len(a)-64*w))
	}
	for i := 0; i < len(b); i++ {
		more, less := uint64(1), uint64(0)
		for w := range words {
			more, less = columns[w].next(at[w*128+int(b[i])], more, less)
		}
	}
	return distanceIn(columns[:words])
}

// distanceIn gives the distance at the last letter: that of the last word, which counts on
// from those above.
func distanceIn(columns []column) int {
	last := len(columns) - 1
	return 64*last + columns[last].score
}

// editsOfRunes is editsOf for texts in any letters.
func editsOfRunes(a, b []rune) int {
	if len(a) > len(b) {
		a, b = b, a
	}
	if len(a) == 0 {
		return len(b)
	}
	words := (len(a) + 63) / 64
	number := make(map[rune]int, len(a)) // of each letter of a
	for _, r := range a {
		if _, known := number[r]; !known {
			number[r] = len(number)
		}
	}
	at := make([]uint64, words*(len(number)+1)) // the last for letters that a does not have
	for i, r := range a {
		at[number[r]*words+i/64] |= 1 << (i % 64)
	}
	columns := make([]column, words)
	for w := range words {
		columns[w] = newColumn(min(64, len(a)-64*w))
	}
	for _, r := range b {
		n, known := number[r]
		if !known {
			n = len(number)
		}
		more, less := uint64(1), uint64(0)
		for w := range words {
			more, less = columns[w].next(at[n*words+w], more, less)
		}
	}
	return distanceIn(columns)
}

func isASCII(s string) bool {
	for i := 0; i < len(s); i++ {
		if s[i] >= utf8.RuneSelf {
			return false
		}
	}
	return true
}
