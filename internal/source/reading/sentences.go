package reading

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// Sentence gives the sentence, or the sentences, that a stretch of the text lies
// in.
func (tx *Text) Sentence(start, end int) string {
	s := tx.SentenceSpan(start, end)
	return tx.Source[s.Start:s.End]
}

// SentenceSpan gives where that sentence stands.
func (tx *Text) SentenceSpan(start, end int) Span {
	const most = 600
	from, to := max(0, start-most), min(len(tx.Source), end+most)
	begin := from
	before := tx.Source[begin:min(len(tx.Source), start+utf8.UTFMax)] // the place may begin a sentence
	for at, next := endOfSentence(before, 0); at >= 0 && begin+at < start; at, next = endOfSentence(before, next) {
		from = min(begin+at+1, start)
	}
	behind := max(start, end-1)
	if at, _ := endOfSentence(tx.Source[behind:to], 0); at >= 0 {
		to = max(end, behind+at+1)
	}
	return Span{from, to}
}

// endOfSentence gives where the first thing from an offset on stands that ends a sentence, and where
// that thing itself ends: a closing mark before a capital, or what stands for one, as a line of a
// list or of a table, or a paragraph; -1 for none. It is asked for more often than anything else.
func endOfSentence(text string, from int) (at, end int) {
	for i := from; i < len(text); i++ {
		switch text[i] {
		case '.', '!', '?':
			end = beforeCapital(text, i+1)
		case '\n':
			end = ofNextLine(text, i+1)
		case '|':
			blank := blankEnd(text, i+1)
			end = i + 1 + strings.LastIndexByte(text[i+1:blank], '\n') + 1
			if end == i+1 {
				end = -1
			}
		case ' ', '\t':
			if end = wideGap(text, i); end < 0 {
				continue
			}
		default:
			continue
		}
		if end > 0 {
			return i, end
		}
	}
	return -1, len(text)
}

// blankEnd gives where the blanks and line breaks from an offset on end.
func blankEnd(text string, from int) int {
	for from < len(text) && strings.IndexByte(" \t\n\f\r", text[from]) >= 0 {
		from++
	}
	return from
}

// beforeCapital gives the end of the capital that a closing mark stands before, or of the figure that begins the
// next line, blanks and a closing quote or bracket between them; -1 for none.
func beforeCapital(text string, from int) int {
	for _, quote := range []string{`"`, "”", ")"} {
		if strings.HasPrefix(text[from:], quote) {
			from += len(quote)
			break
		}
	}
	next := blankEnd(text, from)
	r, size := utf8.DecodeRuneInString(text[next:])
	if next == from || !unicode.Is(unicode.Lu, r) && !(size == 1 && isDigit(text[next]) && (strings.IndexByte(text[from:next], '\n') >= 0 || isCode(text[next:]) && isLower(text[:from]))) {
		return -1
	}
	return next + size
}

// isCode tells whether a text begins with a figure and a capital: 2W15.
func isCode(text string) bool {
	i := 0
	for i < len(text) && isDigit(text[i]) {
		i++
	}
	return i > 0 && i < len(text) && text[i] >= 'A' && text[i] <= 'Z'
}

// leastWord is how many small letters a word has at least that ends a sentence before a code.
const leastWord = 3

// isLower tells whether a text ends in a word in small letters, and a closing mark.
func isLower(text string) bool {
	text = strings.TrimRight(text, `.!?"”)`)
	word := text[strings.LastIndexAny(text, " \n")+1:]
	return utf8.RuneCountInString(word) >= leastWord && !strings.ContainsFunc(word, func(r rune) bool { return !unicode.IsLower(r) })
}

// ofNextLine gives the end of what makes a break of lines the end of a sentence: an empty line, or
// the sign or number of an item of a list; -1 for none.
func ofNextLine(text string, from int) int {
	next := blankEnd(text, from)
	if i := strings.LastIndexByte(text[from:next], '\n'); i >= 0 {
		return from + i + 1
	}
	if next < len(text) && text[next] == '[' { // [09:15] Mette: who writes what in a chat
		return next + 1
	}
	sign := next
	if r, size := utf8.DecodeRuneInString(text[next:]); size > 0 && strings.ContainsRune("-*•|", r) {
		sign += size
	} else {
		for sign < len(text) && text[sign] >= '0' && text[sign] <= '9' {
			sign++
		}
		if sign == next || sign == len(text) || text[sign] != '.' && text[sign] != ')' {
			return -1
		}
		sign++
	}
	if blankEnd(text, sign) == sign {
		return -1
	}
	return sign + 1
}

// wideGap gives the end of a line with three blanks or more at an offset, or of the blanks where the line is set in by
// them; -1 for none.
func wideGap(text string, from int) int {
	for i := from; i < from+3; i++ {
		if i >= len(text) || text[i] != ' ' && text[i] != '\t' {
			return -1
		}
	}
	i := strings.IndexByte(text[from:], '\n')
	if i >= 0 && from > 0 && text[from-1] == '\n' {
		return from + len(text[from:]) - len(strings.TrimLeft(text[from:], " \t"))
	}
	if i >= 0 {
		return from + i + 1
	}
	return -1
}
