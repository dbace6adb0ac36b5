package reading

import (
	"math/big"
	"slices"
	"sort"
	"strconv"
	"strings"
	"sync"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/base/value"
)

// derived is what a text says by two figures or more, made when it is first asked
// for: parts of a whole, points out of the most there are, lasting times in hours and
// minutes, and a count with what each of them is.
type derived struct {
	once     sync.Once
	parts    exacts            // so many of so many: a fifth, two thirds, 2/8
	points   map[string][]Span // so many out of a most, by both: 13/20, eighteen out of twenty
	lasting  exacts            // times that something lasts, in seconds; months are below nought
	products map[string][]product

	compounds compounds
}

// exacts are exact numbers with their places.
type exacts struct {
	all []*big.Rat
	at  map[string][]Span // by their text
}

// mostExact bounds how many different ones are kept: each is compared with each value
// that stands nowhere else.
const mostExact = 500

func (e *exacts) add(n *big.Rat, s Span) {
	key := n.RatString()
	if e.at == nil {
		e.at = map[string][]Span{}
	}
	if _, known := e.at[key]; !known {
		if len(e.all) == mostExact {
			return
		}
		e.all = append(e.all, n)
	}
	e.at[key] = append(e.at[key], s)
}

// of gives the places of those that something is true of.
func (e *exacts) of(is func(n *big.Rat) bool) (found []Span) {
	for _, n := range e.all {
		if is(n) {
			found = append(found, e.at[n.RatString()]...)
		}
	}
	return found
}

// product is a count with what each is: 16 at 4.2 kg.
type product struct {
	Span
	each Span
}

func (tx *Text) derive() *derived {
	r := &tx.derived
	r.once.Do(func() {
		r.products, r.points = map[string][]product{}, map[string][]Span{}
		for _, s := range tx.Stretches {
			tx.partsInFigures(s)
			tx.pointsInMarks(s)
			tx.lastingIn(s)
			tx.lastingInThree(s)
			tx.lastingInSmall(s)
			tx.lastingInColons(s)
			tx.lastingFromTo(s)
			tx.compound(s)
		}
		tx.partsInWords()
		tx.lastingInWords()
		tx.lastingOnce()
		tx.pointsInWords()
		tx.multiply()
	})
	return r
}

// inFigures is two figures with a stroke between, or words that say out of.
var inFigures = lazy.New(`(\d{1,4}(?:[.,]\d{1,2}|[½¼¾])?) ?/ ?(\d{1,4})|[½¼¾⅓⅔⅛⅜⅝⅞]`)

func (tx *Text) partsInFigures(s Span) {
	text := tx.Source[s.Start:s.End]
	for _, m := range tx.matches(inFigures, s) {
		at := Span{s.Start + m[0], s.Start + m[1]}
		if m[2] < 0 {
			over, under, _ := strings.Cut(parts[text[m[0]:m[1]]], "/")
			if m[0] == 0 || !isDigit(text[m[0]-1]) {
				tx.keepShare(at, over, under)
			}
			continue
		}
		if m[0] > 0 && (isWordByte(text[m[0]-1]) || strings.IndexByte("/.,-", text[m[0]-1]) >= 0) || m[1] < len(text) && (isDigit(text[m[1]]) || strings.IndexByte("/-", text[m[1]]) >= 0) {
			continue // a date, or a code
		}
		over, under := text[m[2]:m[3]], text[m[4]:m[5]]
		for sign, decimals := range map[string]string{"½": ".5", "¼": ".25", "¾": ".75", ",": "."} {
			over = strings.ReplaceAll(over, sign, decimals)
		}
		tx.keepShare(at, over, under)
		tx.keepPoints(at, canonical(over), canonical(under))
	}
}

// rowOfMarks is so many of so many signs: ★★★★☆.
var rowOfMarks = lazy.New(`([★⭐●■✪]{2,})([☆○□✩]*)|[★⭐●■✪][☆○□✩]+`)

// pointsInMarks keeps ratings in rows of signs; one without empty signs may go up to five.
func (tx *Text) pointsInMarks(s Span) {
	text := tx.Source[s.Start:s.End]
	if !strings.ContainsAny(text, "★⭐●■✪") {
		return
	}
	for _, m := range rowOfMarks.FindAllStringIndex(text, -1) {
		all := utf8.RuneCountInString(text[m[0]:m[1]])
		full := all - utf8.RuneCountInString(strings.TrimLeft(text[m[0]:m[1]], "★⭐●■✪"))
		tx.keepPoints(Span{s.Start + m[0], s.Start + m[1]}, canonical(strconv.Itoa(full)), canonical(strconv.Itoa(max(all, 5))))
	}
}

func (tx *Text) keepPoints(at Span, key, most string) {
	tx.derived.points[key+"/"+most] = append(tx.derived.points[key+"/"+most], at)
}

func (tx *Text) keepShare(at Span, over, under string) {
	a, okA := new(big.Rat).SetString(over)
	b, okB := new(big.Rat).SetString(under)
	if okA && okB && b.Sign() > 0 && a.Cmp(b) <= 0 {
		share := new(big.Rat).Quo(a, b)
		tx.derived.parts.add(share, at)
		tx.keepLasting(share, at)
	}
}

// keepLasting notes a part of an hour or the like: three quarters of an hour.
func (tx *Text) keepLasting(share *big.Rat, at Span) {
	i := tx.TokenAt(at.End)
	for n := 0; n < 3 && i < len(tx.Tokens) && tx.Tokens[i].Start-at.End < 12; n, i = n+1, i+1 {
		if of := units[UnitOf(tx.Tokens[i].Word)]; isLasting(of) {
			tx.derived.lasting.add(lastingOf(of, share), Span{at.Start, tx.Tokens[i].End})
			return
		}
	}
}

func isLasting(u unit) bool { return u.of == "time" || u.of == "months" }

// lastingOf gives a part of a unit of time in seconds, of one of months in months below
// nought: neither is so many of the other.
func lastingOf(u unit, share *big.Rat) *big.Rat {
	n := new(big.Rat).Mul(share, rational(u.factor))
	if u.of == "months" {
		n.Neg(n)
	}
	return n
}

// partsInWords finds half, a fifth, two thirds, drei Viertel.
func (tx *Text) partsInWords() {
	for _, name := range lang.Part.Words() {
		for _, i := range tx.ByWord[strings.ToLower(name)] {
			first, over := i, "1"
			if i > 0 && tx.near(i-1, i) {
				if n, ok := NumberWord(tx.Tokens[i-1].Word); ok {
					first, over = i-1, strconv.Itoa(n)
				} else if lang.Article.Has(tx.Tokens[i-1].Word) || lang.OneUnit.Has(tx.Tokens[i-1].Word) {
					first = i - 1
				}
			}
			tx.keepShare(Span{tx.Tokens[first].Start, tx.Tokens[i].End}, over, lang.Part.Meaning(name))
		}
	}
}

// pointsInWords finds eighteen out of twenty, in words and figures.
func (tx *Text) pointsInWords() {
	all := tx.figuresInOrder()
	for i := 0; i+1 < len(all); i++ {
		a, b := all[i], all[i+1]
		if gap := strings.TrimSpace(tx.Source[a.End:max(a.End, b.Start)]); a.End < b.Start && b.Start-a.End < 12 && lang.OfMost.Has(gap) {
			tx.keepPoints(Span{a.Start, b.End}, a.key, b.key)
		}
	}
}

// keyed is a figure with one of its readings.
type keyed struct {
	Span
	key string
}

// figuresInOrder gives all figures, each with its readings, in order.
func (tx *Text) figuresInOrder() (all []keyed) {
	for key, figures := range tx.numbers {
		for _, f := range figures {
			all = append(all, keyed{f.Span, key})
		}
	}
	sort.Slice(all, func(i, j int) bool {
		if all[i].Start != all[j].Start {
			return all[i].Start < all[j].Start
		}
		return all[i].key < all[j].key
	})
	return all
}

// joins is how far a count and what each of them is stand apart, in a table.
const joins = 90

// multiply finds counts with what each of them is: 16 at 4.2 kg, 12 sacks of 25 kg,
// 3 × £4.
func (tx *Text) multiply() {
	all := tx.figuresInOrder()
	for i, a := range all {
		if isCross(tx.Source[:a.Start], true) {
			continue
		}
		for k := i + 1; k < len(all) && all[k].Start <= a.End+joins; k++ {
			b := all[k]
			if b.Start <= a.End || isCross(tx.Source[b.End:], false) || !isTimes(tx.Source[a.End:b.Start]) && !(tx.apiece(b.End) && isOfThem(tx.Source[a.End:b.Start])) {
				continue
			}
			x, okX := new(big.Rat).SetString(a.key)
			y, okY := new(big.Rat).SetString(b.key)
			if !okX || !okY || !x.IsInt() && !y.IsInt() || len(a.key)+len(b.key) > 24 {
				continue
			}
			each := b.Span // or £37 (x2)
			if !x.IsInt() || tx.MeasureOf(b.Span).none() && !tx.MeasureOf(a.Span).none() {
				each = a.Span
			}
			key := value.CanonicalNumber(x.Mul(x, y).FloatString(6))
			tx.derived.products[key] = append(tx.derived.products[key], product{Span{a.Start, b.End}, each})
		}
	}
}

// isCross tells whether the sign of times stands before or behind a figure, so that a product of two is a part of
// three measures: 6 x 4 x 2 mm.
func isCross(text string, before bool) bool {
	if before {
		text = strings.TrimRight(text[max(0, len(text)-8):], " \u00a0")
		rest, is := strings.CutSuffix(text, "x")
		if !is {
			rest, is = strings.CutSuffix(text, "×")
		}
		rest = strings.TrimRight(rest, " \u00a0")
		return is && rest != "" && isDigit(rest[len(rest)-1])
	}
	text = strings.TrimLeft(text[:min(len(text), 8)], " \u00a0")
	rest, is := strings.CutPrefix(text, "x")
	if !is {
		rest, is = strings.CutPrefix(text, "×")
	}
	rest = strings.TrimLeft(rest, " \u00a0")
	return is && rest != "" && isDigit(rest[0])
}

// isTimes tells whether what stands between two figures makes them a count and what
// each of them is.
func isTimes(gap string) bool {
	if sign := strings.Trim(gap, " (\u00a0"); sign == "x" || sign == "×" {
		return strings.Count(gap, "(") <= 1
	}
	if strings.ContainsAny(gap, "\n.;:()") {
		return false
	}
	words := strings.Fields(strings.Trim(gap, " \u00a0€$£¥"))
	if len(words) == 0 || len(words) > 4 {
		return false
	}
	length := len(words)
	for _, w := range words {
		if length += len(w); strings.ContainsAny(w, "0123456789") {
			return false
		}
	}
	if length > 24 && len(words) > 1 || length > 40 {
		return false
	}
	last := words[len(words)-1]
	return lang.Times.Has(last) || strings.Contains("x×@*", last)
}

// isOfThem tells whether what stands between a count and an amount may be the words for
// what is counted.
func isOfThem(gap string) bool {
	return !strings.ContainsAny(gap, "\n.;:()0123456789") && len(strings.Fields(gap)) <= 4
}

// apiece tells whether the words behind an amount say that each has it: 145 kg each,
// 3.50 EUR per piece.
func (tx *Text) apiece(end int) bool {
	rest, _, _ := strings.Cut(tx.Source[end:min(len(tx.Source), end+30)], "\n")
	words := strings.FieldsFunc(rest, func(r rune) bool { return !IsWordRune(r) })
	for i, w := range words[:min(len(words), 3)] {
		if lang.Apiece.Has(strings.ToLower(w)) && !strings.ContainsAny(strings.Join(words[:i], ""), "0123456789") {
			return true
		}
	}
	return false
}

// asShown tells whether a figure is another, rounded to the decimals that it has.
func asShown(figure string, exact *big.Rat) bool {
	_, decimals, _ := strings.Cut(figure, ".")
	n, ok := new(big.Rat).SetString(figure)
	return ok && len(figure) < 30 && !strings.ContainsAny(figure, "eE") && n.FloatString(len(decimals)) == exact.FloatString(len(decimals))
}

// Shares gives the places that say a percentage as a part: an eighth is 12.5 %, 2/8
// are 25 %, 0.91 is 91 %.
func (tx *Text) Shares(percent string) (found []Span) {
	found = tx.derive().parts.of(func(share *big.Rat) bool {
		return asShown(percent, new(big.Rat).Mul(share, big.NewRat(100, 1)))
	})
	n, ok := new(big.Rat).SetString(percent)
	if !ok || len(percent) > 12 || n.Sign() <= 0 || n.Cmp(big.NewRat(100, 1)) > 0 {
		return found
	}
	for _, s := range tx.Every(value.CanonicalNumber(n.Quo(n, big.NewRat(100, 1)).FloatString(8))) {
		if tx.MeasureOf(s).none() && strings.ContainsAny(tx.Source[s.Start:s.End], ".,") {
			found = append(found, s)
		}
	}
	return found
}

// Parts gives the places of a part of a whole in figures: 1/2.
func (tx *Text) Parts(figure string) []Span {
	return tx.derive().parts.of(func(share *big.Rat) bool { return asShown(figure, share) && share.Cmp(big.NewRat(1, 1)) < 0 })
}

// usualMost are the most points that ratings go up to.
var usualMost = map[string]bool{canonical("5"): true, canonical("6"): true, canonical("10"): true, canonical("20"): true, canonical("100"): true}

// OnScale gives the places that say so many out of a most that is usual, or that the text says of
// others too: 4/5, and the 5 of 5/8 where 2/8 stands.
func (tx *Text) OnScale(key string) (found []Span) {
	for said, at := range tx.derive().points {
		points, most, _ := strings.Cut(said, "/")
		if points != key {
			continue
		}
		if usualMost[most] {
			found = append(found, slices.DeleteFunc(slices.Clone(at), func(s Span) bool { return tx.isDay(s) })...)
			continue
		}
		for other := range tx.derived.points {
			if p, m, _ := strings.Cut(other, "/"); m == most && p != key && !inMonthOf(most) { // 08/2024
				found = append(found, at...)
				break
			}
		}
	}
	return found
}

// inMonthOf tells a most that is a year: what stands before it is a month.
func inMonthOf(most string) bool {
	n, err := strconv.ParseFloat(most, 64)
	return err == nil && n >= 1900 && n < 2100
}

// Points gives the places that say so many out of a most: 13/20.
func (tx *Text) Points(key, most string) []Span {
	return tx.derive().points[key+"/"+canonical(most)]
}

// Most gives the places that say so many out of this most: the 6 of 5.2/6.
func (tx *Text) Most(key string) (found []Span) {
	for said, at := range tx.derive().points {
		if _, most, _ := strings.Cut(said, "/"); most == key {
			found = append(found, at...)
		}
	}
	sort.Slice(found, func(i, j int) bool { return before(found[i], found[j]) })
	return found
}

// Products gives the places of a count with what each of them is, where both come to a
// number, and those of what each is.
func (tx *Text) Products(key string) (found, each []Span) {
	for _, p := range tx.derive().products[key] {
		found, each = append(found, p.Span), append(each, p.each)
	}
	return found, each
}
