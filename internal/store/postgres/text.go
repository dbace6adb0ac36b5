package postgres

import (
	"encoding/base64"
	"strings"
	"unicode/utf8"
)

// coded begins a text that PostgreSQL does not take as it is.
const coded = "\x01"

// toText gives a text as the database takes it: all but those with a zero byte, or that are not
// UTF-8, as they are.
func toText(s string) string {
	if utf8.ValidString(s) && !strings.Contains(s, "\x00") && !strings.HasPrefix(s, coded) {
		return s
	}
	return coded + base64.StdEncoding.EncodeToString([]byte(s))
}

// fromText gives it back.
func fromText(s string) string {
	if data, is := strings.CutPrefix(s, coded); is {
		if plain, err := base64.StdEncoding.DecodeString(data); err == nil {
			return string(plain)
		}
	}
	return s
}

// notNil gives a body that is not NULL.
func notNil(b []byte) []byte { return append([]byte{}, b...) }
