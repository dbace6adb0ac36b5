package evidence

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Lines and stretches of a document that may be items which were left out whole.

// tellingTypes are the types whose forms tell an item.
var tellingTypes = []schema.Type{schema.Date, schema.DateTime, schema.Time, schema.Money, schema.Quantity}

// items gives the lines that may be items of lists: no value came from them, they have words,
// and something in the form of a field that all items have which were read.
func (l *leaving) items() (lines []Line) {
	if l.s.EachEntry() {
		return nil
	}
	for _, list := range l.s.Root.Fields {
		if list.Type != schema.List || list.Item == nil || list.Item.Type != schema.Group {
			continue
		}
		items := l.record.Get(list.Name)
		if items == nil || len(items.Kids) == 0 {
			lines = append(lines, l.whole(list)...)
			continue
		}
		var filled []*schema.Field
		for _, f := range list.Item.Fields {
			if f.IsLeaf() && slices.Contains(tellingTypes, f.Kin().Type) && !slices.ContainsFunc(items.Kids, func(item value.Value) bool { return item.Get(f.Name).Empty() }) {
				filled = append(filled, f)
			}
		}
		found := map[int]Line{}
		for _, left := range l.all {
			n := l.w.ix.LineOf(left.Start)
			if _, known := found[n]; known || len(l.claims[n]) > 0 || !l.mayBeItem(left) || !slices.ContainsFunc(filled, left.fits) || l.amongSingle(n) {
				continue
			}
			found[n] = l.line(left, l.called(list), "")
		}
		if len(found) <= max(mostLeft, 2*len(items.Kids)) {
			for _, n := range slices.Sorted(maps.Keys(found)) {
				lines = append(lines, found[n])
			}
		}
	}
	return lines
}

// amongSingle tells whether values that stand in no list come from the lines above and below one: a rounding between
// the tax and the total is no item.
func (l *leaving) amongSingle(n int) bool {
	single := func(step int) bool {
		at := n + step
		for skipped := 0; at >= 0 && at <= len(l.w.ix.Breaks) && (l.w.ix.Line(at+1) == "" || len(l.claims[at]) == 0 && skipped < mostAmong); at += step {
			if l.w.ix.Line(at+1) != "" {
				skipped++
			}
		}
		return len(l.leaves[at]) > 0 && !slices.ContainsFunc(l.leaves[at], func(p value.Pointer) bool { return l.itemOf(p) != "" })
	}
	return single(-1) && single(1)
}

// mostAmong is how many lines from which nothing came may stand between such ones.
const mostAmong = 2

// whole gives lines that may be the items of a list that has none: several that stand one below the
// other, each with words and something in the form of a field, or the rows of a table.
func (l *leaving) whole(list *schema.Field) []Line {
	named := func(f *schema.Field) bool { return f.Type == schema.Text || f.Type == schema.Choice }
	if !slices.ContainsFunc(list.Item.Fields, named) {
		return nil
	}
	for _, f := range list.Item.Fields {
		least := fewestRows
		if slices.Contains(tellingTypes, f.Kin().Type) {
			least = 2
		}
		if lines := l.runOf(list, least, fitting(f)); lines != nil {
			return lines
		}
	}
	one := func(o leftover) bool { return slices.ContainsFunc(list.Item.Fields, o.fits) }
	if lines := l.runOf(list, fewestRows, one); lines != nil || len(list.Item.Fields) < fewestRows {
		return lines
	}
	return l.table(list)
}

// fewestRows is how many rows tell a list, where the form of their values tells little.
const fewestRows = 3

func fitting(f *schema.Field) func(leftover) bool { return func(o leftover) bool { return o.fits(f) } }

// runOf gives the first lines of a run of them in which something fits.
func (l *leaving) runOf(list *schema.Field, least int, fits func(leftover) bool) (lines []Line) {
	var run []leftover
	next := 0 // the line that goes on with the run
	for _, o := range l.all {
		n := l.w.ix.LineOf(o.Start)
		if len(run) > 0 && n == next-1 || !fits(o) {
			continue
		}
		for next < n && l.w.ix.Line(next+1) == "" {
			next++
		}
		if n != next || len(l.claims[n]) > 0 || !l.mayBeItem(o) {
			if len(run) >= least {
				break
			}
			run = run[:0]
		}
		if len(l.claims[n]) == 0 && l.mayBeItem(o) {
			run, next = append(run, o), n+1
		}
	}
	if len(run) < least {
		return nil
	}
	for _, o := range run[:min(len(run), mostLeft)] {
		lines = append(lines, l.line(o, l.called(list), ""))
	}
	return lines
}

// table gives the first rows of a table of which nothing was read.
func (l *leaving) table(list *schema.Field) (lines []Line) {
	ix := l.w.ix
	first := 0
	for n := range len(ix.Breaks) + 2 {
		if n <= len(ix.Breaks) && l.isFree(ix.LineSpan(n)) && len(l.cellsAt(n)) >= fewestRows {
			continue
		}
		if n-first > fewestRows { // with its head
			for at := first + 1; at < min(n, first+1+mostLeft); at++ {
				s := ix.LineSpan(at)
				lines = append(lines, l.line(leftover{span: s}, l.called(list), ""))
			}
			return lines
		}
		first = n + 1
	}
	return nil
}

// mayBeItem tells whether a line says more than what was left over in it, and is no sum.
func (l *leaving) mayBeItem(left leftover) bool {
	n := l.w.ix.LineOf(left.Start)
	at := l.w.ix.LineSpan(n)
	before := strings.TrimSpace(l.w.ix.Source[at.Start:max(at.Start, left.Start)])
	rest := before + l.w.ix.Source[left.End:max(left.End, at.End)]
	return letters(rest) >= 3 && !headsSums(before)
}

// stretch is a run of lines, from 0, both counted in.
type stretch struct{ first, last int }

// stretches gives the parts of a document of many entries that no value came from, which
// are as long as its entries are and have as much in the form of values: an entry that was
// left out.
func (l *leaving) stretches() (lines []Line) {
	entries := l.extents()
	if len(entries) == 0 {
		return nil
	}
	var sizes []int
	for _, e := range entries {
		sizes = append(sizes, l.nonblank(e))
	}
	slices.Sort(sizes)
	least := max(2, (sizes[len(sizes)/2]+1)/2)
	next := 0
	for _, e := range append(entries, stretch{len(l.w.ix.Breaks) + 1, 0}) {
		if free := (stretch{next, e.first - 1}); l.nonblank(free) >= least && l.tells(free) {
			for l.w.ix.Line(free.first+1) == "" {
				free.first++
			}
			start, end := l.w.ix.LineSpan(free.first).Start, l.w.ix.LineSpan(free.last).End
			lines = append(lines, Line{Start: start, End: end, Line: free.first + 1, Field: schema.Wrapper, Text: strings.Join(strings.Fields(l.w.ix.Line(free.first+1)), " "), Left: true})
		}
		next = max(next, e.last+1)
	}
	return lines
}

// extents gives the lines of each entry, from the first to the last that a value of it
// stands in, in order.
func (l *leaving) extents() []stretch {
	by := map[value.Pointer]stretch{}
	for p, at := range l.places {
		if !at.Found() || !l.s.EachEntry() || len(p.Steps()) == 0 {
			continue
		}
		entry := value.Pointer("").Key(p.Steps()[0])
		s, known := by[entry]
		if n := l.w.ix.LineOf(at.Start); !known {
			by[entry] = stretch{n, n}
		} else {
			by[entry] = stretch{min(s.first, n), max(s.last, n)}
		}
	}
	all := slices.Collect(maps.Values(by))
	slices.SortFunc(all, func(a, b stretch) int { return cmp.Or(a.first-b.first, a.last-b.last) })
	return all
}

func (l *leaving) nonblank(s stretch) (n int) {
	for at := s.first; at <= s.last; at++ {
		if l.w.ix.Line(at+1) != "" {
			n++
		}
	}
	return n
}

// tells tells whether a stretch has several things in the form of values.
func (l *leaving) tells(s stretch) bool {
	n := 0
	for _, left := range l.within(between(l.w.ix.LineSpan(s.first).Start, l.w.ix.LineSpan(s.last).End)) {
		if left.form != aText && left.form != aCount {
			n++
		}
	}
	return n > 1
}
