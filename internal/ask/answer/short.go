package answer

import (
	"slices"
	"strings"
	"unicode"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
)

// Short reads the answer to a question for one value, with what of it was not
// used though it may be a value as well: what is left without
// thinking, fences, quotes, emphasis and the field's own name before it. names
// are what the field is called. An answer in JSON gives its value.
func Short(text string, names []string) (value.Value, []Deviation, []Unused) {
	var deviations []Deviation
	var left []Unused
	deviate := func(kind string, at int, note string) {
		deviations = append(deviations, Deviation{kind, max(at, 0), note})
	}
	start := skipThinking(text)
	if start > 0 {
		deviate(Chatter, 0, "thinking before the answer")
	}
	body := strings.TrimSpace(text[start:])
	if bare := unmarked(body); bare != body {
		deviate(Chatter, strings.Index(text, body), "marks around the answer")
		body = bare
	}
	if inner, ok := strings.CutPrefix(body, "```"); ok {
		deviate(Fence, strings.Index(text, "```"), "a code fence around the answer")
		if _, after, found := strings.Cut(inner, "\n"); found {
			inner = after
		}
		body = strings.TrimSpace(strings.TrimSuffix(strings.TrimSpace(inner), "```"))
	}
	if v, err := value.Parse(body); err == nil && v.Kind != value.Number {
		return unwrapShort(v, names), deviations, nil
	}
	line, rest, more := strings.Cut(body, "\n")
	if more && strings.TrimSpace(rest) != "" {
		if strings.HasSuffix(strings.TrimSpace(line), ":") { // words that announce the value
			deviate(Chatter, strings.Index(text, line), "words before the answer")
			line, rest, _ = strings.Cut(strings.TrimSpace(rest), "\n")
		} else {
			deviate(Chatter, strings.Index(text, rest), "words behind the answer")
		}
		left = furtherValues(text, rest)
	}
	line = strings.TrimSpace(line)
	if said := boldEnd.FindStringSubmatch(line); said != nil {
		deviate(Chatter, strings.Index(text, line), "words before the answer, which is set off")
		line = said[1]
	}
	if bare := strings.Trim(line, "*_` "); bare != line && bare != "" {
		deviate(Chatter, strings.Index(text, line), "emphasis around the answer")
		line = bare
	}
	for _, name := range append(slices.Clone(names), "answer", "final answer", "the answer is", "the answer", "value") {
		if len(line) > len(name) && strings.EqualFold(line[:len(name)], name) {
			behind := strings.TrimLeft(line[len(name):], "*_` ")
			if strings.HasPrefix(behind, ":") || strings.HasPrefix(behind, "=") {
				deviate(Chatter, strings.Index(text, line), "the field's name before the answer")
				line = strings.Trim(behind[1:], "*_` ")
				break
			}
		}
	}
	for _, q := range quotes {
		if inner, ok := strings.CutPrefix(line, q.open); ok && len(inner) > len(q.shut) && strings.HasSuffix(inner, q.shut) && !strings.Contains(strings.TrimSuffix(inner, q.shut), q.shut) {
			deviate(Quotes, strings.Index(text, line), "quotes around the answer")
			line = strings.TrimSuffix(inner, q.shut)
			break
		}
	}
	line = strings.ToValidUTF8(strings.TrimFunc(line, unicode.IsSpace), "\ufffd")
	return value.Str(line), deviations, left
}

// sentenceWords is from how many words on a line is a sentence and no value.
const sentenceWords = 4

// furtherValues gives the lines behind an answer of one line that may be values
// as well: those that are no sentences.
func furtherValues(text, rest string) (all []Unused) {
	for line := range strings.Lines(rest) {
		line = strings.TrimSpace(line)
		if words := strings.Fields(line); len(words) == 0 || len(words) >= sentenceWords || strings.HasPrefix(line, "```") || !strings.ContainsFunc(line, func(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) }) {
			continue
		}
		at := strings.Index(text, line)
		all = append(all, Unused{Offset: at, Line: 1 + strings.Count(text[:at], "\n"), Text: line, Reason: ReasonFurther})
	}
	return all
}

var (
	boldEnd  = lazy.New(`\S.*\s\*\*([^*]+)\*\*[.!]?$`)
	channels = lazy.New(`^(?s:.*)<\|[a-z_]+\|>`)
	answerIn = lazy.New(`(?s)^<(answer|result|value|output)>(.*)</(?:answer|result|value|output)>$`)
	boxedIn  = lazy.New(`(?s)^\$*\\boxed\{(.*)\}\$*$`)
)

// unmarked takes off what stands around a whole answer: the marks of a channel,
// of an element, of a formula, of a list or a quotation of one line.
func unmarked(body string) string {
	if at := channels.FindStringIndex(body); at != nil && strings.TrimSpace(body[at[1]:]) != "" {
		body = strings.TrimSpace(body[at[1]:])
	}
	if m := answerIn.FindStringSubmatch(body); m != nil {
		body = strings.TrimSpace(m[2])
	}
	if m := boxedIn.FindStringSubmatch(body); m != nil {
		body = strings.TrimSpace(m[1])
	}
	for _, sign := range []string{"- ", "* ", "• ", "> "} {
		if rest, ok := strings.CutPrefix(body, sign); ok && !strings.Contains(rest, "\n") {
			return strings.TrimSpace(rest)
		}
	}
	return body
}

// unwrapShort takes a value out of an object in which it is called like the field
// or, where it stands there alone, `value`; and out of a list of one.
func unwrapShort(v value.Value, names []string) value.Value {
	if v.Kind == value.Array && len(v.Kids) == 1 && len(v.Kids[0].Kids) == 0 {
		return v.Kids[0].Clone()
	}
	if v.Kind == value.Object {
		for _, name := range append(slices.Clone(names), "answer") {
			for i := range v.Kids {
				if strings.EqualFold(v.Kids[i].Name, name) {
					return v.Kids[i].Clone().Named("")
				}
			}
		}
	}
	if v.Kind == value.Object && len(v.Kids) == 1 {
		for _, name := range []string{"value"} {
			if strings.EqualFold(v.Kids[0].Name, name) {
				return v.Kids[0].Clone().Named("")
			}
		}
	}
	return v
}
