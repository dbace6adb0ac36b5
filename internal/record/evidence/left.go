package evidence

import (
	"maps"
	"slices"
	"sort"
	"strings"
	"unicode"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/record/normalize"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// What was left over: a field has no value, and the document says something that has the
// form of one and that no value came from; or it has one that stands nowhere, while the
// document says another in so many words. It may be of no field, so it is asked about and no
// problem by itself.

// mostLeft is how many places may have the form of a field that has no value: among more,
// none is told from the others.
const mostLeft = 3

// form is what a place has the form of.
type form string

const (
	aDay     form = "day"
	aTime    form = "time"
	aMonth   form = "month"
	aCount   form = "count"  // a figure that measures nothing
	aSum     form = "sum"    // one that may be of money: it has two decimals
	anAmount form = "amount" // one of money, or with a unit
	aChoice  form = "choice"
	aText    form = "text" // behind a label
)

// leftover is a place that no value came from.
type leftover struct {
	span
	form    form
	measure reading.Measure
	option  string // of a choice
}

// left gives the lines with what was left over, each with the field it may be of: of the
// record itself anywhere, of an item in its own lines, and lines that may be items of a list.
func (u *unread) left(asked []Line) (lines []Line) {
	l := &leaving{unread: u, asked: map[int]bool{}, shown: map[string]bool{}}
	for _, line := range asked {
		l.asked[line.Line-1] = true
	}
	l.find()
	by, filled := map[*schema.Field][]Line{}, map[*schema.Field]int{}
	var fields []*schema.Field
	l.leavesOf(u.s.Root, "", u.record, func(f *schema.Field, p value.Pointer, v *value.Value) {
		var found []Line
		if v != nil && v.Kind != value.Null {
			filled[f]++
			found = l.contesting(f, p, v)
		} else {
			found = l.of(f, p)
		}
		if len(found) > 0 {
			if by[f] == nil {
				fields = append(fields, f)
			}
			by[f] = append(by[f], found...)
		}
	})
	for _, f := range fields {
		switch {
		case len(by[f]) <= max(mostLeft, filled[f]): // else they are of no field: a column that nobody asked for
			lines = append(lines, by[f]...)
		case filled[f] == 0 && oneEach(by[f]): // or all of it was left out: the first ones tell
			lines = append(lines, by[f][:mostLeft]...)
		}
	}
	lines = append(lines, l.columnsLeft(lines)...)
	lines = append(lines, l.optionsLeft()...)
	lines = append(lines, l.items()...)
	lines = append(lines, l.stretches()...)
	lines = append(lines, l.inLines()...)
	lines = append(lines, l.sentencesLeft()...)
	sort.SliceStable(lines, func(i, j int) bool { return lines[i].Start < lines[j].Start })
	return lines
}

// oneEach tells whether each of some lines is of another item.
func oneEach(lines []Line) bool {
	seen := map[value.Pointer]bool{}
	for _, line := range lines {
		if line.At == "" || seen[line.At] {
			return false
		}
		seen[line.At] = true
	}
	return true
}

// leaving finds what was left over in a document.
type leaving struct {
	*unread
	asked   map[int]bool                   // lines, from 0, that are asked about anyway
	all     []leftover                     // in order
	shown   map[string]bool                // the words that values came from, folded
	heads   map[int]bool                   // the lines of heads of messages
	depth   int                            // how deeply most of what was read is quoted
	owners  map[int]map[value.Pointer]bool // the items whose values stand in a line
	lines   map[value.Pointer][]int        // in which values of an item stand, or of one in it
	marked  map[*schema.Field]*marked      // the items of booleans and choices, with their marks
	clauses map[value.Pointer][]span       // of items in prose, once asked for
	entry   map[value.Pointer]span         // which part of the document each entry has

	rowOf   map[value.Pointer]rowItem // rows of items, once asked for
	firstOf map[value.Pointer]int     // the first line of a list's items
	columns map[listField]map[int]int // in which columns under heads a field's values stand
	slotted map[value.Pointer]span    // see bySlots

	peers     map[listField]map[peer]int // where items have a field's value in lines of their own
	namedTrue map[listField]bool         // whether one that is true has its name there
}

// labelledText is a label with what stands behind it, in a line or between wide gaps.
var labelledText = lazy.New(`(?m)(?:^|  |; |\| )[ \t]*(\pL[\pL .\-/']{1,30}[\pL.])[ .]*:[ \t]+([^\s:;|][^:;|\n]*?)(?:  |;|\||$)`)

// attached stands before the names of what came with a mail.
const attached = "Attached"

// isAnswer tells a text that a yes or no of the schema may be concluded from: open, closed, yes.
func (l *leaving) isAnswer(said string) bool {
	return slices.ContainsFunc(l.s.Leaves(), func(f *schema.Field) bool {
		_, known := normalize.Says(f, said)
		return known && f.Type == schema.Boolean
	})
}

// inHundredths is a figure with two decimals.
var inHundredths = lazy.New(`[.,]\d\d$`)

// find gathers the places that no value came from, each in its largest form, in order.
func (l *leaving) find() {
	l.heads = l.mailHeads()
	l.findEntryParts()
	l.findOwners()
	ix := l.w.ix
	for _, s := range ix.AllDays() {
		l.keep(s, aDay, reading.Measure{})
	}
	for _, s := range ix.AllMonths() {
		l.keep(s, aMonth, reading.Measure{})
	}
	for _, s := range ix.AllTimes() {
		l.keep(s, aTime, reading.Measure{})
	}
	l.findFigures()
	l.findTexts()
	sort.SliceStable(l.all, func(i, j int) bool { return l.all[i].Start < l.all[j].Start })
}

// findEntryParts notes which part of the document each entry has.
func (l *leaving) findEntryParts() {
	l.entry = map[value.Pointer]span{}
	for k, e := range l.entries {
		end := len(l.w.ix.Source)
		if k+1 < len(l.entries) {
			end = l.entries[k+1].Start
		}
		l.entry[e.at] = between(e.Start, end)
	}
}

// findOwners notes whose values stand in which lines, with what words, and how deeply most of
// them are quoted.
func (l *leaving) findOwners() {
	ix := l.w.ix
	l.owners, l.lines = map[int]map[value.Pointer]bool{}, map[value.Pointer][]int{}
	depths := map[int]int{}
	for _, n := range slices.Sorted(maps.Keys(l.claims)) {
		at := l.claims[n]
		d := l.w.depth(ix.LineSpan(n).Start)
		depths[d] += len(at)
		if depths[d] > depths[l.depth] || depths[d] == depths[l.depth] && d < l.depth {
			l.depth = d
		}
		l.owners[n] = map[value.Pointer]bool{}
		for i, p := range l.leaves[n] {
			for item := l.itemOf(p); !l.owners[n][item]; item = l.itemOf(item.Parent()) {
				l.owners[n][item] = true
				l.lines[item] = append(l.lines[item], n)
			}
			l.shown[folded(ix.Source[at[i].Start:at[i].End])] = true
		}
	}
}

// keep keeps a place, unless something came from it, it is denied or taken back, or it lies in
// the one of its form before it.
func (l *leaving) keep(s span, form form, m reading.Measure) {
	if n := len(l.all); n > 0 && l.all[n-1].form == form && s.Start < l.all[n-1].End && l.all[n-1].Start < s.End {
		return
	}
	if l.isFree(s) && !l.w.ix.TakenBack(s) && l.w.ix.Denial(s) != reading.Denied {
		l.all = append(l.all, leftover{span: s, form: form, measure: m})
	}
}

// findFigures keeps the figures that are no part of a day or a time.
func (l *leaving) findFigures() {
	ix := l.w.ix
	said := slices.Clone(l.all)
	sort.Slice(said, func(i, j int) bool { return said[i].Start < said[j].Start })
	for _, s := range ix.AllNumbers() {
		i := sort.Search(len(said), func(i int) bool { return said[i].End > s.Start })
		if ix.InDate(s) || i < len(said) && said[i].Start < s.End {
			continue
		}
		if n := len(l.all); n > len(said) && s.Start < l.all[n-1].End {
			continue // the same figure, of which less is read
		}
		switch m := ix.MeasureOf(s); {
		case m.Unit != "" || m.Code != "" || m.Minor:
			l.keep(s, anAmount, m)
		case inHundredths.MatchString(ix.Source[s.Start:s.End]):
			l.keep(s, aSum, m)
		case l.isCount(s):
			l.keep(s, aCount, m)
		}
	}
}

// findTexts keeps what stands behind labels from which nothing came.
func (l *leaving) findTexts() {
	source := l.w.ix.Source
	for _, m := range labelledText.FindAllStringSubmatchIndex(source, -1) {
		label, said := source[m[2]:m[3]], source[m[4]:m[5]]
		if !l.isClaimed(between(m[2], m[5])) && label != attached && letters(said) > 1 && !saysNone(said) && !l.isAnswer(said) {
			l.keep(between(m[4], m[5]), aText, reading.Measure{})
		}
	}
	for n := range len(l.w.ix.Breaks) + 1 {
		for _, p := range l.w.pairs(n) {
			if said := source[p.said.Start:p.said.End]; !l.isClaimed(p.label) && !l.isClaimed(p.said) && letters(said) > 1 && !saysNone(said) && !l.isAnswer(said) {
				l.keep(p.said, aText, reading.Measure{})
			}
		}
	}
}

// isFree tells whether nothing was read from a place, and nothing about it is asked anyway.
func (l *leaving) isFree(s span) bool {
	n := l.w.ix.LineOf(s.Start)
	return !l.isClaimed(s) && !l.heads[n] && !l.asked[n] && l.w.depth(s.Start) <= l.depth
}

// mostDigits is how many digits a count has at most: more are of a number that names something.
const mostDigits = 6

// isCount tells whether a figure may count something: it is no word, no mark before a line, no
// ordinal, and no number of an account.
func (l *leaving) isCount(s span) bool {
	source := l.w.ix.Source
	said := source[s.Start:s.End]
	if len(said) > mostDigits || strings.ContainsFunc(said, unicode.IsLetter) {
		return false
	}
	line := l.w.ix.LineSpan(l.w.ix.LineOf(s.Start))
	if strings.Trim(source[line.Start:s.Start], " \t*•·–-|>#(") == "" {
		return false
	}
	behind := strings.TrimPrefix(source[s.End:line.End], ".")
	return len(behind) == line.End-s.End || strings.TrimSpace(behind) == ""
}

// isClaimed tells whether a value came from a place, or from words about it.
func (l *leaving) isClaimed(s span) bool {
	ix := l.w.ix
	for n := ix.LineOf(s.Start); n <= ix.LineOf(s.End-1); n++ {
		if slices.ContainsFunc(l.claims[n], func(c span) bool { return c.Start < s.End && s.Start < c.End }) {
			return true
		}
	}
	return false
}

// mailHeads gives the lines of the heads of messages: labelled lines without a gap, among
// them who wrote it and what it is about.
func (u *unread) mailHeads() map[int]bool {
	heads := map[int]bool{}
	ix := u.w.ix
	var block []int
	from, about := false, false
	flush := func() {
		if from && about {
			for _, n := range block {
				heads[n] = true
			}
		}
		block, from, about = block[:0], false, false
	}
	for n := range len(ix.Breaks) + 1 {
		label, _, ok := strings.Cut(strings.TrimLeft(ix.Line(n+1), "> "), ":")
		if strings.HasSuffix(ix.Line(n+1), ":") && strings.HasPrefix(ix.Line(n+2), ">") {
			heads[n] = true // On 4 October Ms Pound wrote:
		}
		if !ok || len(label) > 20 {
			flush()
			continue
		}
		block = append(block, n)
		from, about = from || lang.MailFrom.Has(strings.ToLower(label)), about || lang.MailSubject.Has(strings.ToLower(label))
	}
	flush()
	return heads
}

// leavesOf calls for each field that is no list, and for those of items.
func (l *leaving) leavesOf(f *schema.Field, p value.Pointer, v *value.Value, call func(f *schema.Field, p value.Pointer, v *value.Value)) {
	switch {
	case f.Type == schema.Group && (v == nil || v.Kind == value.Object || v.Kind == value.Null):
		for _, kid := range f.Fields {
			var at *value.Value
			if v != nil {
				at = v.Get(kid.Name)
			}
			l.leavesOf(kid, p.Key(kid.Name), at, call)
		}
	case f.Type == schema.List:
		if v != nil && v.Kind == value.Array {
			for i := range v.Kids {
				l.leavesOf(f.Item, p.Index(i), &v.Kids[i], call)
			}
		}
	case f.IsLeaf():
		call(f, p, v)
	}
}

// of gives the lines with what may be the value of a field: those of its entry or of its
// item.
func (l *leaving) of(f *schema.Field, p value.Pointer) (lines []Line) {
	if boxes := l.boxesLeft(f, p); boxes != nil {
		return boxes
	}
	item := l.itemOf(p)
	for _, own := range slices.Concat(l.gridLeft(f, item), l.seriesLeft(item, p), l.columnLeft(f, item, p)) {
		return []Line{l.line(own, f.Path, p)}
	}
	for _, region := range l.regions(item) {
		found := l.within(region)
		if f.Type == schema.Choice {
			found = l.choices(f, region)
		}
		if behind := l.behindLabels(f, region); len(behind) > 0 && len(behind) <= mostLeft {
			for _, left := range behind {
				lines = append(lines, l.line(left, f.Path, p))
			}
			return lines
		}
		for _, left := range found {
			if !left.fits(f) && !l.fitsNamed(f, left) || l.isOfOther(f, left) || l.inOtherColumn(f, item, p, left) || l.isSide(item, p, left) || item == "" && l.shown[folded(l.w.ix.Source[left.Start:left.End])] {
				continue
			}
			if len(lines) == mostLeft {
				return nil
			}
			lines = append(lines, l.line(left, f.Path, p))
		}
		if beside := l.besideNames(f, region); len(lines) == 0 && len(beside) <= mostLeft {
			for _, left := range beside {
				lines = append(lines, l.line(left, f.Path, p))
			}
		}
	}
	if len(lines) == 0 {
		for _, left := range l.besidePeers(f, p) {
			lines = append(lines, l.line(left, f.Path, p))
		}
	}
	if said, ok := l.bySlots()[p]; ok && len(lines) == 0 {
		lines = append(lines, l.line(leftover{span: said}, f.Path, p))
	}
	return lines
}

// isOfOther tells whether something stands behind the label of another field: what was left
// over there is that one's, which has a value of its own that may be wrong.
func (l *leaving) isOfOther(f *schema.Field, left leftover) bool {
	line := l.w.ix.LineSpan(l.w.ix.LineOf(left.Start))
	before := strings.TrimRight(l.w.ix.Source[line.Start:max(line.Start, left.Start)], " €$£")
	label, ok := strings.CutSuffix(before, ":")
	if !ok {
		return l.w.isOfOther(f, left.span)
	}
	for _, sign := range []string{"  ", "\t", ";", "|"} {
		label = label[strings.LastIndex(label, sign)+1:]
	}
	label = folded(label)
	return l.isField[label] && !slices.ContainsFunc(l.w.labels(f), func(words []string) bool { return strings.Join(words, " ") == label })
}

// regions gives where the values of an item stand: its entry's part of the document, or the
// lines that are its own; all of the document for "".
func (l *leaving) regions(item value.Pointer) (all []span) {
	switch {
	case item == "":
		return []span{between(0, len(l.w.ix.Source))}
	case l.s.EachEntry() && item.Parent() == "":
		if at, ok := l.entry[item]; ok {
			return []span{at}
		}
		return nil
	}
	for _, n := range l.lines[item] {
		if l.isOwn(item, n) {
			at := l.w.ix.LineSpan(n)
			all = append(all, between(at.Start, at.End))
		}
	}
	isRow := func(s span) bool { return len(cellsIn(l.w.ix.Rows()[s.Start:s.End])) > 1 }
	if len(all) < len(l.lines[item]) && !slices.ContainsFunc(all, isRow) {
		return append(all, l.ownClauses(item)...)
	}
	return all
}

// within gives what was left over in a region.
func (l *leaving) within(region span) []leftover {
	from := sort.Search(len(l.all), func(i int) bool { return l.all[i].Start >= region.Start })
	to := sort.Search(len(l.all), func(i int) bool { return l.all[i].Start >= region.End })
	return l.all[from:max(from, to)]
}

// isOwn tells whether values of an item stand in a line, and none of another one beside.
func (l *leaving) isOwn(item value.Pointer, line int) bool {
	own := false
	for other := range l.owners[line] {
		switch {
		case other == item || strings.HasPrefix(string(other), string(item)+"/"):
			own = true
		case other != "" && !strings.HasPrefix(string(item), string(other)+"/"):
			return false
		}
	}
	return own
}

// shownAround is how much of a long line is shown around what was left over, in bytes.
const shownAround = 80

// line gives the line that something left over stands in, as it is asked about.
func (l *leaving) line(left leftover, field string, p value.Pointer) Line {
	ix := l.w.ix
	n := ix.LineOf(left.Start)
	text, start, end := ix.rowAt(n)
	if len(text) > shownAround {
		from, to := max(start, left.Start-shownAround/2), min(end, left.End+shownAround/2)
		if i := strings.IndexByte(ix.Source[from:left.Start], ' '); from > start && i >= 0 {
			from += i
		}
		if text = strings.ToValidUTF8(ix.Source[from:to], ""); from > start {
			text = "… " + text
		}
	}
	return Line{Start: left.Start, End: left.End, Line: n + 1, Field: field, Text: strings.Join(strings.Fields(text), " "), At: p, Left: true}
}
