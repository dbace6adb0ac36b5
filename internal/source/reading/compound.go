package reading

import (
	"math/big"
	"strconv"
	"strings"
	"unicode/utf8"

	"filler/internal/base/lazy"
)

// compounds are amounts that a text says in two units, angles in degrees and minutes, and
// the last years of spans whose century is said once.
type compounds struct {
	amounts map[string]*exacts // by what they measure, in its base unit
	angles  exacts             // in degrees; those of the south and west below nought
	years   map[string][]Span
}

var (
	twoUnits = lazy.New(`(\d+(?:[.,]\d+)?)[ \x{00a0}]?(\pL{1,7}\.?|['’′])(?: (?:and|und|et|y|e|en) |[ \x{00a0}]?)(\d{1,4}(?:[.,]\d+)?)(½|¼|¾)?(?:[ \x{00a0}]?(\pL{1,7}\b|["”″]|''|’’))?`)
	degrees  = lazy.New(`(\d{1,3})[ \x{00a0}]?[°º][ \x{00a0}]?(?:(\d{1,2}(?:[.,]\d+)?)[ \x{00a0}]?['’′])?(?:[ \x{00a0}]?(\d{1,2}(?:[.,]\d+)?)[ \x{00a0}]?(?:["”″]|''|’’))?[ \x{00a0}]?([NSEWO]\b)?`)
	yearSpan = lazy.New(`\b(1\d|20)(\d{2}) ?[-–/] ?(\d{2})\b`)
)

// smaller is the unit that stands for itself behind another: 1 kg 250 are 250 g.
var smaller = map[string]struct {
	unit   string
	digits int // of the second figure; 0: any number
}{
	"km": {"m", 3}, "m": {"cm", 2}, "t": {"kg", 3}, "kg": {"g", 3}, "l": {"cl", 2}, "ft": {"in", 0}, "lb": {"oz", 0}, "stone": {"lb", 0}, "h": {"min", 2},
}

// compound reads what a stretch of the text says in two figures.
func (tx *Text) compound(within Span) {
	c := &tx.derived.compounds
	text := tx.Source[within.Start:within.End]
	group := func(m []int, n int) string {
		if m[2*n] < 0 {
			return ""
		}
		return text[m[2*n]:m[2*n+1]]
	}
	tx.inTwoUnits(within, func(of string, n *big.Rat, at Span) {
		if c.amounts == nil {
			c.amounts = map[string]*exacts{}
		}
		if c.amounts[of] == nil {
			c.amounts[of] = &exacts{}
		}
		c.amounts[of].add(n, at)
	})
	for _, m := range tx.matches(degrees, within) {
		if m[4] < 0 && m[8] < 0 { // 21 ° alone is no angle in two figures
			continue
		}
		sum := decimal(group(m, 1))
		sum.Add(sum, new(big.Rat).Quo(decimal(group(m, 2)), big.NewRat(60, 1)))
		sum.Add(sum, new(big.Rat).Quo(decimal(group(m, 3)), big.NewRat(3600, 1)))
		if side := group(m, 4); side == "S" || side == "W" {
			sum.Neg(sum)
		}
		c.angles.add(sum, Span{within.Start + m[0], within.Start + m[1]})
	}
	for _, m := range tx.matches(yearSpan, within) {
		from, _ := strconv.Atoi(group(m, 2))
		if to, _ := strconv.Atoi(group(m, 3)); to > from && (m[1] == len(text) || strings.IndexByte("-/", text[m[1]]) < 0) {
			year := group(m, 1) + group(m, 3)
			if c.years == nil {
				c.years = map[string][]Span{}
			}
			c.years[year] = append(c.years[year], Span{within.Start + m[0], within.Start + m[1]})
		}
	}
}

// inTwoUnits calls each with the amounts that a stretch says in two units, in the base
// unit of what they measure.
func (tx *Text) inTwoUnits(within Span, each func(of string, n *big.Rat, at Span)) {
	text := tx.Source[within.Start:within.End]
	for _, m := range tx.matches(twoUnits, within) {
		group := func(n int) string {
			if m[2*n] < 0 {
				return ""
			}
			return text[m[2*n]:m[2*n+1]]
		}
		if m[0] > 0 && (isWordByte(text[m[0]-1]) || strings.IndexByte(".,/-", text[m[0]-1]) >= 0) {
			continue // the end of a longer number, or of a mark
		}
		big, small := unitSign(group(2), "ft"), unitSign(group(5), "in")
		end := within.Start + m[1]
		if small == "" { // 1 kg 250, and 1 kg 250 of flour; 2 m 50 kg are two amounts
			short, known := smaller[big]
			if !known || short.digits > 0 && len(group(3)) != short.digits {
				continue
			}
			small = short.unit
			end = within.Start + max(m[7], m[9])
			if last := tx.TokenAt(within.Start + m[6]); last+1 < len(tx.Tokens) && !tx.endsSum(last) {
				continue
			}
		}
		a, okA := known(big)
		b, okB := known(small)
		if !okA || !okB || a.of != b.of || a.offset != "" {
			continue
		}
		if n := sumOf(a, b, group(1), group(3), group(4)); n != nil {
			each(a.of, n, Span{within.Start + m[0], end})
		}
	}
}

// InCompound tells whether the figure at a place is one of two that say another amount than
// its own: the 5 ft of 5 ft 4 in.
func (tx *Text) InCompound(s Span, figure, own string) (inside bool) {
	u, ok := known(UnitOf(own))
	if !ok {
		return false
	}
	around := Span{max(0, s.Start-24), min(len(tx.Source), s.End+24)}
	for around.Start > 0 && !utf8.RuneStart(tx.Source[around.Start]) {
		around.Start--
	}
	tx.inTwoUnits(around, func(of string, n *big.Rat, at Span) {
		inside = inside || at.Start <= s.Start && s.End <= at.End && !(of == u.of && asShown(figure, new(big.Rat).Quo(n, rational(u.factor))))
	})
	return inside
}

// unitSign gives the unit that a word or a sign stands for.
func unitSign(text, sign string) string {
	if text != "" && strings.Trim(text, `'’′"”″`) == "" {
		return sign
	}
	return UnitOf(text)
}

// decimal gives a number in figures; nought for none.
func decimal(text string) *big.Rat {
	n, ok := new(big.Rat).SetString(strings.ReplaceAll(text, ",", "."))
	if !ok {
		return new(big.Rat)
	}
	return n
}

// sumOf gives an amount of two units, in their base unit; nil where the second is not less
// than one of the first.
func sumOf(a, b unit, more, less, part string) *big.Rat {
	rest := decimal(less)
	if over, under, ok := strings.Cut(parts[part], "/"); ok {
		rest.Add(rest, new(big.Rat).Quo(decimal(over), decimal(under)))
	}
	rest.Mul(rest, rational(b.factor))
	if strings.ContainsAny(more, ".,") || rest.Cmp(rational(a.factor)) >= 0 {
		return nil
	}
	sum := decimal(more)
	return sum.Mul(sum, rational(a.factor)).Add(sum, rest)
}

// Compound gives the places that say an amount in two units: 1 kg 250, 5 ft 4 in.
func (tx *Text) Compound(figure, own string) []Span {
	u, ok := known(UnitOf(own))
	if !ok || u.offset != "" {
		return nil
	}
	all := tx.derive().compounds.amounts[u.of]
	if all == nil {
		return nil
	}
	return all.of(func(n *big.Rat) bool { return asShown(figure, new(big.Rat).Quo(n, rational(u.factor))) })
}

// Angle gives the places that say an angle in degrees and minutes: 50°21'N.
func (tx *Text) Angle(figure string) []Span {
	return tx.derive().compounds.angles.of(func(n *big.Rat) bool { return asShown(figure, n) })
}

// YearEnds gives the places of a year that is said by its last two figures, as the end of
// a span: 1765–70.
func (tx *Text) YearEnds(year string) []Span { return tx.derive().compounds.years[year] }
