// Package lazy compiles regular expressions when they are first used. There are nearly two hundred,
// and most commands use few of them: compiled at the start, they would take longer than the command.
//
// Rules it keeps:
//
//   - A pattern that stands in the code compiles; a test tries all of them.
package lazy

import (
	"regexp"
	"sync"
)

// Regexp is a regular expression that is compiled when it is first used. It may be used by many
// goroutines.
type Regexp struct {
	text string
	once sync.Once
	re   *regexp.Regexp
}

// New gives the expression of a pattern, which is for regexp.MustCompile.
func New(text string) *Regexp { return &Regexp{text: text} }

// Get gives the compiled expression.
func (r *Regexp) Get() *regexp.Regexp {
	r.once.Do(func() { r.re = regexp.MustCompile(r.text) })
	return r.re
}

// The methods of regexp.Regexp that are used with patterns in the code.

func (r *Regexp) String() string                             { return r.text }
func (r *Regexp) Match(b []byte) bool                        { return r.Get().Match(b) }
func (r *Regexp) MatchString(s string) bool                  { return r.Get().MatchString(s) }
func (r *Regexp) FindString(s string) string                 { return r.Get().FindString(s) }
func (r *Regexp) FindStringIndex(s string) []int             { return r.Get().FindStringIndex(s) }
func (r *Regexp) FindIndex(b []byte) []int                   { return r.Get().FindIndex(b) }
func (r *Regexp) FindSubmatch(b []byte) [][]byte             { return r.Get().FindSubmatch(b) }
func (r *Regexp) FindAllSubmatch(b []byte, n int) [][][]byte { return r.Get().FindAllSubmatch(b, n) }
func (r *Regexp) FindStringSubmatch(s string) []string       { return r.Get().FindStringSubmatch(s) }
func (r *Regexp) FindStringSubmatchIndex(s string) []int     { return r.Get().FindStringSubmatchIndex(s) }
func (r *Regexp) FindAllString(s string, n int) []string     { return r.Get().FindAllString(s, n) }
func (r *Regexp) FindAllStringIndex(s string, n int) [][]int { return r.Get().FindAllStringIndex(s, n) }
func (r *Regexp) FindAllStringSubmatch(s string, n int) [][]string {
	return r.Get().FindAllStringSubmatch(s, n)
}
func (r *Regexp) FindAllStringSubmatchIndex(s string, n int) [][]int {
	return r.Get().FindAllStringSubmatchIndex(s, n)
}
func (r *Regexp) ReplaceAll(b, by []byte) []byte       { return r.Get().ReplaceAll(b, by) }
func (r *Regexp) ReplaceAllString(s, by string) string { return r.Get().ReplaceAllString(s, by) }
func (r *Regexp) ReplaceAllStringFunc(s string, by func(string) string) string {
	return r.Get().ReplaceAllStringFunc(s, by)
}
func (r *Regexp) ReplaceAllFunc(b []byte, by func([]byte) []byte) []byte {
	return r.Get().ReplaceAllFunc(b, by)
}
func (r *Regexp) Split(s string, n int) []string { return r.Get().Split(s, n) }
func (r *Regexp) SubexpIndex(name string) int    { return r.Get().SubexpIndex(name) }
