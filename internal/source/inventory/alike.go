package inventory

import (
	"cmp"
	"encoding/binary"
	"math"
	"slices"
	"unicode"
	"unicode/utf8"

	"filler/internal/source/document"
)

// Texts that are nearly the same are found without a look at all pairs: of the runs of five words
// that a text has (its shingles), the least of 64 different hashes is kept, and of two texts the share
// of hashes in which these agree is about the share of shingles that they have in common (Broder
// 1997). Texts that agree in four of them in a row are looked at (locality-sensitive hashing, Indyk
// and Motwani 1998).

const (
	parts    = 64
	rowsOf   = 4  // parts in a row that bring two texts together
	mostBack = 64 // texts that a further one is compared with, where so many agree in the same parts
	runOf    = 5  // words
)

type signature [parts]uint16

// salts are odd factors that make one hash many.
var salts = func() (list [parts]uint64) {
	for i := range list {
		list[i] = mixed(uint64(i)+1) | 1
	}
	return list
}()

// signed gives the signature of a text; nil for one without words.
func signed(text string) *signature {
	var least [parts]uint64
	for i := range least {
		least[i] = math.MaxUint64
	}
	var words [runOf]uint64
	n := 0
	add := func(run []uint64) {
		h := uint64(14695981039346656037)
		for _, w := range run {
			h = mixed(h ^ w)
		}
		for i := range least {
			least[i] = min(least[i], h*salts[i])
		}
	}
	eachWord(text, func(w uint64) {
		words[n%runOf] = w
		if n++; n >= runOf {
			var run [runOf]uint64
			for i := range run {
				run[i] = words[(n+i)%runOf]
			}
			add(run[:])
		}
	})
	switch {
	case n == 0:
		return nil
	case n < runOf:
		add(words[:n])
	}
	s := &signature{}
	for i := range least {
		s[i] = uint16(mixed(least[i]) >> 48)
	}
	return s
}

// mixed spreads a hash (the finisher of MurmurHash3).
func mixed(h uint64) uint64 {
	h ^= h >> 33
	h *= 0xff51afd7ed558ccd
	h ^= h >> 33
	h *= 0xc4ceb9fe1a85ec53
	return h ^ h>>33
}

// eachWord gives the hashes of the words of a text, in small letters.
func eachWord(text string, do func(h uint64)) {
	const start = 14695981039346656037
	h, within := uint64(start), false
	for i := 0; i < len(text); {
		c := text[i]
		if c < utf8.RuneSelf {
			i++
			switch {
			case c >= 'A' && c <= 'Z':
				c |= 0x20
			case c >= 'a' && c <= 'z' || c >= '0' && c <= '9':
			default:
				if within {
					do(h)
				}
				h, within = start, false
				continue
			}
			h, within = (h^uint64(c))*1099511628211, true
			continue
		}
		r, size := utf8.DecodeRuneInString(text[i:])
		i += size
		if !unicode.IsLetter(r) && !unicode.IsDigit(r) {
			if within {
				do(h)
			}
			h, within = start, false
			continue
		}
		h, within = (h^uint64(unicode.ToLower(r)))*1099511628211, true
	}
	if within {
		do(h)
	}
}

// alike gives the share of parts in which two signatures agree.
func (s *signature) alike(o *signature) float64 {
	n := 0
	for i := range s {
		if s[i] == o[i] {
			n++
		}
	}
	return float64(n) / parts
}

// findSame says of each document which earlier one it is the same as, or nearly.
func findSame(rows []Row) {
	first := map[[16]byte]int{}
	var own []int32 // the documents that have a text, each text once
	for i := range rows {
		r := &rows[i]
		if r.State == Encrypted || r.State == Unreadable {
			continue
		}
		if n, known := first[r.hash]; known {
			r.SameAs, r.sign = rows[n].ID, nil
			continue
		}
		if first[r.hash] = i; r.sign != nil {
			own = append(own, int32(i))
		}
	}
	near := make([]int32, len(rows)) // the first that it is nearly the same as; itself: none
	for i := range near {
		near[i] = int32(i)
	}
	type entry struct {
		key uint64
		at  int32
	}
	list := make([]entry, len(own))
	for b := range parts / rowsOf {
		for n, i := range own {
			list[n] = entry{rows[i].sign.band(b), i}
		}
		slices.SortFunc(list, func(x, y entry) int { return cmp.Or(cmp.Compare(x.key, y.key), cmp.Compare(x.at, y.at)) })
		for from := 0; from < len(list); {
			to := from
			for to < len(list) && list[to].key == list[from].key {
				to++
			}
			for n := from + 1; n < to; n++ {
				for back := n - 1; back >= max(from, n-mostBack); back-- {
					if i, j := list[back].at, list[n].at; rows[i].sign.alike(rows[j].sign) >= document.NearDuplicate {
						join(near, i, j)
						break
					}
				}
			}
			from = to
		}
	}
	for i := range rows {
		at := rootOf(near, int32(i))
		if rows[i].sign = nil; at != int32(i) {
			rows[i].NearTo = rows[at].ID
		}
	}
}

// join puts two documents together: both are then nearly the same as the first of all with them.
func join(near []int32, i, j int32) {
	a, b := rootOf(near, i), rootOf(near, j)
	near[max(a, b)] = min(a, b)
}

func rootOf(near []int32, i int32) int32 {
	for near[i] != i {
		near[i] = near[near[i]]
		i = near[i]
	}
	return i
}

func (s *signature) band(b int) uint64 {
	var key [8]byte
	for i := range rowsOf {
		binary.LittleEndian.PutUint16(key[2*i:], s[b*rowsOf+i])
	}
	return binary.LittleEndian.Uint64(key[:])
}
