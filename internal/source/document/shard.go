package document

import (
	"fmt"
	"hash/fnv"
	"slices"
	"strconv"
	"strings"
)

// Shard is a part of a pile: the Kth of so many, by the hash of documents' names. The zero value is
// all of it.
type Shard struct{ K, Of int }

// mostShards bounds how many parts a pile may have.
const mostShards = 100_000

// ParseShard reads a part such as 3/64.
func ParseShard(text string) (Shard, error) {
	k, of, ok := strings.Cut(text, "/")
	a, err := strconv.Atoi(k)
	b, err2 := strconv.Atoi(of)
	if !ok || err != nil || err2 != nil || a < 1 || b < 2 || a > b || b > mostShards {
		return Shard{}, fmt.Errorf("a part is written such as 3/64, not %q", text)
	}
	return Shard{a, b}, nil
}

func (s Shard) String() string {
	if s.Of == 0 {
		return ""
	}
	return fmt.Sprintf("%d/%d", s.K, s.Of)
}

// Part keeps the documents of the part. The hash of a name is the same on every machine.
func (s Shard) Part(sources []Source) []Source {
	if s.Of == 0 {
		return sources
	}
	return slices.DeleteFunc(slices.Clone(sources), func(src Source) bool {
		h := fnv.New64a()
		_, _ = h.Write([]byte(src.ID))
		x := h.Sum64() // spread, since names differ little
		x ^= x >> 33
		x *= 0xff51afd7ed558ccd
		x ^= x >> 33
		return int(x%uint64(s.Of)) != s.K-1
	})
}
