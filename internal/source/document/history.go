package document

import (
	"filler/internal/source/reading"
	"strings"
)

// markHistory puts > before the lines of earlier messages that a mail quotes below
// itself without a mark.
func markHistory(text string) string {
	lines := strings.Split(strings.ReplaceAll(text, "\r\n", "\n"), "\n")
	if at := reading.HistoryAt(lines); at >= 0 {
		for j := at; j < len(lines); j++ {
			if lines[j] != "" && !strings.HasPrefix(lines[j], ">") {
				lines[j] = "> " + lines[j]
			}
		}
	}
	return strings.Join(lines, "\n")
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
