package schema

import (
	"fmt"
	"strings"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
)

var plainText = lazy.New(`^[A-Za-z][A-Za-z0-9 .()/_'-]*$`)

// yamlWords are texts that YAML readers, ours or others, take for something
// else than text.
var yamlWords = map[string]bool{"true": true, "false": true, "null": true, "yes": true, "no": true, "on": true, "off": true, "y": true, "n": true}

// yamlText writes a text so that it is read back as the same text.
// Quote writes a text so that YAML reads it back as the same text.
func Quote(s string) string { return yamlText(s) }

func yamlText(s string) string {
	if plainText.MatchString(s) && !yamlWords[strings.ToLower(s)] && !strings.HasSuffix(s, " ") {
		return s
	}
	var b strings.Builder
	for _, r := range string(value.AppendQuoted(nil, s)) {
		if r >= 0x7f && r < 0xa0 || r == '\ufeff' || r == '\u2028' || r == '\u2029' || r == 0xfffe || r == 0xffff {
			fmt.Fprintf(&b, "\\u%04X", r) // YAML takes them escaped only
			continue
		}
		b.WriteRune(r)
	}
	return b.String()
}
