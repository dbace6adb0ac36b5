package evidence

import (
	"strings"

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
	return said, at
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
