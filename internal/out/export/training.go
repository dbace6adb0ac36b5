package export

import (
	"bufio"
	"fmt"
	"hash/fnv"
	"io"
	"slices"
	"strings"
	"unicode"

	"filler/internal/base/tokens"
	"filler/internal/base/value"
	"filler/internal/record/evidence"
	"filler/internal/run/fill"
	"filler/internal/schema"
	"filler/internal/source/document"
)

// Training writes examples to tune a model with, one a line: the messages as they would
// be sent, and the answer that the reviewed record says.
type Training struct {
	Schema       *schema.Schema
	Pseudonymize bool // replace the values of sensitive fields, the same by the same
	out          *bufio.Writer
	tests        []document.Shingles
	Documents    int
	Examples     int
	Tokens       []int // of each example
	LeftOut      map[string][]string
}

// NewTraining begins a file of examples. tests are the texts of the test split: what
// is nearly one of them is no example.
func NewTraining(s *schema.Schema, w io.Writer, tests []string) *Training {
	t := &Training{Schema: s, out: bufio.NewWriter(w), LeftOut: map[string][]string{}}
	for _, text := range tests {
		t.tests = append(t.tests, document.NewShingles(text))
	}
	return t
}

// Leave notes a document that gives no examples.
func (t *Training) Leave(id, why string) { t.LeftOut[why] = append(t.LeftOut[why], id) }

// Add writes the examples of a document.
func (t *Training) Add(id, text string, gold *value.Value, lessons []fill.Lesson) error {
	own := document.NewShingles(text)
	for _, test := range t.tests {
		if own.Likeness(test) >= document.NearDuplicate {
			t.Leave(id, "nearly a document of the test split")
			return nil
		}
	}
	var swap []string // what is replaced, and by what
	if t.Pseudonymize {
		var ok bool
		if swap, ok = t.pseudonyms(text, gold); !ok {
			t.Leave(id, "a sensitive value stands otherwise in the text than in the record")
			return nil
		}
	}
	t.Documents++
	for i := range lessons {
		l := lessons[i]
		if len(swap) > 0 {
			change := strings.NewReplacer(swap...)
			l.Answer = change.Replace(l.Answer)
			for k := range l.Request.Messages {
				l.Request.Messages[k].Content = change.Replace(l.Request.Messages[k].Content)
			}
		}
		line, err := l.Messages()
		if err != nil {
			return err
		}
		n := tokens.Count(l.Answer)
		for _, m := range l.Request.Messages {
			n += tokens.Count(m.Content)
		}
		t.Examples, t.Tokens = t.Examples+1, append(t.Tokens, n)
		if _, err := t.out.Write(append(line, '\n')); err != nil {
			return err
		}
	}
	return nil
}

// Close ends the file.
func (t *Training) Close() error { return t.out.Flush() }

// Histogram gives how many examples have up to so many tokens, by powers of two.
func (t *Training) Histogram() (upTo, n []int) {
	if len(t.Tokens) == 0 {
		return nil, nil
	}
	all := slices.Sorted(slices.Values(t.Tokens))
	for most := 256; ; most *= 2 {
		at, _ := slices.BinarySearch(all, most+1)
		upTo, n = append(upTo, most), append(n, at)
		all = all[at:]
		if len(all) == 0 {
			break
		}
	}
	for len(n) > 1 && n[0] == 0 {
		upTo, n = upTo[1:], n[1:]
	}
	return upTo, n
}

// pseudonyms gives what is replaced in a document; false where a sensitive value does
// not stand in it as the record has it.
func (t *Training) pseudonyms(text string, gold *value.Value) (swap []string, ok bool) {
	ok = true
	places := evidence.Of(t.Schema, gold, evidence.NewIndex(text))
	gold.Walk(func(p value.Pointer, v *value.Value) bool {
		f := t.Schema.At(p)
		if f == nil || !f.IsLeaf() || !f.Sensitive || v.Empty() {
			return true
		}
		at := places[p]
		if v.Kind != value.String || !at.Found() || text[at.Start:at.End] != v.Text {
			ok = false
			return false
		}
		swap = append(swap, v.Text, pseudonym(v.Text))
		return false
	})
	return swap, ok
}

// pseudonym gives a text of the same form: letters by letters, digits by digits, the
// same by the same.
func pseudonym(text string) string {
	h := fnv.New64a()
	h.Write([]byte(text))
	state := h.Sum64()
	next := func(n int) int {
		state = state*6364136223846793005 + 1442695040888963407
		return int((state >> 33) % uint64(n))
	}
	return strings.Map(func(r rune) rune {
		switch {
		case unicode.IsDigit(r):
			return rune('0' + next(10))
		case unicode.IsUpper(r):
			return rune('A' + next(26))
		case unicode.IsLetter(r):
			return rune('a' + next(26))
		}
		return r
	}, text)
}

// Spans writes documents with the places of their values, for training a tagger: one
// line of JSON each. Places count the bytes of the text (UTF-8), and in `chars` its
// characters (code points).
type Spans struct {
	out    *bufio.Writer
	schema *schema.Schema
	Values int // that have a place
	Lost   int // that have none
}

// NewSpans begins a file of texts with places.
func NewSpans(s *schema.Schema, w io.Writer) *Spans {
	return &Spans{out: bufio.NewWriter(w), schema: s}
}

// Add writes a document.
func (s *Spans) Add(id, text string, rec *value.Value) error {
	places := evidence.Of(s.schema, rec, evidence.NewIndex(text))
	list := value.List()
	rec.Walk(func(p value.Pointer, v *value.Value) bool {
		f := s.schema.At(p)
		if f == nil || !f.IsLeaf() || v.Empty() {
			return true
		}
		at := places[p]
		if !at.Found() {
			s.Lost++
			return false
		}
		s.Values++
		from := len([]rune(text[:at.Start]))
		to := from + len([]rune(text[at.Start:at.End]))
		num := func(n int) value.Value { return value.Num(fmt.Sprint(n)) }
		list.Kids = append(list.Kids, value.Obj(num(at.Start).Named("start"), num(at.End).Named("end"),
			value.List(num(from), num(to)).Named("chars"), value.Str(f.Path).Named("field"), value.Str(string(p)).Named("path"), value.Str(string(at.Kind)).Named("kind")))
		return false
	})
	slices.SortStableFunc(list.Kids, func(a, b value.Value) int {
		return cmpText(a.Get("start").Text, b.Get("start").Text)
	})
	line := value.Obj(value.Str(id).Named("document"), value.Str(text).Named("text"), list.Named("spans"))
	_, err := s.out.Write(append(line.JSON(), '\n'))
	return err
}

// Close ends the file.
func (s *Spans) Close() error { return s.out.Flush() }

// cmpText compares two counts that are written as texts.
func cmpText(a, b string) int {
	if len(a) != len(b) {
		return len(a) - len(b)
	}
	return strings.Compare(a, b)
}
