package reading

import (
	"math/big"
	"strconv"
	"strings"
	"unicode/utf8"

	"filler/internal/base/lazy"
)

// power is a figure times a power of ten: 4.7 x 10^4, 4,7·10⁻³, 1E5.
var power = lazy.New(`(\d+(?:[.,]\d+)?)(?: ?[x×·*∙⋅] ?10(?:\^|\*\*)([-−–]?\d{1,2})\b| ?[x×·*∙⋅] ?10([⁻⁺]?[⁰¹²³⁴⁵⁶⁷⁸⁹]{1,2})|[eE]([-+]?\d{1,2})\b)`)

// raised turns raised figures into plain ones.
var raised = strings.NewReplacer("⁰", "0", "¹", "1", "²", "2", "³", "3", "⁴", "4", "⁵", "5", "⁶", "6", "⁷", "7", "⁸", "8", "⁹", "9", "⁻", "-", "⁺", "", "−", "-", "–", "-", "+", "")

// findPowers notes the figures of a stretch that are given with a power of ten.
func (tx *Text) findPowers(within Span) {
	text := tx.Source[within.Start:within.End]
	if !mayHavePowers(text) {
		return
	}
	for _, m := range tx.matches(power, within) {
		if m[0] > 0 && (isWordByte(text[m[0]-1]) || strings.IndexByte(".,/-", text[m[0]-1]) >= 0) || m[1] < len(text) && isWordByte(text[m[1]]) {
			continue
		}
		said := ""
		for n := 2; n <= 4; n++ {
			if m[2*n] >= 0 {
				said = raised.Replace(text[m[2*n]:m[2*n+1]])
			}
		}
		places, err := strconv.Atoi(said)
		n := decimal(text[m[2]:m[3]])
		if err != nil {
			continue
		}
		by := new(big.Rat).SetInt(new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(max(places, -places))), nil))
		if places < 0 {
			by.Inv(by)
		}
		if key := exactly(n.Mul(n, by)); key != "" {
			tx.add(canonical(key), figure{Span: Span{within.Start + m[0], within.Start + m[1]}})
		}
	}
}

// mayHavePowers tells whether a text has a sign of multiplication before a ten, or an exponent,
// since few have.
func mayHavePowers(text string) bool {
	for i := 1; i+1 < len(text); i++ {
		switch {
		case text[i] == '1' && text[i+1] == '0' && (text[i-1] == ' ' || text[i-1] == 'x' || text[i-1] == '*' || text[i-1] >= 0x80):
			if sign, _ := utf8.DecodeLastRuneInString(strings.TrimRight(text[max(0, i-4):i], " ")); strings.ContainsRune("x*×·∙⋅", sign) {
				return true
			}
		case (text[i] == 'E' || text[i] == 'e') && isDigit(text[i-1]) && (isDigit(text[i+1]) || text[i+1] == '-' || text[i+1] == '+'):
			return true
		}
	}
	return false
}
