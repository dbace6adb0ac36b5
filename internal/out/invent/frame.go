package invent

import (
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// fill writes a record into the frame. What has no place in it is taken out of the record.
func (f *Frame) fill(m *Maker, rec *value.Value, r *rand.Rand) *writer {
	d := &drawing{Maker: m, r: r}
	w := &writer{Page: newPage(), r: r, labels: map[string]string{}, kept: map[value.Pointer]value.Value{}}
	w.fresh = func(field *schema.Field, p value.Pointer) value.Value {
		v := d.fresh(field).Named(p.Last())
		if field.Type == schema.Link {
			v = value.Value{Name: p.Last()}
		}
		return v
	}
	w.parts(f, f.Parts, rec, "", "")
	return w
}

// parts writes parts; from is where they stood in the frame's record, to where in the
// new one.
func (w *writer) parts(f *Frame, parts []Part, rec *value.Value, from, to value.Pointer) {
	longer := 0 // than what stood there before
	for i := range parts {
		part := &parts[i]
		switch {
		case part.List != "":
			w.items(f, part, rec, from, to)
		case part.At == "":
			w.say(aligned(part.Words, longer))
			longer = 0
		default:
			at := to + part.At[min(len(from), len(part.At)):]
			if !part.At.Within(from) { // said again in an item's words
				at = part.At
			}
			v, field := rec.At(at), f.schema.At(at)
			if v.Empty() && !part.Again { // its words say something
				rec.Put(at, w.fresh(field, at))
				v = rec.At(at)
			}
			if field == nil || v.Empty() {
				w.lost = append(w.lost, at)
				continue
			}
			text, ok := spell(field, v, &written{f.Record.At(part.At), part.Was}, w.r)
			if own := f.Record.At(part.At); !ok && !field.Sensitive && !own.Empty() {
				// No other value can be said in these words, such as 84 miles in km: it stays.
				rec.Put(at, own.Clone().Named(at.Last()))
				text, ok = part.Was, true
			}
			if !ok {
				w.lost = append(w.lost, at)
				continue
			}
			if part.Again {
				w.write(text)
			} else {
				w.value(at, text)
			}
			longer += len([]rune(text)) - len([]rune(part.Was))
		}
	}
}

// aligned keeps what stands behind a wide gap in its column.
func aligned(words string, longer int) string {
	gap := len(words) - len(strings.TrimLeft(words, " "))
	if gap < 2 {
		return words
	}
	return strings.Repeat(" ", max(2, gap-longer)) + words[gap:]
}

// items writes each item of the record's list in the words of one of the frame's.
func (w *writer) items(f *Frame, part *Part, rec *value.Value, from, to value.Pointer) {
	at := to + part.List[len(from):]
	list := rec.At(at)
	if list == nil {
		return
	}
	for k := range list.Kids {
		own := k % len(part.Items)
		if len(list.Kids) != len(part.Items) {
			own = w.r.IntN(len(part.Items))
		}
		if k > 0 && part.Gap != "" {
			w.write(part.Gap)
		}
		w.parts(f, numbered(part.Items[own], own+1, k+1), rec, part.List.Index(own), at.Index(k))
		w.stays(f, part.Items[own], part.List.Index(own), at.Index(k))
	}
}

var itemNumber = lazy.New(`^(\s*)(\d+)([.)])`)

// numbered gives an item's own words the number that it has now: 1. is 3. as the third.
func numbered(parts []Part, was, is int) []Part {
	if len(parts) == 0 || parts[0].At != "" || was == is {
		return parts
	}
	m := itemNumber.FindStringSubmatch(parts[0].Words)
	if m == nil || m[2] != strconv.Itoa(was) {
		return parts
	}
	parts = slices.Clone(parts)
	parts[0].Words = m[1] + strconv.Itoa(is) + m[3] + parts[0].Words[len(m[0]):]
	return parts
}

// stays notes which values of an item come with its words: null ones, and those that are
// concluded from them.
func (w *writer) stays(f *Frame, part []Part, from, to value.Pointer) {
	f.lists(part, from, func(p value.Pointer, v value.Value) { w.kept[to+p[len(from):]] = v })
	for p := range f.Fixed {
		if !p.Within(from) || w.inList(p[len(from):]) {
			continue
		}
		own := value.Value{}
		if v := f.Record.At(p); v != nil {
			own = v.Clone().Named("")
		}
		w.kept[to+p[len(from):]] = own
	}
}

// inList tells whether a place is in an item below.
func (w *writer) inList(p value.Pointer) bool {
	return slices.ContainsFunc(p.Steps(), func(step string) bool { _, ok := value.ArrayIndex(step); return ok })
}
