package reply

import (
	"strings"
	"unicode"

	"filler/internal/value"
)

// Short reads the answer to a question for one value: what is left without
// thinking, fences, quotes, emphasis and the field's own name before it. names
// are what the field is called. An answer in JSON gives its value.
func Short(text string, names []string) (value.Value, []Mend) {
	var mends []Mend
	mend := func(kind string, at int, note string) { mends = append(mends, Mend{kind, max(at, 0), note}) }
	start := skipThinking(text)
	if start > 0 {
		mend(Chatter, 0, "thinking before the answer")
	}
	body := strings.TrimSpace(text[start:])
	if inner, ok := strings.CutPrefix(body, "```"); ok {
		mend(Fence, strings.Index(text, "```"), "a code fence around the answer")
		if _, after, found := strings.Cut(inner, "\n"); found {
			inner = after
		}
		body = strings.TrimSpace(strings.TrimSuffix(strings.TrimSpace(inner), "```"))
	}
	if v, err := value.Parse(body); err == nil && v.Kind != value.Number {
		return unwrapShort(v, names), mends
	}
	line, rest, more := strings.Cut(body, "\n")
	if more && strings.TrimSpace(rest) != "" {
		if strings.HasSuffix(strings.TrimSpace(line), ":") { // words that announce the value
			mend(Chatter, strings.Index(text, line), "words before the answer")
			line, _, _ = strings.Cut(strings.TrimSpace(rest), "\n")
		} else {
			mend(Chatter, strings.Index(text, rest), "words behind the answer")
		}
	}
	line = strings.TrimSpace(line)
	if bare := strings.Trim(line, "*_` "); bare != line && bare != "" {
		mend(Chatter, strings.Index(text, line), "signs of emphasis around the answer")
		line = bare
	}
	for _, name := range names {
		if len(line) > len(name) && strings.EqualFold(line[:len(name)], name) {
			behind := strings.TrimLeft(line[len(name):], "*_` ")
			if strings.HasPrefix(behind, ":") {
				mend(Chatter, strings.Index(text, line), "the field's name before the answer")
				line = strings.Trim(behind[1:], "*_` ")
				break
			}
		}
	}
	if n := len(line); n > 1 && (line[0] == '"' && line[n-1] == '"' || line[0] == '\'' && line[n-1] == '\'') {
		mend(Quotes, strings.Index(text, line), "quotes around the answer")
		line = line[1 : n-1]
	}
	line = strings.ToValidUTF8(strings.TrimFunc(line, unicode.IsSpace), "\ufffd")
	return value.Str(line), mends
}

// unwrapShort takes a value out of an object with one member that is called
// like the field, or `value`.
func unwrapShort(v value.Value, names []string) value.Value {
	if v.Kind == value.Object && len(v.Kids) == 1 {
		for _, name := range append(names, "value", "answer") {
			if strings.EqualFold(v.Kids[0].Name, name) {
				return v.Kids[0].Clone().Named("")
			}
		}
	}
	return v
}
