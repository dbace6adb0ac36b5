package reading

import (
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
)

// Signs of figures: before them, before their currency, behind them, and as ledgers have them.

// spacedSign gives the bytes of a sign with a blank behind it, or of a word for
// one, at the end of a text: "− ", "minus ".
func spacedSign(before string) int {
	rest := strings.TrimSuffix(before, " ")
	if head, ok := strings.CutSuffix(rest, "−"); ok {
		if strings.TrimRight(head, " ") == head && head != "" && head[len(head)-1] != '\n' || strings.ContainsFunc(lastWord(head), unicode.IsDigit) {
			return 0 // between words, or a range
		}
		return len(before) - len(head)
	}
	from := len(rest)
	for from > 0 && rest[from-1]|0x20 >= 'a' && rest[from-1]|0x20 <= 'z' {
		from--
	}
	if n := len(rest) - from; n < 4 || n > 6 || !lang.Minus.Has(rest[from:]) || lang.NoMinus.Has(strings.ToLower(lastWord(strings.TrimRight(rest[:from], " ")))) {
		return 0
	}
	return len(before) - from
}

// signBefore gives the sign at the end of a text, '-' or '+', and its bytes; 0 and
// 0 where there is none, or where it joins two words.
func signBefore(before string) (sign byte, size int) {
	if n := signBeforeMeasure(before); n > 0 {
		return '-', n
	}
	if strings.HasSuffix(before, " ") {
		if n := spacedSign(before); n > 0 {
			return '-', n
		}
		return 0, 0
	}
	r, size := utf8.DecodeLastRuneInString(before)
	switch r {
	case '-', '−', '–':
		sign = '-'
	case '+':
		sign = '+'
	default:
		return 0, 0
	}
	rest := before[:len(before)-size]
	if rest != "" && strings.IndexByte(" \t\n(:=", rest[len(rest)-1]) < 0 || r == '–' && strings.TrimRight(rest, " ") != rest && strings.ContainsFunc(lastWord(rest), unicode.IsDigit) {
		return 0, 0 // a range, or a dash between words
	}
	return sign, size
}

// deducted is a sign before the currency of an amount, right before it or in a cell of its
// own, or as Dutch accounts have it.
var deducted = lazy.New(`(?:(?:^|[ \x{00a0}\n\t(:=|])((?:[-−–](?:[€$£¥]|[A-Z]{3}\b)|-/-(?: ?(?:[€$£¥]|[A-Z]{3}\b))?) ?)|(?:(?:^|[\n\t(:=|]|[ \x{00a0}]{2}) ?[-–]|[ \x{00a0}]−) {1,3}(?:[€$£¥]|[A-Z]{3}\b) {0,3})$`)

// signBeforeMeasure gives the bytes of such a sign, up to the figure; 0 for none. A dash
// between two amounts is no sign.
func signBeforeMeasure(before string) int {
	near := before[max(0, len(before)-14):]
	if !strings.ContainsAny(near, "-−–") {
		return 0
	}
	m := deducted.FindStringIndex(near)
	if m == nil {
		return 0
	}
	at := strings.LastIndexAny(near, "-−–")
	if strings.HasSuffix(near[:at], "-/") {
		at -= len("-/")
	}
	head := before[:len(before)-len(near)+at]
	if bare := strings.TrimRight(head, " \u00a0"); len(head)-len(bare) < 2 && strings.ContainsFunc(lastWord(bare), unicode.IsDigit) {
		return 0 // £5 - £10
	}
	return len(before) - len(head)
}

// columnDash is a dash apart from the figure behind it, in a cell of its own or behind its currency, and
// columnFigure is the figure that makes it a sign: "Discount      - 7.33".
var (
	columnDash   = lazy.New(`(?:[ \x{00a0}]{2}|[\t|] ?|[€$£¥] ?)[-–] {1,3}$`)
	columnFigure = lazy.New(`^[\d.,'’]*\d[.,]\d\d(?: ?(?:[€$£¥%]|[A-Z]{3}))?[ \x{00a0}]*(?:$|[\n|\t]|[ \x{00a0}]{2})`)
)

// dashInColumn gives the bytes of such a dash, up to the figure; 0 for none. At the begin of a line it is a
// mark of a list.
func dashInColumn(before, figure string) int {
	if !strings.HasSuffix(before, " ") {
		return 0
	}
	near := before[max(0, len(before)-8):]
	at := strings.LastIndexAny(near, "-–")
	if at < 0 || columnDash.FindStringIndex(near) == nil || columnFigure.FindStringIndex(figure[:min(len(figure), 40)]) == nil {
		return 0
	}
	head := before[:len(before)-len(near)+at]
	if bare := strings.TrimRight(head, " \u00a0\t|"); bare == "" || bare[len(bare)-1] == '\n' {
		return 0
	}
	return len(before) - len(head)
}

// endsMinus is an amount with its sign behind it, as ledgers print them: 293.03-.
var endsMinus = lazy.New(`^[\d.,'’]*\d[.,]\d\d([-−])(?:[ \x{00a0}]*(?:$|[\n|\t]|[ \x{00a0}]{2}|[ \x{00a0}]\D))`)

// minusBehind gives the bytes of such a sign behind the amount that a text begins with; 0 for
// none.
func minusBehind(text string) int {
	end := numberEnd(text, 0)
	if end == len(text) || text[end] != '-' && text[end] != "−"[0] || end > 32 { // as nearly all do
		return 0
	}
	text = text[:min(len(text), 40)]
	if m := endsMinus.FindStringSubmatchIndex(text); m != nil && end == m[2] {
		return m[3] - m[2]
	}
	return 0
}

// Amounts below nought as ledgers print them: in brackets of their own, or marked as of one
// side. Such marks are used otherwise too.
var (
	bracketBefore = lazy.New(`(?:^|\n|[\t|:]|[ \x{00a0}]{2}|[€$£¥]|[A-Z]{3})[ \x{00a0}]?\((?:[€$£¥]|[A-Z]{3})?[ \x{00a0}]?$`)
	bracketBehind = lazy.New(`^[ \x{00a0}]?(?:[€$£¥]|[A-Z]{3})?\)[ \x{00a0}]*(?:$|[\n|\t]|[ \x{00a0}]{2}|[€$£¥]|[A-Z]{3})`)
	sideBehind    = lazy.New(`^[ \x{00a0}]?(?:CR|DR|Cr|Dr|S|H)(?:$|[\n|\t]|[ \x{00a0}])`)
)

// belowZero is what says so of degrees: 5 below zero, 5 Grad unter null.
var belowZero = sync.OnceValue(func() *lazy.Regexp {
	return lazy.New(`(?i)^ ?(?:°?[CF]? |\pL{4,8} )?` + lang.BelowZero.Pattern() + `\b`)
})

func (tx *Text) isBelowZero(s Span) bool {
	rest := tx.Source[s.End:min(len(tx.Source), s.End+40)]
	return len(rest) > 8 && rest[0] == ' ' && belowZero().MatchString(rest)
}

// mayBeNegative tells whether a figure is so marked.
func (tx *Text) mayBeNegative(s Span) bool {
	behind := tx.Source[s.End:min(len(tx.Source), s.End+12)]
	if said := strings.TrimLeft(behind, " \u00a0"); said == "" || strings.IndexByte("CDSH)€£$\xc2", said[0]) < 0 && said[0] < 'A' { // as nearly all do
		return false
	}
	if tx.isBelowZero(s) {
		return true
	}
	if sideBehind.MatchString(behind) && hundredths.MatchString(tx.Source[s.Start:s.End]) {
		return true
	}
	return bracketBehind.MatchString(behind) && bracketBefore.MatchString(tx.Source[max(0, s.Start-8):s.Start])
}
