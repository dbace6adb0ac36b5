package export

import (
	"bufio"
	"cmp"
	"fmt"
	"io"
	"slices"
	"strings"

	"filler/internal/ask/exchange"
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
	out       *bufio.Writer
	tests     document.Others
	Documents int
	Examples  int
	Tokens    []int // of each example
	Pictures  int   // in all of them; what they are in tokens is an estimate
	Unrested  int   // values that are answered without what they rest on
	LeftOut   map[string][]string
}

// NewTraining begins a file of examples. What is nearly one of the texts of the test split is
// not trained on.
func NewTraining(w io.Writer, tests document.Others) *Training {
	return &Training{out: bufio.NewWriter(w), LeftOut: map[string][]string{}, tests: tests}
}

// Leave notes a document that gives no examples.
func (t *Training) Leave(id, why string) { t.LeftOut[why] = append(t.LeftOut[why], id) }

// Add writes the examples of a document.
func (t *Training) Add(id, text string, lessons []fill.Lesson) error {
	if t.tests.HasNear(text) {
		t.Leave(id, "nearly a document of the test split")
		return nil
	}
	t.Documents++
	for i := range lessons {
		l := lessons[i]
		line, err := l.Messages()
		if err != nil {
			return err
		}
		n := tokens.Count(l.Answer)
		for _, m := range l.Request.Messages {
			n += tokens.Count(m.Content)
			for _, img := range m.Images {
				n += cmp.Or(img.Tokens, exchange.UsualPicture)
				t.Pictures++
			}
		}
		t.Unrested += l.Unrested
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
