package evidence

import (
	"strings"

	"filler/internal/base/lazy"
)

// Legends in one line without equals signs, as menus and timetables have them: v vegetarian · ve vegan · n nuts.

// legendPart is a sign with what it stands for; legendGap what may stand between the parts.
var (
	legendPart = lazy.New(`^\s*\(?([^\s\d=:()]{1,3})\)?[ \t]+(\pL[^=:()]{1,40}?)\s*$`)
	legendGap  = lazy.New(`[·•|;,]| {3,}|\t`)
)

// longestLegend is how long such a line is at most, and mostSought how many signs are looked for in a document: each
// costs a look through it.
const (
	longestLegend = 240
	mostSought    = 300
)

// legendLines gives the signs of such lines, as a pattern would: each where it stands, its sign, and what that stands
// for. Half of a line's signs at least stand in brackets, or after such, elsewhere.
func (w *weigher) legendLines() (all [][]int) {
	sought := 0
	for n := range len(w.ix.Breaks) + 1 {
		at := w.ix.LineSpan(n)
		line := w.ix.Source[at.Start:at.End]
		if len(line) > longestLegend || len(all) >= mostLegend || sought > mostSought {
			continue
		}
		ends := append(legendGap.FindAllStringIndex(line, -1), []int{len(line), len(line)})
		if len(ends) < 2 {
			continue
		}
		var parts [][]int
		from, used := 0, 0
		for _, end := range ends {
			m := legendPart.FindStringSubmatchIndex(line[from:end[0]])
			if m == nil {
				parts = nil
				break
			}
			for i := range m {
				m[i] += at.Start + from
			}
			if sought++; w.isBracketed(w.ix.Source[m[2]:m[3]], at) {
				used++
			}
			parts, from = append(parts, m), end[1]
		}
		if used > 0 && 2*used >= len(parts) {
			all = append(all, parts...)
		}
	}
	return all
}

// isBracketed tells whether a sign stands in brackets outside of a line: (n), (ve, n).
func (w *weigher) isBracketed(sign string, outside span) bool {
	for from := 0; ; {
		i := strings.Index(w.ix.Source[from:], sign)
		if i < 0 {
			return false
		}
		start := from + i
		end := start + len(sign)
		from = end
		if start >= outside.Start && end <= outside.End {
			continue
		}
		before := strings.TrimRight(w.ix.Source[max(0, start-8):start], " ")
		behind := strings.TrimLeft(w.ix.Source[end:min(len(w.ix.Source), end+8)], " ")
		if before != "" && behind != "" && strings.IndexByte("(,/", before[len(before)-1]) >= 0 && strings.IndexByte("),/", behind[0]) >= 0 && (before[len(before)-1] == '(' || behind[0] == ')') {
			return true
		}
	}
}
