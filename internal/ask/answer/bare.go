package answer

import (
	"strings"
	"unicode/utf8"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
)

// Replies to a question of one field that say the answer, and no JSON around it.

// mostBare is how long an answer without JSON may be, in characters; more is what a model thinks.
const mostBare = 400

var (
	sqlBegins = lazy.New(`(?im)^[ \t]*(?:select|with)\s`)
	sqlEnds   = lazy.New(`;[ \t]*(?:\n|$)|\n[ \t]*\n`)
)

// BareStatement reads a reply that is an SQL statement, or has one in a code fence or between words.
func BareStatement(text, field string) (Result, bool) {
	rest := text[skipThinking(text):]
	if body, fenced := unfenced(rest); fenced && sqlBegins.MatchString(body) {
		rest = body
	}
	at := sqlBegins.FindStringIndex(rest)
	if at == nil {
		return Result{}, false
	}
	said := rest[at[0]:]
	if end := sqlEnds.FindStringIndex(said); end != nil {
		said = said[:end[0]]
	}
	if i := strings.Index(said, "```"); i >= 0 {
		said = said[:i]
	}
	return bare(text, field, strings.TrimSpace(said), "a statement in place of JSON"), true
}

// BareAnswer reads a short reply that is the answer itself, in one paragraph.
func BareAnswer(text, field string) (Result, bool) {
	said := strings.TrimSpace(text[skipThinking(text):])
	if said == "" || utf8.RuneCountInString(said) > mostBare || strings.Contains(said, "\n\n") || strings.ContainsAny(said, "{}[]<>`") {
		return Result{}, false
	}
	return bare(text, field, said, "the answer in place of JSON"), true
}

func bare(text, field, said, note string) Result {
	r := Result{Value: value.Obj(value.Str(said).Named(field)), Deviations: []Deviation{{Kind: Plain, Note: note}}}
	r.reading = reading{text: text}
	return r
}
