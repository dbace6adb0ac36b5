package draft

import (
	"errors"
	"strings"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/draft/printed"
)

// FromTexts drafts a schema from the source texts of sample documents.
func FromTexts(texts []string) (*Result, error) {
	root := newNode("")
	texts, titles := titlesOf(texts)
	r := &reader{heads: headings(texts), known: labelsOf(texts)}
	for i, text := range texts {
		r.sample = i
		if t := titles[i]; t.words != "" {
			root.kid(t.words, i).add(t.mark, i)
		}
		lines := withoutHead(printed.Lines(text))
		r.nested = isNested(lines)
		for r.nested && isWrapped(lines) {
			lines = lines[1:]
		}
		r.block(root, lines)
	}
	if len(root.kids) == 0 {
		return nil, errors.New("no label, table or numbered heading was found in the samples; write the first fields by hand, `filler new` shows how")
	}
	root.gather()
	root.fold(nil)
	return finish(root, len(texts), "document")
}

// withoutHead takes off the line at the top of a page that sets two titles apart
// by white: a letterhead, and no label with its value.
func withoutHead(lines []printed.Line) []printed.Line {
	for i, l := range lines {
		if l.Blank {
			continue
		}
		if len(l.Cells) > 1 && !strings.Contains(l.Body, ":") && !strings.ContainsAny(l.Cells[0], "0123456789") && (i+1 == len(lines) || lines[i+1].Blank) {
			return lines[i+1:]
		}
		break
	}
	return lines
}

// labelsOf finds the labels that stand before more than one value. The head of
// a table's column always has the same word beside it.
func labelsOf(texts []string) map[string]bool {
	values := map[string]map[string]bool{}
	for _, text := range texts {
		for _, l := range printed.Lines(text) {
			if len(l.Pairs) == 1 {
				label := l.Pairs[0].Label
				if values[label] == nil {
					values[label] = map[string]bool{}
				}
				values[label][l.Pairs[0].Value] = true
			}
		}
	}
	known := map[string]bool{}
	for label, seen := range values {
		known[label] = len(seen) > 1
	}
	return known
}

type reader struct {
	known  map[string]bool // labels that stand before values
	heads  map[string]bool // words that number blocks, as bay does in `Bay 2`
	sample int
	nested bool // the sample is labels set in below labels and nothing else, as of XML
}

// isNested tells whether all lines are labels with colons, some set in below
// others.
func isNested(lines []printed.Line) bool {
	deep := false
	for _, l := range lines {
		if !l.Blank && (l.Bullet || !strings.Contains(l.Body, ":") || strings.IndexByte(l.Body, ' ') >= 0 && strings.IndexByte(l.Body, ' ') < strings.IndexByte(l.Body, ':')) {
			return false
		}
		deep = deep || l.Indent > 0
	}
	return deep
}

// isWrapped tells whether all lines stand below the first.
func isWrapped(lines []printed.Line) bool {
	if len(lines) < 2 || !strings.HasSuffix(lines[0].Body, ":") {
		return false
	}
	for _, l := range lines[1:] {
		if !l.Blank && l.Indent <= lines[0].Indent {
			return false
		}
	}
	return true
}

var headLine = lazy.New(`^([\pL]{2,16}(?: [\pL]{2,16})?) (?:no\. ?|number |#)?(\d{1,4}|[IVX]{1,4}|[A-H])(?:[:.)]?\s+[-–—:,]?\s*(\S.*)|[:.)]?\s*)$`)

// headings finds the words that stand at the start of several lines, each time
// with another number.
func headings(texts []string) map[string]bool {
	marks := map[string]map[string]bool{}
	for _, text := range texts {
		for _, l := range printed.Lines(text) {
			if m := headLine.FindStringSubmatch(l.Body); m != nil && !l.Bullet {
				word := strings.ToLower(m[1])
				if marks[word] == nil {
					marks[word] = map[string]bool{}
				}
				marks[word][m[2]] = true
			}
		}
	}
	heads := map[string]bool{}
	for word, seen := range marks {
		if len(seen) >= 2 && seen["1"] || len(seen) >= 3 {
			heads[word] = true
		}
	}
	return heads
}

// head tells whether a line begins a numbered block.
func (r *reader) head(l printed.Line) (word, mark, rest string, ok bool) {
	m := headLine.FindStringSubmatch(l.Body)
	if m == nil || l.Bullet || !r.heads[strings.ToLower(m[1])] {
		return "", "", "", false
	}
	return strings.ToLower(m[1]), m[2], m[3], true
}

// block reads the lines of a document, or of a numbered block in it.
func (r *reader) block(n *node, lines []printed.Line) {
	fresh := "" // a title right above
	for i := 0; i < len(lines); i++ {
		l := lines[i]
		if l.Blank {
			continue
		}
		above := fresh
		fresh = ""
		if word, mark, rest, ok := r.head(l); ok {
			end := r.endOf(lines, i, word)
			r.item(n, word, mark, rest, lines[i+1:end])
			i = end - 1
			continue
		}
		if used := r.table(n, lines[i:], above); used > 0 {
			i += used - 1
			continue
		}
		if used := r.repeated(n, lines[i:]); used > 0 {
			i += used - 1
			continue
		}
		if t := titleOf(l); t != "" {
			if used := r.bullets(n, lines[i+1:], t); used > 0 {
				i += used
				continue
			}
			if used := r.indented(n, lines[i:], t); used > 0 {
				i += used - 1
				continue
			}
			fresh = t
			continue
		}
		if l.Bullet {
			if used := r.bullets(n, lines[i:], orElse(above, "items")); used > 0 {
				i += used - 1
			}
			continue
		}
		r.pairs(n, l)
	}
}

// indented reads a title with a colon whose lines stand further in: a group, or an
// item of a list where the title comes again.
func (r *reader) indented(n *node, lines []printed.Line, title string) int {
	if !r.nested || !strings.HasSuffix(lines[0].Body, ":") {
		return 0
	}
	end := 1
	for end < len(lines) && (lines[end].Blank || lines[end].Indent > lines[0].Indent) {
		end++
	}
	if end == 1 || len(lines[1].Pairs) == 0 {
		return 0
	}
	group := n.kid(title, r.sample)
	group.list = group.list || group.in[r.sample] != nil
	if group.in == nil {
		group.in = map[int]map[string]bool{}
	}
	group.in[r.sample] = map[string]bool{}
	group.items++
	r.block(group, lines[1:end])
	return end
}

func orElse(s, other string) string {
	if s == "" {
		return other
	}
	return s
}

// endOf gives where a numbered block ends: at the next of its kind, or where
// something starts that is not indented and follows an empty line.
func (r *reader) endOf(lines []printed.Line, i int, _ string) int {
	for j := i + 1; j < len(lines); j++ {
		if _, _, _, ok := r.head(lines[j]); ok {
			return j
		}
		if lines[j].Blank || lines[j].Indent > lines[i].Indent || lines[j].Bullet {
			continue
		}
		if lines[j-1].Blank || titleOf(lines[j]) != "" {
			return j
		}
	}
	return len(lines)
}

// item reads one numbered block.
func (r *reader) item(n *node, word, mark, rest string, lines []printed.Line) {
	list := n.kid(plural(word), r.sample)
	list.list = true
	list.items++
	list.kid("number", r.sample).add(mark, r.sample)
	if rest != "" {
		r.segments(list, rest, "")
	}
	r.block(list, lines)
}

func plural(word string) string {
	if strings.HasSuffix(word, "s") {
		return word
	}
	if len(word) > 1 && strings.HasSuffix(word, "y") && !strings.ContainsRune("aeou", rune(word[len(word)-2])) {
		return word[:len(word)-1] + "ies"
	}
	return word + "s"
}

var titleText = lazy.New(`^[\pL][\pL '’-]{1,40}:?$`)

// titleOf gives a line that stands for a title: few words, nothing behind.
func titleOf(l printed.Line) string {
	if l.Bullet || !titleText.MatchString(l.Body) || len(strings.Fields(l.Body)) > 5 || len(l.Cells) > 1 {
		return ""
	}
	return strings.TrimSuffix(l.Body, ":")
}

// pairs reads `label: value`.
func (r *reader) pairs(n *node, l printed.Line) {
	for _, p := range l.Pairs {
		if p.Label == "" || len(strings.Fields(p.Label)) > 4 || len(strings.Fields(p.Label)) > 2 && isName(p.Label) {
			continue
		}
		value, inner := p.Value, ""
		if i := strings.IndexByte(value, '('); i > 0 && strings.Contains(value[i:], ":") {
			value, inner = strings.TrimSpace(value[:i]), strings.Trim(value[i:], "() ")
		}
		if head, rest, ok := strings.Cut(value, ", "); ok && (labelled.MatchString(rest) || pairText.MatchString(rest)) {
			value, inner = head, rest
		}
		n.kid(p.Label, r.sample).add(value, r.sample)
		if inner != "" {
			r.segments(n, inner, "")
		}
	}
}

var (
	// A label in running text: one or two words before a figure, a sum or a mark.
	labelled = lazy.New(`^([\pL]+(?: [\pL]+)??)\.?:?\s+((?:[\d€]|[A-Z]{3} ?\d|[A-Z]{1,4}-\d).*)$`)
)

// leadsIn tells whether a text begins with a word that leads to no label.
func leadsIn(text string) bool {
	first, _, more := strings.Cut(text, " ")
	return more && lang.LeadIn.Has(first)
}

// segments reads what commas set apart: `grade 2`, `by 3.4.2031`; what has no
// label goes to first, if one is named.
func (r *reader) segments(n *node, text, first string) {
	text = strings.NewReplacer("(", ", ", ")", ",").Replace(text)
	for i, part := range strings.Split(text, ", ") {
		part = strings.Trim(part, " ,;.")
		m := labelled.FindStringSubmatch(part)
		if m == nil {
			m = pairText.FindStringSubmatch(part)
		}
		switch {
		case part == "":
		case m != nil && !leadsIn(part) && !isCode(m[1]):
			n.kid(strings.Trim(m[1], "."), r.sample).add(m[2], r.sample)
		case i == 0 && first != "":
			n.kid(first, r.sample).add(part, r.sample)
		}
	}
}

var pairText = lazy.New(`^([\pL][\pL ]{1,20}):\s+(\S.*)$`)

// isCode: three capitals are a currency, not a label.
func isCode(s string) bool { return len(s) == 3 && strings.ToUpper(s) == s }

// bullets reads a list of bullets under a title, or of indented lines.
func (r *reader) bullets(n *node, lines []printed.Line, title string) int {
	used := 0
	var list *node
	for _, l := range lines {
		if l.Blank && list == nil || l.Blank && used == 0 {
			used++
			continue
		}
		if !l.Bullet {
			break
		}
		if list == nil {
			list = n.listFor(title, r.sample)
		}
		list.items++
		r.segments(list, l.Body, "what")
		used++
	}
	if list == nil {
		return 0
	}
	return used
}

// listFor gives the list that a title or a table's head names. A list whose
// items look alike may be there already under another name.
func (n *node) listFor(title string, sample int) *node {
	list := n.kid(title, sample)
	list.list = true
	return list
}

// table reads a head of words and the rows below it.
func (r *reader) table(n *node, lines []printed.Line, title string) int {
	head := lines[0]
	if len(head.Cells) < 2 || len(lines) < 2 || head.Bullet {
		return 0
	}
	if len(head.Cells) == 2 && len(head.Pairs) == 1 && r.known[head.Pairs[0].Label] {
		return 0 // a label and its value, set apart by white
	}
	for _, c := range head.Cells {
		if strings.ContainsAny(c, "0123456789:") || len(strings.Fields(c)) > 4 {
			return 0
		}
	}
	used := 1
	var rows [][]string
	for _, l := range lines[1:] {
		if l.Blank {
			if len(strings.TrimSpace(l.Body)) == 0 && len(rows) > 0 {
				break
			}
			used++
			continue
		}
		if len(l.Cells) < 2 || len(l.Cells) > len(head.Cells) || len(l.Pairs) > 1 {
			break
		}
		rows = append(rows, place(head, l))
		used++
	}
	if len(rows) == 0 {
		return 0
	}
	if title == "" {
		title = plural(strings.ToLower(head.Cells[0]))
	}
	list := n.listFor(title, r.sample)
	for _, row := range rows {
		list.items++
		for i, cell := range row {
			list.kid(head.Cells[i], r.sample).add(cell, r.sample)
		}
	}
	return used
}

// place gives the cells of a row by the columns of the head.
func place(head, row printed.Line) []string {
	out := make([]string, len(head.Cells))
	for i, c := range row.Cells {
		best, gap := 0, 1<<30
		for j, s := range head.Starts {
			if d := abs(s - row.Starts[i]); d < gap {
				best, gap = j, d
			}
		}
		if len(row.Cells) == len(head.Cells) {
			best = i
		}
		out[best] = c
	}
	return out
}

func abs(n int) int {
	if n < 0 {
		return -n
	}
	return n
}

// repeated reads blocks that begin with the same label again and again, each
// with more labels below it, nested by what comes again within.
func (r *reader) repeated(n *node, lines []printed.Line) int {
	label, end := repeats(lines)
	if label == "" || r.nested {
		return 0
	}
	list := n.listFor(plural(label), r.sample)
	start := 0
	for i := 1; i <= end; i++ {
		if i < end && (len(lines[i].Pairs) == 0 || lines[i].Pairs[0].Label != label) {
			continue
		}
		list.items++
		first := lines[start]
		list.kid(label, r.sample).add(first.Pairs[0].Value, r.sample)
		r.block(list, lines[start+1:i])
		start = i
	}
	return end
}

// repeats gives the label of the first line if it comes again in this region
// with other labels between.
func repeats(lines []printed.Line) (string, int) {
	if len(lines[0].Pairs) == 0 || lines[0].Bullet {
		return "", 0
	}
	label := lines[0].Pairs[0].Label
	again, between, end := 0, 0, len(lines)
	for i := 1; i < len(lines); i++ {
		if len(lines[i].Pairs) == 0 {
			continue
		}
		if lines[i].Indent < lines[0].Indent {
			end = i
			break
		}
		if lines[i].Pairs[0].Label == label {
			again++
		} else {
			between++
		}
	}
	if again == 0 || between == 0 {
		return "", 0
	}
	return label, end
}
