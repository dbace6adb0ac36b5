package pair

import (
	"strings"
	"unicode/utf8"

	"github.com/agext/levenshtein"
)

// edits gives the edit distance of two texts, in code points. Where the shorter
// has at most 64 bytes and both are ASCII it goes by whole columns of the table
// at once (Myers 1999, in the form of Hyyrö 2003); else the library counts.
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
	case len(a) > 64 || !ascii:
		return levenshtein.Distance(a, b, nil)
	}
	var at [128]uint64 // for each letter the places of a where it stands
	for i := 0; i < len(a); i++ {
		at[a[i]] |= 1 << i
	}
	up, down, score, last := ^uint64(0), uint64(0), len(a), uint64(1)<<(len(a)-1)
	for i := 0; i < len(b); i++ {
		match := at[b[i]]
		diagonal := (((match & up) + up) ^ up) | match | down
		right := down | ^(diagonal | up)
		left := diagonal & up
		if right&last != 0 {
			score++
		}
		if left&last != 0 {
			score--
		}
		right = right<<1 | 1
		left <<= 1
		up = left | ^(diagonal | right)
		down = right & diagonal
	}
	return score
}

func isASCII(s string) bool {
	for i := 0; i < len(s); i++ {
		if s[i] >= utf8.RuneSelf {
			return false
		}
	}
	return true
}
