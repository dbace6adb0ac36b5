// Package vary changes documents in ways that must not change their records, or
// must change them in a known way, so that it shows how much a filling hangs on
// how things happen to be written.
//
// Rules it keeps:
//
//   - A change knows what it does to gold: nothing, or the same as to the text.
//   - Where a change finds nothing to do in a document, there is none.
//   - Same document and seed, same change.
package vary

import (
	"hash/fnv"
	"math/rand/v2"
	"slices"
	"sort"
	"strings"
	"unicode"

	"filler/internal/base/value"
	"filler/internal/record/evidence"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// Change is one way of changing documents.
type Change struct {
	Name  string
	Does  string
	apply func(d *doc) bool
}

// Changes gives all changes.
func Changes() []Change {
	return []Change{
		{"spacing", "more space between words, and fewer empty lines", spacing},
		{"case", "all in capital letters, also the texts of the record", capitals},
		{"dates", "dates in another of the declared styles", dates},
		{"units", "lengths and the like in another unit of the same kind", units},
		{"labels", "another of a field's labels before its value", labels},
		{"shuffle", "the sections in another order, the first in its place", shuffle},
		{"noise", "letters misread, as OCR does it, outside of values", noise},
		{"substitute", "one value substituted by another, in the record too", substitute},
	}
}

// Varied is a changed document with the record that it should give.
type Varied struct {
	Text string
	Gold value.Value
}

// Document is what a change is made to.
type Document struct {
	ID, Text string
	Gold     *value.Value
}

// Apply makes a change to a document; false where there is nothing to change.
// pool holds values of other documents, by field, to substitute.
func (c Change) Apply(s *schema.Schema, of Document, pool Pool, seed int64) (Varied, bool) {
	h := fnv.New64a()
	h.Write([]byte(c.Name + "\n" + of.ID))
	d := &doc{schema: s, text: of.Text, gold: of.Gold.Clone(), pool: pool, rng: rand.New(rand.NewPCG(h.Sum64(), uint64(seed)))}
	d.places = evidence.Of(s, of.Gold, evidence.NewIndex(of.Text))
	if !c.apply(d) || d.text == of.Text {
		return Varied{}, false
	}
	return Varied{d.text, d.gold}, true
}

// Pool holds values by the path of their field.
type Pool map[string][]value.Value

// Add adds the values of a gold record.
func (p Pool) Add(s *schema.Schema, gold *value.Value) {
	gold.Walk(func(at value.Pointer, v *value.Value) bool {
		f := s.At(at)
		if f == nil || !f.IsLeaf() {
			return true
		}
		if !v.Empty() && !slices.ContainsFunc(p[f.Path], func(o value.Value) bool { return value.Equal(&o, v) }) {
			p[f.Path] = append(p[f.Path], v.Clone().Named(""))
		}
		return false
	})
}

// doc is a document at work.
type doc struct {
	schema *schema.Schema
	text   string
	gold   value.Value
	places evidence.Places
	pool   Pool
	rng    *rand.Rand
}

// placed is a value that stands in the text.
type placed struct {
	at    value.Pointer
	field *schema.Field
	v     *value.Value
	place evidence.Place
}

// standing gives the values that stand in the text themselves, from the last to
// the first, so that each can be replaced without moving those to come; none that
// overlaps another.
func (d *doc) standing() []placed {
	var all []placed
	for at, place := range d.places {
		if d.schema.At(at) != nil && place.Found() && !place.Basis && place.Kind != evidence.Lookalike {
			all = append(all, placed{at, d.schema.At(at), d.gold.At(at), place})
		}
	}
	sort.Slice(all, func(i, j int) bool {
		if all[i].place.Start != all[j].place.Start {
			return all[i].place.Start > all[j].place.Start
		}
		return all[i].at < all[j].at
	})
	var apart []placed
	for i, p := range all {
		if i > 0 && all[i-1].place.Start < p.place.End || i+1 < len(all) && all[i+1].place.End > p.place.Start {
			continue
		}
		apart = append(apart, p)
	}
	return apart
}

func (d *doc) replace(p evidence.Place, with string) {
	d.text = d.text[:p.Start] + with + d.text[p.End:]
}

func spacing(d *doc) bool {
	lines := strings.Split(d.text, "\n")
	var out []string
	for i, l := range lines {
		if strings.TrimSpace(l) == "" && i > 0 && strings.TrimSpace(lines[i-1]) == "" {
			continue
		}
		if !strings.Contains(strings.TrimSpace(l), "  ") && !strings.Contains(l, "|") && !strings.Contains(l, "\t") { // no table
			words := strings.Split(l, " ")
			for j := 1; j < len(words)-1; j++ {
				if words[j] != "" && d.rng.IntN(5) == 0 {
					words[j] += " "
				}
			}
			l = strings.Join(words, " ")
		}
		out = append(out, l)
	}
	d.text = strings.Join(out, "\n")
	return true
}

func capitals(d *doc) bool {
	for at, place := range d.places {
		f, v := d.schema.At(at), d.gold.At(at)
		if v.Kind == value.String && f != nil && f.Type == schema.Text && place.Found() {
			v.Text = strings.ToUpper(v.Text)
		}
	}
	d.text = strings.ToUpper(d.text)
	return true
}

func dates(d *doc) bool {
	changed := false
	for _, p := range d.standing() {
		if p.field.Type != schema.Date {
			continue
		}
		now := d.text[p.place.Start:p.place.End]
		for _, f := range append(append([]schema.DateFormat(nil), p.field.Written...), schema.PlainDates[0], schema.PlainDates[3]) {
			if text := f.Write(p.v.Text); text != "" && text != now {
				d.replace(p.place, text)
				changed = true
				break
			}
		}
	}
	return changed
}

func units(d *doc) bool {
	changed := false
	for _, p := range d.standing() {
		amount, unit := p.v.Get("amount"), p.v.Get("unit")
		if p.field.Type != schema.Quantity || amount == nil || unit.Empty() {
			continue
		}
		stands := d.text[p.place.Start:p.place.End]
		if !strings.Contains(stands, unit.Text) {
			continue // the unit stands elsewhere, as in the head of a table
		}
		for _, other := range reading.Kindred(unit.Text) {
			to := reading.Convert(amount.Text, unit.Text, other)
			if other == unit.Text || to == "" || len(to) > 8 {
				continue
			}
			d.replace(p.place, to+" "+other)
			changed = true
			break
		}
	}
	return changed
}

func labels(d *doc) bool {
	changed := false
	for _, p := range d.standing() {
		if len(p.field.PrintedAs) < 2 {
			continue
		}
		line := strings.LastIndexByte(d.text[:p.place.Start], '\n') + 1
		before := d.text[line:p.place.Start]
		for _, l := range p.field.PrintedAs {
			i := strings.LastIndex(strings.ToLower(before), strings.ToLower(l))
			if i < 0 || strings.TrimLeft(before[i+len(l):], " :.\t") != "" {
				continue
			}
			others := slices.DeleteFunc(slices.Clone(p.field.PrintedAs), func(o string) bool {
				return strings.EqualFold(o, l) || strings.EqualFold(o+".", l) || strings.EqualFold(o, l+".")
			})
			if len(others) == 0 {
				continue
			}
			d.replace(evidence.Place{Start: line + i, End: line + i + len(l)}, others[d.rng.IntN(len(others))])
			changed = true
			break
		}
	}
	return changed
}

func shuffle(d *doc) bool {
	parts := strings.Split(d.text, "\n\n")
	if len(parts) < 4 {
		return false
	}
	// A heading stays with all that it heads, and what is indented with what it
	// belongs to.
	headed := false
	for _, p := range parts[1:] {
		headed = headed || heads(p)
	}
	var sections []string
	for _, p := range parts {
		if n := len(sections); n > 0 && (headed && !heads(p) || !headed && (strings.HasPrefix(p, " ") || strings.HasPrefix(p, "\t"))) {
			sections[n-1] += "\n\n" + p
			continue
		}
		sections = append(sections, p)
	}
	if len(sections) < 3 {
		return false
	}
	rest := sections[1:]
	d.rng.Shuffle(len(rest), func(i, j int) { rest[i], rest[j] = rest[j], rest[i] })
	d.text = strings.Join(sections, "\n\n")
	return true
}

// heads tells a section that is a heading alone: one short line.
func heads(section string) bool {
	text := strings.TrimSpace(section)
	return !strings.ContainsAny(strings.TrimSuffix(text, ":"), ":\n") && len(text) < 50 && !strings.HasSuffix(text, ".")
}

// misread are letters that OCR engines take for others.
var misread = map[rune]string{'o': "0", 'l': "1", 'i': "l", 'e': "c", 'n': "u", 's': "5", 'a': "o", 't': "f", 'm': "rn", 'g': "9", 'b': "6", 'B': "8", 'I': "l", 'O': "0"}

// noisy is how many letters in a hundred are misread.
const noisy = 2

func noise(d *doc) bool {
	taken := make([]bool, len(d.text))
	for _, place := range d.places {
		for i := place.Start; i < place.End; i++ {
			taken[i] = true
		}
	}
	var b strings.Builder
	changed := false
	for i, r := range d.text {
		if other, ok := misread[r]; ok && !taken[i] && d.rng.IntN(100) < noisy {
			b.WriteString(other)
			changed = true
			continue
		}
		b.WriteRune(r)
	}
	d.text = b.String()
	return changed
}

// substitute gives one value of the record another from the pool, in the text and
// in gold.
func substitute(d *doc) bool {
	all := d.standing()
	d.rng.Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
	for _, p := range all {
		if p.place.Rivals > 0 || p.place.Kind != evidence.Quoted || isKey(d.schema, p.field) || p.field.Pattern != nil {
			continue
		}
		switch p.field.Type {
		case schema.Text:
			for _, other := range d.shuffled(p.field.Path) {
				if other.Text != p.v.Text && !strings.Contains(d.text, other.Text) && !strings.ContainsFunc(other.Text, unicode.IsControl) {
					d.replace(p.place, other.Text)
					p.v.Text = other.Text
					return true
				}
			}
		case schema.Date:
			for _, other := range d.shuffled(p.field.Path) {
				if other.Text != p.v.Text && len(other.Text) == 10 {
					d.replace(p.place, other.Text)
					p.v.Text = other.Text
					return true
				}
			}
		}
	}
	return false
}

func (d *doc) shuffled(path string) []value.Value {
	list := slices.Clone(d.pool[path])
	d.rng.Shuffle(len(list), func(i, j int) { list[i], list[j] = list[j], list[i] })
	return list
}

// isKey tells a field that others point to, or that tells items apart.
func isKey(s *schema.Schema, f *schema.Field) bool {
	found := false
	s.Root.Walk(func(l *schema.Field, _ int) {
		if l.Type == schema.List && slices.Contains(l.Key, f.Name) && l.Item.Child(f.Name) == f {
			found = true
		}
		if slices.Contains(l.To, f.Path) {
			found = true
		}
	})
	return found
}
