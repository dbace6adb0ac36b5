// Package secret keeps keys and passwords out of what is shown and kept.
//
// Rules it keeps:
//
//   - What a server sends back is struck clean of every secret that was sent to
//     it before anything else sees it: as it is, as an address or JSON writes
//     it (each letter by itself escaped or not), in hexadecimal digits, and in
//     base64 wherever in a longer text it stood.
//   - An address is shown without its user and with those values of its query
//     masked that look like keys.
//   - Texts of fewer than minLength bytes are no secrets: they would strike out
//     what they stand in by chance.
package secret

import (
	"bytes"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"filler/internal/base/lazy"
	"fmt"
	"net/url"
	"regexp"
	"sort"
	"strings"
	"unicode/utf16"
)

// minLength is the fewest bytes of a secret.
const minLength = 8

// Mark stands in the place of a secret.
const Mark = "[key]"

// Set is the secrets of one way to a server. The zero Set holds none. Its methods
// may be called by many goroutines.
type Set struct {
	forms   [][]byte
	escaped *regexp.Regexp // the secrets with any of their letters escaped; nil: none
}

// NewSet gives the set of some secrets; those that are too short are left out.
func NewSet(texts ...string) *Set {
	s, seen := &Set{}, map[string]bool{}
	var escaped []string
	for _, text := range texts {
		if len(text) < minLength {
			continue
		}
		for _, form := range formsOf(text) {
			if len(form) >= minLength && !seen[form] {
				seen[form] = true
				s.forms = append(s.forms, []byte(form))
			}
		}
		escaped = append(escaped, anyEscape(text))
	}
	sort.SliceStable(s.forms, func(i, j int) bool { return len(s.forms[i]) > len(s.forms[j]) })
	if len(escaped) > 0 {
		s.escaped = regexp.MustCompile(strings.Join(escaped, "|"))
	}
	return s
}

// formsOf gives the ways in which a text may come back. In base64 the letters at
// both ends depend on what stands beside the text; those between do not.
func formsOf(text string) []string {
	quoted, _ := json.Marshal(text)
	forms := []string{text, string(quoted[1 : len(quoted)-1]), hex.EncodeToString([]byte(text)), strings.ToUpper(hex.EncodeToString([]byte(text)))}
	for before := range 3 {
		whole := append(make([]byte, before), text...)
		from, bits := (before*8+5)/6, len(whole)*8
		for _, code := range []*base64.Encoding{base64.RawStdEncoding, base64.RawURLEncoding} {
			forms = append(forms, code.EncodeToString(whole)[from:bits/6])
		}
	}
	return forms
}

// anyEscape gives a pattern for a text each of whose letters is as it is, or
// escaped as JSON or an address escapes it.
func anyEscape(text string) string {
	var b strings.Builder
	for _, r := range text {
		same := []string{regexp.QuoteMeta(string(r))}
		var units string
		for _, u := range utf16.Encode([]rune{r}) {
			units += fmt.Sprintf(`\\+u(?i:%04x)`, u)
		}
		var bytes string
		for _, c := range []byte(string(r)) {
			bytes += fmt.Sprintf(`%%(?:25)*(?i:%02x)`, c)
		}
		same = append(same, units, bytes)
		switch r {
		case ' ':
			same = append(same, `\+`)
		case '/', '"', '\\':
			same = append(same, `\\+`+regexp.QuoteMeta(string(r)))
		}
		b.WriteString("(?:" + strings.Join(same, "|") + ")")
	}
	return b.String()
}

// Empty tells whether there is nothing to strike out.
func (s *Set) Empty() bool { return s == nil || len(s.forms) == 0 }

// Strike gives a text with a mark in place of every secret.
func (s *Set) Strike(text []byte) []byte {
	if s.Empty() {
		return text
	}
	for _, form := range s.forms {
		if bytes.Contains(text, form) {
			text = bytes.ReplaceAll(text, form, []byte(Mark))
		}
	}
	if bytes.ContainsAny(text, `\%`) {
		text = s.escaped.ReplaceAllLiteral(text, []byte(Mark))
	}
	return text
}

// StrikeText is Strike for a string.
func (s *Set) StrikeText(text string) string {
	if s.Empty() || text == "" {
		return text
	}
	return string(s.Strike([]byte(text)))
}

// OfAddress gives the secrets that an address holds: its password, alone and
// behind its user, and the values of its query that look like keys.
func OfAddress(address string) (all []string) {
	u, err := url.Parse(address)
	if err != nil {
		return nil
	}
	if password, has := u.User.Password(); has {
		all = append(all, password, u.User.Username()+":"+password)
	} else if u.User != nil {
		all = append(all, u.User.Username())
	}
	for name, values := range u.Query() {
		for _, text := range values {
			if IsSecret(name) || likeKey(text) {
				all = append(all, text)
			}
		}
	}
	return all
}

// Address gives an address as it may be shown: without its user, with the values
// of its query masked that look like keys, by their names or by themselves.
func Address(address string) string {
	u, err := url.Parse(address)
	if err != nil { // nobody can tell its parts for sure
		address, _, _ = strings.Cut(address, "?")
		scheme, rest, _ := strings.Cut(address, "://")
		return scheme + "://" + rest[strings.LastIndexByte(rest, '@')+1:]
	}
	if u.Scheme == "" || u.Host == "" {
		return address
	}
	u.User = nil
	if u.RawQuery == "" {
		return u.String()
	}
	parts := strings.Split(u.RawQuery, "&")
	for i, part := range parts {
		name, text, has := strings.Cut(part, "=")
		if plain, err := url.QueryUnescape(text); has && (err != nil || IsSecret(name) || likeKey(plain)) {
			parts[i] = name + "=" + Mark
		}
	}
	u.RawQuery = ""
	fragment := u.Fragment
	u.Fragment = ""
	shown := u.String() + "?" + strings.Join(parts, "&")
	if fragment != "" {
		shown += "#" + fragment
	}
	return shown
}

var addressIn = lazy.New(`[A-Za-z][A-Za-z0-9+.-]*:/{1,2}[^\s"'<>` + "`" + `]+`)

// InText gives a text with all addresses in it as they may be shown.
func InText(text string) string {
	return addressIn.ReplaceAllStringFunc(text, func(address string) string {
		if !strings.ContainsAny(address, "@?") {
			return address
		}
		end := strings.TrimRight(address, ".,;:!)]}")
		return Address(end) + address[len(end):]
	})
}

var longWord = lazy.New(`[A-Za-z0-9+/_=.~-]{16,}`)

// likeKey tells a text that nobody wrote by hand: a long run of letters and
// digits.
func likeKey(text string) bool {
	word := longWord.FindString(text)
	return strings.ContainsAny(word, "0123456789") && strings.ContainsFunc(word, func(r rune) bool { return r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' })
}

var (
	secretName   = lazy.New(`(?i)key|token|auth|secret|pass|pw|cookie|session|credential|sig`)
	commonHeader = lazy.New(`(?i)^(accept.*|content-type|user-agent|.*version|.*beta|.*region)$`)
)

// IsSecret tells whether what stands behind a name is a secret, by the name.
func IsSecret(name string) bool { return secretName.MatchString(name) }

// OfHeaders gives the values of headers, but for those whose names say that they
// are none.
func OfHeaders(headers map[string]string) (all []string) {
	for name, text := range headers {
		if IsSecret(name) || !commonHeader.MatchString(name) {
			all = append(all, text)
			if _, word, ok := strings.Cut(text, " "); ok { // behind a scheme, such as Bearer
				all = append(all, word)
			}
		}
	}
	return all
}
