package outline

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/source/document"
)

// Headings of what is data in a prompt. Each is a line of its own; RecordSoFar
// and RecordsSoFar may have more behind them.
const (
	Fields       = "# Fields"                    // field lines follow
	InLines      = "# Fields, answered in lines" // field lines follow; a line NAME: VALUE is asked for each
	OneField     = "# Field"                     // one field line follows, and its value alone is asked for
	Document     = "# Document"                  // the document follows, between its marks
	LookAgain    = "# Look again"                // from the second time on with its number; lines that nothing came from so far follow, each behind its field
	RecordSoFar  = "# Record so far"             // a record follows, as JSON on one line
	RecordsSoFar = "# Records so far"            // records follow, each on a line behind its path
	Problems     = "# Problems"                  // of the record so far
	NotTaken     = "# Not taken"                 // what of the answer before was refused, and why
)

// Fence gives a mark that does not occur in a text. The text stands between two
// lines that are the mark.
func Fence(text string) string {
	mark := "=====" + document.Hash(text)[:8] + "====="
	for strings.Contains(text, mark) {
		mark = "=====" + document.Hash(mark)[:8] + "====="
	}
	return mark
}

var (
	markLine     = lazy.New("(?m)^([=~#*<>`_-]{3,}[^\\s]{0,40})$")
	documentHead = lazy.New(`(?m)^` + Document + `$`)
)

// FindDocument gives what stands between two lines that are the same mark: the
// longest such stretch behind the first heading Document, since solved examples
// may stand before it and further marks and headings in it. Without such lines
// the whole text is the document, and fenced is false.
func FindDocument(text string) (before, doc, after string, fenced bool) {
	from := 0
	if at := documentHead.FindStringIndex(text); at != nil {
		from = at[0]
	}
	best := -1
	for _, m := range markLine.FindAllStringSubmatchIndex(text[from:], 200) {
		mark := text[from+m[2] : from+m[3]]
		rest := text[from+m[1]:]
		if i := strings.Index(rest, "\n"+mark+"\n"); i > best {
			best = i
			before, doc, after = text[:from+m[0]], strings.TrimPrefix(rest[:i], "\n"), rest[i+len(mark)+2:]
		}
	}
	if best < 0 {
		return text, text, "", false
	}
	return before, doc, after, true
}

// Has tells whether a text has a heading.
func Has(text, heading string) bool {
	return strings.Contains("\n"+text, "\n"+heading)
}

// Missed is a line of a document that nothing came from, or a cell with the row that it is of,
// the field that it speaks of, and the value that the field has, if any, as JSON.
type Missed struct{ Field, Now, Line, Row string }

// missedLength is how much of such a line is shown, in bytes: enough to find it.
const missedLength = 80

// WriteAgain gives the section of the lines that are asked about once more, for
// the first, second... time: FIELD: "LINE" each, FIELD (so far VALUE): "LINE", or
// FIELD: "CELL" in "ROW".
func WriteAgain(lines []Missed, time int) string {
	text := LookAgain
	if time > 1 {
		text += fmt.Sprintf(" (%d)", time)
	}
	for _, m := range lines {
		now := ""
		if m.Now != "" {
			now = soFar + m.Now + ")"
		}
		text += fmt.Sprintf("\n%s%s: %q", m.Field, now, start(m.Line))
		if m.Row != "" {
			text += fmt.Sprintf(" in %q", start(m.Row))
		}
	}
	return text + "\n"
}

// soFar stands before the value that a field has.
const soFar = " (so far "

// start gives the first words of a line, with one space between them.
func start(line string) string {
	line = strings.Join(strings.Fields(line), " ")
	if len(line) <= missedLength {
		return line
	}
	cut := strings.ToValidUTF8(line[:missedLength], "")
	if at := strings.LastIndexByte(cut, ' '); at > missedLength/2 {
		cut = cut[:at]
	}
	return cut + " …"
}

// ReadAgain gives which time a text asks about lines once more, 0 for none, and
// of which fields they speak.
func ReadAgain(text string) (time int, fields []string) {
	_, rest, ok := strings.Cut("\n"+text, "\n"+LookAgain)
	if !ok {
		return 0, nil
	}
	lines := strings.Split(rest, "\n")
	time = 1
	_, _ = fmt.Sscanf(lines[0], " (%d)", &time)
	for _, l := range lines[1:] {
		field, _, ok := strings.Cut(l, `: "`)
		if !ok {
			break
		}
		field, _, _ = strings.Cut(field, soFar)
		if !slices.Contains(fields, field) {
			fields = append(fields, field)
		}
	}
	return time, fields
}

// Line is a line of a document that is shown with the ids of its lines: its id,
// its place on the page in brackets where it is known, and its text.
type Line struct{ ID, Text string }

var lineWithID = lazy.New(`^(L[0-9]{1,6})(\.[0-9]{1,4})? (?:\[[0-9, .-]+\] )?(.*)$`)

// ReadLines gives the lines of a document that is shown with ids, and the
// document without them; none where fewer than eight lines in ten have one. The
// pieces of a long line, behind the ids of their first words, are one line.
func ReadLines(doc string) (all []Line, without string) {
	var lines [][]string // the pieces of each
	var ids []string     // its id; "" none
	shown := 0
	for l := range strings.SplitSeq(doc, "\n") {
		m := lineWithID.FindStringSubmatch(l)
		switch last := len(lines) - 1; {
		case m == nil:
			lines, ids = append(lines, []string{l}), append(ids, "")
		case m[2] != "" && last >= 0 && ids[last] == m[1]:
			lines[last] = append(lines[last], m[3])
		default:
			lines, ids = append(lines, []string{m[3]}), append(ids, m[1])
			shown++
		}
	}
	if shown == 0 || shown*10 < len(lines)*8 {
		return nil, doc
	}
	whole := make([]string, len(lines))
	for i, pieces := range lines {
		whole[i] = strings.Join(pieces, " ")
		if ids[i] != "" {
			all = append(all, Line{ids[i], whole[i]})
		}
	}
	return all, strings.Join(whole, "\n")
}

// Problem is a problem of a record as a prompt names it, one a line:
//
//  2. /bays/0/number (type): What is wrong. It speaks of /a, /b Its value now: "four"
type Problem struct {
	Path    value.Pointer // "" is the whole record
	Code    string
	Message string
	Fields  []value.Pointer // what it speaks of, beside its path
	Now     *value.Value    // nil: none
}

// WriteProblem gives the line of the nth problem.
func WriteProblem(n int, p Problem) string {
	at := string(p.Path)
	if at == "" {
		at = wholeRecord
	}
	line := fmt.Sprintf("%d. %s (%s): %s.", n, at, p.Code, p.Message)
	for i, field := range p.Fields {
		line += []string{speaksOf, ", "}[min(i, 1)] + string(field)
	}
	if p.Now != nil {
		line += valueNow + p.Now.String()
	}
	return line
}

const (
	wholeRecord = "the record"
	speaksOf    = " It speaks of "
	valueNow    = " Its value now: "
)

var problemLine = lazy.New(`(?m)^(\d+)\. (/.*?|` + wholeRecord + `) \(([a-z-]+)\): (.*)$`)

// ReadProblems gives the problems that a text names below their heading.
func ReadProblems(text string) (all []Problem) {
	_, text, _ = strings.Cut("\n"+text, "\n"+Problems+"\n")
	for _, m := range problemLine.FindAllStringSubmatch(text, -1) {
		if _, err := strconv.Atoi(m[1]); err != nil {
			continue
		}
		p := Problem{Code: m[3], Message: m[4]}
		if m[2] != wholeRecord {
			p.Path = value.Pointer(m[2])
		}
		if rest, now, ok := strings.Cut(p.Message, valueNow); ok {
			if v, err := value.Parse(now); err == nil {
				p.Message, p.Now = rest, &v
			}
		}
		if rest, of, ok := strings.Cut(p.Message, speaksOf); ok {
			p.Message = rest
			for _, field := range strings.Split(of, ", ") {
				p.Fields = append(p.Fields, value.Pointer(field))
			}
		}
		p.Message = strings.TrimSuffix(p.Message, ".")
		all = append(all, p)
	}
	return all
}

// Placed is a record, or a part of one, with its path.
type Placed struct {
	At     value.Pointer
	Record value.Value
}

const partAt = ", its part at "

// WriteRecord gives the record so far, or its part at a path, below its heading.
func WriteRecord(record *value.Value, at value.Pointer) string {
	head := RecordSoFar
	if at != "" {
		head += partAt + string(at)
	}
	part := record.At(at).Named("")
	return head + "\n" + string(part.JSON()) + "\n"
}

// ReadRecord gives the record that stands below its heading, or nil.
func ReadRecord(text string) *Placed {
	_, rest, ok := strings.Cut("\n"+text, "\n"+RecordSoFar)
	if !ok {
		return nil
	}
	head, rest, _ := strings.Cut(rest, "\n")
	line, _, _ := strings.Cut(rest, "\n")
	v, err := value.Parse(line)
	if err != nil {
		return nil
	}
	at, _ := strings.CutPrefix(head, partAt)
	return &Placed{value.Pointer(strings.TrimSpace(at)), v}
}

var placedLine = lazy.New(`(?m)^(/\d+) (\{.*\})$`)

// ReadRecords gives the records that stand below their heading.
func ReadRecords(text string) (all []Placed) {
	_, text, _ = strings.Cut("\n"+text, "\n"+RecordsSoFar)
	for _, m := range placedLine.FindAllStringSubmatch(text, -1) {
		if v, err := value.Parse(m[2]); err == nil {
			all = append(all, Placed{value.Pointer(m[1]), v})
		}
	}
	return all
}
