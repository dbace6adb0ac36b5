package reading

import (
	"filler/internal/base/lazy"
)

// Most patterns look for figures, and most lines of a long text have none: those are not looked at.

// matches gives where a pattern is met in a stretch, as FindAllStringSubmatchIndex does for its text.
// Every match of the pattern has a figure or the sign of a fraction in each line that it reaches into,
// but for the break before the first and behind the last.
func (tx *Text) matches(re *lazy.Regexp, within Span) (all [][]int) {
	text := tx.Source[within.Start:within.End]
	for _, s := range tx.figureLines[within] {
		for _, m := range re.FindAllStringSubmatchIndex(text[s.Start:s.End], -1) {
			for i := range m {
				if m[i] >= 0 {
					m[i] += s.Start
				}
			}
			all = append(all, m)
		}
	}
	return all
}

// figureLinesOf gives the runs of lines of a text that have a figure, each with the break before it.
func figureLinesOf(text string) (found []Span) {
	line, has := 0, false
	for i := 0; i <= len(text); i++ {
		switch {
		case i == len(text) || text[i] == '\n':
			if end := min(i+1, len(text)); has {
				if n := len(found); n > 0 && found[n-1].End >= line {
					found[n-1].End = end
				} else {
					found = append(found, Span{max(line-1, 0), end})
				}
			}
			line, has = i+1, false
		case isDigit(text[i]), text[i] == 0xC2 && isFraction(text[i:]), text[i] == 0xE2 && isFraction(text[i:]):
			has = true
		}
	}
	return found
}

// isFraction tells whether a text begins with the sign of a fraction.
func isFraction(text string) bool {
	for sign := range parts {
		if len(text) >= len(sign) && text[:len(sign)] == sign {
			return true
		}
	}
	return false
}
