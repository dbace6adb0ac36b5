package answer

import (
	"slices"
	"strings"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
)

// Outlines: headings, bullets and indented lines of `name: value`, as models
// write them for people. What lies below a name is its group or its list.

// maxOutline is how deep an outline may be; what is deeper is no outline.
const maxOutline = 40

// maxOutlineLine is how long a line may be that is cut into pairs, in bytes.
const maxOutlineLine = 4096

// line is one line of an outline, with the lines that lie below it.
type line struct {
	depth  int // columns of indentation; a heading's is negative
	bullet bool
	pairs  []value.Value // what it says, by known names
	opens  string        // the name that it ends with, without a value
	text   string
	kids   []*line
}

var (
	bulletSign = lazy.New(`^(?:[-*•]|\d+[.)])\s+`)
	headingRe  = lazy.New(`^(#{1,6})\s+(.*?)[\s:#]*$`)
)

// fromOutline reads an outline; lines that say nothing by a known name are
// passed over. Where its bullets are records of their own, all gives them.
func fromOutline(text string, known func(string) bool) (v value.Value, all []value.Value, ok bool) {
	root := &line{depth: -100}
	open := []*line{root}
	for _, raw := range strings.Split(text, "\n") {
		if strings.TrimSpace(raw) == "" {
			continue
		}
		l := outlineLine(raw, known)
		for len(open) > 1 && !open[len(open)-1].holds(l) {
			open = open[:len(open)-1]
		}
		above := open[len(open)-1]
		above.kids = append(above.kids, l)
		if open = append(open, l); len(open) > maxOutline {
			return value.Value{}, nil, false
		}
	}
	v = value.Obj()
	root.spread(&v, known)
	return v, root.records(known), len(v.Kids) > 0
}

// flat adds the lines below a line, and in place of a heading that is no field's
// those below that.
func (l *line) flat(all []*line, known func(string) bool) []*line {
	for _, k := range l.kids {
		if !k.bullet && len(k.pairs) == 0 && len(k.kids) > 0 && !known(k.opens) {
			all = k.flat(all, known)
		} else {
			all = append(all, k)
		}
	}
	return all
}

// records gives the bullets or lines below a line as records, if there are several that
// share a name; nil where other lines say something too.
func (l *line) records(known func(string) bool) (all []value.Value) {
	times := map[string]int{}
	for _, k := range l.flat(nil, known) {
		item := k.item(known)
		switch {
		case len(item.Kids) == 0:
			continue
		case !k.bullet && len(k.pairs) < 2: // else a record a line
			return nil
		}
		for i := range item.Kids {
			times[item.Kids[i].Name]++
		}
		all = append(all, item)
	}
	for _, n := range times {
		if n > 1 && n == len(all) {
			return all
		}
	}
	return nil
}

// holds tells whether a line lies below another: it is deeper, or a bullet right
// under a name.
func (l *line) holds(o *line) bool {
	return o.depth > l.depth || o.depth == l.depth && o.bullet && !l.bullet && l.opens != ""
}

func outlineLine(raw string, known func(string) bool) *line {
	text := strings.TrimLeft(raw, " \t")
	l := &line{depth: len(raw) - len(text)}
	if m := headingRe.FindStringSubmatch(text); m != nil {
		return &line{depth: len(m[1]) - 10, opens: plainKey(m[2])}
	}
	if sign := bulletSign.FindString(text); sign != "" {
		l.bullet, text = true, text[len(sign):]
	}
	l.text = strings.TrimSpace(text)
	for _, piece := range inlinePairs(l.text, known) {
		m := nameAndValue.FindStringSubmatch(piece)
		said := ""
		if m != nil {
			said = strings.TrimRight(strings.TrimSpace(m[2]), ",;")
		}
		switch {
		case m == nil:
		case strings.Trim(said, "*_ ") == "":
			l.opens = plainKey(m[1])
		case known(plainKey(m[1])):
			l.pairs = append(l.pairs, scalar(said).Named(plainKey(m[1])))
		}
	}
	return l
}

var pairBreak = lazy.New(`[,;|]\s+`)

// inlinePairs cuts `kind: rust, grade: 1` where a known name begins.
func inlinePairs(text string, known func(string) bool) []string {
	if m := nameAndValue.FindStringSubmatch(text); len(text) > maxOutlineLine || m != nil && m[2] != "" && strings.ContainsRune("{[\"", rune(m[2][0])) {
		return []string{text} // JSON behind a name is one value
	}
	var pieces []string
	from := 0
	for _, at := range pairBreak.FindAllStringIndex(text, -1) {
		if m := nameAndValue.FindStringSubmatch(text[at[1]:]); m != nil && known(plainKey(m[1])) {
			pieces = append(pieces, text[from:at[0]])
			from = at[1]
		}
	}
	return append(pieces, text[from:])
}

// spread puts the members that lie below a line into a record; those below a
// heading or a name that is not known go to the same record.
func (l *line) spread(v *value.Value, known func(string) bool) {
	add := func(m value.Value) {
		if v.Get(m.Name) == nil {
			v.Kids = append(v.Kids, m)
		}
	}
	for _, k := range l.kids {
		for _, p := range k.pairs {
			add(p)
		}
		switch {
		case known(k.opens):
			add(k.below(known).Named(k.opens))
		case len(k.pairs) == 0 || len(k.kids) > 0:
			k.spread(v, known)
		}
	}
}

// below gives what lies below a line: members of a group, or the items of a list.
func (l *line) below(known func(string) bool) value.Value {
	if l.isGroup(known) {
		v := value.Obj()
		l.spread(&v, known)
		return v
	}
	list := value.List()
	for _, k := range l.kids {
		switch item := k.item(known); {
		case len(item.Kids) > 0:
			list.Kids = append(list.Kids, item)
		case k.bullet && k.opens == "" && len(k.kids) == 0:
			list.Kids = append(list.Kids, scalar(k.text))
		}
	}
	if len(list.Kids) == 0 {
		return value.Value{}
	}
	return list
}

// isGroup tells whether the lines below are members of one group: each has one
// name, and no name comes twice. One bullet alone is an item.
func (l *line) isGroup(known func(string) bool) bool {
	var names []string
	for _, k := range l.kids {
		name := k.opens
		if len(k.pairs) == 1 && name == "" && len(k.kids) == 0 {
			name = k.pairs[0].Name
		} else if len(k.pairs) > 0 {
			return false
		}
		if !known(name) || slices.Contains(names, name) {
			return false
		}
		names = append(names, name)
	}
	return len(names) > 1 || len(names) == 1 && !l.kids[0].bullet
}

// item gives a line as an item of a list, with what lies below it.
func (l *line) item(known func(string) bool) value.Value {
	v := value.Obj()
	(&line{kids: []*line{l}}).spread(&v, known)
	return v
}
