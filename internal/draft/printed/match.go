package printed

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/agext/levenshtein"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// slot is a leaf (or list of plain values) of the item that is being filled,
// with the words that may be printed before it.
type slot struct {
	f     *schema.Field
	path  []string // names from the item down
	names [][]string
	raw   [][]string // short forms of the labels, as they are printed
	about map[string]bool
	leads [][]string // what names the group it is in
	first bool       // of its group
	exact bool       // only its own labels are its, letter for letter
}

// isLead tells whether a label names the slot's group and no more.
func (s *slot) isLead(label []string) bool {
	for _, lead := range s.leads {
		if strings.Join(lead, " ") == strings.Join(label, " ") {
			return true
		}
	}
	return false
}

// slots gives the leaves of a group, those of groups within it included.
func (w *filler) slots(group *schema.Field) []*slot {
	var all []*slot
	var add func(g *schema.Field, path []string, leads []string)
	add = func(g *schema.Field, path []string, leads []string) {
		first := true
		for _, f := range g.Fields {
			at := append(append([]string(nil), path...), f.Name)
			switch {
			case f.Type == schema.Group:
				add(f, at, f.Labels())
				continue
			case f.Type == schema.List && !f.Item.IsLeaf():
				continue
			}
			s := &slot{f: f, path: at, about: aboutWords(f.About), exact: w.exact}
			names := f.Labels()
			if bare := reading.BareName(f); bare != "" && (f.Type == schema.Number || f.Type == schema.Integer) {
				names = append(names, bare)
			}
			for _, name := range names {
				s.names = append(s.names, words(name))
				if short := strings.Trim(lower(name), " .:"); short != strings.Join(words(name), " ") {
					s.raw = append(s.raw, strings.Fields(short))
				}
				if one := words(lang.Singular(name)); f.Type == schema.List {
					s.names = append(s.names, one)
				}
				for _, lead := range leads {
					s.names = append(s.names, words(lead+" "+name))
				}
			}
			for _, lead := range leads {
				s.leads = append(s.leads, words(lead))
				if first {
					s.names = append(s.names, words(lead))
				}
			}
			s.first = first
			first = false
			all = append(all, s)
		}
	}
	var leads []string
	if name := listName(group); name != "" {
		leads = []string{lang.Singular(name)}
	}
	add(group, nil, leads)
	return all
}

// twins gives the slots of other groups that have the same name as s: what
// stands before a value then tells which group it belongs to.
func (s *slot) twins(all []*slot) []*slot {
	var twins []*slot
	for _, o := range all {
		if o != s && len(s.path) > 1 && len(o.path) > 1 && o.f.Name == s.f.Name && o.path[0] != s.path[0] {
			twins = append(twins, o)
		}
	}
	return twins
}

// ledBy tells whether a line names the group of s.
func (s *slot) ledBy(l *line) bool {
	text := " " + strings.Join(words(l.body), " ") + " "
	for _, lead := range s.leads {
		if strings.Contains(text, " "+strings.Join(lead, " ")+" ") {
			return true
		}
	}
	return false
}

// own gives the part of the lines that s may take its value from: all, but
// where other groups have a field of its name only those that name its group,
// or for the first of the groups those that name no other.
func (s *slot) own(all []*slot, lines []*line) []*line {
	twins := s.twins(all)
	if len(twins) == 0 {
		return lines
	}
	var named, free []*line
	below := 0 // how many more lines below a name of the group belong to it
	for _, l := range lines {
		other := false
		for _, t := range twins {
			other = other || t.ledBy(l)
		}
		switch {
		case s.ledBy(l) && other:
			named = append(named, s.after(l, twins))
			below = 0
		case s.ledBy(l):
			named = append(named, l)
			below = 2
		case other:
			below = 0
		default:
			free = append(free, l)
			if below > 0 && !l.blank() {
				named = append(named, l)
				below--
			}
		}
	}
	if len(named) > 0 {
		return named
	}
	for _, t := range twins {
		for _, o := range all {
			if o == t {
				return nil // the twin comes first in the schema
			}
			if o == s {
				break
			}
		}
	}
	return free
}

// after cuts a line that names several groups to the part of the slot's own.
func (s *slot) after(l *line, twins []*slot) *line {
	low := lower(l.text)
	start := -1
	for _, lead := range s.leads {
		if i := wordIndex(low, strings.Join(lead, " ")); i >= 0 {
			start = i
		}
	}
	if start < 0 {
		return l
	}
	end := len(low)
	for _, t := range twins {
		for _, lead := range t.leads {
			if i := wordIndex(low[start:], strings.Join(lead, " ")); i > 0 {
				end = min(end, start+i)
			}
		}
	}
	return readLine(l.text[start:end])
}

// listName gives the name of the list whose items a group describes, from the
// group's path.
func listName(group *schema.Field) string {
	path, isItem := strings.CutSuffix(group.Path, "[]")
	if !isItem {
		return ""
	}
	return schema.Spoken(path[strings.LastIndexByte(path, '.')+1:])
}

// words gives the folded words of a label.
func words(text string) []string {
	list := strings.FieldsFunc(lower(text), func(r rune) bool {
		return !unicode.IsLetter(r) && !unicode.IsDigit(r)
	})
	for i, w := range list {
		if long := lang.Short.Meaning(w); long != "" {
			list[i] = long
		} else if ways := lang.Plain(w); ways != nil { // names of fields have no other letters
			list[i] = ways[len(ways)-1]
		}
	}
	return list
}

func aboutWords(about string) map[string]bool {
	set := map[string]bool{}
	for _, w := range words(about) {
		if !lang.Filler.Has(w) {
			set[w] = true
		}
	}
	return set
}

// alike gives how much two words are the same, from 0 to 1; an abbreviation
// and a misread letter still count.
func alike(a, b string) float64 {
	if a == b {
		return 1
	}
	short, long := a, b
	if len(short) > len(long) {
		short, long = long, short
	}
	if len(short) >= 3 && strings.HasPrefix(long, short) {
		return 0.85
	}
	if len(short) >= 4 && levenshtein.Similarity(a, b, nil) >= 0.75 {
		return 0.8
	}
	return 0
}

// fit says how well a printed label fits a slot, from 0 to 1.
func (s *slot) fit(label []string) float64 {
	if len(label) == 0 || len(label) > 6 {
		return 0
	}
	if s.exact {
		for _, name := range s.names {
			if slices.Equal(name, label) {
				return 1
			}
		}
		return 0
	}
	best := 0.0
	for _, name := range s.names {
		sum := 0.0
		for _, n := range name {
			most := 0.0
			for _, l := range label {
				most = max(most, alike(n, l))
			}
			sum += most
		}
		best = max(best, 2*sum/float64(len(name)+len(label)))
	}
	known, telling := 0, 0
	for _, l := range label {
		if !lang.Filler.Has(l) {
			telling++
			if s.about[l] {
				known++
			}
		}
	}
	if telling > 0 {
		best = max(best, 0.55*float64(known)/float64(telling))
	}
	return best
}

// leastFit is the fit from which on a label may be taken for a field's.
const leastFit = 0.5

// fits gives how well any slot fits a label.
func fits(all []*slot, label []string) float64 {
	best := 0.0
	for _, s := range all {
		best = max(best, s.fit(label))
	}
	return best
}

// line is one line of the source.
type line struct {
	text   string
	indent int
	bullet bool
	body   string // without indentation and bullet
	pairs  []pairText
	cells  []cell
}

type pairText struct {
	label []string
	value string
}

type cell struct {
	text       string
	start, end int // columns
}

var (
	bulletMark = lazy.New(`^(?:[-*•–·>+]|\(?[0-9]{1,2}[.)]|\(?[a-z][.)])\s+`)
	hashMark   = lazy.New(`^#+\s*`)
	gap        = lazy.New(`\s{2,}|\t+|\s*\|\s*|\.{4,}|_{3,}`)
	ruler      = lazy.New(`^[\s|+=_:-]*$`)
)

func readLines(text string) []*line {
	var all []*line
	for _, raw := range strings.Split(text, "\n") {
		l := readLine(raw)
		if n := len(all); n > 0 && all[n-1].runsOn(l) {
			all[n-1] = readLine(all[n-1].text + " " + l.body)
			continue
		}
		all = append(all, l)
	}
	return all
}

// longestProse is how long lines that run on become, in bytes: each is read again with what
// it takes in.
const longestProse = 2000

// runsOn tells whether a line of prose goes on in the next one.
func (l *line) runsOn(next *line) bool {
	return len(l.body) >= 40 && len(l.body) < longestProse && !next.blank() && len(l.pairs) == 0 && len(next.pairs) == 0 && !next.bullet &&
		len(l.cells) == 1 && len(next.cells) == 1 && next.indent == l.indent && !strings.HasSuffix(l.body, ".") && !strings.HasSuffix(l.body, ":")
}

func readLine(raw string) *line {
	body := strings.TrimLeft(raw, " \t")
	l := &line{text: raw, indent: len(raw) - len(body)}
	body = strings.ReplaceAll(hashMark.ReplaceAllString(body, ""), "**", "")
	if m := bulletMark.FindString(body); m != "" && len(body) > len(m) {
		l.bullet = true
		body = body[len(m):]
	}
	l.body = strings.TrimSpace(body)
	l.cells = splitCells(raw)
	l.pairs = splitPairs(l.body)
	return l
}

func (l *line) blank() bool { return ruler.MatchString(l.text) }

func splitCells(raw string) []cell {
	var cells []cell
	add := func(start, end int) {
		if text := strings.TrimSpace(raw[start:end]); text != "" {
			lead := strings.Index(raw[start:end], text)
			cells = append(cells, cell{text, start + lead, start + lead + len(text)})
		}
	}
	from := 0
	for _, g := range gap.FindAllStringIndex(raw, -1) {
		add(from, g[0])
		from = g[1]
	}
	add(from, len(raw))
	return cells
}

var colonLabel = lazy.New(`^([\pL][\pL\pN .,/()'&#_-]{0,48}?)\s*[:=]\s*(.*)$`)

// splitPairs finds `label: value` in a line, and a label set apart from its
// value by a gap.
func splitPairs(body string) []pairText {
	segments := gap.Split(body, -1)
	var pairs []pairText
	for i := 0; i < len(segments); i++ {
		seg := strings.TrimSpace(segments[i])
		if inline := inlinePairs(seg); inline != nil {
			pairs = append(pairs, inline...)
			continue
		}
		m := colonLabel.FindStringSubmatch(seg)
		switch {
		case m != nil:
			v := m[2]
			if v == "" && i+1 < len(segments) && !colonLabel.MatchString(segments[i+1]) {
				i++
				v = segments[i]
			}
			pairs = append(pairs, pairText{words(m[1]), strings.TrimSpace(v)})
		case seg != "" && i+1 < len(segments) && len(pairs) == 0 && len(segments) == 2 && !colonLabel.MatchString(segments[1]):
			pairs = append(pairs, pairText{words(seg), strings.TrimSpace(segments[i+1])})
		}
	}
	return pairs
}

// nextLabel finds a label in the middle of a line, behind the end of a sentence or a
// part of one: "Ref.: A7. Bridge: Heron Plank. The deck is dry."
var nextLabel = lazy.New(`[.;]\s+(\p{Lu}[\pL\pN /'-]{1,30}?\.?)\s*:\s+`)

// sentenceEnd finds where a sentence ends; not behind a short word, which may be cut
// short.
var sentenceEnd = lazy.New(`[\pL\pN)]{4}\.\s|[;]\s|\d\.\s+\p{Lu}`)

// inlinePairs gives the labels of a sentence with their values, where one follows
// another in it; nil where it has not two.
func inlinePairs(seg string) (pairs []pairText) {
	cuts := nextLabel.FindAllStringSubmatchIndex(seg, -1)
	first := colonLabel.FindStringSubmatch(seg)
	if len(cuts) == 0 || first == nil || first[2] == "" {
		return nil
	}
	value := func(text string) string {
		if at := sentenceEnd.FindStringIndex(text); at != nil {
			end := at[0] + strings.LastIndexAny(text[at[0]:at[1]], ".;")
			text = text[:end]
		}
		return strings.TrimSpace(strings.TrimRight(strings.TrimSpace(text), ".;"))
	}
	from := len(seg) - len(first[2])
	if from > cuts[0][0] {
		return nil
	}
	label := first[1]
	for _, cut := range cuts {
		pairs = append(pairs, pairText{words(label), value(seg[from:cut[0]])})
		label, from = seg[cut[2]:cut[3]], cut[1]
	}
	return append(pairs, pairText{words(label), value(seg[from:])})
}

// lower gives text in lower case with every letter at its old offset: a letter
// whose lower case takes another number of bytes stays.
func lower(text string) string {
	b := []byte(text)
	for i := 0; i < len(b); {
		r, size := utf8.DecodeRune(b[i:])
		if low := unicode.ToLower(r); r != utf8.RuneError && utf8.RuneLen(low) == size {
			utf8.EncodeRune(b[i:], low)
		}
		i += size
	}
	return string(b)
}

// Line is a line of a document as this package reads it.
type Line struct {
	Body   string // without indentation and bullet
	Indent int
	Bullet bool
	Blank  bool
	Pairs  []Pair
	Cells  []string // parts that gaps or bars set apart
	Starts []int    // the columns at which they begin
}

// Pair is a printed label with what stands behind it.
type Pair struct{ Label, Value string }

// Lines reads the lines of a text; lines of prose that run on are joined.
func Lines(text string) []Line {
	var all []Line
	for _, l := range readLines(text) {
		out := Line{Body: l.body, Indent: l.indent, Bullet: l.bullet, Blank: l.blank()}
		for _, p := range l.pairs {
			out.Pairs = append(out.Pairs, Pair{strings.Join(p.label, " "), p.value})
		}
		for _, c := range l.cells {
			out.Cells, out.Starts = append(out.Cells, c.text), append(out.Starts, c.start)
		}
		all = append(all, out)
	}
	return all
}
