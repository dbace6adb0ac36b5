package document

import (
	"cmp"
	"strconv"
	"strings"

	"filler/internal/base/lazy"
	"filler/internal/source/reading"
)

// Styles and numbers of an office text. Numbers before clauses are no part of its letters: they
// are counted here as ECMA-376 part 1, 17.9 has it, since a contract speaks of clause 4(b).

// wordStyle is what a style says, with what it is based on.
type wordStyle struct {
	name           string // as the standard has it, in every language: heading 1
	based          string
	num, level     string // of its numbers; "" for none
	struck, hidden bool
}

// wordLevel is one level of a list.
type wordLevel struct {
	start  int
	format string // decimal, lowerLetter, bullet, …
	text   string // %1.%2
	style  string // the paragraphs of which it numbers
	legal  bool   // all numbers in figures
}

// wordNumbers are the lists of an office text, and how far each has counted.
type wordNumbers struct {
	lists  map[string][]wordLevel // by abstract list
	of     map[string]string      // the abstract list of each list
	starts map[string]map[int]int // where a list begins again, by level, until it was used
	counts map[string][]int       // by abstract list
}

const wordLevels = 9

// readStyles keeps the styles of a text.
func (w *wordReader) readStyles(n *wordNode) {
	w.styles = map[string]wordStyle{}
	for _, s := range n.descend("style") {
		one := wordStyle{name: strings.ToLower(s.val("name")), based: s.val("basedOn"), num: s.val("pPr", "numPr", "numId"), level: s.val("pPr", "numPr", "ilvl")}
		one.struck = s.isOn("rPr", "strike") || s.isOn("rPr", "dstrike")
		one.hidden = s.isOn("rPr", "vanish")
		w.styles[s.attr("styleId")] = one
	}
}

// style gives a style with what it takes from those that it is based on.
func (w *wordReader) style(id string) (all wordStyle) {
	for range 10 {
		s, ok := w.styles[id]
		if !ok {
			break
		}
		all.name = cmp.Or(all.name, s.name)
		if all.num == "" {
			all.num, all.level = s.num, cmp.Or(all.level, s.level)
		}
		all.struck, all.hidden = all.struck || s.struck, all.hidden || s.hidden
		id = s.based
	}
	return all
}

// readNumbers keeps the lists of a text.
func (w *wordReader) readNumbers(n *wordNode) {
	l := &wordNumbers{lists: map[string][]wordLevel{}, of: map[string]string{}, starts: map[string]map[int]int{}, counts: map[string][]int{}}
	w.numbers = l
	for _, a := range n.descend("abstractNum") {
		levels := make([]wordLevel, wordLevels)
		for _, k := range a.kidsOf("lvl") {
			i, err := strconv.Atoi(k.attr("ilvl"))
			if err != nil || i < 0 || i >= wordLevels {
				continue
			}
			start, err := strconv.Atoi(k.val("start"))
			if err != nil {
				start = 0
			}
			levels[i] = wordLevel{start: start, format: cmp.Or(k.val("numFmt"), "decimal"), text: k.val("lvlText"), style: k.val("pStyle"), legal: k.isOn("isLgl")}
		}
		l.lists[a.attr("abstractNumId")] = levels
	}
	for _, k := range n.descend("num") {
		id := k.attr("numId")
		l.of[id], l.starts[id] = k.val("abstractNumId"), map[int]int{}
		for _, o := range k.kidsOf("lvlOverride") {
			i, err := strconv.Atoi(o.attr("ilvl"))
			if at, bad := strconv.Atoi(o.val("startOverride")); err == nil && bad == nil {
				l.starts[id][i] = at
			}
		}
	}
}

// next counts one more paragraph of a list, and gives what stands before it: "-" for a sign, ""
// for nothing.
func (l *wordNumbers) next(id string, level int) string {
	if l == nil {
		return "-"
	}
	levels := l.lists[l.of[id]]
	if level < 0 || level >= len(levels) {
		return "-"
	}
	counts := l.counts[l.of[id]]
	if counts == nil {
		counts = make([]int, wordLevels)
		for i, one := range levels {
			counts[i] = one.start - 1
		}
		l.counts[l.of[id]] = counts
	}
	if at, ok := l.starts[id][level]; ok {
		counts[level] = at - 1
		delete(l.starts[id], level)
	}
	counts[level]++
	for i := level + 1; i < len(levels); i++ {
		counts[i] = levels[i].start - 1
	}
	one := levels[level]
	switch one.format {
	case "bullet":
		return "-"
	case "none":
		return ""
	}
	return strings.TrimSpace(wordCount.ReplaceAllStringFunc(one.text, func(m string) string {
		i := int(m[1] - '1')
		if i > level || i >= len(levels) {
			return ""
		}
		format := levels[i].format
		if one.legal {
			format = "decimal"
		}
		return numberedAs(max(counts[i], levels[i].start), format)
	}))
}

var wordCount = lazy.New(`%[1-9]`)

// numberedAs writes a number in a format of the standard.
func numberedAs(n int, format string) string {
	way := map[string]string{"lowerLetter": "a", "upperLetter": "A", "lowerRoman": "i", "upperRoman": "I"}[format]
	if format == "decimalZero" && n < 10 {
		return "0" + strconv.Itoa(n)
	}
	return numbered(n, way)
}

// numbered writes the number of an item of a list as an attribute of web pages says: by letters
// or in Roman figures, else in figures.
func numbered(n int, way string) string {
	text := strconv.Itoa(n)
	switch way {
	case "a", "A":
		if n > 0 && n <= 26 {
			text = string(rune('a' + n - 1))
		}
	case "i", "I":
		if roman := reading.Roman(n); roman != "" {
			text = strings.ToLower(roman)
		}
	}
	if way == "A" || way == "I" {
		return strings.ToUpper(text)
	}
	return text
}

// numberOf gives the list and the level of a paragraph, by itself or by its style; "" for none.
func (w *wordReader) numberOf(n *wordNode, style string) (id string, level int) {
	s := w.style(style)
	id, at := s.num, s.level
	if own := n.kid("pPr", "numPr"); own != nil {
		id, at = cmp.Or(own.val("numId"), id), cmp.Or(own.val("ilvl"), at)
	}
	if id == "" || id == "0" {
		return "", 0
	}
	if at == "" && w.numbers != nil { // the list says which level is of this style
		for i, l := range w.numbers.lists[w.numbers.of[id]] {
			if l.style == style && style != "" {
				at = strconv.Itoa(i)
			}
		}
	}
	level, _ = strconv.Atoi(at)
	return id, min(max(level, 0), wordLevels-1)
}
