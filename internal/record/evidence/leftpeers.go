package evidence

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// What the line of one item has where those of its peers have a value that it lacks, without cells or labels that
// would tell: "leeks, sliced" behind an amount.

// fewestPeers is how many other items of a list have a value in lines of their own at least.
const fewestPeers = 2

// peer is what a value's line has around it: values of the same item before it, and behind it.
type peer struct{ before, behind bool }

// besidePeers gives what an item's own line has in the place where those of most others have a field's value, and
// nothing came from.
func (l *leaving) besidePeers(f *schema.Field, p value.Pointer) (found []leftover) {
	item := l.itemOf(p)
	own := l.ownLine(item)
	if item == "" || own < 0 {
		return nil
	}
	set, peers, all := l.peersOf(f, item, p[len(item):])
	if peers < fewestPeers || 2*peers < all-1 {
		return nil
	}
	for _, s := range l.unclaimed(own) {
		if s = l.sayingOf(f, s); s.End > s.Start && l.isFree(s) && 2*set[l.peerOf(own, s)] > peers {
			found = append(found, leftover{span: s, form: aText})
		}
	}
	if len(found) > 1 {
		return nil
	}
	return found
}

// listField is a field of the items of one list.
type listField struct {
	f    *schema.Field
	list value.Pointer
}

// peersOf counts where the items of a list have a field's value in lines of their own, of how many items.
func (l *leaving) peersOf(f *schema.Field, item, below value.Pointer) (set map[peer]int, peers, all int) {
	items := l.record.At(item.Parent())
	if items == nil || items.Kind != value.Array {
		return nil, 0, 0
	}
	key := listField{f, item.Parent()}
	set, known := l.peers[key]
	if !known {
		set = map[peer]int{}
		for i := range items.Kids {
			other := item.Parent().Index(i)
			if at := l.places[other+below]; at.Found() && !at.Basis && l.isOwn(other, at.Line-1) {
				set[l.peerOf(at.Line-1, between(at.Start, at.End))]++
			}
		}
		if l.peers == nil {
			l.peers = map[listField]map[peer]int{}
		}
		l.peers[key] = set
	}
	for _, n := range set {
		peers += n
	}
	return set, peers, len(items.Kids)
}

// ownLine gives the one line that has values of an item, and of no other; -1 where there are none or several.
func (l *leaving) ownLine(item value.Pointer) int {
	own := -1
	for _, n := range l.lines[item] {
		switch {
		case !l.isOwn(item, n):
		case own >= 0:
			return -1
		default:
			own = n
		}
	}
	return own
}

func (l *leaving) peerOf(line int, s span) (of peer) {
	for _, c := range l.claims[line] {
		of.before = of.before || c.End <= s.Start
		of.behind = of.behind || c.Start >= s.End
	}
	return of
}

// unclaimed gives the stretches of a line between those that values came from, in its cells.
func (l *leaving) unclaimed(n int) (all []span) {
	row, start, end := l.w.ix.rowAt(n)
	if len(row) > longestLine {
		return nil
	}
	claims := slices.Clone(l.claims[n])
	slices.SortFunc(claims, func(a, b span) int { return a.Start - b.Start })
	from := start + len(listMark.FindString(row))
	add := func(to int) {
		for from < to {
			s := between(from, from+cellEnd(l.w.ix.Rows()[from:to]))
			if all = append(all, s); s.End == to {
				break
			}
			rest := l.w.ix.Source[s.End:to]
			from = s.End + max(1, len(rest)-len(strings.TrimLeftFunc(rest, func(r rune) bool { return r < utf8.RuneSelf && isCellGap(byte(r)) })))
		}
	}
	for _, c := range claims {
		add(min(c.Start, end))
		from = max(from, c.End)
	}
	add(end)
	return all
}

// sayingOf gives what of a stretch may be a field's value; an empty one for nothing.
func (l *leaving) sayingOf(f *schema.Field, s span) span {
	text := l.w.ix.Source[s.Start:s.End]
	switch f.Kin().Type {
	case schema.Integer, schema.Number:
		figures := figuresOf(text)
		if len(figures) != 1 || l.w.ix.InDate(between(s.Start+figures[0][0], s.Start+figures[0][1])) {
			return span{}
		}
		return between(s.Start+figures[0][0], s.Start+figures[0][1])
	case schema.Text:
		trimmed := strings.TrimFunc(text, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
		words := reading.Tokenize(trimmed)
		tells := func(t reading.Token) bool {
			return letters(t.Word) > 1 && !lang.Frequent.Has(t.Word) && !lang.Filler.Has(t.Word) && !lang.Article.Has(t.Word) && !lang.Is.Has(t.Word) && !lang.ListAnd.Has(t.Word) && reading.UnitOf(t.Word) == ""
		}
		if letters(trimmed) < shortestName || saysNone(trimmed) || lang.Unknown.Has(folded(trimmed)) || lang.Perhaps.Has(folded(trimmed)) || !slices.ContainsFunc(words, tells) || strings.HasSuffix(strings.TrimRight(text, " "), ":") || l.isAnswer(trimmed) {
			return span{}
		}
		from := s.Start + strings.Index(text, trimmed)
		return between(from, from+len(trimmed))
	}
	return span{}
}

// besideNames gives the counts right beside a field's name in a stretch that nothing came from: three keys, pulse 36.
func (l *leaving) besideNames(f *schema.Field, region span) (found []leftover) {
	if f.Kin().Type != schema.Integer {
		return nil
	}
	ix := l.w.ix
	for _, name := range l.w.counted(f) {
		for _, s := range ix.wordsIn(name, region) {
			first := ix.TokenAt(s.Start)
			last := first + len(name) - 1
			for _, k := range []int{first - 1, last + 1} {
				if k < 0 || k >= len(ix.Tokens) || ix.Source[min(ix.Tokens[k].End, s.End):max(ix.Tokens[k].Start, s.Start)] != " " {
					continue
				}
				if _, ok := l.w.numberAt(k); ok && l.isFree(ix.Tokens[k].Span) && !ix.TakenBack(ix.Tokens[k].Span) && ix.MeasureOf(ix.Tokens[k].Span).Unit == "" {
					found = append(found, leftover{span: ix.Tokens[k].Span, form: aCount})
				}
			}
		}
	}
	return found
}

// unnamedBesideNamed gives an item's own lines where they lack the name of a boolean that is true there, while those
// of others that are true have it, and of none that are false: the row without "bought".
func (l *leaving) unnamedBesideNamed(f *schema.Field, p value.Pointer) (found []leftover) {
	item := l.itemOf(p)
	own := l.regions(item)
	if item == "" || len(own) == 0 || l.isNamedIn(f, own) || !l.isNamedWhereTrue(f, item, p[len(item):]) {
		return nil
	}
	return []leftover{{span: own[0]}}
}

func (l *leaving) isNamedIn(f *schema.Field, regions []span) bool {
	name := folded(f.SpokenName())
	return slices.ContainsFunc(regions, func(region span) bool {
		if len(l.w.mentions(f, region)) > 0 {
			return true
		}
		words := l.w.ix.Tokens[l.w.ix.TokenAt(region.Start):l.w.ix.TokenAt(region.End)]
		return slices.ContainsFunc(words, func(t reading.Token) bool { return isKin(name, t.Word) }) // stained, for stain
	})
}

// isNamedWhereTrue tells whether the lines of an item of a list name a boolean that is true there, and none do where
// it is false.
func (l *leaving) isNamedWhereTrue(f *schema.Field, item, below value.Pointer) bool {
	key := listField{f, item.Parent()}
	named, known := l.namedTrue[key]
	if items := l.record.At(item.Parent()); !known && items != nil && items.Kind == value.Array {
		for i := range items.Kids {
			other := item.Parent().Index(i)
			v := l.record.At(other + below)
			if v == nil || !l.isNamedIn(f, l.regions(other)) {
				continue
			}
			if named = v.Text == "true"; !named {
				break
			}
		}
		if l.namedTrue == nil {
			l.namedTrue = map[listField]bool{}
		}
		l.namedTrue[key] = named
	}
	return named
}
