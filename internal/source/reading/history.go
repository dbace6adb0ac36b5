package reading

import (
	"regexp"
	"strings"
	"sync"

	"filler/internal/base/lang"
)

// Earlier messages that a mail quotes below itself without a mark before their lines.

// earlier are the lines above an earlier message: words between dashes, a label for
// who wrote it, a label for what it is about.
var earlier = sync.OnceValue(func() (e struct{ original, from, subject *regexp.Regexp }) {
	e.original = regexp.MustCompile(`(?i)^\s*[-_=]{2,}\s*` + lang.Original.Pattern() + `\s*[-_=]{2,}\s*$`)
	e.from = regexp.MustCompile(`(?i)^\s*\*?` + lang.MailFrom.Pattern() + `\s?:\*?\s*\S`)
	e.subject = regexp.MustCompile(`(?i)^\s*\*?` + lang.MailSubject.Pattern() + `\s?:`)
	return e
})

// mostHeads is within how many lines an earlier message's heads stand together.
const mostHeads = 8

// HistoryAt gives the line, from 0, with which earlier messages begin that a mail quotes below
// itself: words such as "Original message" between dashes, or the heads of a message; -1 for none.
func HistoryAt(lines []string) int {
	for i := range lines {
		if strings.ContainsAny(lines[i], "-_=:") && (earlier().original.MatchString(lines[i]) || i > 0 && headsAt(lines, i)) {
			return i
		}
	}
	return -1
}

// headsAt tells whether the heads of a message begin at a line.
func headsAt(lines []string, at int) bool {
	if !earlier().from.MatchString(lines[at]) {
		return false
	}
	labels := 0
	for i := at; i < len(lines) && i < at+mostHeads && strings.TrimSpace(lines[i]) != ""; i++ {
		if strings.Contains(lines[i], ":") {
			labels++
		}
		if earlier().subject.MatchString(lines[i]) && labels >= 3 {
			return true
		}
	}
	return false
}

// history is where earlier messages begin in a text, looked for when it is first asked for.
type history struct {
	once sync.Once
	line int
}

// History gives the line, from 0, with which the earlier messages of a mail begin; one behind the
// last for a text that is no mail, or quotes none without marks.
func (tx *Text) History() int {
	h := &tx.whole.history
	h.once.Do(func() {
		lines := strings.Split(tx.Source, "\n")
		if h.line = HistoryAt(lines); h.line < 0 || !isMail(lines[:h.line]) {
			h.line = len(lines)
		}
	})
	return h.line
}

// isMail tells whether the heads of a message stand above: who wrote it, what it is about.
func isMail(lines []string) bool {
	from, subject := false, false
	for _, l := range lines {
		from, subject = from || earlier().from.MatchString(l), subject || earlier().subject.MatchString(l)
	}
	return from && subject
}
