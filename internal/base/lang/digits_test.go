package lang

import (
	"strings"
	"testing"
	"unicode"

	"github.com/stretchr/testify/assert"
)

func TestASCIIDigits(t *testing.T) {
	for text, want := range map[string]string{
		"٤٫٥٠ د.أ":     "4.50 د.أ",
		"١٬٢٥٠٫٥٠":     "1'250.50",
		"٣ أبريل ٢٠٣١": "3 أبريل 2031",
		"۱۴۰۵/۰۲/۰۳":   "1405/02/03",
		"１４：２５、￥１，２００": "14:25、￥1,200",
		"१५ अप्रैल":    "15 अप्रैल",
		"٢٠٪":          "20%",
		"plain 12, é":  "plain 12, é",
		"点：三":          "点：三",
		"bad \xff ٣":   "bad \xff 3",
	} {
		got, changed := ASCIIDigits(text)
		assert.Equal(t, want, got)
		assert.Equal(t, text != want, changed > 0, text)
	}
}

// Each figure of each script counts what Unicode says, and nothing else of a text changes.
func TestASCIIDigitsOfAllScripts(t *testing.T) {
	n := 0
	for r := rune(0x660); r <= unicode.MaxRune; r++ {
		if !unicode.Is(unicode.Nd, r) {
			continue
		}
		got, changed := ASCIIDigits("a" + string(r) + "é")
		assert.Equal(t, 1, changed)
		assert.Len(t, got, len("a0é"))
		if !unicode.Is(unicode.Nd, r-1) {
			assert.Equal(t, "a0é", got, "%U", r)
		}
		n++
	}
	assert.Greater(t, n, 600)
	long := strings.Repeat("各 ０１２３４５６７８９ é\n", 50)
	got, changed := ASCIIDigits(long)
	assert.Equal(t, strings.Repeat("各 0123456789 é\n", 50), got)
	assert.Equal(t, 500, changed)
}
