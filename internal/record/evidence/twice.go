package evidence

import (
	"strconv"
	"strings"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Items that are there twice.

// readTwice notes an item of a list without a key that says what one before it says, and
// comes from the same line, which says it once.
func (w *weigher) readTwice(h *homes) {
	first := map[string]value.Pointer{} // by the line and all values
	for i, it := range h.list {
		if h.at[i] < 0 || h.in[h.at[i]] < 2 || len(it.lists) > 0 {
			continue
		}
		all := strconv.Itoa(h.at[i])
		var found *leaf
		for _, l := range it.leaves {
			if _, isKey := w.heads[l.f]; isKey {
				return
			}
			all += "\n" + l.f.Path + "\t" + l.value
			if found == nil && w.places[l.path].Found() {
				found = l
			}
		}
		other, again := first[all]
		if !again {
			first[all] = it.leaves[0].path.Parent()
			continue
		}
		at := w.places[found.path]
		at.Again = other
		w.places[found.path] = at
	}
}

// saidTwice notes an item of a list without a key that says what one before it says, more
// often than its text stands in the document; likewise a plain figure of a list, beside one
// that the record has not.
func (w *weigher) saidTwice(list []*item) {
	first, times := map[string]value.Pointer{}, map[string]int{}
	tells := func(l *leaf) bool { return l.f.Kin().Type == schema.Text && letters(l.value) >= telling }
	for _, it := range list {
		if len(it.leaves) == 0 || len(it.lists) > 0 {
			continue
		}
		var text *leaf
		all := ""
		for _, l := range it.leaves {
			if _, isKey := w.heads[l.f]; isKey {
				return
			}
			all += l.f.Path + "\t" + l.value + "\n"
			if text == nil && w.places[l.path].Found() && (tells(l) || strings.HasSuffix(l.f.Path, "[]")) {
				text = l
			}
		}
		if text == nil {
			continue
		}
		at := w.places[text.path]
		if times[all]++; times[all] == 1 {
			first[all] = text.path
			if len(it.leaves) > 1 {
				first[all] = text.path.Parent()
			}
		} else if times[all] > at.Rivals+1 && (tells(text) || w.leavesNext(at)) {
			at.Again = first[all]
			w.places[text.path] = at
		}
	}
}
