package evidence

import (
	"maps"
	"slices"
	"strings"

	"filler/internal/schema"
)

// Choices that stand as a short sign before or behind all that their rows say else:
//
//	OK   Lights
//	ADV  Front discs    lipped
//	N/C  Air con

// longestSign is how many letters such a sign has at most.
const longestSign = 8

// fewestSigned is how many items of a list have a sign at least.
const fewestSigned = 3

// optionsBySign places the choices of items by the signs of their rows, and tells which those contradict: a sign that
// means another option, or one where the own option has a sign of its own.
func (w *weigher) optionsBySign(h *homes) {
	fields := fieldsIn(h, isOneChoice)
	if len(fields) == 0 || len(h.list) < fewestSigned {
		return
	}
	lines, in := make([]int, len(h.list)), map[int]bool{}
	for i, it := range h.list {
		if lines[i] = h.at[i]; lines[i] < 0 { // its name alone stands in its row
			lines[i], _ = w.nameLine(it)
		}
		if lines[i] < 0 || in[lines[i]] {
			return
		}
		in[lines[i]] = true
	}
	for _, f := range fields {
		for _, behind := range []bool{false, true} {
			if at := w.signsOf(h, lines, behind); at != nil && w.bySigns(h, f, at) {
				break
			}
		}
	}
}

// signsOf gives what stands before or behind the values of each item in its line; nil where one has nothing there, or
// more than a sign.
func (w *weigher) signsOf(h *homes, lines []int, behind bool) []span {
	at := make([]span, len(h.list))
	different := map[string]bool{}
	for i, it := range h.list {
		row := w.ix.LineSpan(lines[i])
		first, last := row.End, row.Start
		for _, l := range it.leaves {
			if place := w.places[l.path]; place.Found() && place.Line-1 == lines[i] && l.f.Kin().Type != schema.Choice {
				first, last = min(first, place.Start), max(last, min(row.End, place.End))
			}
		}
		s := between(row.Start, first)
		if behind {
			s = between(last, row.End)
		}
		text := w.ix.Source[s.Start:max(s.Start, s.End)]
		said := strings.Trim(text, " \t|-–—:.*•·[]()")
		if letters(said) < 2 || letters(said) > longestSign || strings.ContainsAny(said, "0123456789") || strings.Contains(said, "  ") {
			return nil
		}
		from := s.Start + strings.Index(text, said)
		at[i] = between(from, from+len(said))
		different[folded(said)] = true
	}
	if len(different) < 2 {
		return nil
	}
	return at
}

// bySigns is optionsBySign for one field with its signs; false where they are none of its options.
func (w *weigher) bySigns(h *homes, f *schema.Field, at []span) bool {
	means, signOf := map[string]string{}, map[string]string{}
	for _, s := range at {
		said := w.ix.Source[s.Start:s.End]
		if option := w.optionOfSign(f.Kin(), said); option != "" {
			means[folded(said)], signOf[option] = option, folded(said)
		}
	}
	if len(signOf) == 0 || len(means) < 2 && !w.agrees(h, f, at, means) {
		return false
	}
	for sign, option := range w.sameOfAll(h, f, at) { // OK, where all that have it are a pass
		if means[sign] == "" && signOf[option] == "" {
			means[sign] = option
		}
	}
	for i, it := range h.list {
		l := leafOf(it, f)
		if l == nil || l.fixed != nil {
			continue
		}
		sign := folded(w.ix.Source[at[i].Start:at[i].End])
		option, own := means[sign], strings.Trim(l.value, `"`)
		switch {
		case option == own:
			w.restate(l, at[i])
		case option != "", signOf[own] != "":
			w.places[l.path] = Place{Kind: l.lacking, Opposed: w.ix.LineOf(at[i].Start) + 1, Says: at[i]}
		}
	}
	return true
}

// sameOfAll gives the options of signs that several items have, all of which have the same option.
func (w *weigher) sameOfAll(h *homes, f *schema.Field, at []span) map[string]string {
	options, count := map[string]string{}, map[string]int{}
	for i, it := range h.list {
		sign := folded(w.ix.Source[at[i].Start:at[i].End])
		own := ""
		if l := leafOf(it, f); l != nil {
			own = strings.Trim(l.value, `"`)
		}
		if was, known := options[sign]; known && was != own {
			own = ""
		}
		options[sign] = own
		count[sign]++
	}
	maps.DeleteFunc(options, func(sign, option string) bool { return option == "" || count[sign] < 2 })
	return options
}

// agrees tells whether two items at least have the option that their signs mean.
func (w *weigher) agrees(h *homes, f *schema.Field, at []span, means map[string]string) bool {
	n := 0
	for i, it := range h.list {
		if l := leafOf(it, f); l != nil && means[folded(w.ix.Source[at[i].Start:at[i].End])] == strings.Trim(l.value, `"`) {
			n++
		}
	}
	return n > 1
}

// optionOfSign gives the one option that a sign means: the option itself, by a legend, as its begin, by the first
// letters of its words or by some of its letters; "" for none.
func (w *weigher) optionOfSign(f *schema.Field, said string) (option string) {
	if option = optionNamed(f, said); option != "" {
		return option
	}
	if option = w.inLegend(f, said); option != "" {
		return option
	}
	code := strings.Join(wordsOf(said), "")
	for _, o := range f.Of {
		if slices.ContainsFunc(append([]string{schema.Spoken(o.Value)}, o.Also...), func(name string) bool { return isSignOf(code, folded(name)) }) {
			if option != "" {
				return ""
			}
			option = o.Value
		}
	}
	return option
}

// isSignOf tells whether a sign in small letters is the begin of a name, the first letters of its words, or a code of it.
func isSignOf(code, name string) bool {
	initials := ""
	words := strings.Fields(name)
	for _, word := range words {
		initials += word[:1]
	}
	return len(code) >= shortestCode && (strings.HasPrefix(name, code) || len(words) == 1 && isCodeOf(code, name)) || len(words) > 1 && code == initials
}
