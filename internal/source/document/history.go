package document

import (
	"regexp"
	"strings"
	"sync"

	"filler/internal/base/lang"
)

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

// markHistory puts > before the lines of earlier messages that a mail quotes below
// itself without a mark: those under words such as "Original message" between dashes,
// or under the heads of a message.
func markHistory(text string) string {
	lines := strings.Split(strings.ReplaceAll(text, "\r\n", "\n"), "\n")
	for i := range lines {
		if i > 0 && (earlier().original.MatchString(lines[i]) || headsAt(lines, i)) || i == 0 && earlier().original.MatchString(lines[i]) {
			for j := i; j < len(lines); j++ {
				if lines[j] != "" && !strings.HasPrefix(lines[j], ">") {
					lines[j] = "> " + lines[j]
				}
			}
			return strings.Join(lines, "\n")
		}
	}
	return strings.Join(lines, "\n")
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

// quoted counts the lines of earlier messages.
func quoted(text string) (n int) {
	for l := range strings.SplitSeq(text, "\n") {
		if strings.HasPrefix(strings.TrimSpace(l), ">") {
			n++
		}
	}
	return n
}

// unflowed joins the lines of a paragraph that a mail program broke (RFC 3676): those
// that end in a space, which delsp says is no part of the text.
func unflowed(text string, delsp bool) string {
	var out []string
	depth := func(l string) int { return len(l) - len(strings.TrimLeft(l, ">")) }
	open := false // the last line goes on
	for _, l := range strings.Split(strings.ReplaceAll(text, "\r\n", "\n"), "\n") {
		marks := depth(l)
		body := strings.TrimPrefix(l[marks:], " ")
		goesOn := strings.HasSuffix(body, " ") && body != "-- "
		if goesOn && delsp {
			body = body[:len(body)-1]
		}
		if last := len(out) - 1; open && depth(out[last]) == marks {
			out[last] += body
		} else {
			prefix := l[:marks]
			if marks > 0 {
				prefix += " "
			}
			out = append(out, prefix+body)
		}
		open = goesOn
	}
	return strings.Join(out, "\n")
}
