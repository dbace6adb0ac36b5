package invent

import (
	"math/rand/v2"
	"slices"
	"sort"
	"strings"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Kinds of what is wrong with a text on purpose.
const (
	Misspelt     = "misspelt"     // words that are no values
	Crossed      = "crossed"      // a value that is crossed out, before the one that holds
	Contradicted = "contradicted" // another value first, and at the end a correction that says which holds
	Unlabelled   = "unlabelled"   // a value without what documents print before it
	Irrelevant   = "irrelevant"   // prose that says nothing of the record
)

// Noises are all kinds.
var Noises = []string{Misspelt, Crossed, Contradicted, Unlabelled, Irrelevant}

// unlabelled picks the value whose label is left out: one that is told by its form.
func (j *Job) unlabelled(rec *value.Value, r *rand.Rand) (value.Pointer, bool) {
	var all []value.Pointer
	for _, f := range j.Schema.Record().Fields {
		own := rec.Get(f.Name)
		if !own.Empty() && (f.Pattern != nil || f.Type == schema.Date || f.Type == schema.Money) {
			all = append(all, value.Pointer("").Key(f.Name))
		}
	}
	if len(all) == 0 {
		return "", false
	}
	return pick(r, all), true
}

// spoil does one kind of noise to a text; it gives the kind that was done, "" where the
// text has no place for it.
func (j *Job) spoil(w *writer, rec *value.Value, kind string) string {
	done := false
	switch kind {
	case Misspelt:
		done = w.misspell()
	case Crossed:
		done = j.cross(w, rec)
	case Contradicted:
		done = !j.Schema.EachEntry() && j.contradict(w, rec)
	case Unlabelled:
		done = w.hides
	case Irrelevant:
		var b strings.Builder
		for range 3 + w.r.IntN(5) {
			b.WriteString(sentence(w.r) + " ")
		}
		at := strings.Index(w.Text(), "\n\n")
		if at < 0 {
			at = 0
		} else {
			at += 2
		}
		w.replace(Span{at, at}, strings.TrimSpace(b.String())+"\n\n")
		done = true
	}
	if !done {
		return ""
	}
	return kind
}

// misspell changes two or three words that are no values.
func (w *writer) misspell() bool {
	type word struct{ start, end int }
	var all []word
	text := w.Text()
	for _, d := range w.Dims {
		for _, m := range wordPart.FindAllStringIndex(text[d.Start:d.End], -1) {
			if m[1]-m[0] >= 4 {
				all = append(all, word{d.Start + m[0], d.Start + m[1]})
			}
		}
	}
	if len(all) == 0 {
		return false
	}
	w.r.Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
	all = all[:min(len(all), 2+w.r.IntN(2))]
	sort.Slice(all, func(i, j int) bool { return all[i].start > all[j].start })
	for _, at := range all {
		letters := []rune(text[at.start:at.end])
		i := 1 + w.r.IntN(len(letters)-2)
		switch w.r.IntN(3) {
		case 0:
			letters[i], letters[i+1] = letters[i+1], letters[i]
		case 1:
			letters = slices.Delete(letters, i, i+1)
		default:
			letters = slices.Insert(letters, i, letters[i])
		}
		w.replace(Span{at.start, at.end}, string(letters))
	}
	return true
}

// depth is how deep the fields of a record stand.
func (j *Job) depth() int {
	if j.Schema.EachEntry() {
		return 2
	}
	return 1
}

// another draws another value of a field, and writes it.
func (j *Job) another(w *writer, rec *value.Value) (p value.Pointer, f *schema.Field, text string) {
	var all []value.Pointer
	for at := range w.Places {
		field := j.Schema.At(at)
		if len(at.Steps()) == j.depth() && field != nil && (field.Type == schema.Date || field.Type == schema.Money || field.Type == schema.Quantity || field.Type == schema.Number || field.Type == schema.Text && field.Pattern == nil) {
			all = append(all, at)
		}
	}
	if len(all) == 0 {
		return "", nil, ""
	}
	slices.Sort(all)
	p = pick(w.r, all)
	f = j.Schema.At(p)
	d := &drawing{Maker: j.Maker, r: w.r}
	own := w.Text()[w.Places[p].Start:w.Places[p].End]
	for range 20 {
		v := d.fresh(f)
		if text, ok := spell(f, &v, &written{rec.At(p), own}, w.r); ok && !value.Equal(&v, rec.At(p)) && !strings.Contains(w.Text(), text) {
			return p, f, text
		}
	}
	return "", nil, ""
}

func (j *Job) cross(w *writer, rec *value.Value) bool {
	p, _, text := j.another(w, rec)
	if p == "" {
		return false
	}
	at := w.Places[p]
	w.replace(Span{at.Start, at.Start}, "~~"+text+"~~ ")
	return true
}

func (j *Job) contradict(w *writer, rec *value.Value) bool {
	p, f, text := j.another(w, rec)
	if p == "" {
		return false
	}
	at := w.Places[p]
	own := w.Text()[at.Start:at.End]
	w.replace(at, text)
	delete(w.Places, p)
	end := "\n"
	if strings.HasSuffix(w.Text(), "\n") {
		end = ""
	}
	w.say(end + "\nCorrection: " + strings.ToLower(w.label(f)) + " is not " + text + " but ")
	w.value(p, own)
	w.say(".\n")
	return true
}
