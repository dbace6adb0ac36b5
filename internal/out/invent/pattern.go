package invent

import (
	"errors"
	"math/rand/v2"
	"regexp"
	"regexp/syntax"
	"strings"
	"unicode"
)

// mostRepeats is how often a part without a bound is repeated at most, and longest how
// long a drawn text may become.
const (
	mostRepeats = 4
	longest     = 400
)

// errWild says that a text can't be drawn from a pattern.
var errWild = errors.New("a text can't be drawn from this pattern: it leaves too much open, or looks beyond its own words; give values with --values FIELD=FILE")

// fromPattern draws a text that a pattern matches.
func fromPattern(re *regexp.Regexp, r *rand.Rand) (string, error) {
	tree, err := syntax.Parse(re.String(), syntax.Perl)
	if err != nil {
		return "", errWild
	}
	tree = tree.Simplify()
	for range 200 {
		var b strings.Builder
		if !drawn(&b, tree, r) {
			return "", errWild
		}
		if text := b.String(); re.MatchString(text) && text != "" {
			return text, nil
		}
	}
	return "", errWild
}

func drawn(b *strings.Builder, t *syntax.Regexp, r *rand.Rand) bool {
	if b.Len() > longest {
		return false
	}
	switch t.Op {
	case syntax.OpLiteral:
		b.WriteString(string(t.Rune))
	case syntax.OpCharClass:
		c, ok := oneOf(t.Rune, r)
		if !ok {
			return false
		}
		b.WriteRune(c)
	case syntax.OpAnyChar, syntax.OpAnyCharNotNL:
		b.WriteByte("abcdefghijklmnopqrstuvwxyz"[r.IntN(26)])
	case syntax.OpConcat, syntax.OpCapture:
		for _, sub := range t.Sub {
			if !drawn(b, sub, r) {
				return false
			}
		}
	case syntax.OpAlternate:
		return drawn(b, t.Sub[r.IntN(len(t.Sub))], r)
	case syntax.OpStar, syntax.OpPlus, syntax.OpQuest, syntax.OpRepeat:
		least, most := 0, mostRepeats
		switch t.Op {
		case syntax.OpPlus:
			least = 1
		case syntax.OpQuest:
			most = 1
		case syntax.OpRepeat:
			least, most = t.Min, t.Max
			if most < 0 {
				most = least + mostRepeats
			}
		}
		for range least + r.IntN(most-least+1) {
			if !drawn(b, t.Sub[0], r) {
				return false
			}
		}
	case syntax.OpNoMatch:
		return false
	}
	return true // the rest are places between letters: whether they hold is seen at the end
}

// oneOf draws a letter of a class: of those that are easily written, where it has any.
func oneOf(ranges []rune, r *rand.Rand) (rune, bool) {
	var plain, all []rune
	for i := 0; i+1 < len(ranges); i += 2 {
		for c := ranges[i]; c <= min(ranges[i+1], ranges[i]+500); c++ {
			switch {
			case c < unicode.MaxASCII && (unicode.IsLetter(c) || unicode.IsDigit(c)):
				plain = append(plain, c)
			case unicode.IsPrint(c):
				all = append(all, c)
			}
		}
	}
	if len(plain) > 0 {
		all = plain
	}
	if len(all) == 0 {
		return 0, false
	}
	return all[r.IntN(len(all))], true
}
