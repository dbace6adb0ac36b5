package evidence

import (
	"cmp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// Line is a line, or a labelled part of one, that speaks of a field and that
// no value comes from.
type Line struct {
	Start, End int // of its value, or of the row
	Line       int // from 1
	Field      string
	Text       string        // the label with its value, the row, or a cell of it
	Row        string        // the row that a cell is of
	List       bool          // the label is that of a list of which there is no item
	At         value.Pointer // of the one value that is missing or contested, where that is told
	Left       bool          // something was left over in it, which may be of the field
	Says       string        // what it says of a contested value: another option, true or false; "" where that is not told
}

// Unread gives the labelled lines and table rows that no value of a record
// comes from: a label of a field, a colon, and something behind it where no
// place lies; a row beside rows of which values come. Where the entry has a
// value of the field that stands nowhere, that may be what the line was read as,
// and the line counts as spoken for: the value is a problem of its own. So do the
// labels of lists of which there is no item.
func Unread(s *schema.Schema, record *value.Value, ix *Index, places Places) []Line {
	lines, _ := look(s, record, ix, places, false)
	return lines
}

// Look gives the lines of Unread, and those with what was left over.
func Look(s *schema.Schema, record *value.Value, ix *Index, places Places) (lines, left []Line) {
	return look(s, record, ix, places, true)
}

func look(s *schema.Schema, record *value.Value, ix *Index, places Places, also bool) (lines, left []Line) {
	o := open(s, record, ix)
	if o != nil {
		places = with(o.s, &o.record, ix, o.forth(s, record, places))
		s, record = o.s, &o.record
	}
	u := newUnread(s, record, ix, places)
	defer ix.keepGround(u.w.ground)
	if lines = u.all(); also {
		left = u.left(lines)
	}
	if o != nil {
		lines, left = o.lines(lines), o.lines(left)
	}
	return lines, left
}

func newUnread(s *schema.Schema, record *value.Value, ix *Index, places Places) *unread {
	u := &unread{w: &weigher{ground: ix.groundOf(s, forLines), ix: ix, places: places}, s: s, record: record, places: places, named: map[string][]naming{}, lists: map[string][]naming{}}
	u.prepare()
	return u
}

func (u *unread) all() (lines []Line) {
	ix := u.w.ix
	for n := range len(ix.Breaks) + 1 {
		at := ix.LineSpan(n)
		lines = append(lines, u.line(n, at.Start, at.End)...)
	}
	if slices.ContainsFunc(lines, ofItem) { // who wrote a mail is no place that an item sets out from
		heads := u.mailHeads()
		lines = slices.DeleteFunc(lines, func(l Line) bool { return ofItem(l) && heads[l.Line-1] })
	}
	lines = slices.DeleteFunc(append(lines, u.rows(lines)...), u.isTakenBack)
	if past := u.past(); past <= len(ix.Breaks) {
		lines = slices.DeleteFunc(lines, func(l Line) bool { return l.Line > past })
	}
	return lines
}

// ofItem tells a line that is of a field of a list's items.
func ofItem(l Line) bool { return strings.Contains(l.Field, "[].") }

// isTakenBack tells a line all of whose words are struck out.
func (u *unread) isTakenBack(l Line) bool { return u.isStruck(between(l.Start, l.End)) }

// isStruck tells whether all words of a stretch, of which there are some, are struck out.
func (u *unread) isStruck(s span) bool {
	ix := u.w.ix
	first, end := ix.TokenAt(s.Start), ix.TokenAt(s.End)
	for _, t := range ix.Tokens[first:end] {
		if !ix.TakenBack(t.Span) {
			return false
		}
	}
	return first < end
}

// past gives the line from which on a mail quotes earlier ones, where most values are from before.
func (u *unread) past() int {
	history, before, behind := u.w.history(), 0, 0
	for n, at := range u.claims {
		if n < history {
			before += len(at)
		} else {
			behind += len(at)
		}
	}
	if before < behind {
		return len(u.w.ix.Breaks) + 1
	}
	return history
}

// naming is one way in which documents call a field.
type naming struct {
	words []string
	f     *schema.Field
}

type unread struct {
	w       *weigher
	s       *schema.Schema
	record  *value.Value
	places  Places
	named   map[string][]naming // by the first word
	lists   map[string][]naming // likewise of lists without items
	claims  map[int][]span      // by line, from 0
	entries []entryAt
	isField map[string]bool // folded names and labels
	leaves  map[int][]value.Pointer
	adrift  map[valueOf]int
	lineOf  map[value.Pointer]int  // the line of all values right below an item, -1 for several, once asked for
	own     map[value.Pointer]int  // how many values stand right below an item, once asked for
	filled  map[*schema.Field]bool // that have a value which stands behind their label, once asked for
	said    map[string]bool        // the texts of the record, folded, once asked for
	homes   map[value.Pointer]int  // the line that most values of an item stand in
	rowsBy  map[value.Pointer][]rowItem
	crossed crossings // once asked for
}

// entryAt is where an entry begins.
type entryAt struct {
	Start int
	at    value.Pointer
}

func (u *unread) prepare() {
	u.claims, u.isField, u.leaves, u.adrift = map[int][]span{}, map[string]bool{}, map[int][]value.Pointer{}, map[valueOf]int{}
	for _, f := range u.s.Leaves() {
		names := u.w.labels(f)
		if f.Name == "" {
			continue
		}
		for _, words := range names {
			u.named[words[0]] = append(u.named[words[0]], naming{words, f})
			u.isField[strings.Join(words, " ")] = true
		}
	}
	for p, place := range u.places {
		if place.Found() {
			for n := u.w.ix.LineOf(place.Start); n <= u.w.ix.LineOf(place.End-1); n++ {
				u.claims[n] = append(u.claims[n], u.partIn(n, p, place))
				u.leaves[n] = append(u.leaves[n], p)
			}
		} else if place.Column > 0 { // its own cell is asked about already
			u.claims[place.Column-1] = append(u.claims[place.Column-1], place.Says)
			u.leaves[place.Column-1] = append(u.leaves[place.Column-1], p)
		}
	}
	full := map[*schema.Field]bool{} // lists that have items
	u.record.Walk(func(p value.Pointer, v *value.Value) bool {
		if f := u.s.At(p); f != nil && f.Type == schema.List && len(v.Kids) > 0 {
			full[f] = true
		}
		return true
	})
	u.s.Root.Walk(func(f *schema.Field, _ int) {
		if f.Type != schema.List || f.Name == "" {
			return
		}
		for _, words := range u.w.labels(f) {
			if !full[f] {
				u.lists[words[0]] = append(u.lists[words[0]], naming{words, f})
			}
		}
		for _, name := range append(u.w.namesOf(f), strings.TrimSuffix(schema.Spoken(f.Name), "s")) {
			u.isField[folded(name)] = true
		}
	})
	u.findEntries()
	u.findAdrift()
	u.findHomes()
}

// partIn gives what a value takes of a line: of a text that goes on in the next line in its column, its own cell.
func (u *unread) partIn(n int, p value.Pointer, place Place) span {
	whole, v := between(place.Start, place.End), u.record.At(p)
	if line := u.w.ix.LineSpan(n); v == nil || v.Kind != value.String || place.Start >= line.Start && place.End <= line.End {
		return whole
	}
	var own []span
	said := " " + folded(v.Text) + " "
	for _, c := range u.cellsOfLine(n) {
		if c = between(max(c.Start, place.Start), min(c.End, place.End)); c.Start < c.End && strings.Contains(said, " "+folded(u.w.ix.Source[c.Start:c.End])+" ") {
			own = append(own, c)
		}
	}
	if len(own) == 1 {
		return own[0]
	}
	return whole
}

// folded gives the words of a name.
func folded(name string) string { return strings.Join(wordsOf(name), " ") }

// wordsOf gives the words of a text in small letters.
func wordsOf(text string) (words []string) {
	for _, t := range reading.Tokenize(text) {
		words = append(words, t.Word)
	}
	return words
}

// findEntries notes where each entry begins.
func (u *unread) findEntries() {
	if !u.s.EachEntry() {
		return
	}
	first := map[string]int{}
	for p, place := range u.places {
		if steps := p.Steps(); place.Found() && len(steps) > 0 {
			if at, ok := first[steps[0]]; !ok || place.Start < at {
				first[steps[0]] = place.Start
			}
		}
	}
	for step, at := range first {
		u.entries = append(u.entries, entryAt{at, value.Pointer("").Key(step)})
	}
	slices.SortFunc(u.entries, func(a, b entryAt) int { return cmp.Or(a.Start-b.Start, cmp.Compare(a.at, b.at)) })
}

// entryOf gives the entry that an offset lies in: the last that begins before
// it.
func (u *unread) entryOf(offset int) value.Pointer {
	best := entryAt{Start: -1}
	for _, e := range u.entries {
		if e.Start <= offset && e.Start > best.Start {
			best = e
		}
	}
	return best.at
}

// blank tells what stands where a form has no value.
func blank(text string) bool {
	return strings.Trim(text, "_.… ") == "" || lang.Unknown.Has(text) || lang.Perhaps.Has(text) || lang.Pending.Has(text)
}

// line gives the labelled parts of a line that nothing comes from.
func (u *unread) line(n, start, end int) []Line {
	ix := u.w.ix
	var cells []labelOf
	first := ix.TokenAt(start)
	for i := first; i < len(ix.Tokens) && ix.Tokens[i].Start < end; i++ {
		if !opensCell(ix.Source[start:ix.Tokens[i].Start]) {
			continue
		}
		var best naming
		for _, name := range slices.Concat(u.named[ix.Tokens[i].Word], u.lists[ix.Tokens[i].Word]) {
			if len(name.words) > len(best.words) && ix.Reads(i, name.words) && i+len(name.words) <= len(ix.Tokens) {
				best = name
			}
		}
		if best.f == nil {
			continue
		}
		behind := ix.Tokens[i+len(best.words)-1].End
		if behind > end {
			continue // its last words stand in the next line
		}
		rest := strings.TrimLeft(ix.Source[behind:end], " .)")
		if strings.HasPrefix(rest, ":") || strings.HasPrefix(rest, "? ") || strings.HasPrefix(rest, "?\t") || strings.HasPrefix(rest, "=") && len(rest) == end-behind && !strings.HasPrefix(rest, "==") { // tester=LO
			cells = append(cells, labelOf{best.f, ix.Tokens[i].Start, end - len(rest) + 1, 0})
		}
	}
	if len(cells) == 0 {
		cells = u.formRow(n)
	}
	var lines []Line
	for i, c := range cells {
		stop := end
		if c.to > 0 {
			stop = c.to
		} else if i+1 < len(cells) {
			if stop = cells[i+1].label; stop < c.from {
				continue // the end of one label is another
			}
		}
		if said := strings.TrimLeft(ix.Source[c.from:stop], " "); strings.Contains(said, "   ") {
			stop = stop - len(said) + strings.Index(said, "   ") // another cell, without a colon
		}
		if ix.Source[c.from-1] == '=' {
			if m := assignment.FindStringIndex(ix.Source[c.from:stop]); m != nil {
				stop = c.from + m[0] // of a field that the schema has not
			}
		}
		own, blanks, ticked := false, 0, false
		for _, b := range u.w.boxed().line[n] {
			switch {
			case b.Group.End > 0 && b.Group.Start >= c.label && b.Group.End <= c.from: // Unit: [ ] tent   [x] caravan
				stop = max(stop, b.Label.End)
				blanks, ticked = blanks+1, ticked || b.Ticked
			case b.Label.Start >= c.label && b.Label.End <= c.from && b.Start >= c.from: // Paid: [ ] On account: [x]
				own, stop = own || !u.w.boxes.ticked || slices.Contains(u.claims[n], b.Label), b.End
			}
		}
		if own || blanks > 1 && !ticked { // nobody has answered
			continue
		}
		value := strings.TrimSpace(ix.Source[c.from:stop])
		isList := c.f.Type == schema.List
		if isList && saysNone(value) || u.w.isSpeaker(c.f, ix.Source[c.label:c.from]) || blank(strings.TrimRight(value, ".")) || !couldSay(c.f, value) || u.isStruck(between(c.from, stop)) || u.spoken(c.f, n, c.from, stop) || u.explainsValues(c.f, value) {
			continue
		}
		lines = append(lines, Line{Start: c.label, End: stop, Line: n + 1, Field: c.f.Path, Text: strings.TrimRight(ix.Source[c.label:stop], " \t|"), List: isList})
	}
	return lines
}

// assignment begins what the next name is given: ; temp=20.
var assignment = lazy.New(`[;&|,\t ]+[\pL_][\pL\d_.]*=`)

// saysNone tells whether a text begins by saying that there are none: none seen, no
// defects, keine.
func saysNone(text string) bool {
	words := reading.Tokenize(text)
	return len(words) > 0 && (lang.Nought.Has(words[0].Word) || lang.No.Has(words[0].Word) || lang.Not.Has(words[0].Word) || strings.Trim(figure.FindString(text), "0.,") == "" && words[0].Word == "0")
}

// couldSay tells whether a text may hold a value of a field: a day needs a figure
// for the day, a number any figure or number word.
func couldSay(f *schema.Field, text string) bool {
	figures := 0
	for _, t := range reading.Tokenize(text) {
		_, word := reading.NumberWord(t.Word)
		if word || strings.ContainsFunc(t.Word, unicode.IsDigit) {
			figures++
		}
	}
	if f.Type == schema.List && f.Item.IsLeaf() {
		f = f.Item
	}
	switch f.Kin().Type {
	case schema.Date:
		return f.Precision != "" && figures > 0 || figures > 1 || strings.ContainsAny(text, ".-/") && figures > 0
	case schema.Integer, schema.Number, schema.Money, schema.Quantity, schema.Time, schema.DateTime:
		return figures > 0 || strings.ContainsAny(text, "½¼¾")
	}
	return true
}

// isNumbering is the number of a question or a line of a form: 3., (b), 2.1.
var isNumbering = lazy.New(`^[ \t]*\(?(?:\d{1,2}(?:\.\d{1,2})?|[a-z])[.)]$`)

// opensCell tells whether what stands before a word lets it open a label.
func opensCell(before string) bool {
	trimmed := strings.TrimRight(before, " \t*•·–-|>#")
	if trimmed == "" || len(trimmed) < len(before) && isNumbering.MatchString(trimmed) {
		return true
	}
	gap := before[len(trimmed):]
	last, _ := utf8.DecodeLastRuneInString(trimmed)
	return strings.Contains(gap, "  ") || strings.ContainsAny(gap, "\t|") || last == ';'
}

// spoken tells whether a value comes from a stretch of a line.
func (u *unread) spoken(f *schema.Field, line, from, to int) bool {
	first := to
	for _, s := range u.claims[line] {
		if s.Start < to && s.End > from {
			first = min(first, max(s.Start, from))
		}
	}
	if first < to {
		return !u.opensWithOther(f, between(from, first))
	}
	key := valueOf{u.entryOf(from), f}
	if u.adrift[key] > 0 {
		u.adrift[key]--
		return true
	}
	return false
}

// opensWithOther tells whether a part that ends in a comma stands behind the label of a field without a value, before
// that of another: Terms: 45 days net, DAP Yerdam, of which the second alone was read.
func (u *unread) opensWithOther(f *schema.Field, s span) bool {
	part, _, ends := strings.Cut(u.w.ix.Source[s.Start:s.End], ",")
	if !ends || letters(part) < 2 || strings.Contains(f.Path, "[]") || f.Type == schema.List || u.s.EachEntry() {
		return false
	}
	v := u.record.At(value.Pointer("/" + strings.ReplaceAll(f.Path, ".", "/")))
	return v == nil || v.Empty()
}

// valueOf is a field of an entry.
type valueOf struct {
	entry value.Pointer
	f     *schema.Field
}

// findAdrift counts the values that stand nowhere, by entry and field: each may
// be what a labelled line was read as.
func (u *unread) findAdrift() {
	for p, place := range u.places {
		f := u.s.At(p)
		if place.Found() || f == nil {
			continue
		}
		entry := value.Pointer("")
		if steps := p.Steps(); u.s.EachEntry() && len(steps) > 0 {
			entry = entry.Key(steps[0])
		}
		u.adrift[valueOf{entry, f}]++
	}
}

// itemOf gives the item of a list that a value belongs to; "" for none.
func (u *unread) itemOf(p value.Pointer) value.Pointer {
	for at := p; at != ""; at = at.Parent() {
		if f := u.s.At(at.Parent()); f != nil && f.Type == schema.List {
			return at
		}
	}
	return ""
}

// findHomes notes the line that most values of each item stand in; of several,
// that of the field that comes first.
func (u *unread) findHomes() {
	u.homes = map[value.Pointer]int{}
	count := map[value.Pointer]map[int]int{}
	u.record.Walk(func(p value.Pointer, v *value.Value) bool {
		place := u.places[p]
		item := u.itemOf(p)
		if !place.Found() || item == "" {
			return true
		}
		if count[item] == nil {
			count[item] = map[int]int{}
		}
		line := u.w.ix.LineOf(place.Start)
		count[item][line]++
		if home, ok := u.homes[item]; !ok || count[item][line] > count[item][home] {
			u.homes[item] = line
		}
		return true
	})
}

// called gives the path of a list as people read it.
func (u *unread) called(list *schema.Field) string {
	if list.Path == "" {
		return schema.Wrapper
	}
	return list.Path
}
