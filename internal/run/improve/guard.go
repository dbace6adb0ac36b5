package improve

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/value"
	"filler/internal/measure/score"
	"filler/internal/source/document"
)

// guard knows what test documents say and no tune document does.
type guard struct {
	tests  document.Others
	runs   map[string]bool // of four words, of test documents alone
	values []string        // of the test documents' gold alone, folded
}

// runOf is how many words in a row are a quotation.
const runOf = 4

// shortValue is how many letters a value of gold has at least that must not be quoted:
// shorter ones are everybody's words.
const shortValue = 6

func newGuard(r *Race) guard {
	g := guard{runs: map[string]bool{}}
	var tune strings.Builder
	own := map[string]bool{}
	for _, id := range r.tune {
		runs(r.text(id), func(run string) { own[run] = true })
		tune.WriteString(" " + folded(r.text(id)))
	}
	for _, id := range r.test {
		g.tests = append(g.tests, document.NewShingles(r.text(id)))
		runs(r.text(id), func(run string) {
			if !own[run] {
				g.runs[run] = true
			}
		})
		score.Walk(r.Schema, &r.found[id].Gold.Record, nil, score.Visitor{Leaf: func(l score.Leaf) {
			if l.Gold.Empty() || l.Gold.Kind != value.String || utf8.RuneCountInString(l.Gold.Text) < shortValue {
				return
			}
			if text := folded(l.Gold.Text); !strings.Contains(tune.String(), text) && !slices.Contains(g.values, text) {
				g.values = append(g.values, text)
			}
		}})
	}
	return g
}

// quotes gives the words of a text that a test document has and no tune document, or "".
func (g *guard) quotes(text string) (quoted string) {
	runs(text, func(run string) {
		if quoted == "" && g.runs[run] {
			quoted = run
		}
	})
	words := " " + folded(text) + " "
	for _, v := range g.values {
		if quoted == "" && strings.Contains(words, " "+v+" ") {
			quoted = v
		}
	}
	return quoted
}

// folded gives the words of a text in small letters, a blank between.
func folded(text string) string {
	return strings.Join(strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) }), " ")
}

// runs gives all runs of words of a text.
func runs(text string, each func(run string)) {
	words := strings.Fields(folded(text))
	for i := 0; i+runOf <= len(words); i++ {
		each(strings.Join(words[i:i+runOf], " "))
	}
}
