package schema

import (
	"regexp"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
)

// Texts in which a program wants something else: decimals that keep their figures, times, lengths
// of time.

// formats are how texts of some formats are told to the model, so that they come in them.
var formats = map[string]string{
	"time":     "as HH:MM:SS",
	"duration": "as a duration of ISO 8601, such as P3D or PT45M",
	"decimal":  "in figures with a point, such as 1204.50",
}

// isDecimal tells a number that may come as a text as well, as programs write exact decimals.
func isDecimal(n *value.Value) bool {
	of := n.Get("anyOf")
	if of == nil {
		of = n.Get("oneOf")
	}
	numbers, texts := 0, 0
	if of == nil {
		return false
	}
	for i := range of.Kids {
		kid := &of.Kids[i]
		switch types := textsOf(kid.Get("type")); {
		case len(types) != 1:
			return false
		case types[0] == "number":
			numbers++
		case types[0] == "string" && isDecimalPattern(kid.Get("pattern")):
			texts++
		case types[0] != "null":
			return false
		}
	}
	return numbers == 1 && texts == 1
}

// isDecimalPattern tells a pattern that figures keep and words do not, as far as it can be tried.
func isDecimalPattern(pattern *value.Value) bool {
	if pattern == nil || pattern.Kind != value.String {
		return false
	}
	re, err := regexp.Compile(lookaround.ReplaceAllString(pattern.Text, ""))
	return err == nil && re.MatchString("12.50") && !re.MatchString("twelve") && !re.MatchString("A1")
}

// lookaround are the groups of a pattern that only look ahead or back, as far as they hold no others.
var lookaround = lazy.New(`\(\?<?[!=](?:\\.|\[[^\]]*\]|[^()\[\]\\])*\)`)
