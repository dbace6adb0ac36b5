package evidence

import (
	"cmp"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/schema"
)

// mostInSlot is how long what stands in place of a value may be.
const mostInSlot = 60

var (
	rowBegins = lazy.New(`^[ \t]*(?:\d+[.)]|[-*•·–])[ \t]+`) // as a line of a list begins
	anyFigure = lazy.New(`\d+`)
)

// shortestProse is how long a line of running text is at least that goes on in the next.
const shortestProse = 40

// mostExamples is how many items are looked at for what stands beside a value.
const mostExamples = 12

// inOwnSlots takes its place from a value that stands with another item of a list, where its own item has something
// else between the same words: "tuned the grand (no. 47007), which stood at 440 Hz" of one item, and of the other "tuned the
// upright (no. 55844), which …" with 47007 for its number. Nothing else may have been read from what stands there.
// The lists within several items are looked at as one.
func (w *weigher) inOwnSlots(lists [][]*item) {
	if w.plain {
		return
	}
	w.eachListOf(lists, func(s *slots) {
		if s.exchanged(); s.apart() {
			s.look()
		}
	})
}

func (s *slots) look() {
	for i, it := range s.list {
		for _, l := range it.leaves {
			at := s.places[l.path]
			isChoice := l.f.Type == schema.Choice && l.f.List == nil && !l.f.Concludes
			if s.ext[i].End == 0 || l.fixed != nil || l.f.Type == schema.Choice && !isChoice || l.f.Type == schema.Boolean || at.Basis || at.Misplaced > 0 || at.isContradicted() || !at.Found() && !isChoice || l.value == "null" {
				continue
			}
			if at.Found() && at.Start >= s.ext[i].Start && at.End <= s.ext[i].End && !s.isTwice(l, at) {
				continue
			}
			own := s.around(i)
			in := func(c candidate) bool { return own.Start <= c.Start && c.End <= own.End }
			if s.ownerOf(at.Start) == i && at.Found() && !s.isTwice(l, at) || slices.ContainsFunc(l.cands, in) && !s.isTwice(l, at) {
				continue
			}
			if s.ownerOf(at.Start) < 0 && at.Found() && s.isNamedIn(it, l, at.Line-1) { // put right below: nails 12, not 10
				continue
			}
			if said, ok := s.saidFor(l, i, own); ok {
				s.places[l.path] = Place{Kind: l.lacking, Opposed: s.ix.LineOf(said.Start) + 1, Says: said}
			}
		}
	}
}

// isTwice tells whether a figure of an item was read as another of its values, too.
func (s *slots) isTwice(l *leaf, at Place) bool {
	return l.f.Type != schema.Text && l.f.Type != schema.Choice && slices.ContainsFunc(l.item.leaves, func(o *leaf) bool {
		other := s.places[o.path]
		return o != l && other.Found() && other.Start <= at.Start && at.End <= other.End && o.f.Type != schema.Text && o.f.Type != schema.Choice
	})
}

// slots are the items of a list, each in a stretch of its own.
type slots struct {
	*weigher
	list  []*item
	ext   []span // from the first to the last of an item's values; choices and what it shares with another are left out
	order []int  // the items that have one, as they stand
	nth   []int  // of an item: which of these it is
	own   []span // see around, once asked for
	at    map[int]stood
	ends  map[int]stood
}

// stood is a value with its place before anything was taken from it.
type stood struct {
	span
	f  *schema.Field
	of *item
}

// apart finds where the items stand, and tells whether none lies among the values of another. What two items have in common
// tells nothing, nor does a value that stands beyond the middle of the next item.
func (s *slots) apart() bool {
	first, shared := map[int]*item{}, map[int]bool{}
	each := func(it *item, do func(at Place)) {
		it.all(1, func(l *leaf, _ float64) {
			if at := s.places[l.path]; at.Found() && !at.Basis && l.f.Type != schema.Choice && (at.Rivals == 0 || at.Tied) {
				do(at)
			}
		})
	}
	for _, it := range s.list {
		each(it, func(at Place) {
			if o := first[at.Start]; o == nil {
				first[at.Start] = it
			} else if o != it {
				shared[at.Start] = true
			}
		})
	}
	middle := make([]int, len(s.list))
	for i, it := range s.list {
		var starts []int
		each(it, func(at Place) {
			if !shared[at.Start] {
				starts = append(starts, at.Start)
			}
		})
		if len(starts) > 0 {
			slices.Sort(starts)
			middle[i] = starts[len(starts)/2]
			s.order = append(s.order, i)
		}
	}
	slices.SortFunc(s.order, func(a, b int) int { return cmp.Compare(middle[a], middle[b]) })
	s.ext, s.nth, s.own = make([]span, len(s.list)), make([]int, len(s.list)), make([]span, len(s.list))
	for k, i := range s.order {
		from, to := 0, len(s.ix.Source)
		if k > 0 {
			from = middle[s.order[k-1]]
		}
		if k+1 < len(s.order) {
			to = middle[s.order[k+1]]
		}
		each(s.list[i], func(at Place) {
			switch e := s.ext[i]; {
			case shared[at.Start] || at.Start <= from && k > 0 || at.Start >= to:
			case e.End == 0:
				s.ext[i] = between(at.Start, at.End)
			default:
				s.ext[i] = between(min(e.Start, at.Start), max(e.End, at.End))
			}
		})
	}
	s.order = slices.DeleteFunc(s.order, func(i int) bool { return s.ext[i].End == 0 })
	for k, i := range s.order {
		if s.nth[i] = k; k > 0 && s.ext[s.order[k-1]].End > s.ext[i].Start {
			return false
		}
	}
	return len(s.order) > 1
}

// ownerOf gives the item in whose values a place lies, or next to them; -1 for none.
func (s *slots) ownerOf(at int) int {
	k, _ := slices.BinarySearchFunc(s.order, at, func(i, at int) int { return cmp.Compare(s.ext[i].End, at) })
	for _, near := range []int{k, k - 1} {
		if near >= 0 && near < len(s.order) {
			if r := s.around(s.order[near]); r.Start <= at && at < r.End {
				return s.order[near]
			}
		}
	}
	return -1
}

// around gives the stretch of an item: from the one before it to the one behind it, or to where the sentence or the line
// of that begins; the last one's ends with its paragraph.
func (s *slots) around(i int) span {
	if s.own[i].End > 0 {
		return s.own[i]
	}
	k := s.nth[i]
	begins := func(at int) int {
		line, sentence := s.ix.LineSpan(s.ix.LineOf(at)), s.ix.SentenceSpan(at, at)
		row := s.ix.Source[line.Start:line.End]
		above, _, _ := s.ix.rowAt(max(0, s.ix.LineOf(at)-1))
		if sentence.Start < line.Start && len(above) >= shortestProse && len(cellsIn(row)) < 2 && len(cellsIn(above)) < 2 && !rowBegins.MatchString(row) {
			return sentence.Start // it goes on from the line above
		}
		return max(line.Start, sentence.Start)
	}
	start, end := begins(s.ext[i].Start), len(s.ix.Source)
	if k > 0 {
		start = max(start, s.ext[s.order[k-1]].End)
	}
	if k+1 < len(s.order) {
		end = s.ext[s.order[k+1]].Start
		if at := begins(end); at > s.ext[i].End {
			end = at
		}
	} else if n := strings.Index(s.ix.Source[s.ext[i].End:], "\n\n"); n >= 0 {
		end = s.ext[i].End + n
	}
	s.own[i] = between(start, end)
	return s.own[i]
}

// side is what stands at one side of a value in its line: words, or a sign and the value of another field.
type side struct {
	words string
	f     *schema.Field // whose value stands beyond them; nil where it is a word of the text
	own   bool          // that value is of the same item
	edge  bool          // the line begins or ends there
}

// saidFor gives what an item has where a value of the same field stands in others.
func (s *slots) saidFor(l *leaf, i int, own span) (said span, ok bool) {
	looked := 0
	for k, it := range s.list {
		o := leafOf(it, l.f)
		if o == nil || s.ext[k].End == 0 {
			continue
		}
		if looked++; looked > mostExamples {
			break
		}
		at := s.places[o.path]
		if of := s.ownerOf(at.Start); !at.Found() || at.Basis || of < 0 || of == i || of != k && o != l {
			continue
		}
		before, behind := s.before(it, at.Start), s.behind(it, at.End)
		if !before.tells() && !behind.tells() && (o == l || !((before.edge || before.f != nil) && (behind.edge || behind.f != nil))) {
			continue
		}
		for _, start := range s.startsOf(before, s.list[i], own) {
			end, found := s.endOf(behind, s.list[i], start, own)
			if !found || !s.alike(l, between(start, end), between(at.Start, at.End)) || s.says(l, s.ix.Source[start:end]) {
				continue
			}
			if ok && said != between(start, end) {
				return span{}, false // two of them
			}
			said, ok = between(start, end), true
		}
	}
	return said, ok
}

// says tells whether some words are those for a value: its option, or its letters and figures.
func (s *slots) says(l *leaf, words string) bool {
	if l.f.Type == schema.Choice && strconv.Quote(optionSaid(l.f, words)) == l.value {
		return true
	}
	said, _, _ := strings.Cut(strings.TrimPrefix(l.value, `{"amount":`), ",")
	figures := func(text string) string {
		return strings.TrimLeft(strings.Map(func(r rune) rune {
			if !unicode.IsDigit(r) {
				return -1
			}
			return r
		}, text), "0")
	}
	return folded(l.value) == folded(words) || figures(said) != "" && figures(said) == figures(words)
}

// tells tells whether a side has letters, or the value of another field.
func (d side) tells() bool {
	return d.f != nil && !d.isGap() || strings.IndexFunc(d.words, unicode.IsLetter) >= 0
}

// isGap tells whether nothing but a gap between two cells parts a value from its neighbour.
func (d side) isGap() bool { return strings.TrimSpace(d.words) == "" && len(d.words) > 1 }

func (s *slots) before(it *item, at int) side {
	line := s.ix.LineSpan(s.ix.LineOf(at)).Start
	i := s.ix.TokenAt(at) - 1
	if before := s.ix.Source[line:at]; i < 0 || s.ix.Tokens[i].Start < line || rowBegins.FindString(before) == before && before != "" {
		return side{words: before, edge: true}
	}
	if v := s.endsAt(i); v.f != nil && v.End <= at {
		return side{words: s.ix.Source[v.End:at], f: v.f, own: v.of == it}
	}
	return side{words: s.ix.Source[s.ix.Tokens[i].Start:at]}
}

func (s *slots) behind(it *item, at int) side {
	line := s.ix.LineSpan(s.ix.LineOf(at)).End
	i := s.ix.TokenAt(at)
	if i >= len(s.ix.Tokens) || s.ix.Tokens[i].Start >= line {
		return side{words: strings.TrimRight(s.ix.Source[at:line], "\n"), edge: true}
	}
	if v := s.startsAt(s.ix.Tokens[i].Start); v.f != nil && v.Start >= at {
		return side{words: s.ix.Source[at:v.Start], f: v.f, own: v.of == it}
	}
	return side{words: s.ix.Source[at:s.ix.Tokens[i].End]}
}

// startsOf gives where a value may begin in a stretch, by what stands before it elsewhere.
func (s *slots) startsOf(d side, it *item, own span) (all []int) {
	switch {
	case d.f != nil:
		for i := max(0, s.ix.TokenAt(own.Start)-1); i < len(s.ix.Tokens) && s.ix.Tokens[i].Start < own.End; i++ {
			at := s.endsAt(i)
			if at.f != d.f || (at.of == it) != d.own || at.End < own.Start || at.End > own.End {
				continue
			}
			rest := s.ix.Source[at.End:own.End]
			if next := strings.TrimLeft(rest, " "); d.isGap() && len(rest)-len(next) > 1 {
				all = append(all, own.End-len(next))
			} else if strings.HasPrefix(rest, d.words) && !d.isGap() {
				all = append(all, at.End+len(d.words))
			}
		}
	case d.edge:
		for n := s.ix.LineOf(own.Start); n <= s.ix.LineOf(own.End-1); n++ {
			line := s.ix.LineSpan(n)
			text := s.ix.Source[line.Start:line.End]
			if begin := rowBegins.FindString(text); strings.HasPrefix(text, d.words) {
				all = append(all, line.Start+len(d.words))
			} else if begin != "" && rowBegins.FindString(d.words) == d.words && anyFigure.ReplaceAllString(begin, "0") == anyFigure.ReplaceAllString(d.words, "0") {
				all = append(all, line.Start+len(begin))
			}
		}
	default:
		text := s.ix.Source[:own.End]
		for from := own.Start; ; {
			n := strings.Index(text[from:], d.words)
			if n < 0 {
				return all
			}
			if at := from + n; at == 0 || !isLetterAt(text, at-1) {
				all = append(all, at+len(d.words))
			}
			from += n + len(d.words)
		}
	}
	return all
}

// endOf gives where what begins at a place ends, by what stands behind it elsewhere.
func (s *slots) endOf(d side, it *item, start int, own span) (end int, ok bool) {
	line := s.ix.LineSpan(s.ix.LineOf(start))
	switch {
	case d.f != nil:
		for i := s.ix.TokenAt(start); i < len(s.ix.Tokens) && s.ix.Tokens[i].Start < line.End; i++ {
			at := s.startsAt(s.ix.Tokens[i].Start)
			if at.f != d.f || (at.of == it) != d.own || at.Start <= start {
				continue
			}
			text := s.ix.Source[start:at.Start]
			if said := strings.TrimRight(text, " "); d.isGap() && len(text)-len(said) > 1 && said != "" {
				return start + len(said), true
			}
			if end := at.Start - len(d.words); !d.isGap() && end > start && strings.HasSuffix(text, d.words) {
				return end, true
			}
		}
		return 0, false
	case d.edge:
		text := strings.TrimRight(s.ix.Source[start:line.End], "\n")
		end = start + len(text) - len(d.words)
		return end, end > start && strings.HasSuffix(text, d.words)
	}
	n := strings.Index(s.ix.Source[start:min(line.End, own.End+len(d.words))], d.words)
	return start + n, n > 0
}

// alike tells whether what stands in one place may be a value as that in another: it is not the same, no value was read
// from it but the same field's of another item, and both are figures, or neither is. That of a choice is an option, and may be the same.
func (s *slots) alike(l *leaf, a, b span) bool {
	text, other := s.ix.Source[a.Start:a.End], s.ix.Source[b.Start:b.End]
	figures := func(text string) bool { return strings.IndexFunc(text, unicode.IsDigit) >= 0 }
	if l.f.Type == schema.Choice {
		return len(text) <= mostInSlot && optionSaid(l.f, text) != ""
	}
	if len(text) > mostInSlot || strings.TrimSpace(text) != text || strings.Contains(text, "  ") || slices.ContainsFunc(wordsOf(text), lang.SameAs.Has) || folded(text) == folded(other) || figures(text) != figures(other) || !figures(text) && strings.ContainsAny(text, ".;:") != strings.ContainsAny(other, ".;:") {
		return false
	}
	for i := s.ix.TokenAt(a.Start); i < len(s.ix.Tokens) && s.ix.Tokens[i].Start < a.End; i++ {
		for _, v := range []stood{s.startsAt(s.ix.Tokens[i].Start), s.endsAt(i)} {
			if v.f != nil && (v.f != l.f || v.of == l.item) {
				return false
			}
		}
	}
	return true
}

// optionSaid gives the option that some words are, or a kind of which they are.
func optionSaid(f *schema.Field, words string) string {
	if option := optionCalled(f, words); option != "" {
		return option
	}
	return optionOfPhrase(f, words)
}

func isLetterAt(text string, at int) bool {
	r, _ := utf8.DecodeLastRuneInString(text[:at+1])
	return unicode.IsLetter(r) || unicode.IsDigit(r)
}

// startsAt gives a value that begins at a place, endsAt one that ends with a word.
func (s *slots) startsAt(at int) stood { s.index(); return s.at[at] }
func (s *slots) endsAt(word int) stood { s.index(); return s.ends[word] }

func (s *slots) index() {
	if s.at != nil {
		return
	}
	s.at, s.ends = map[int]stood{}, map[int]stood{}
	for _, l := range s.leaves {
		if at := s.places[l.path]; at.Found() && !at.Basis {
			v := stood{between(at.Start, at.End), l.f, l.item}
			s.at[at.Start], s.ends[s.ix.TokenAt(at.End)-1] = v, v
		}
	}
}
