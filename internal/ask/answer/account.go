package answer

import (
	"fmt"
	"slices"

	"strings"
	"unicode"
	"unicode/utf16"
	"unicode/utf8"

	"strconv"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
)

// The account of a reply says what became of each word of it. A word is a run of
// letters and figures. It is a name or a value of what was read, or it is Unused.
// The account knows nothing of the forms in which replies are read: it compares
// words, so that what a reader passes over shows however it came to.

// Unused is a part of a reply that no value was read from.
type Unused struct {
	Offset  int    // of its first byte, in the text that was read
	Line    int    // from 1
	Text    string // shortened
	Reason  string
	Chatter bool // words around the answer, which hold no value
}

// The reasons.
const (
	ReasonChatter = "words around the answer"
	ReasonComment = "a comment"
	ReasonOther   = "another JSON value, not the answer"
	ReasonLost    = "not read as a value"
	ReasonCut     = "the reply ends within it"
	ReasonUnasked = "a field that this request did not ask for"
	ReasonRepeat  = "a later value with the same key was kept"
	ReasonDots    = "three dots in place of items"
	ReasonFurther = "a further line where one value was asked for"
	ReasonBeside  = "beside the record, which has another value there"
	ReasonRow     = "a row with other cells than the first row names"
)

// maxUnused bounds how many parts are listed one by one.
const maxUnused = 40

// maxUnusedText is the most of a part that is repeated, in letters.
const maxUnusedText = 300

// word is one word of a reply, or of what was read from it.
type word struct {
	text       string
	start, end int // bytes
}

// wordsOf cuts a text into words. With escapes, those of JSON are read.
func wordsOf(text string, escapes bool) []word {
	var all []word
	var now strings.Builder
	from := 0
	end := func(at int) {
		if now.Len() > 0 {
			all = append(all, word{now.String(), from, at})
			now.Reset()
		}
	}
	for at := 0; at < len(text); {
		r, size := utf8.DecodeRuneInString(text[at:])
		if r == '\\' && escapes && at+1 < len(text) {
			switch code, n := escapeAt(text[at:]); {
			case n == 0:
				r, size = ' ', 1
			default:
				r, size = code, n
			}
		}
		if unicode.IsLetter(r) || unicode.IsDigit(r) || unicode.Is(unicode.M, r) {
			if now.Len() == 0 {
				from = at
			}
			now.WriteRune(r)
		} else {
			end(at)
		}
		at += size
	}
	end(len(text))
	return all
}

// escapeAt reads an escape of JSON at the start of s; 0 bytes where there is none.
func escapeAt(s string) (rune, int) {
	switch s[1] {
	case 'n', 'r', 't', 'b', 'f', '"', '\\', '/':
		return ' ', 2
	case 'u':
		code, ok := hexAt(s, 2)
		if !ok {
			return 0, 0
		}
		if low, ok := hexAt(s, 8); utf16.IsSurrogate(code) && ok && len(s) >= 12 && s[6:8] == `\u` {
			return utf16.DecodeRune(code, low), 12
		}
		return code, 6
	}
	return 0, 0
}

func hexAt(s string, at int) (rune, bool) {
	if len(s) < at+4 {
		return 0, false
	}
	code, err := strconv.ParseUint(s[at:at+4], 16, 32)
	return rune(code), err == nil
}

// plainWord gives a word as it is compared: words of JSON and of other languages
// for nothing, true and false are one.
func plainWord(text string) string {
	switch low := strings.ToLower(text); low {
	case "true", "false":
		return low
	case "null", "none", "nil", "undefined", "nan", "infinity":
		return ""
	}
	return text
}

// account is the words of what was read, as they are used up.
type account struct {
	names map[string]bool // words of names: structure, however often they come
	left  map[string]int  // words of values
	ever  map[string]bool
}

func newAccount(read ...*value.Value) *account {
	a := &account{names: map[string]bool{}, left: map[string]int{}, ever: map[string]bool{}}
	for _, v := range read {
		a.add(v)
	}
	return a
}

func (a *account) add(v *value.Value) {
	v.Walk(func(_ value.Pointer, v *value.Value) bool {
		for _, w := range wordsOf(v.Name, false) {
			a.names[w.text] = true
		}
		text := v.Text
		if v.Kind == value.Bool {
			text = v.String()
		}
		for _, w := range wordsOf(text, false) {
			a.put(w.text)
		}
		return true
	})
}

func (a *account) put(text string) {
	text = plainWord(text)
	a.left[text]++
	a.ever[text] = true
}

// take uses up a word; false where what was read does not hold it, or not so
// often.
func (a *account) take(text string) bool {
	text = plainWord(text)
	if text == "" || a.names[text] {
		return true
	}
	if a.left[text] > 0 {
		a.left[text]--
		return true
	}
	return false
}

// span is a part of a reply, and why nothing in it counts as lost.
type span struct {
	start, end int
	reason     string
	chatter    bool
}

// reading is what a reader leaves for the account.
type reading struct {
	text    string // what was read, without what stood around all of it
	plain   bool   // it is no JSON
	exact   bool   // it is JSON as it stands
	start   int    // where the answer begins
	end     int
	others  []span        // other JSON values, and comments, by where they begin
	at      int           // the first of these that the word at hand may lie in
	dropped []value.Value // read, and given up for others
	unused  []Unused      // what the reader itself tells

	lineFrom, lineTo int // the line that was looked at last, and what it is
	lineIsData       bool
	lineIsHead       bool
}

// Account gives what of the reply is unused, in its order. answer is what was
// taken as the answer: Value, or All.
func (r *Result) Account(known func(name string) bool, answer ...*value.Value) []Unused {
	rd := &r.reading
	out := slices.Clone(rd.unused)
	if rd.exact {
		return out
	}
	a := newAccount(answer...)
	for i := range rd.dropped {
		a.add(&rd.dropped[i])
	}
	for _, u := range rd.unused {
		for _, w := range wordsOf(u.Text, !rd.plain) {
			a.put(w.text)
		}
	}
	text := rd.text
	var open *Unused
	openEnd, behind, values := 0, 0, 0
	shut := func() {
		if open != nil {
			open.Text = shortenTo(strings.TrimSpace(text[open.Offset:openEnd]), maxUnusedText)
			out = append(out, *open)
			open = nil
		}
	}
	skip := skipThinking(text)
	words := wordsOf(text[skip:], !rd.plain)
	for i := range words {
		words[i].start, words[i].end = words[i].start+skip, words[i].end+skip
	}
	slices.SortStableFunc(rd.others, func(a, b span) int { return a.start - b.start })
	rd.at = 0
	taken := rd.takeData(a, words, known)
	for i, w := range words {
		if taken[i] {
			shut()
			continue
		}
		reason, chatter, lost := rd.judge(a, w, known)
		if !lost {
			shut()
			continue
		}
		if open != nil && (open.Reason != reason || strings.Contains(text[openEnd:w.start], "\n") && !chatter) {
			shut()
		}
		if open == nil {
			if len(out) >= maxUnused {
				if behind++; !chatter {
					values++
				}
				continue
			}
			open = &Unused{Offset: w.start, Line: 1 + strings.Count(text[:w.start], "\n"), Reason: reason, Chatter: chatter}
		}
		openEnd = w.end
	}
	shut()
	if behind > 0 {
		out = append(out, Unused{Offset: len(text), Line: 1 + strings.Count(text, "\n"), Text: fmt.Sprintf("%d further words", behind), Reason: ReasonLost, Chatter: values == 0})
	}
	return out
}

// takeData uses up the words of lines that look like values before those of others,
// so that words around the answer take none away.
func (rd *reading) takeData(a *account, words []word, known func(string) bool) []bool {
	taken := make([]bool, len(words))
	if !rd.plain {
		return taken
	}
	for i, w := range words {
		if w.start >= rd.start && w.start < rd.end && rd.isData(w, known) {
			taken[i] = rd.lineIsHead || rd.isSign(w) || a.take(w.text)
		}
	}
	return taken
}

// judge tells what a word of the reply is.
func (rd *reading) judge(a *account, w word, known func(string) bool) (reason string, chatter, lost bool) {
	for rd.at < len(rd.others) && rd.others[rd.at].end <= w.start { // words come in order
		rd.at++
	}
	for _, o := range rd.others[rd.at:] {
		if o.start > w.start {
			break
		}
		if w.start < o.end {
			if o.chatter {
				return o.reason, true, true
			}
			return o.reason, false, plainWord(w.text) != "" && !a.names[w.text] && !a.ever[plainWord(w.text)] && !rd.isKey(w)
		}
	}
	if w.start < rd.start || w.start >= rd.end {
		if strings.HasSuffix(rd.text[:w.start], "```") {
			return "", false, false // what a fence says it holds
		}
		if !a.ever[plainWord(w.text)] && rd.isMember(w, known) {
			return ReasonLost, false, true
		}
		return ReasonChatter, true, true
	}
	if rd.plain && rd.isSign(w) || a.take(w.text) {
		return "", false, false
	}
	if rd.plain && !rd.isData(w, known) {
		return ReasonChatter, true, true
	}
	return ReasonLost, false, true
}

// isSign tells whether a word is the name of an element or of a letter, or the
// number of an item.
func (rd *reading) isSign(w word) bool {
	before, after := strings.TrimSuffix(rd.text[:w.start], "/"), rd.text[w.end:]
	if _, err := strconv.Atoi(w.text); err == nil && (strings.HasPrefix(after, ". ") || strings.HasPrefix(after, ") ")) {
		if line := before[strings.LastIndexByte(before, '\n')+1:]; strings.Trim(line, " \t*#") == "" {
			return true
		}
	}
	return strings.HasSuffix(before, "<") && strings.HasPrefix(after, ">") || strings.HasSuffix(before, "&") && strings.HasPrefix(after, ";")
}

// isKey tells whether a colon stands behind a word of JSON.
func (rd *reading) isKey(w word) bool {
	return strings.HasPrefix(strings.TrimLeft(rd.text[w.end:], "\"' "), ":")
}

var memberName = lazy.New(`["'“”]([\pL\pN_ -]{1,60})["'“”]\s*[:=]\s*["'“”[{]*$`)

// isMember tells whether a word stands behind a known name in quotes and a colon.
func (rd *reading) isMember(w word, known func(string) bool) bool {
	m := memberName.FindStringSubmatch(rd.text[max(0, w.start-100):w.start])
	return m != nil && known != nil && known(m[1])
}

var nameInLine = lazy.New(`([\pL_][\pL\pN_]*)[*"'` + "`" + `]*\s*[:=>]`)

// isData tells whether the line that a word stands in looks like values: a row of
// a table, or a known name with a colon behind it.
func (rd *reading) isData(w word, known func(string) bool) bool {
	if w.start < rd.lineFrom || w.start >= rd.lineTo || rd.lineTo == 0 {
		rd.lineFrom, rd.lineTo = rd.lineOf(w)
		line, next, _ := strings.Cut(rd.text[rd.lineFrom:], "\n")
		next, _, _ = strings.Cut(next, "\n")
		rd.lineIsData = isDataLine(line, known)
		// The head of a table, and a name alone, are no values.
		rd.lineIsHead = tableRule.MatchString(strings.TrimSpace(next)) && strings.Contains(line, "|") || known != nil && known(plainKey(strings.Trim(line, " \t\r#*:")))
	}
	if i := strings.Index(rd.text[rd.lineFrom:w.start], " #"); i >= 0 {
		return false // a comment
	}
	return rd.lineIsData
}

func (rd *reading) lineOf(w word) (from, to int) {
	from, to = strings.LastIndexByte(rd.text[:w.start], '\n')+1, len(rd.text)
	if i := strings.IndexByte(rd.text[w.start:], '\n'); i >= 0 {
		to = w.start + i
	}
	return from, to
}

func isDataLine(line string, known func(string) bool) bool {
	if len(line) > maxOutlineLine || strings.Count(line, "|") > 1 || strings.HasPrefix(strings.TrimSpace(line), "|") || strings.Contains(line, "\t") {
		return true
	}
	if known == nil {
		return false
	}
	if m := nameAndValue.FindStringSubmatch(line); m != nil && known(plainKey(m[1])) {
		return true
	}
	for _, m := range nameInLine.FindAllStringSubmatchIndex(line, -1) {
		lead := strings.Trim(line[:m[0]], " \t-*•\"'`") != "" && strings.TrimSpace(line[m[1]:]) == "" // Here are the bays:
		if known(line[m[2]:m[3]]) && !lead {
			return true
		}
	}
	bare := strings.TrimLeft(line, " \t-*•\"'`")
	first := strings.IndexFunc(bare, func(r rune) bool { return r != '_' && !unicode.IsLetter(r) && !unicode.IsDigit(r) })
	return first > 0 && known(bare[:first])
}
