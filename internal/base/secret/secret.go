// Package secret keeps keys and passwords out of what is shown and kept.
//
// Rules it keeps:
//
//   - What a server sends back is struck clean of every secret that was sent to
//     it before anything else sees it: as it is, as an address or JSON writes
//     it, and in base64, alone and behind its user's name.
//   - An address is shown without its user and with the values of its query
//     masked.
//   - Texts of fewer than minLength bytes are no secrets: they would strike out
//     what they stand in by chance.
package secret

import (
	"bytes"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"net/url"
	"regexp"
	"sort"
	"strings"
)

// minLength is the fewest bytes of a secret.
const minLength = 5

// Mark stands in the place of a secret.
const Mark = "[key]"

// Set is the secrets of one way to a server. The zero Set holds none. Its methods
// may be called by many goroutines.
type Set struct{ forms [][]byte }

// NewSet gives the set of some secrets; those that are too short are left out.
func NewSet(texts ...string) *Set {
	s, seen := &Set{}, map[string]bool{}
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
	}
	sort.SliceStable(s.forms, func(i, j int) bool { return len(s.forms[i]) > len(s.forms[j]) })
	return s
}

// formsOf gives the ways in which a text may come back.
func formsOf(text string) []string {
	quoted, _ := json.Marshal(text)
	b := []byte(text)
	return []string{text, string(quoted[1 : len(quoted)-1]), url.QueryEscape(text), url.PathEscape(text), strings.ReplaceAll(url.QueryEscape(text), "+", "%20"),
		base64.StdEncoding.EncodeToString(b), base64.RawStdEncoding.EncodeToString(b), base64.URLEncoding.EncodeToString(b), base64.RawURLEncoding.EncodeToString(b),
		hex.EncodeToString(b)}
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
// behind its user, and the values of its query.
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
	for _, values := range u.Query() {
		all = append(all, values...)
	}
	return all
}

// Address gives an address as it may be shown.
func Address(address string) string {
	u, err := url.Parse(address)
	if err != nil || u.Scheme == "" || u.Host == "" {
		return address
	}
	u.User = nil
	if u.RawQuery != "" {
		values := u.Query()
		names := make([]string, 0, len(values))
		for name := range values {
			names = append(names, name)
		}
		sort.Strings(names)
		u.RawQuery = ""
		return u.String() + "?" + strings.Join(names, "="+Mark+"&") + "=" + Mark
	}
	return u.String()
}

var secretHeader = regexp.MustCompile(`(?i)key|token|auth|secret|pass|cookie|session|credential`)

// IsHeader tells whether the value of a header is a secret, by its name.
func IsHeader(name string) bool { return secretHeader.MatchString(name) }
