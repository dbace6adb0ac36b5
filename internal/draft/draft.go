// Package draft writes first drafts of schemas: from sample documents, by what
// they print, or from records.
//
// Rules it keeps:
//
//   - No model is asked, and no word of any trade is known in advance.
//   - What is inferred is told: a comment behind each field says in how many
//     samples it was seen, with one value.
//   - A draft loads without faults. It is a start, not an end: descriptions are
//     the labels seen, for the engineer to write out.
package draft

import (
	"fmt"
	"slices"
	"sort"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// node is a field that takes shape: what was seen of it in the samples.
type node struct {
	name   string
	label  string // as printed, where it was first seen
	labels map[string]bool
	values []string
	seen   map[int]bool // samples
	list   bool         // an item is described by kids, or by values if it has none
	kids   []*node
	items  int  // list items seen
	over   bool // it has more kids than maxKids, and the others are not kept

	in      map[int]map[string]bool // its values by sample
	repeats bool                    // some value came twice in one sample
	points  bool                    // it is called like another list
	forms   uint8                   // of the values of records: an object, a list, one value, a list of lists
	stands  map[string]value.Value  // the different values of records, as they stand there; items of a list one by one
	kinds   uint16                  // of values of records that are not among them
}

// add notes a value.
func (n *node) add(v string, sample int) {
	n.values = append(n.values, v)
	if n.in[sample] == nil {
		if n.in == nil {
			n.in = map[int]map[string]bool{}
		}
		n.in[sample] = map[string]bool{}
	}
	n.repeats = n.repeats || n.in[sample][v]
	n.in[sample][v] = true
}

func newNode(label string) *node {
	return &node{name: nameOf(label), label: label, labels: map[string]bool{}, seen: map[int]bool{}}
}

// kid gives the child with a label, made where there is none.
func (n *node) kid(label string, sample int) *node {
	name := nameOf(label)
	for _, k := range n.kids {
		if alike(k.name, name) {
			k.seen[sample] = true
			k.labels[label] = true
			return k
		}
	}
	k := newNode(label)
	k.seen[sample] = true
	k.labels[label] = true
	n.keep(k)
	return k
}

// maxKids is how many fields one group of a draft may have: nobody writes more by
// hand, and what has more is data that stands where names belong.
const maxKids = 1000

func (n *node) keep(k *node) {
	if len(n.kids) >= maxKids {
		n.over = true
		return
	}
	n.kids = append(n.kids, k)
}

// tooWide gives a group with more fields than a draft takes, or nil.
func (n *node) tooWide() *node {
	if n.over {
		return n
	}
	for _, k := range n.kids {
		if wide := k.tooWide(); wide != nil {
			return wide
		}
	}
	return nil
}

// alike: the same name, or the one is the other's plural or short form.
func alike(a, b string) bool {
	if a == b || a+"s" == b || b+"s" == a {
		return true
	}
	short, long := a, b
	if len(short) > len(long) {
		short, long = long, short
	}
	return len(short) >= 3 && strings.HasPrefix(long, short) && !strings.Contains(long[len(short):], "_") && len(long)-len(short) <= 4
}

// goodName is what a field may be called.
var goodName = lazy.New(`^[A-Za-z_][A-Za-z0-9_-]{0,59}$`)

var notName = lazy.New(`[^a-z0-9]+`)

// nameOf makes a field name of a printed label.
func nameOf(label string) string {
	words := strings.Fields(notName.ReplaceAllString(twoLetters.Replace(strings.ToLower(strings.Map(plainLetter, label))), " "))
	if len(words) > 4 {
		words = words[:4]
	}
	name := strings.Join(words, "_")
	if name == "" || !unicode.IsLetter(rune(name[0])) {
		name = "field_" + name
	}
	return strings.TrimRight(name[:min(len(name), 50)], "_")
}

// twoLetters writes letters out that are no letter with an accent.
var twoLetters = strings.NewReplacer("ß", "ss", "æ", "ae", "œ", "oe", "ø", "o", "ł", "l")

// plainLetter takes the accents off the letters that names meet most.
func plainLetter(r rune) rune {
	const from, to = "àáâãäåçèéêëìíîïñòóôõöùúûüýÿ", "aaaaaaceeeeiiiinooooouuuuyy"
	for i, c := range []rune(from) {
		if unicode.ToLower(r) == c {
			return rune(to[i])
		}
	}
	return r
}

// Result is a draft.
type Result struct {
	YAML    []byte
	Schema  *schema.Schema
	Samples int
}

// finish writes the draft and reads it back, as the loader would.
func finish(root *node, samples int, each string) (*Result, error) {
	if wide := root.tooWide(); wide != nil {
		where := "the record"
		if wide.label != "" {
			where = strconv.Quote(wide.label)
		}
		return nil, fmt.Errorf("%s has over %d different fields: values seem to stand where names belong; give other samples, or turn them into items of a list", where, maxKids)
	}
	root.point(root.listNames())
	var b strings.Builder
	fmt.Fprintf(&b, "# A draft from %s. Check the types, and write descriptions that tell a\n# model what each value is.\nschema: draft\nabout: Write here what one record is about.\neach: %s\nfields:\n", count(samples, "sample"), each)
	writeFields(&b, root, 1, samples)
	s, err := schema.Parse("draft", []byte(b.String()))
	if err != nil {
		return nil, fmt.Errorf("the draft does not load: %w", err)
	}
	return &Result{YAML: []byte(b.String()), Schema: s, Samples: samples}, nil
}

// gather makes one list of those whose items look alike under different titles.
// It is for what is printed: members of records are what they are called.
func (n *node) gather() {
	var kept []*node
	for _, k := range n.kids {
		k.gather()
		merged := false
		for _, other := range kept {
			if k.list && other.list && len(k.kids) > 0 && k.overlap(other) {
				if len(k.seen) > len(other.seen) { // the name that more samples print
					other.name, other.label = k.name, k.label
				}
				other.take(k)
				merged = true
				break
			}
		}
		if !merged {
			kept = append(kept, k)
		}
	}
	n.kids = kept
}

// fold takes out lists within a list of the same name: a block that was cut where
// its heading came again is no list within itself.
func (n *node) fold(above []*node) {
	if n.list {
		above = append(slices.Clone(above), n)
	}
	var kept []*node
	for _, k := range n.kids {
		var same *node
		for _, a := range above {
			if (k.list || k.items > 0) && len(k.kids) > 0 && alike(a.name, k.name) {
				same = a
			}
		}
		if same != nil {
			same.take(k)
			continue
		}
		kept = append(kept, k)
	}
	n.kids = kept
	for _, k := range n.kids {
		k.fold(above)
	}
}

// point marks the leaves that are called like a list they do not lie in: such a
// figure says which of its items is meant.
func (n *node) point(lists []string) {
	for _, k := range n.kids {
		if !k.list && len(k.kids) == 0 {
			for _, name := range lists {
				k.points = k.points || alike(name, k.name) && !alike(name, n.name)
			}
		}
		k.point(lists)
	}
}

// listNames gives the names of all lists.
func (n *node) listNames() (names []string) {
	if n.list && len(n.kids) > 0 {
		names = append(names, n.name)
	}
	for _, k := range n.kids {
		names = append(names, k.listNames()...)
	}
	return names
}

// overlap: two of the fields, and half of the fewer, are the same.
func (n *node) overlap(o *node) bool {
	same := 0
	for _, a := range n.kids {
		for _, b := range o.kids {
			if alike(a.name, b.name) {
				same++
				break
			}
		}
	}
	return same >= 2 && 2*same >= min(len(n.kids), len(o.kids))
}

// take adds what was seen of another node.
func (n *node) take(o *node) {
	for s := range o.seen {
		n.seen[s] = true
	}
	for l := range o.labels {
		n.labels[l] = true
	}
	n.values, n.items = append(n.values, o.values...), n.items+o.items
	n.repeats = n.repeats || o.repeats
	for _, k := range o.kids {
		found := false
		for _, mine := range n.kids {
			if alike(mine.name, k.name) {
				mine.take(k)
				found = true
				break
			}
		}
		if !found {
			n.kids = append(n.kids, k)
		}
	}
}

func count(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}

func writeFields(b *strings.Builder, parent *node, level, samples int) {
	pad := strings.Repeat("  ", level)
	used := map[string]bool{}
	for _, n := range parent.kids {
		name := n.name
		for i := 2; used[strings.ReplaceAll(name, "_", "")]; i++ {
			name = fmt.Sprintf("%s_%d", n.name, i)
		}
		used[strings.ReplaceAll(name, "_", "")] = true
		name = schema.Quote(name)
		about := capital(n.label)
		if !strings.HasSuffix(about, ".") {
			about += "."
		}
		one, reads, fits := "", "", true
		if n.list {
			one, reads, fits = n.typeOf("One of them.")
		} else {
			one, reads, fits = n.typeOf(about)
		}
		switch {
		case n.isAny() || n.list && len(n.kids) == 0 && !fits:
			fmt.Fprintf(b, "%s%s: {any: %s}  # %s; its values have no one form\n", pad, name, schema.Quote(about), n.note(samples))
		case n.list && len(n.kids) > 0:
			fmt.Fprintf(b, "%s%s:  # %s\n%s  list: %s\n", pad, name, n.note(samples), pad, schema.Quote(about))
			if key := n.key(); key != "" {
				fmt.Fprintf(b, "%s  key: [%s]\n", pad, schema.Quote(key))
			}
			if labels := n.labelsText(); labels != "" {
				fmt.Fprintf(b, "%s  %s\n", pad, strings.TrimPrefix(labels, ", "))
			}
			fmt.Fprintf(b, "%s  fields:\n", pad)
			writeFields(b, n, level+2, samples)
		case n.list:
			fmt.Fprintf(b, "%s%s: {list: %s, items: {%s}}  # %s%s\n", pad, name, schema.Quote(about), one, n.note(samples), reads)
		case len(n.kids) > 0:
			fmt.Fprintf(b, "%s%s:  # %s\n%s  group: %s\n%s  fields:\n", pad, name, n.note(samples), pad, schema.Quote(about), pad)
			writeFields(b, n, level+2, samples)
		case n.forms == 0 && severalNumbers(n.values):
			fmt.Fprintf(b, "%s%s: {list: %s, items: {integer: One of them.}%s}  # %s\n", pad, name, schema.Quote(about), n.labelsText(), n.note(samples))
		default:
			fmt.Fprintf(b, "%s%s: {%s%s}  # %s%s\n", pad, name, one, n.labelsText(), n.note(samples), reads)
		}
	}
}

func capital(s string) string {
	r, size := utf8.DecodeRuneInString(s)
	if size == 0 {
		return "One value"
	}
	return string(unicode.ToUpper(r)) + s[size:]
}

// key gives the leaf that tells the items of a list apart, whatever its name:
// most items have a value of it, a figure or a code, and none comes twice in
// a sample.
func (n *node) key() string {
	for i, k := range n.kids {
		if i > 0 && every(k.values, decimalText.MatchString) && !every(k.values, wholeText.MatchString) { // 3.5 hours; in front it may number clauses
			continue
		}
		if k.list || len(k.kids) > 0 || k.repeats || k.points || n.items < 2 || 3*len(k.values) < 2*n.items || severalNumbers(k.values) {
			continue
		}
		if every(k.values, isMark) && len(datesOf(k.values)) == 0 {
			return k.name
		}
	}
	return ""
}

// labelsText gives the labels of a field where they are not its name.
func (n *node) labelsText() string {
	var labels []string
	for l := range n.labels {
		if nameOf(l) != n.name && l != "" {
			labels = append(labels, schema.Quote(l))
		}
	}
	if len(labels) == 0 {
		return ""
	}
	sort.Strings(labels)
	return ", printed_as: [" + strings.Join(labels, ", ") + "]"
}

// note says where the field was seen.
func (n *node) note(samples int) string {
	if len(n.seen) == 0 {
		return fmt.Sprintf("without a value in all %d", samples)
	}
	text := fmt.Sprintf("seen in %d of %d", len(n.seen), samples)
	for _, v := range n.values {
		v = strings.Map(func(r rune) rune {
			if !unicode.IsPrint(r) {
				return ' '
			}
			return r
		}, v)
		if v = strings.Join(strings.Fields(v), " "); v != "" {
			if r := []rune(v); len(r) > 40 {
				v = string(r[:39]) + "…"
			}
			return text + ", such as " + v
		}
	}
	return text
}
