package evidence

import (
	"slices"
	"strings"
	"unicode"

	"filler/internal/schema"
)

// Documents that speak of all items of a list several times, section by section: what was seen of A, B and C, then
// what was found in A, B and C. Each item has a stretch in every section.

// mostInSections is how many items a list has at most that sections are looked for in.
const mostInSections = 60

// headed is a line that begins with what an item is called.
type headed struct{ line, item int }

// inSections gives the items of a list the stretches that begin with what they are called, where those come in their
// order at least twice; false where they don't.
func (w *weigher) inSections(items []*item, within region) bool {
	if len(items) < 2 || len(items) > mostInSections || items[0].parent != w.root || w.all.EachEntry() { // of other entries as well
		return false
	}
	var heads []headed
	for i, it := range items {
		lines := w.linesCalled(it, within)
		if len(lines) < 2 {
			return false
		}
		for _, line := range lines {
			heads = append(heads, headed{line, i})
		}
	}
	slices.SortFunc(heads, func(a, b headed) int { return a.line - b.line })
	if len(heads) != len(items)*(len(heads)/len(items)) {
		return false
	}
	for k, h := range heads { // A B C, A B C
		if h.item != heads[k%len(items)].item || k > 0 && h.line == heads[k-1].line {
			return false
		}
	}
	stretches := w.stretchesFrom(heads, len(items), within)
	if !w.areFilled(items, heads, stretches) {
		return false
	}
	for k, h := range heads {
		r := stretches[k]
		if it := items[h.item]; it.region == nil {
			it.region = &r
		} else {
			it.region.later = append(it.region.later, r)
		}
	}
	for _, it := range items {
		it.row = items
	}
	return true
}

// stretchesFrom gives where each of these lines goes on: to the next one, and the last of a section to an empty line.
func (w *weigher) stretchesFrom(heads []headed, items int, within region) (all []region) {
	for k, h := range heads {
		r := region{Start: w.ix.LineSpan(h.line).Start, End: within.End}
		if k+1 < len(heads) {
			r.End = w.ix.LineSpan(heads[k+1].line).Start
		}
		if end := strings.Index(w.ix.Source[r.Start:r.End], "\n\n"); end >= 0 && (k+1)%items == 0 {
			r.End = r.Start + end
		}
		all = append(all, r)
	}
	return all
}

// areFilled tells whether half of the items at least may have another value than their name in each of two sections.
func (w *weigher) areFilled(items []*item, heads []headed, stretches []region) bool {
	filled := map[int]int{}
	for k, h := range heads {
		n := 0 // with its name
		for _, l := range items[h.item].leaves {
			if len(stretches[k].of(l.cands)) > 0 {
				n++
			}
		}
		if n > 1 {
			filled[k/len(items)]++
		}
	}
	sections := 0
	for _, n := range filled {
		if 2*n >= len(items) {
			sections++
		}
	}
	return sections > 1
}

// linesCalled gives the lines that begin with an item's key, or its first text, with a stop, a bracket, a
// colon, a dash or a wide gap behind it.
func (w *weigher) linesCalled(it *item, within region) (lines []int) {
	name := slices.IndexFunc(it.leaves, func(l *leaf) bool { _, isKey := w.heads[l.f]; return isKey })
	if name < 0 {
		name = slices.IndexFunc(it.leaves, func(l *leaf) bool { return l.f.Kin().Type == schema.Text })
	}
	if name < 0 {
		return nil
	}
	l := it.leaves[name]
	cands := within.of(l.cands)
	if len(cands) > maxPlaces || !strings.ContainsFunc(l.value, unicode.IsLetter) { // there are other numbered lists
		return nil
	}
	for _, c := range cands {
		line := w.ix.LineOf(c.Start)
		row, start, end := w.ix.rowAt(line)
		before := strings.TrimLeft(w.ix.Source[start:c.Start], " \t*•·–-#")
		if len(row) > longestLine || before != "" && !w.isLabel(l.f, before) {
			continue
		}
		behind := w.ix.Source[min(c.End, end):end]
		if strings.TrimSpace(behind) == "" || strings.ContainsAny(behind[:1], ".):,") || strings.HasPrefix(behind, " – ") || strings.HasPrefix(behind, " - ") || strings.HasPrefix(behind, "  ") {
			lines = append(lines, line)
		}
	}
	slices.Sort(lines)
	return slices.Compact(lines)
}

// sectionsOf tells by its number the item of a list whose stretches hold a place, -1 for none; nil where the items
// have no such stretches.
func sectionsOf(h *homes) units {
	for _, it := range h.list {
		if it.region == nil || it.region.later == nil {
			return nil
		}
	}
	return func(at int) int {
		return slices.IndexFunc(h.list, func(it *item) bool { return it.region.holds(between(at, at+1)) })
	}
}
