package invent

import (
	"slices"
	"sort"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/value"
	"filler/internal/record/evidence"
	"filler/internal/schema"
)

// Frame is what is left of a real document when its values are taken out: the words
// around them, and the places for others. Items of lists that stand one after the other
// can come more or less often.
type Frame struct {
	Document string
	Record   value.Value
	Parts    []Part
	Fixed    map[value.Pointer]bool // values that stand nowhere, or not where they can be exchanged
	Free     []string               // lists, by their path, whose items can come more or less often

	schema *schema.Schema
}

// Part is a piece of a frame: words, a value, or the items of a list.
type Part struct {
	Words string
	At    value.Pointer // of a value, in the frame's own record
	Was   string        // the words in which it stood
	List  value.Pointer
	Items [][]Part // of the list; each in the words of one item
	Gap   string   // between items that stand on one line
	Again bool     // the value stands here once more
}

// slot is a value with its place.
type slot struct {
	at         value.Pointer
	start, end int
}

// Learn makes a frame of a document with a known record. It fails where a sensitive value
// would stay in its words.
func Learn(s *schema.Schema, id, text string, rec *value.Value) (*Frame, string) {
	f := &Frame{Document: id, Record: rec.Clone(), Fixed: map[value.Pointer]bool{}, schema: s}
	places := evidence.Of(s, rec, evidence.NewIndex(text))
	var slots []slot
	eachLeaf(s.Record(), rec, "", func(field *schema.Field, v *value.Value, p value.Pointer) {
		place := places[p]
		if v.Empty() || !place.Found() || place.Basis || place.Document != "" {
			f.Fixed[p] = true
			return
		}
		slots = append(slots, slot{p, place.Start, place.End})
	})
	sort.SliceStable(slots, func(i, j int) bool { return slots[i].start < slots[j].start })
	slots = f.apart(slots)
	if len(slots) == 0 {
		return nil, "none of its values stands in it"
	}
	f.Parts = f.cut(text, 0, len(text), slots, s.Record(), "")
	f.fix(f.Parts, "")
	f.Parts = again(f.Parts)
	if field := f.tells(s, rec); field != "" {
		return nil, field + ", which is sensitive, would stay in it"
	}
	return f, ""
}

// telling is how many letters and figures a value has that stands somewhere else only
// because it is said again.
const telling = 5

// again finds values that stand in the words once more, such as a number in a subject, so
// that these are exchanged too: in the words beside them, and in those of items below.
func again(parts []Part) []Part {
	for _, own := range slices.Clone(parts) {
		if own.At == "" || len(wordPart.FindAllString(own.Was, -1)) == 0 || len(strings.Join(wordPart.FindAllString(own.Was, -1), "")) < telling {
			continue
		}
		parts = said(parts, own)
	}
	for i := range parts {
		for k := range parts[i].Items {
			parts[i].Items[k] = again(parts[i].Items[k])
		}
	}
	return parts
}

// said cuts words at the places where they say a value again.
func said(parts []Part, own Part) (out []Part) {
	for _, part := range parts {
		for k := range part.Items {
			part.Items[k] = said(part.Items[k], own)
		}
		rest := part.Words
		for part.At == "" && part.List == "" {
			i := wholeIndex(rest, own.Was)
			if i < 0 {
				break
			}
			if i > 0 {
				out = append(out, Part{Words: rest[:i]})
			}
			out = append(out, Part{At: own.At, Was: own.Was, Again: true})
			rest = rest[i+len(own.Was):]
		}
		if part.Words == "" || rest != "" {
			part.Words = rest
			out = append(out, part)
		}
	}
	return out
}

// wholeIndex finds a text that does not go on before or behind it in letters or figures.
func wholeIndex(in, text string) int {
	from := 0
	for {
		i := strings.Index(in[from:], text)
		if i < 0 {
			return -1
		}
		i += from
		before, _ := utf8.DecodeLastRuneInString(in[:i])
		behind, _ := utf8.DecodeRuneInString(in[i+len(text):])
		if !isWord(before) && !isWord(behind) {
			return i
		}
		from = i + 1
		for from < len(in) && !utf8.RuneStart(in[from]) {
			from++
		}
	}
}

func isWord(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) }

// fix turns values of items that can't come more or less often into words: such a list
// stays as it is.
func (f *Frame) fix(parts []Part, from value.Pointer) {
	for i := range parts {
		part := &parts[i]
		for k := range part.Items {
			f.fix(part.Items[k], part.List.Index(k))
		}
		if part.At == "" {
			continue
		}
		for _, step := range part.At[len(from):].Steps() {
			if _, ok := value.ArrayIndex(step); ok {
				f.Fixed[part.At] = true
				*part = Part{Words: part.Was}
				break
			}
		}
	}
}

// eachLeaf goes through the single values of a record, null ones included.
func eachLeaf(f *schema.Field, v *value.Value, p value.Pointer, do func(*schema.Field, *value.Value, value.Pointer)) {
	switch {
	case f.Type == schema.Group:
		for _, kid := range f.Fields {
			eachLeaf(kid, v.Get(kid.Name), p.Key(kid.Name), do)
		}
	case f.Type == schema.List:
		if v != nil {
			for i := range v.Kids {
				eachLeaf(f.Item, &v.Kids[i], p.Index(i), do)
			}
		}
	default:
		do(f, v, p)
	}
}

// apart keeps of values that stand in one place the first: the others are as they are.
func (f *Frame) apart(slots []slot) (out []slot) {
	end := 0
	for _, s := range slots {
		if s.start < end {
			f.Fixed[s.at] = true
			continue
		}
		out, end = append(out, s), s.end
	}
	return out
}

// cut makes the parts of a stretch of text.
func (f *Frame) cut(text string, start, end int, slots []slot, g *schema.Field, p value.Pointer) (parts []Part) {
	at := start
	words := func(to int) {
		if to > at {
			parts = append(parts, Part{Words: text[at:to]})
		}
		at = to
	}
	for i := 0; i < len(slots); {
		s := slots[i]
		list, n := f.listAt(text, slots[i:], g, p, end)
		if list == nil {
			words(s.start)
			parts = append(parts, Part{At: s.at, Was: text[s.start:s.end]})
			at = s.end
			i++
			continue
		}
		words(list.start)
		part := Part{List: list.at, Gap: list.gap}
		for k, item := range list.items {
			part.Items = append(part.Items, f.cut(text, item.start, item.end, item.slots, list.field.Item, list.at.Index(k)))
		}
		parts = append(parts, part)
		f.Free = append(f.Free, list.field.Path)
		at = list.end
		i += n
	}
	words(end)
	return parts
}

// stretch is where a list stands.
type stretch struct {
	at         value.Pointer
	field      *schema.Field
	start, end int
	items      []itemAt
	gap        string
}

type itemAt struct {
	start, end int
	slots      []slot
}

// listAt tells whether the items of a list begin here that can come more or less often:
// they stand one after the other, each with a value of its own, and nothing between them.
func (f *Frame) listAt(text string, slots []slot, g *schema.Field, p value.Pointer, end int) (*stretch, int) {
	field, at, ok := f.listOf(slots[0].at, g, p)
	if !ok {
		return nil, 0
	}
	list := &stretch{at: at, field: field}
	n := 0
	for n < len(slots) && slots[n].at.Within(at) {
		k, _ := strconv.Atoi(slots[n].at[len(at):].Steps()[0])
		switch {
		case k == len(list.items):
			list.items = append(list.items, itemAt{start: slots[n].start})
		case k != len(list.items)-1:
			return nil, 0 // not in order
		}
		own := &list.items[k]
		own.slots = append(own.slots, slots[n])
		own.end = slots[n].end
		n++
	}
	if v := f.Record.At(at); v == nil || len(v.Kids) != len(list.items) || slices.ContainsFunc(slots[n:], func(s slot) bool { return s.at.Within(at) }) {
		return nil, 0
	}
	if n < len(slots) {
		end = slots[n].start
	}
	if !list.bounds(text, end) {
		return nil, 0
	}
	return list, n
}

// listOf gives the list that a value is in, right below a group.
func (f *Frame) listOf(p value.Pointer, g *schema.Field, at value.Pointer) (*schema.Field, value.Pointer, bool) {
	if g == nil || g.IsLeaf() {
		return nil, "", false
	}
	field := g
	for _, step := range p[len(at):].Steps() {
		if field = field.Child(step); field == nil || field.IsLeaf() {
			return nil, "", false
		}
		at = at.Key(step)
		if field.Type == schema.List {
			return field, at, true
		}
	}
	return nil, "", false
}

// bounds says where each item begins and ends: whole lines where each begins on a line of
// its own, else from value to value with what stands between them.
func (l *stretch) bounds(text string, end int) bool {
	lineOf := func(at int) int { return strings.LastIndexByte(text[:at], '\n') + 1 }
	lines := true
	for i := 1; i < len(l.items); i++ {
		lines = lines && lineOf(l.items[i].start) >= l.items[i-1].end
	}
	if lines && len(l.items) > 0 && (len(l.items[0].slots) > 1 || len(l.items) > 1) {
		for i := range l.items {
			l.items[i].start = lineOf(l.items[i].start)
			if i > 0 {
				l.items[i-1].end = l.items[i].start
			}
		}
		l.ends(text, end)
		l.start, l.end = l.items[0].start, l.items[len(l.items)-1].end
		return true
	}
	if len(l.items) < 2 || !l.field.Item.IsLeaf() {
		return false
	}
	l.gap = text[l.items[0].end:l.items[1].start]
	for i := 2; i < len(l.items); i++ {
		if gap := text[l.items[i-1].end:l.items[i].start]; len(gap) > 8 {
			return false
		}
	}
	l.start, l.end = l.items[0].start, l.items[len(l.items)-1].end
	return len(l.gap) <= 8
}

// ends says where the last item ends: with its paragraph, before the line of the next value
// that is none of its own; and with the blank line behind it, where the others have one.
func (l *stretch) ends(text string, end int) {
	last := &l.items[len(l.items)-1]
	to := strings.LastIndexByte(text[:end], '\n') + 1 // the line on which what comes next begins
	if end == len(text) {
		to = end
	}
	stop := strings.IndexByte(text[last.end:end], '\n')
	if stop < 0 {
		last.end = end
		return
	}
	last.end += stop + 1
	if l.field.Item.IsLeaf() {
		return
	}
	if i := strings.Index(text[last.end-1:max(to, last.end)], "\n\n"); i >= 0 {
		last.end += i
	} else {
		last.end = max(last.end, to)
	}
	blank := len(l.items) > 1 && strings.HasSuffix(text[:l.items[0].end], "\n\n") || len(l.items) == 1 && strings.Contains(strings.TrimSuffix(text[last.start:last.end], "\n"), "\n")
	if blank && strings.HasPrefix(text[last.end:end], "\n") {
		last.end++
	}
}

// tells gives the sensitive field of which the frame's own words still say something, in
// whatever spelling, or whose value it would hold a record to.
func (f *Frame) tells(s *schema.Schema, rec *value.Value) (field string) {
	var words strings.Builder
	var gather func(parts []Part)
	gather = func(parts []Part) {
		for i := range parts {
			words.WriteString(" " + parts[i].Words)
			for _, item := range parts[i].Items {
				gather(item)
			}
		}
	}
	gather(f.Parts)
	low := " " + strings.ToLower(strings.Join(wordPart.FindAllString(words.String(), -1), " ")) + " "
	places := evidence.Of(s, rec, evidence.NewIndex(words.String()))
	eachLeaf(s.Record(), rec, "", func(of *schema.Field, v *value.Value, p value.Pointer) {
		if field != "" || v.Empty() || !s.IsSensitive(of.Path) {
			return
		}
		if f.Fixed[p] || len(shown(v)) > shortest && places[p].Found() {
			field = of.Path
		}
		for _, w := range wordPart.FindAllString(strings.ToLower(v.Text), -1) {
			if len([]rune(w)) > shortest && strings.Contains(low, " "+w+" ") {
				field = of.Path
			}
		}
	})
	return field
}

// shortest is how many letters or figures stand in other words by chance.
const shortest = 3

// Held gives the values that a record has to have to fit the frame: those that are not
// exchanged, but for items that can come more or less often, which bring theirs along.
func (f *Frame) Held() map[value.Pointer]value.Value {
	held := map[value.Pointer]value.Value{}
	for p := range f.Fixed {
		if f.inFree(p) {
			continue
		}
		if v := f.Record.At(p); v != nil {
			held[p] = v.Clone().Named("")
		} else {
			held[p] = value.Value{}
		}
	}
	f.lists(f.Parts, "", func(p value.Pointer, v value.Value) { held[p] = v })
	return held
}

// lists gives the lists right below a group that its words hold to what they are in the
// frame's record: those of which no items can come more or less often.
func (f *Frame) lists(parts []Part, from value.Pointer, do func(value.Pointer, value.Value)) {
	own := f.Record.At(from)
	if own == nil {
		return
	}
	eachList(f.groupAt(from), own, from, func(_ *schema.Field, v *value.Value, p value.Pointer) {
		for _, step := range p[len(from):].Steps() {
			if _, ok := value.ArrayIndex(step); ok {
				return // of an item: with its words
			}
		}
		if slices.ContainsFunc(parts, func(part Part) bool { return part.List == p }) {
			return
		}
		if v == nil {
			do(p, value.List())
			return
		}
		do(p, v.Clone().Named(""))
	})
}

// groupAt gives the group that stands at a place.
func (f *Frame) groupAt(p value.Pointer) *schema.Field {
	if p == "" {
		return f.schema.Record()
	}
	return f.schema.At(p)
}

// inFree tells whether a value is in an item that can come more or less often.
func (f *Frame) inFree(p value.Pointer) bool {
	field := f.schema.At(p)
	if field == nil {
		return false
	}
	path := field.Path
	return slices.ContainsFunc(f.Free, func(list string) bool { return strings.HasPrefix(path, list+"[]") })
}

// eachList goes through the lists of a record, empty ones included.
func eachList(f *schema.Field, v *value.Value, p value.Pointer, do func(*schema.Field, *value.Value, value.Pointer)) {
	switch {
	case f.Type == schema.Group:
		for _, kid := range f.Fields {
			eachList(kid, v.Get(kid.Name), p.Key(kid.Name), do)
		}
	case f.Type == schema.List:
		do(f, v, p)
		if v != nil && f.Item.Type == schema.Group {
			for i := range v.Kids {
				eachList(f.Item, &v.Kids[i], p.Index(i), do)
			}
		}
	}
}
