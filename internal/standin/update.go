package standin

import (
	"fmt"
	"regexp"
	"strings"
	"sync"

	"filler/internal/ask/outline"
	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/draft/printed"
	"filler/internal/schema"
)

// update answers what a new document changes in a record, with
// corrections of which each names its words.
func (w *writer) update() value.Value {
	u := &updater{writer: w, ops: value.List()}
	raw := printed.Fill(w.task.schema, w.task.document)
	if w.task.schema.EachEntry() {
		u.entries(w.task.schema.Root.Item, &raw, w.task.entries)
		return value.Obj(u.ops.Named("corrections"))
	}
	if w.task.now == nil {
		return value.Obj(u.ops.Named("corrections"))
	}
	now := &w.task.now.Record
	u.compare(w.task.schema.Root, "", &raw, now)
	u.takeBack(w.task.schema.Root, "", now)
	return value.Obj(u.ops.Named("corrections"))
}

type updater struct {
	*writer
	ops value.Value
}

// entries compares each entry of the new document with the one that shares its
// first name or number.
func (u *updater) entries(f *schema.Field, raw *value.Value, known []outline.Placed) {
	for i := range raw.Kids {
		var mine *outline.Placed
		for j := range known {
			if mine == nil && u.alike(f, &raw.Kids[i], &known[j].Record) {
				mine = &known[j]
			}
		}
		if mine != nil {
			u.compare(f, mine.At, &raw.Kids[i], &mine.Record)
			continue
		}
		u.add("/-", f, &raw.Kids[i])
	}
}

// alike tells whether two items are one: by the key, else by the first text or
// choice that both have.
func (u *updater) alike(f *schema.Field, raw, now *value.Value) bool {
	for _, kid := range f.Fields {
		if len(f.Key) > 0 && f.Key[0] != kid.Name || len(f.Key) == 0 && kid.Type != schema.Text && kid.Type != schema.Choice && kid.Type != schema.Integer {
			continue
		}
		a, b := raw.Get(kid.Name), now.Get(kid.Name)
		if a.Empty() || b.Empty() {
			continue
		}
		v, ok := printed.Value(kid, a.Text)
		return ok && value.Equal(&v, b)
	}
	return false
}

func (u *updater) compare(f *schema.Field, p value.Pointer, raw, now *value.Value) {
	switch {
	case raw.Empty() || now == nil:
	case f.Type == schema.Group:
		for _, kid := range f.Fields {
			if a := raw.Get(kid.Name); a != nil {
				b := now.Get(kid.Name)
				if b == nil {
					b = &value.Value{}
				}
				u.compare(kid, p.Key(kid.Name), a, b)
			}
		}
	case f.Type == schema.List:
		for i := range raw.Kids {
			at := -1
			for j := range now.Kids {
				if at < 0 && (f.Item.IsLeaf() && labelsTo(f.Item, &raw.Kids[i], &now.Kids[j]) || !f.Item.IsLeaf() && u.alike(keyed(f), &raw.Kids[i], &now.Kids[j])) {
					at = j
				}
			}
			if at < 0 {
				u.add(p.Key("-"), f.Item, &raw.Kids[i])
			} else if !f.Item.IsLeaf() {
				u.compare(f.Item, p.Index(at), &raw.Kids[i], &now.Kids[at])
			}
		}
	default:
		v, ok := printed.Value(f, raw.Text)
		if !ok || value.Equal(&v, now) || u.chance(u.dropped) {
			return
		}
		op := "replace"
		if now.Empty() {
			op = "add"
		}
		if u.chance(u.slip) {
			v = u.slipped(f, v)
		}
		u.say(op, p, v, u.lineWith(raw.Text))
	}
}

// keyed gives the items of a list with what tells them apart.
func keyed(list *schema.Field) *schema.Field {
	item := *list.Item
	item.Key = list.Key
	return &item
}

func labelsTo(f *schema.Field, raw, now *value.Value) bool {
	v, ok := printed.Value(f, raw.Text)
	return ok && value.Equal(&v, now)
}

// add adds an item, with the lines that its values stand in.
func (u *updater) add(p value.Pointer, f *schema.Field, raw *value.Value) {
	if u.chance(u.lostItem) {
		return
	}
	all := strings.Split(u.task.document, "\n")
	from, to := -1, -1
	raw.Walk(func(_ value.Pointer, v *value.Value) bool {
		if v.Kind != value.String || v.Text == "" {
			return true
		}
		if n := u.lineFrom(all, max(from, 0), v.Text); n >= 0 {
			if from < 0 {
				from = n
			}
			to = max(to, n)
		}
		return true
	})
	if from < 0 {
		return
	}
	u.say("add", p, u.field(f, raw), strings.TrimSpace(strings.Join(all[from:to+1], "\n")))
}

// lineWith gives the first line that holds a printed value.
func (u *updater) lineWith(printed string) string {
	all := strings.Split(u.task.document, "\n")
	if n := u.lineFrom(all, 0, printed); n >= 0 {
		return strings.TrimSpace(all[n])
	}
	return printed
}

// lineFrom gives the first line from a place on that holds a printed value; -1
// for none.
func (u *updater) lineFrom(all []string, from int, printed string) int {
	whole := regexp.MustCompile(`(^|[^\pL\d])` + regexp.QuoteMeta(printed) + `($|[^\pL\d])`)
	for n := from; n < len(all); n++ {
		if whole.MatchString(all[n]) {
			return n
		}
	}
	return -1
}

func (u *updater) say(op string, p value.Pointer, v value.Value, words string) {
	if u.chance(u.badPatch) {
		switch u.rng.IntN(3) {
		case 0:
			words = "as agreed by telephone" // stands nowhere
		case 1:
			p = p.Parent().Key("remarks")
		default:
			return
		}
	}
	u.ops.Kids = append(u.ops.Kids, correction(op, p, v, words))
}

var takesBack = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`(?i)(?:^|[^\pL])` + lang.Removal.Pattern() + `(?:$|[^\pL])`)
})

// takeBack removes the items that a line takes back: one that names the item's
// text, or its number behind the list's name.
func (u *updater) takeBack(f *schema.Field, p value.Pointer, now *value.Value) {
	for _, kid := range f.Fields {
		list := now.Get(kid.Name)
		if kid.Type != schema.List || list == nil {
			continue
		}
		for _, line := range strings.Split(u.task.document, "\n") {
			if !takesBack().MatchString(line) {
				continue
			}
			for i := range list.Kids {
				named := fmt.Sprintf("%s %d", strings.TrimSuffix(schema.Spoken(kid.Name), "s"), i+1)
				hit := wordIn(line, named)
				list.Kids[i].Walk(func(_ value.Pointer, v *value.Value) bool {
					hit = hit || v.Kind == value.String && len(strings.Fields(v.Text)) > 1 && wordIn(line, v.Text)
					return true
				})
				if hit {
					u.say("remove", p.Key(kid.Name).Index(i), value.Value{}, strings.TrimSpace(line))
				}
			}
		}
	}
}

func wordIn(line, words string) bool {
	return strings.Contains(strings.ToLower(line), strings.ToLower(words))
}
