// Package printed fills records by what documents print before their values,
// without a model: `Report no.: FB-2031-07`, tables with a head, headings that
// number the items of a list, bullets under the list's name, and words of a
// choice in running text.
//
// Rules it keeps:
//
//   - It knows no document and no schema in advance: names, labels and
//     descriptions of fields are all it has to go by.
//   - It gives values as they are printed; Value turns them into what the
//     schema asks for.
package printed

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// Fill gives the record of a text, with every leaf as it is printed: a string,
// or null where nothing was found. With `each: entry` it gives the records.
func Fill(s *schema.Schema, text string) value.Value {
	return (&filler{}).fill(s, text)
}

// Sure gives what a text prints beyond doubt, as the schema asks for it: values
// behind a field's own label, in its column, or in an item under its own
// heading, that are a legal value whole; null and empty lists else.
func Sure(s *schema.Schema, text string) value.Value {
	raw := (&filler{exact: true}).fill(s, text)
	labels := map[string]bool{}
	s.Root.Walk(func(f *schema.Field, _ int) {
		for _, name := range f.Labels() {
			labels[strings.Join(words(name), " ")] = true
		}
	})
	return sure(s.Root, &raw, labels)
}

// sure keeps of what was read what is beyond doubt. What a field's label is followed by is
// no text if it is the label of another: two columns, each with its own.
func sure(f *schema.Field, raw *value.Value, labels map[string]bool) value.Value {
	switch {
	case f.Type == schema.Group && raw.Kind == value.Object:
		out := value.Obj()
		for _, kid := range f.Fields {
			if at := raw.Get(kid.Name); at != nil {
				v := sure(kid, at, labels)
				out.Kids = append(out.Kids, v.Named(kid.Name))
			}
		}
		return out
	case f.Type == schema.List && raw.Kind == value.Array:
		out := value.List()
		for i := range raw.Kids {
			out.Kids = append(out.Kids, sure(f.Item, &raw.Kids[i], labels))
		}
		return out
	case f.IsLeaf() && raw.Kind == value.String:
		v, ok := Value(f, raw.Text)
		ok = ok && !readTwice(f.Kin(), raw.Text) && !saysMore(f, raw.Text) && !(f.Kin().Type == schema.Text && labels[strings.Join(words(raw.Text), " ")]) && (f.Pattern == nil || v.Kind != value.String || f.Pattern.MatchString(v.Text))
		name, own := f.Measure()
		if of := v.Get(name); own != "" && of != nil && of.Text != own {
			exact := ""
			if amount := v.Get("amount"); f.Type == schema.Quantity && amount != nil {
				exact = reading.Convert(amount.Text, of.Text, own)
			}
			if exact == "" {
				ok = false // another currency, or a unit that is not turned into the field's
			} else {
				v = value.Obj(value.Num(exact).Named("amount"), value.Str(own).Named(name))
			}
		}
		if ok {
			return v
		}
	}
	return value.Value{}
}

// saysMore tells a text in parts: of "Aldous Fenn, Mill Lane" nobody but who knows
// what is meant can say whether all is the value, or the first part. A field with a
// form of its own decides by that.
func saysMore(f *schema.Field, text string) bool {
	return f.Kin().Type == schema.Text && f.Pattern == nil && (strings.Contains(text, ", ") || strings.Contains(text, " ("))
}

// readTwice tells a figure that can be read as another as well: 1,080 without a
// format that decides.
func readTwice(f *schema.Field, text string) bool {
	switch f.Type {
	case schema.Number, schema.Money, schema.Quantity:
		figures, _, _, ok := reading.Amount(text, f.Numbers)
		return ok && len(figures) > 1
	}
	return false
}

func (w *filler) fill(s *schema.Schema, text string) value.Value {
	all := readLines(text)
	if s.EachEntry() {
		return w.list(s.Root, all, nil, map[*line]bool{})
	}
	return w.group(s.Root, all, nil)
}

// filler fills; exact ones take only what stands behind a field's own label or in
// its column, whole, and nothing that the document says twice in different words.
type filler struct{ exact bool }

// group fills one group from its lines. outer are the slots of the groups
// around it, whose labels end an item of the group's lists.
func (w *filler) group(g *schema.Field, lines []*line, outer []*slot) value.Value {
	out := blank(g)
	owned := map[*line]bool{} // lines that a list has taken
	own := w.slots(g)
	for _, f := range lists(g) {
		around := append(append([]*slot(nil), outer...), own...)
		for _, other := range lists(g) {
			if other.field != f.field {
				around = append(around, titleSlot(other.field))
			}
		}
		items := w.list(f.field, lines, around, owned)
		put(&out, f.path, items)
	}
	var free []*line
	for _, l := range lines {
		if !owned[l] {
			free = append(free, l)
		}
	}
	w.fillSlots(&out, own, free)
	return out
}

// titleSlot stands for the title of a list among the labels around another.
func titleSlot(f *schema.Field) *slot {
	s := &slot{f: f}
	for _, n := range f.Labels() {
		s.names = append(s.names, words(n))
	}
	return s
}

// blank gives a group without values.
func blank(g *schema.Field) value.Value {
	v := value.Obj()
	for _, f := range g.Fields {
		kid := value.Value{}
		switch f.Type {
		case schema.Group:
			kid = blank(f)
		case schema.List:
			kid = value.List()
		}
		v.Kids = append(v.Kids, kid.Named(f.Name))
	}
	return v
}

type listAt struct {
	field *schema.Field
	path  []string
}

// lists gives the lists of groups within a group.
func lists(g *schema.Field) []listAt {
	var all []listAt
	for _, f := range g.Fields {
		switch {
		case f.Type == schema.List && !f.Item.IsLeaf():
			all = append(all, listAt{f, []string{f.Name}})
		case f.Type == schema.Group:
			for _, inner := range lists(f) {
				all = append(all, listAt{inner.field, append([]string{f.Name}, inner.path...)})
			}
		}
	}
	return all
}

func put(v *value.Value, path []string, kid value.Value) {
	for _, name := range path[:len(path)-1] {
		v = v.Get(name)
	}
	v.Set(path[len(path)-1], kid)
}

// fillSlots gives each slot the printed value whose label fits it best.
func (w *filler) fillSlots(out *value.Value, own []*slot, lines []*line) {
	taken := map[*slot]float64{}
	used := map[*line]map[int]bool{} // pairs that have gone to a slot
	for i, l := range lines {
		for n, p := range l.pairs {
			text := p.value
			if text == "" && i+1 < len(lines) && len(lines[i+1].pairs) == 0 && lines[i+1].indent > l.indent {
				text = lines[i+1].body
			}
			var best *slot
			fit := leastFit
			for _, s := range own {
				if len(s.twins(own)) > 0 {
					continue
				}
				f := s.fit(p.label)
				if w.exact && f == 1 && taken[s] == 1 && differs(out, s, text) {
					put(out, s.path, value.Value{}) // two lines say it, and not the same
					taken[s] = 2
				}
				if f >= fit && f > taken[s] && (best == nil || f > fit) {
					best, fit = s, f
				}
			}
			if best != nil && assign(out, best, cutAtLabel(own, text)) {
				taken[best] = fit
				if used[l] == nil {
					used[l] = map[int]bool{}
				}
				used[l][n] = true
			}
		}
	}
	for _, s := range own {
		if len(s.twins(own)) == 0 {
			continue
		}
		for _, l := range s.own(own, lines) {
			for n, p := range l.pairs {
				if f := s.fit(p.label); f >= leastFit && f > taken[s] && !used[l][n] && (s.first || !s.isLead(p.label)) && assign(out, s, cutAtLabel(own, p.value)) {
					taken[s] = f
				}
			}
		}
	}
	titled(out, own, taken, lines)
	if w.exact {
		return
	}
	for _, s := range own {
		if taken[s] == 0 && inline(out, s, s.own(own, lines)) {
			taken[s] = 1
		}
	}
	for _, s := range own {
		if taken[s] == 0 {
			unlabelled(out, s, own, taken, s.own(own, lines))
		}
	}
}

var numberWithUnit = lazy.New(`(?:^|[\s(–-])(\d+(?:[.,]\d+)?)\s?[\pL%°²³'"]+`)

// unlabelled fills what stands without any label: a number with its unit in
// the first line of an item, the words that open a bullet, and the name that
// stands before or above another value of its group.
func unlabelled(out *value.Value, s *slot, own []*slot, taken map[*slot]float64, lines []*line) {
	if len(lines) == 0 {
		return
	}
	first := lines[0]
	isItem := strings.Contains(s.f.Path, "[]")
	switch {
	case (s.f.Type == schema.Number || s.f.Type == schema.Quantity) && isItem:
		if m := numberWithUnit.FindStringSubmatch(first.body); m != nil {
			assign(out, s, strings.Trim(m[0], " (–-"))
		}
	case s.f.Type == schema.Text && len(s.path) > 1:
		beside(out, s, own, taken, lines)
	case s.f.Type == schema.Text && isItem && first.bullet:
		assign(out, s, opening(first.body, own))
	case s.f.Type == schema.Text && s == ownName(own):
		assign(out, s, nameInProse(lines))
	}
}

// ownName gives the first text of a record's own that is described as a name: what
// the document is about has one in its sentences.
func ownName(own []*slot) *slot {
	for _, s := range own {
		if s.f.Type == schema.Text && len(s.path) == 1 && s.about["name"] {
			return s
		}
	}
	return nil
}

var nameRun = lazy.New(`\p{Lu}[\pL'’-]+(?: \p{Lu}[\pL'’-]+)+`)

// nameInProse finds the first name of several words that stands in a sentence:
// behind a word in small letters in a line of running text, or before one at the
// beginning of a line.
func nameInProse(lines []*line) string {
	small := func(words []string, i int) bool {
		if i < 0 || i >= len(words) {
			return false
		}
		r, _ := utf8.DecodeRuneInString(words[i])
		return unicode.IsLower(r)
	}
	for _, l := range lines {
		for _, at := range nameRun.FindAllStringIndex(l.body, -1) {
			before, behind := strings.Fields(l.body[:at[0]]), strings.Fields(l.body[at[1]:])
			if small(before, len(before)-1) && prose(l) || at[0] == 0 && small(behind, 0) && len(l.pairs) == 0 {
				return l.body[at[0]:at[1]]
			}
		}
	}
	return ""
}

// opening gives the words of a bullet before its first sign or label.
func opening(body string, own []*slot) string {
	end := len(body)
	if i := strings.IndexAny(body, ",;:(–"); i >= 0 {
		end = i
	}
	low := lower(body[:end])
	for _, s := range own {
		for _, name := range s.names {
			for _, lead := range []string{" in ", " of ", " by ", " until ", " "} {
				if i := strings.Index(low, lead+strings.Join(name, " ")+" "); i > 0 {
					end = min(end, i)
					low = low[:end]
				}
			}
		}
	}
	return body[:end]
}

var properName = lazy.New(`^\p{Lu}[\pL'’.-]+(?: \p{Lu}[\pL'’.-]*)+$`)

// beside takes a name that stands before or above a value of the same group.
func beside(out *value.Value, s *slot, own []*slot, taken map[*slot]float64, lines []*line) {
	for _, other := range own {
		if other == s || taken[other] == 0 || len(other.path) != len(s.path) || other.path[0] != s.path[0] {
			continue
		}
		at := out
		for _, name := range other.path {
			at = at.Get(name)
		}
		for i, l := range lines {
			if at.Text == "" || !strings.Contains(l.text, at.Text) {
				continue
			}
			head, _, _ := strings.Cut(l.body, ",")
			for _, text := range []string{head, lineAt(lines, i-1)} {
				if properName.MatchString(strings.TrimSpace(text)) && assign(out, s, text) {
					return
				}
			}
		}
	}
}

func lineAt(lines []*line, i int) string {
	if i < 0 {
		return ""
	}
	return lines[i].body
}

// cutAtLabel ends a value where a further `label:` follows it in the line.
func cutAtLabel(own []*slot, text string) string {
	for i := 0; i < len(text); i++ {
		if text[i] != ',' && text[i] != ';' && text[i] != '(' {
			continue
		}
		rest := strings.TrimSpace(text[i+1:])
		if m := colonLabel.FindStringSubmatch(rest); m != nil && fits(own, words(m[1])) >= leastFit {
			return text[:i]
		}
		if label, _, ok := strings.Cut(rest, " "); ok && fits(own, words(label)) >= 1 {
			return text[:i] // `Dana Quill, lic. QL-114`
		}
	}
	return text
}

var listSplit = lazy.New(`\s*(?:,|;|\band\b|&|\+)\s*`)

// differs tells whether a text has another value for a slot than it got.
func differs(out *value.Value, s *slot, text string) bool {
	at := out
	for _, name := range s.path {
		at = at.Get(name)
	}
	raw := printed(s.f, text)
	return s.f.Type != schema.List && raw != "" && at.Kind == value.String && lower(raw) != lower(at.Text)
}

// whole tells whether a value is all that a text says, but for signs and what
// stands in brackets.
func whole(raw, text string) bool {
	_, behind, found := strings.Cut(text, raw)
	before, _, _ := strings.Cut(text, raw)
	rest := brackets.ReplaceAllString(before+" "+behind, "")
	return found && !strings.ContainsFunc(rest, func(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) })
}

var brackets = lazy.New(`\([^()]*\)`)

func assign(out *value.Value, s *slot, text string) bool {
	if s.f.Type == schema.List {
		items := value.List()
		for _, part := range listSplit.Split(text, -1) {
			raw := printed(s.f.Item, part)
			if s.exact && raw != "" && !whole(raw, part) {
				return false
			}
			if raw != "" {
				items.Kids = append(items.Kids, value.Str(raw))
			}
		}
		put(out, s.path, items)
		return len(items.Kids) > 0
	}
	raw := printed(s.f, text)
	if raw == "" || s.exact && !whole(raw, text) {
		return false
	}
	put(out, s.path, value.Str(raw))
	return true
}

// inline finds the value of a slot in running text: behind its name, or, for
// a choice, by the words of its options.
func inline(out *value.Value, s *slot, lines []*line) bool {
	for _, l := range lines {
		low := lower(l.body)
		for _, name := range append(append([][]string(nil), s.names...), s.raw...) {
			i := wordIndex(low, strings.Join(name, " "))
			if i < 0 {
				continue
			}
			rest := strings.TrimLeft(l.body[i+len(strings.Join(name, " ")):], " :.=")
			rest = strings.TrimPrefix(strings.TrimPrefix(rest, "number "), "no. ")
			if s.f.Type == schema.Text {
				rest = firstWords(rest)
			}
			if s.f.Type == schema.Boolean {
				rest = l.body[i:]
			}
			if len(s.path) > 1 && !s.first && s.isLead(name) {
				continue
			}
			if near(s.f, rest) && assign(out, s, rest) {
				return true
			}
		}
	}
	for _, l := range lines {
		if s.f.Type == schema.Choice && assign(out, s, l.body) {
			return true
		}
		if s.f.Type == schema.Boolean && len(l.pairs) == 0 && len(strings.Fields(l.body)) < 12 && assign(out, s, l.body) {
			return true
		}
	}
	return false
}

// near tells whether the value of a typed field stands right behind its name.
func near(f *schema.Field, rest string) bool {
	switch f.Type {
	case schema.Integer, schema.Number:
		at := numberAt(rest)
		return (at != nil && at[0] <= 12) || numberWord(rest) != ""
	case schema.Date:
		at := dateText().FindStringIndex(rest)
		return at != nil && at[0] <= 60 && !strings.Contains(rest[:at[0]], ". ")
	case schema.Text:
		r, _ := utf8.DecodeRuneInString(rest)
		return unicode.IsUpper(r) || unicode.IsDigit(r)
	}
	return true
}

// firstWords cuts running text where the next clause begins.
func firstWords(text string) string {
	if at := gap.FindStringIndex(text); at != nil {
		text = text[:at[0]]
	}
	if i := strings.IndexAny(text, ",;.("); i >= 0 {
		text = text[:i]
	}
	if list := strings.Fields(text); len(list) > 4 {
		return ""
	}
	return text
}
