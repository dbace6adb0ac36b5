package evidence

import (
	"slices"
	"strings"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Choices that rows have as a code of capitals which nothing explains: ADT, CHD and INF for adult, child and infant.

// A code has so many letters.
const (
	shortestCode = 3
	longestCode  = 4
)

// optionsByCode places the choices of items by the codes in their rows, and tells which those contradict. Each row of
// the list has one, and two options at least are meant.
func (w *weigher) optionsByCode(h *homes) {
	for _, f := range fieldsIn(h, isOneChoice) {
		options, at, different := make([]string, len(h.list)), make([]span, len(h.list)), map[string]bool{}
		for i, it := range h.list {
			if !h.own(i) {
				break
			}
			if options[i], at[i] = w.codeIn(f, it, h.at[i]); options[i] == "" {
				break
			}
			different[options[i]] = true
		}
		if slices.Contains(options, "") || len(different) < 2 {
			continue
		}
		for i, it := range h.list {
			l := leafOf(it, f)
			if l == nil || l.fixed != nil || w.places[l.path].Found() && w.places[l.path].Line-1 == h.at[i] {
				continue
			}
			if value.Str(options[i]).String() == l.value {
				w.restate(l, at[i])
			} else {
				w.places[l.path] = Place{Kind: l.lacking, Opposed: h.at[i] + 1, Says: at[i]}
			}
		}
	}
}

// codeIn gives the one option of which a line has a code that no value of its item was read from, and that code.
func (w *weigher) codeIn(f *schema.Field, it *item, line int) (option string, at span) {
	row := w.ix.LineSpan(line)
	if row.End-row.Start > longestLine {
		return "", span{}
	}
	for i := w.ix.TokenAt(row.Start); i < len(w.ix.Tokens) && w.ix.Tokens[i].End <= row.End; i++ {
		t := w.ix.Tokens[i]
		code := w.ix.Source[t.Start:t.End]
		if len(code) < shortestCode || len(code) > longestCode || strings.Trim(code, "ABCDEFGHIJKLMNOPQRSTUVWXYZ") != "" || w.isRead(it, t.Span) {
			continue
		}
		meant := ""
		for _, o := range f.Kin().Of {
			if isCodeOf(t.Word, folded(schema.Spoken(o.Value))) {
				if meant != "" {
					return "", span{}
				}
				meant = o.Value
			}
		}
		switch {
		case meant == "":
		case option != "" && option != meant:
			return "", span{}
		default:
			option, at = meant, t.Span
		}
	}
	return option, at
}

// isCodeOf tells whether a code has letters of a word in their order, the first one first.
func isCodeOf(code, word string) bool {
	if len(code) >= len(word) || code[0] != word[0] {
		return false
	}
	for _, r := range code {
		i := strings.IndexRune(word, r)
		if i < 0 {
			return false
		}
		word = word[i+1:]
	}
	return true
}
