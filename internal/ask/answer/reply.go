// Package answer reads what a model answered.
//
// Rules it keeps:
//
//   - What is valid JSON is read as it stands, to the last digit, with no deviation.
//   - What is nearly JSON is read leniently. Every deviation is listed
//     with its kind and its place in the reply.
//   - A value that a cut left incomplete is dropped, never half kept; all
//     complete parts stay, and the result says that it was cut.
//   - What holds no record is an error. The reply itself is the caller's to
//     keep.
package answer

import (
	"errors"
	"fmt"
	"html"
	"strings"

	"filler/internal/base/value"
)

// Deviation is one departure to the text of a reply.
type Deviation struct {
	Kind   string
	Offset int // in the reply, in bytes
	Note   string
}

// The kinds of deviations.
const (
	Fence     = "fence"     // a code fence around the JSON
	Chatter   = "chatter"   // words around the JSON
	Comma     = "comma"     // a comma too many or too few
	Quotes    = "quotes"    // other quotes than double ones, or none
	RawQuote  = "raw-quote" // a quote inside a string
	RawLine   = "raw-line"  // a raw control character inside a string
	Escape    = "escape"    // an escape that JSON does not know
	Word      = "word"      // None, True, NaN and the like
	Number    = "number"    // a number in another notation
	Comment   = "comment"   // a comment
	Colon     = "colon"     // another sign than a colon, or none
	Bracket   = "bracket"   // a bracket of the wrong kind
	Close     = "close"     // a bracket missing at the end
	Cut       = "cut"       // an incomplete value at the end, dropped
	Ellipsis  = "ellipsis"  // three dots in place of items
	Repeated  = "repeated"  // a key that stands twice in one object
	Encoding  = "encoding"  // bytes that are no UTF-8
	Plain     = "plain"     // YAML, a table, tags or lines of name and value in place of JSON
	LeftAside = "aside"     // another JSON value in the reply that is not the answer
)

// Result is a reply, read.
type Result struct {
	Value      value.Value
	All        []value.Value // all objects that stand side by side in the reply, in order, where there are several
	Deviations []Deviation
	Cut        bool // the reply ended early
	// LastBracket says, of one that ended early, that nothing but the bracket of the
	// whole is missing.
	LastBracket bool
	reading
}

// MaxBytes is the longest reply that is read.
const MaxBytes = 64 << 20

// ErrEmpty says that a reply holds nothing at all.
var ErrEmpty = errors.New("the reply is empty")

// ErrNoRecord says that a reply holds no JSON, not even nearly.
var ErrNoRecord = errors.New("the reply holds nothing that can be read as JSON")

// ErrDeep says that a reply is nested beyond value.MaxDepth.
var ErrDeep = fmt.Errorf("the reply is nested deeper than %d levels", value.MaxDepth)

// Read reads a reply from which a value of kind want (Object or Array) is
// expected.
func Read(text string, want value.Kind) (Result, error) { return ReadKnown(text, want, nil) }

// ReadKnown is Read where the names of fields are known: then what is no JSON at
// all is read as YAML, as a table or as lines of `name: value`, if most of its
// names are known ones.
func ReadKnown(text string, want value.Kind, known func(name string) bool) (Result, error) {
	r, err := read(text, want, 0)
	if known == nil || err != nil && !errors.Is(err, ErrNoRecord) {
		return r, err
	}
	if err != nil || len(r.Deviations) > 0 {
		// What was read may be but a piece: a value of one of many lines.
		if whole, ok := joined(&r, known); ok && err == nil {
			r = whole
		}
		if err == nil && !isNamed(r.text, r.start, known) {
			return r, nil
		}
		if plain, ok := readPlain(text, known); ok && (err != nil || fieldNames(&plain.Value, known) > fieldNames(&r.Value, known)) {
			return plain, nil
		}
	}
	return r, err
}

// isNamed tells whether what stands at a place is the value of a line of name and
// value, and so but a piece of the answer.
func isNamed(text string, at int, known func(string) bool) bool {
	line := text[strings.LastIndexByte(text[:at], '\n')+1 : at]
	m := nameAndValue.FindStringSubmatch(line)
	return m != nil && strings.Trim(m[2], "*_ ") == "" && known(plainKey(m[1]))
}

// fieldNames counts the names of fields in an object, or in a list's first item.
func fieldNames(v *value.Value, known func(string) bool) (n int) {
	if v.Kind == value.Array && len(v.Kids) > 0 {
		v = &v.Kids[0]
	}
	if v.Kind != value.Object {
		return 0
	}
	for i := range v.Kids {
		if known(v.Kids[i].Name) {
			n++
		}
	}
	return n
}

// joined puts objects that stand side by side into one where each has other
// fields: a record that was written a member a line.
func joined(r *Result, known func(string) bool) (Result, bool) {
	if len(r.All) < 3 {
		return Result{}, false
	}
	whole := value.Obj()
	for _, part := range r.All {
		for _, m := range part.Kids {
			if !known(m.Name) || whole.Get(m.Name) != nil {
				return Result{}, false
			}
			whole.Kids = append(whole.Kids, m)
		}
	}
	out := Result{Value: whole, Cut: r.Cut, reading: r.reading}
	for _, m := range r.Deviations {
		if m.Kind != LeftAside {
			out.Deviations = append(out.Deviations, m)
		}
	}
	out.Deviations = append(out.Deviations, Deviation{Kind: Plain, Note: fmt.Sprintf("%d objects side by side in place of one", len(r.All))})
	return out, true
}

// read reads JSON, nearly JSON, and JSON within a string.
func read(text string, want value.Kind, level int) (Result, error) {
	if len(text) > MaxBytes {
		return Result{}, fmt.Errorf("the reply has over %d MB", MaxBytes>>20)
	}
	if strings.TrimSpace(text) == "" {
		return Result{}, ErrEmpty
	}
	if v, err := value.Parse(text); err == nil && (v.Kind == value.Object || v.Kind == value.Array) {
		r := Result{Value: v, reading: reading{text: text, exact: true}}
		r.repeats()
		return r, nil
	}
	var deviations []Deviation
	if inner, ok := quotedJSON(text); ok && level < 2 {
		r, err := read(inner, want, level+1)
		r.Deviations = append([]Deviation{{Escape, 0, "JSON within a string"}}, r.Deviations...)
		return r, err
	}
	if valid := strings.ToValidUTF8(text, "\ufffd"); valid != text {
		text = valid
		deviations = append(deviations, Deviation{Kind: Encoding, Note: "bytes that are not UTF-8 became U+FFFD"})
	}
	text, dress := undressed(text)
	if deviations = append(deviations, dress...); len(dress) > 0 {
		if v, err := value.Parse(text); err == nil && (v.Kind == value.Object || v.Kind == value.Array) {
			r := Result{Value: v, Deviations: deviations, reading: reading{text: text, exact: true}}
			r.repeats()
			return r, nil
		}
	}
	if i := strings.Index(text, "&quot;"); i >= 0 && !strings.Contains(text, `"`) {
		text = html.UnescapeString(text)
		deviations = append(deviations, Deviation{Escape, i, "HTML entities"})
	}
	all, deep := candidates(text)
	if deep {
		return Result{}, ErrDeep
	}
	best, others := pick(all, want)
	if best == nil || (want == value.Object && !holdsObject(&best.v)) {
		return Result{}, ErrNoRecord
	}
	r := Result{Value: best.v, All: sideBySide(all), Cut: best.cut, LastBracket: best.lastBracket, Deviations: append(deviations, best.around(text)...), reading: reading{text: text, start: best.start, end: best.end}}
	r.Deviations = append(r.Deviations, best.deviations...)
	r.others = best.asides(text)
	for _, d := range best.deviations {
		if d.Kind == Ellipsis {
			r.unused = append(r.unused, Unused{Offset: d.Offset, Line: 1 + strings.Count(text[:d.Offset], "\n"), Text: "...", Reason: ReasonDots})
		}
	}
	for _, o := range others {
		r.Deviations = append(r.Deviations, Deviation{LeftAside, o.start, ReasonOther})
	}
	for _, f := range all {
		if f != best && (f.weight > 1 || f.weight == 1 && f.v.Kind == value.Object) {
			r.others = append(r.others, span{f.start, f.end, ReasonOther, false})
		}
	}
	r.repeats()
	return r, nil
}

// quotedJSON gives the text of a JSON string that holds an object or a list.
func quotedJSON(text string) (string, bool) {
	v, err := value.Parse(strings.TrimSpace(text))
	if err != nil || v.Kind != value.String {
		return "", false
	}
	inner := strings.TrimSpace(v.Text)
	return inner, strings.HasPrefix(inner, "{") || strings.HasPrefix(inner, "[")
}

// sideBySide gives the objects among the values of a reply, where there are
// several and nothing else: one record a line, or one a block.
func sideBySide(all []*found) []value.Value {
	var objects []value.Value
	for _, f := range all {
		if f.v.Kind == value.Object && len(f.v.Kids) > 0 {
			objects = append(objects, f.v)
		}
	}
	if len(objects) < 2 {
		return nil
	}
	return objects
}

// holdsObject tells whether v is an object or a list of objects; a list of
// other things, as [1] in prose, is no record.
func holdsObject(v *value.Value) bool {
	return v.Kind == value.Object || (len(v.Kids) > 0 && v.Kids[0].Kind == value.Object)
}

// found is one value that stands in a reply.
type found struct {
	v           value.Value
	start, end  int
	deviations  []Deviation
	cut         bool
	lastBracket bool
	weight      int // how many values it holds
}

// maxCandidates bounds how many values of a reply are looked at.
const maxCandidates = 64

// candidates gives the values that stand in a text, in order; deep says that
// one is nested too deep to be read.
func candidates(text string) (all []*found, deep bool) {
	for at := skipThinking(text); at < len(text) && len(all) < maxCandidates; {
		i := strings.IndexAny(text[at:], "{[")
		if i < 0 {
			break
		}
		at += i
		f, err := lenient(text, at)
		if err == ErrDeep {
			return nil, true
		}
		if err != nil {
			at = f.end
			continue
		}
		all = append(all, f)
		at = max(f.end, at+1)
	}
	return all, false
}

// skipThinking gives where the answer starts behind a block of thoughts.
func skipThinking(text string) int {
	for _, tag := range []string{"</think>", "</thinking>", "</reasoning>"} {
		if i := strings.LastIndex(text, tag); i >= 0 {
			return i + len(tag)
		}
	}
	return 0
}

// pick gives the value that is the answer: of the wanted kind if any is, and
// of these the one that holds most; of equals the last.
func pick(all []*found, want value.Kind) (best *found, others []*found) {
	for _, f := range all {
		if best == nil || better(f, best, want) {
			best = f
		}
	}
	for _, f := range all {
		if f != best && f.weight > 1 {
			others = append(others, f)
		}
	}
	return best, others
}

func better(f, best *found, want value.Kind) bool {
	if (f.v.Kind == want) != (best.v.Kind == want) {
		return f.v.Kind == want
	}
	return f.weight >= best.weight
}

// asides gives the comments within the value, and what a cut has dropped.
func (f *found) asides(text string) (all []span) {
	for _, d := range f.deviations {
		switch d.Kind {
		case Comment:
			end := len(text)
			mark := "\n"
			if strings.HasPrefix(text[d.Offset:], "/*") {
				mark = "*/"
			}
			if i := strings.Index(text[d.Offset:], mark); i >= 0 {
				end = d.Offset + i
			}
			all = append(all, span{d.Offset, end, ReasonComment, true})
		case Cut:
			start := strings.LastIndexAny(text[:d.Offset], ",{[") + 1  // its name too
			all = append(all, span{start, len(text), ReasonCut, true}) // the record is told to be truncated
		}
	}
	return all
}

// around gives the deviations for what stands before and behind the value.
func (f *found) around(text string) []Deviation {
	var deviations []Deviation
	before, after := strings.TrimSpace(text[:f.start]), strings.TrimSpace(text[f.end:])
	if i := strings.LastIndex(before, "```"); i >= 0 && !strings.Contains(before[i:], "\n") {
		before = strings.TrimSpace(before[:i])
		deviations = append(deviations, Deviation{Fence, i, "a code fence around the JSON"})
		if strings.HasPrefix(after, "```") {
			after = strings.TrimSpace(strings.TrimLeft(after, "`"))
		}
	}
	if before != "" {
		deviations = append(deviations, Deviation{Chatter, 0, fmt.Sprintf("%d bytes of words before the JSON", len(before))})
	}
	if after != "" {
		deviations = append(deviations, Deviation{Chatter, f.end, fmt.Sprintf("%d bytes of words behind the JSON", len(after))})
	}
	return deviations
}

// repeats keeps the last of the members that share a name in one object.
func (r *Result) repeats() {
	if !r.Value.Repeats() {
		return
	}
	listed, more := 0, 0
	r.Value.Walk(func(p value.Pointer, v *value.Value) bool {
		if v.Kind != value.Object {
			return true
		}
		last := make(map[string]int, len(v.Kids))
		for i := range v.Kids {
			last[v.Kids[i].Name] = i
		}
		if len(last) == len(v.Kids) {
			return true
		}
		kept := make([]value.Value, 0, len(last))
		for i := range v.Kids {
			if last[v.Kids[i].Name] == i {
				kept = append(kept, v.Kids[i])
			} else if listed == maxDeviations {
				more++
			} else {
				listed++
				r.drop(p, &v.Kids[i], &v.Kids[last[v.Kids[i].Name]])
				r.Deviations = append(r.Deviations, Deviation{Kind: Repeated, Note: fmt.Sprintf("duplicate key %s; %s was replaced by the later value", p.Key(v.Kids[i].Name), shorten(v.Kids[i].String()))})
			}
		}
		v.Kids = kept
		return true
	})
	if more > 0 {
		r.Deviations = append(r.Deviations, Deviation{Kind: Repeated, Note: fmt.Sprintf("%d more duplicate keys; the last of each was kept", more)})
	}
}

// drop tells of a value that gives way to a later one. The same value again is no
// loss.
func (r *Result) drop(p value.Pointer, v, later *value.Value) {
	r.dropped = append(r.dropped, v.Clone())
	if !value.Equal(v, later) && v.Kind != value.Null {
		r.unused = append(r.unused, Unused{Line: 1, Text: shortenTo(fmt.Sprintf("%s: %s", p.Key(v.Name), v.String()), maxUnusedText), Reason: ReasonRepeat})
	}
}

func shorten(s string) string { return shortenTo(s, 40) }

func shortenTo(s string, most int) string {
	if r := []rune(s); len(r) > most {
		return string(r[:most-1]) + "…"
	}
	return s
}
