package printed

import (
	"regexp"
	"strings"
	"sync"

	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// list fills the items of a list of groups from the lines that no other list
// has taken, and marks those that it takes. It tries, in this order: a table
// with a head, items set in below their name, headings that name the item, a section under the list's name,
// a label that comes again with every item, words of a choice.
func (w *filler) list(f *schema.Field, lines []*line, outer []*slot, owned map[*line]bool) value.Value {
	var free []*line
	for _, l := range lines {
		if !owned[l] {
			free = append(free, l)
		}
	}
	item := w.slots(f.Item)
	for _, way := range []func(*schema.Field, []*slot, []*line, []*slot) ([][]*line, []*line){nested, headed, sectioned, repeated} {
		if rows, used := table(f, item, free); len(rows) > 0 && !hasHeadings(f, free) {
			mark(owned, used)
			return value.List(rows...)
		}
		regions, used := way(f, item, free, outer)
		if len(regions) == 0 {
			continue
		}
		mark(owned, used)
		out := value.List()
		for _, region := range regions {
			v := w.group(f.Item, region, outer)
			if !bare(&v) && !(w.exact && alone(f.Item, &v)) {
				out.Kids = append(out.Kids, v)
			}
		}
		return out
	}
	return w.byOption(f, free)
}

func mark(owned map[*line]bool, lines []*line) {
	for _, l := range lines {
		owned[l] = true
	}
}

// alone tells whether an item of several fields got one value only: its heading,
// which may be a mention of an item elsewhere.
func alone(item *schema.Field, v *value.Value) bool {
	got := 0
	v.Walk(func(_ value.Pointer, n *value.Value) bool {
		if n.Kind == value.String && n.Text != "" {
			got++
		}
		return got < 2
	})
	return got < 2 && len((&schema.Schema{Root: item}).Leaves()) > 1
}

// bare tells whether nothing at all was filled.
func bare(v *value.Value) bool {
	empty := true
	v.Walk(func(_ value.Pointer, n *value.Value) bool {
		if n.Kind == value.String && n.Text != "" {
			empty = false
		}
		return empty
	})
	return empty
}

// itemNames are the words that may head an item: the list's name and labels,
// in the singular.
func itemNames(f *schema.Field) []string {
	var names []string
	for _, n := range f.Labels() {
		if one := lang.Singular(strings.Join(words(n), " ")); one != "" {
			names = append(names, one)
		}
	}
	if len(names) == 0 { // the entries of a document: their first field heads them
		if all := (&filler{}).slots(f.Item); len(all) > 0 {
			for _, name := range all[0].names {
				names = append(names, strings.Join(name, " "))
			}
		}
	}
	return names
}

var headRest = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`(?i)^(?:\s*(?:` + lang.NumberLabel.Pattern() + `\.?|#))?\s*[:.#–—-]?\s*([\pL\pN][\pL\pN/.-]*)`)
})

// heading gives the mark of the item of some names that a line heads, as the 2 of `Bay 2:`,
// and what follows it.
func heading(names []string, l *line) (id, behind string, ok bool) {
	low := lower(l.body)
	for _, name := range names {
		rest, ok := strings.CutPrefix(low, name)
		if !ok || rest == "" || letter(rest[0]) {
			continue
		}
		tail := l.body[len(l.body)-len(rest):]
		m := headRest().FindStringSubmatch(tail)
		if m == nil {
			continue
		}
		id := strings.TrimRight(m[1], ".-/")
		behind := tail[len(m[0]):]
		if numberText.MatchString(id) || len(id) <= 2 || numberWord(id) != "" || strings.Contains(rest[:len(rest)-len(strings.TrimLeft(rest, " :–—-"))], ":") {
			return id, behind, true
		}
	}
	return "", "", false
}

func hasHeadings(f *schema.Field, lines []*line) bool {
	names := itemNames(f)
	for _, l := range lines {
		if _, _, ok := heading(names, l); ok {
			return true
		}
	}
	return false
}

// headed cuts lines into items where a heading names one.
func headed(f *schema.Field, item []*slot, lines []*line, outer []*slot) (regions [][]*line, used []*line) {
	seen := map[string]bool{}
	inside := append([]*slot(nil), item...)
	for _, inner := range lists(f.Item) {
		inside = append(inside, (&filler{}).slots(inner.field.Item)...)
	}
	open, names := false, itemNames(f)
	for _, l := range lines {
		id, behind, ok := heading(names, l)
		if ok && !seen[id] {
			seen[id] = true
			regions = append(regions, nil)
			open = true
			used = append(used, l)
			if mark := markSlot(f, item); mark != nil && printed(mark.f, id) == id {
				// The mark gets a label of its own, and the rest its own line.
				head := readLine(strings.Repeat(" ", l.indent) + strings.Join(mark.names[0], " ") + ": " + id)
				rest := readLine(strings.Repeat(" ", l.indent) + strings.TrimLeft(behind, " :.–—-"))
				rest.bullet = l.bullet
				regions[len(regions)-1] = append(regions[len(regions)-1], rest, head)
				continue
			}
		} else if ok || (open && leaves(f, l, inside, outer, regions[len(regions)-1])) {
			open = false
		}
		if open {
			regions[len(regions)-1] = append(regions[len(regions)-1], l)
			used = append(used, l)
		}
	}
	return regions, used
}

// markSlot gives the slot that the number in an item's heading belongs to: the
// list's key, or the one whose name says so.
func markSlot(f *schema.Field, item []*slot) *slot {
	for _, s := range item {
		if len(f.Key) > 0 && s.f.Name == f.Key[0] {
			return s
		}
	}
	if f.Path == "" && len(item) > 0 {
		return item[0]
	}
	for _, s := range item {
		switch last := words(s.f.Name); last[len(last)-1] {
		case "number", "id", "code", "mark", "index":
			return s
		}
	}
	return nil
}

// leaves tells whether a line belongs to what stands around the list: it
// bears a label of an outer group that no field of the item fits as well, or
// it starts a paragraph that is indented less than the item.
func leaves(f *schema.Field, l *line, inside, outer []*slot, region []*line) bool {
	if l.blank() || f.Path == "" && len(outer) == 0 {
		return false // nothing stands around the entries of a document
	}
	for _, p := range l.pairs {
		if o := fits(outer, p.label); o >= 0.8 && o > fits(inside, p.label) {
			return true
		}
	}
	if len(l.pairs) == 0 && !l.bullet && isTitle(l) {
		if o := fits(outer, words(l.body)); o >= 0.8 && o > fits(inside, words(l.body)) && !titleOf(f.Item, l) {
			return true
		}
	}
	head := region[0]
	if len(region) > 1 && head.blank() && len(head.text) == 0 {
		head = region[1]
	}
	if prose(head) && region[len(region)-1].blank() {
		return true
	}
	afterBlank := region[len(region)-1].blank()
	if afterBlank && l.indent <= head.indent && len(l.pairs) == 0 && !l.bullet && len(l.cells) == 1 && isTitle(l) {
		return !titleOf(f.Item, l) && !headsItem(f.Item, l)
	}
	return false
}

// headsItem tells whether a line heads an item of a list within the group, as
// `Bay 2` does.
func headsItem(g *schema.Field, l *line) bool {
	for _, inner := range lists(g) {
		if _, _, ok := heading(itemNames(inner.field), l); ok {
			return true
		}
	}
	return false
}

// prose: a line that reads like a sentence; its item is a paragraph.
func prose(l *line) bool { return len(strings.Fields(l.body)) >= 7 && len(l.pairs) == 0 }

// isTitle: a short line that ends like a title or stands alone.
func isTitle(l *line) bool {
	return len(strings.Fields(l.body)) <= 5 && !strings.HasSuffix(l.body, ".")
}

// titleOf tells whether a line names a list within the group.
func titleOf(g *schema.Field, l *line) bool {
	for _, inner := range lists(g) {
		if named(inner.field, l) {
			return true
		}
		if titleOf(inner.field.Item, l) {
			return true
		}
	}
	return false
}

// named tells whether a line begins with the name of a list, in the plural or
// as labelled, as a title does.
func named(f *schema.Field, l *line) bool {
	_, ok := titleRest(f, l)
	return ok
}

// titleRest gives what follows a list's name in its title line.
func titleRest(f *schema.Field, l *line) (string, bool) {
	before, rest, colon := strings.Cut(l.body, ":")
	if !colon && !isTitle(l) {
		return "", false
	}
	got := words(before)
	if len(got) == 0 || len(got) > 5 {
		return "", false
	}
	for _, n := range f.Labels() {
		want := words(n)
		if len(want) > 0 && len(want) <= len(got) && strings.Join(got[:len(want)], " ") == strings.Join(want, " ") {
			return strings.TrimSpace(rest), true
		}
		if len(want) == 1 && len(got) <= 3 && alike(got[len(got)-1], want[0]) >= 0.8 {
			return strings.TrimSpace(rest), true
		}
	}
	return "", false
}

// sectioned cuts a section under the list's name into its bullets or lines.
func sectioned(f *schema.Field, item []*slot, lines []*line, outer []*slot) (regions [][]*line, used []*line) {
	for i, l := range lines {
		rest, ok := titleRest(f, l)
		if !ok || rest != "" && ownLabel(item, l) {
			continue
		}
		used = []*line{l}
		if rest != "" && !isBlank(rest) {
			for _, part := range strings.Split(rest, ";") {
				regions = append(regions, []*line{readLine(strings.TrimSpace(part))})
			}
		}
		bullets := false
		for _, next := range lines[i+1:] {
			if next.blank() {
				if len(regions) > 0 {
					break
				}
				continue
			}
			if bullets && !next.bullet && next.indent <= l.indent || sectionEnds(next, item, outer) {
				break
			}
			used = append(used, next)
			if next.bullet || !bullets {
				bullets = bullets || next.bullet
				regions = append(regions, []*line{next})
			} else {
				last := len(regions) - 1
				regions[last] = append(regions[last], next)
			}
		}
		return regions, used
	}
	return nil, nil
}

// ownLabel reports whether a line is of a field of the items, whose label may look like the list's
// name: `Partie: 7`, of Partien.
func ownLabel(item []*slot, l *line) bool {
	return len(l.pairs) > 0 && fits(item, l.pairs[0].label) >= 1
}

func sectionEnds(l *line, item, outer []*slot) bool {
	for _, p := range l.pairs {
		if o := fits(outer, p.label); o >= 0.8 && o > fits(item, p.label) {
			return true
		}
	}
	return false
}

// repeated cuts lines into items where the label of an item's leaf comes
// again.
func repeated(f *schema.Field, item []*slot, lines []*line, outer []*slot) (regions [][]*line, used []*line) {
	var lead *slot
	for _, l := range lines {
		s := leadOf(l, item, outer)
		if lead == nil {
			lead = s
		}
		if lead == nil {
			continue
		}
		if s == lead {
			regions = append(regions, nil)
		} else if !l.blank() && sectionEnds(l, item, outer) {
			lead = nil
			break
		}
		last := len(regions) - 1
		regions[last] = append(regions[last], l)
		used = append(used, l)
	}
	return regions, used
}

// leadOf gives the slot of the item that the first label of a line fits, if
// none around it fits as well.
func leadOf(l *line, item, outer []*slot) *slot {
	if len(l.pairs) == 0 {
		return nil
	}
	label := l.pairs[0].label
	var best *slot
	fit := 0.75
	for _, s := range item {
		if v := s.fit(label); v > fit {
			best, fit = s, v
		}
	}
	if best != nil && fits(outer, label) >= fit {
		return nil
	}
	return best
}

// byOption starts an item at every option of the item's first choice that
// stands in running text; the item goes on to the next one.
func (w *filler) byOption(f *schema.Field, lines []*line) value.Value {
	out := value.List()
	var choice *slot
	item := w.slots(f.Item)
	if w.exact { // running text is never beyond doubt
		return out
	}
	for _, s := range item {
		if s.f.Type == schema.Choice && len(s.path) == 1 {
			choice = s
			break
		}
	}
	if choice == nil {
		return out
	}
	var text []string
	for _, l := range lines {
		text = append(text, l.body)
	}
	rest := strings.Join(text, " ")
	for {
		_, word := optionIn(choice.f, rest)
		if word == "" {
			return out
		}
		start := wordIndex(lower(rest), lower(word))
		rest = rest[start:]
		end := len(rest)
		if _, next := optionIn(choice.f, rest[len(word):]); next != "" {
			end = len(word) + wordIndex(lower(rest[len(word):]), lower(next))
		}
		v := blank(f.Item)
		w.fillSlots(&v, item, []*line{readLine(rest[:end])})
		out.Kids = append(out.Kids, v)
		rest = rest[min(len(word), len(rest)):]
	}
}
