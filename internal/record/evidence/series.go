package evidence

import (
	"slices"
	"strconv"
	"strings"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// Values of all items of a list in one run, in the items' order: Chest 92 (100, 108, 118) cm for S (M, L, XL), or
// 92/100/108/118. The place in the run says whose a value is.

// fewestInSeries is how many values a run has at least.
const fewestInSeries = 3

var (
	beforeBrackets  = lazy.New(`[\pL\pN][\pL\pN.,½¼¾-]* $`)
	seriesBySlashes = lazy.New(`[\pL\pN][\pL\pN.,]*(?: ?/ ?[\pL\pN][\pL\pN.,]*){2,}`)
)

// inSeries places the values that stand in such runs, and tells of those that stand in another item's place of one.
func (w *weigher) inSeries(h *homes) {
	n := len(h.list)
	if n < fewestInSeries {
		return
	}
	all := w.seriesOf(n)
	if len(all) == 0 {
		return
	}
	byField := map[*schema.Field][]*leaf{}
	for i, it := range h.list {
		for _, l := range it.leaves {
			if byField[l.f] == nil {
				byField[l.f] = make([]*leaf, n)
			}
			byField[l.f][i] = l
		}
	}
	for _, leaves := range byField {
		w.alongSeries(leaves, all)
	}
}

// alongSeries is inSeries for the values of one field.
func (w *weigher) alongSeries(leaves []*leaf, all [][]span) {
	best, most, tied := -1, 0, false
	for k, run := range all {
		switch fits := w.fitting(leaves, run); {
		case fits > most:
			best, most, tied = k, fits, false
		case fits == most:
			tied = true
		}
	}
	if best < 0 || tied || most < 2 || most < len(leaves)-2 {
		return
	}
	run := all[best]
	var out []*leaf
	for i, l := range leaves {
		switch {
		case l == nil || l.fixed != nil:
		case candidateAt(l.cands, run[i]) != nil:
			c := candidateAt(l.cands, run[i])
			at := w.places[l.path]
			w.places[l.path] = Place{Kind: c.kind, Start: c.Start, End: c.End, Line: w.ix.LineOf(c.Start) + 1, Led: at.Led || c.led, Tied: true}
		default:
			out = append(out, l)
		}
	}
	inRun := func(l *leaf) bool {
		return slices.ContainsFunc(run, func(s span) bool { return candidateAt(l.cands, s) != nil })
	}
	if len(out) == 2 && !(inRun(out[0]) && inRun(out[1])) {
		return
	}
	for _, l := range out {
		if at := w.places[l.path]; at.Found() && (!at.Led || at.Line-1 == w.ix.LineOf(run[0].Start)) {
			w.places[l.path] = Place{Kind: l.lacking, Column: w.ix.LineOf(run[0].Start) + 1, Says: between(run[0].Start, run[len(run)-1].End)}
		}
	}
}

// fills tells whether a value may stand in a place of a run that has no other figure.
func (w *weigher) fills(l *leaf, s span) bool {
	c := candidateAt(l.cands, s)
	return c != nil && !strings.ContainsAny(w.ix.Source[s.Start:max(s.Start, c.Start)]+w.ix.Source[min(c.End, s.End):s.End], "0123456789")
}

// seriesLeft gives what a run has for an item that has no value of a field, where the others have theirs in it.
func (l *leaving) seriesLeft(item, p value.Pointer) (found []leftover) {
	list := item.Parent()
	items := l.record.At(list)
	own, err := strconv.Atoi(item.Last())
	if item == "" || err != nil || items == nil || items.Kind != value.Array || len(items.Kids) < fewestInSeries {
		return nil
	}
	for _, run := range l.w.seriesOf(len(items.Kids)) {
		in := 0
		for i, s := range run {
			at := l.places[list.Index(i)+p[len(item):]]
			if i != own && at.Found() && at.Start <= s.Start && s.End <= max(at.End, s.Start+1) {
				in++
			}
		}
		if in > 1 && l.isFree(run[own]) {
			found = append(found, leftover{span: run[own]})
		}
	}
	if len(found) > 1 {
		return nil
	}
	return found
}

// fitting counts the values that may stand in their items' places of a run.
func (w *weigher) fitting(leaves []*leaf, run []span) (n int) {
	for i, l := range leaves {
		if l != nil && w.fills(l, run[i]) {
			n++
		}
	}
	return n
}

// seriesOf gives the runs of so many values in a document.
func (w *weigher) seriesOf(n int) [][]span {
	if w.series == nil {
		w.series = map[int][][]span{}
		keep := func(run []span) {
			if len(run) >= fewestInSeries {
				w.series[len(run)] = append(w.series[len(run)], run)
			}
		}
		w.runsInBrackets(keep)
		for n := range len(w.ix.Breaks) + 1 {
			line := w.ix.LineSpan(n)
			if text := w.ix.Source[line.Start:line.End]; strings.Count(text, "/") > 1 && len(text) <= longestLine {
				for _, m := range seriesBySlashes.FindAllStringIndex(text, mostSeries) {
					keep(partsIn(w.ix.Source, line.Start+m[0], line.Start+m[1], "/"))
				}
			}
		}
	}
	return w.series[n]
}

// mostSeries bounds how many runs of a line, and brackets of a document, are looked at.
const mostSeries = 500

// longestRun is how many bytes the brackets of a run have at most.
const longestRun = 160

// runsInBrackets calls for the words before brackets, with what those have between commas.
func (w *weigher) runsInBrackets(keep func([]span)) {
	source := w.ix.Source
	for open, n := strings.IndexByte(source, '('), 0; open >= 0 && n < mostSeries; n++ {
		inside := source[open+1 : min(len(source), open+1+longestRun)]
		if end := strings.IndexAny(inside, "()\n"); end > 0 && inside[end] == ')' && strings.Contains(inside[:end], ", ") {
			from := max(0, open-besideNameOfRun)
			if m := beforeBrackets.FindStringIndex(source[from:open]); m != nil {
				keep(append([]span{between(from+m[0], open-1)}, partsIn(source, open+1, open+1+end, ", ")...))
			}
		}
		next := strings.IndexByte(source[open+1:], '(')
		if next < 0 {
			return
		}
		open += 1 + next
	}
}

// besideNameOfRun is how many bytes the word before the brackets of a run has at most.
const besideNameOfRun = 24

// partsIn gives the parts of a stretch that a sign parts.
func partsIn(source string, from, to int, sign string) (all []span) {
	for _, part := range strings.Split(source[from:to], sign) {
		text := strings.TrimSpace(part)
		start := from + strings.Index(part, text)
		all = append(all, between(start, start+len(text)))
		from += len(part) + len(sign)
	}
	return all
}
