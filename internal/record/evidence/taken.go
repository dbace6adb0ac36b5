package evidence

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// Words are words of a source that somebody points to as a value.
type Words struct {
	Text  string
	At    reading.Span
	Lines bool // they are whole lines, with what else stands there
}

// Taken gives the words that are the value of a field, and where they stand: without
// a label, without the signs that the sentence around them puts there, and with the
// sign that words near them say.
func Taken(f *schema.Field, tx *reading.Text, w Words) (string, reading.Span) {
	said, at := w.Text, w.At
	if w.Lines {
		said, at = withoutLabel(f, said, at)
	}
	said, at = withoutSigns(f, said, at)
	return signed(f, tx, said, at), at
}

// signed writes the sign before a figure that the words near it say, where the
// field declares such words: who points to 0.8 kg in "lost 0.8 kg" means -0.8 kg.
func signed(f *schema.Field, tx *reading.Text, copied string, place reading.Span) string {
	if len(f.Minus) == 0 || strings.ContainsAny(copied, "-−–") {
		return copied
	}
	at, ok := tx.FigureIn(place)
	if !ok || tx.Signed(f, at) >= 0 {
		return copied
	}
	figure := tx.Source[at.Start:at.End]
	return strings.Replace(copied, figure, "-"+figure, 1)
}

// withoutSigns takes off the signs that the sentence around a value puts there: a
// bracket without its fellow, a comma, and where no text is asked for a full
// stop.
func withoutSigns(f *schema.Field, said string, at reading.Span) (string, reading.Span) {
	signs := ",;:"
	if f.Kin().Type != schema.Text {
		signs += "."
	}
	for len(said) > 1 {
		last := said[len(said)-1]
		if strings.IndexByte(signs, last) < 0 && !(last == ')' && !strings.Contains(said, "(")) {
			break
		}
		said, at.End = said[:len(said)-1], at.End-1
	}
	if len(said) > 1 && said[0] == '(' && !strings.Contains(said, ")") {
		said, at.Start = said[1:], at.Start+1
	}
	said, at = withoutStop(f, said, at)
	for {
		inner, lead := unwrapped(said)
		if lead == 0 {
			return said, at
		}
		at.Start += lead
		said, at.End = inner, at.Start+len(inner)
	}
}

// sentence is how many words a text has at least that is a sentence of its own, with its stop.
const sentence = 7

// withoutStop takes off the full stop of a sentence that a text ends; not that of an
// abbreviation (S. Coop., S.A.), nor its own.
func withoutStop(f *schema.Field, said string, at reading.Span) (string, reading.Span) {
	body, stopped := strings.CutSuffix(said, ".")
	words := strings.Fields(body)
	word := ""
	if len(words) > 0 {
		word = words[len(words)-1]
	}
	first, _ := utf8.DecodeRuneInString(body)
	switch {
	case !stopped || f.Kin().Type != schema.Text || f.Pattern != nil || len(words) >= sentence && unicode.IsUpper(first):
		return said, at
	case len(words) > 1 && strings.HasSuffix(words[len(words)-2], "."):
		return said, at
	case strings.HasSuffix(word, ")"), strings.Trim(word, "0123456789/,:-") == "":
	case len(word) <= 3 || strings.Contains(word, ".") || lang.Short.Has(strings.ToLower(word)) || lang.Short.Has(strings.ToLower(word)+"."):
		return said, at
	}
	at.End--
	return body, at
}

// wrappers are the signs that a sentence puts around a value, by the first of them.
var wrappers = map[string]string{"(": ")", "[": "]", "\"": "\"", "'": "'", "„": "“", "“": "”", "«": "»", "‘": "’", "‚": "‘", "”": "”"}

// unwrapped gives what stands between two signs around a text, and how many bytes the first
// of them takes; 0 where there are none, or where they stand around a part of it.
func unwrapped(said string) (inner string, lead int) {
	for first, last := range wrappers {
		inner, opens := strings.CutPrefix(said, first)
		if inner, closes := strings.CutSuffix(inner, last); opens && closes && strings.TrimSpace(inner) == inner && inner != "" && !strings.ContainsAny(inner, first+last) {
			return inner, len(first)
		}
	}
	return said, 0
}

// withoutLabel takes the label of the field off a line.
func withoutLabel(f *schema.Field, line string, at reading.Span) (string, reading.Span) {
	for _, name := range append([]string{schema.Spoken(f.Name)}, f.PrintedAs...) {
		if len(line) <= len(name) || !strings.EqualFold(line[:len(name)], name) {
			continue
		}
		rest := strings.TrimLeft(line[len(name):], " .:=\t")
		if rest != "" && len(rest) < len(line)-len(name) {
			at.Start += len(line) - len(rest)
			return rest, at
		}
	}
	return line, at
}
