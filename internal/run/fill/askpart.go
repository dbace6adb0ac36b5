package fill

import (
	"context"
	"errors"
	"fmt"
	"regexp"
	"strings"
	"sync"
	"unicode/utf8"

	"filler/internal/ask/answer"
	"filler/internal/ask/exchange"
	"filler/internal/ask/model"
	"filler/internal/ask/outline"
	"filler/internal/ask/prompt"
	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/evidence"
	"filler/internal/record/normalize"
	"filler/internal/record/trace"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/source/layout"
)

// piece is one part of one chunk of a document, asked for in one request.
type piece struct {
	*part
	chunk *prompt.Chunk // nil: the whole document
	room  prompt.Room
	step  string
	level int // how often it was split

	keys *value.Value // what its links may point to, found by other pieces; nil: none

	w     *filling
	by    *Model          // whom it is asked of
	index *evidence.Index // of what is shown
	trace log

	record     value.Value
	places     evidence.Places
	pointed    evidence.Places          // places that the model named
	seen       evidence.Places          // places on the pages that the model named
	basis      map[value.Pointer]string // words that inferred values rest on
	normalized []normalize.Change
	cut        bool     // the reply ended early
	came       []string // the fields that came whole before it did
	unused     []answer.Unused
	garbled    bool        // the reply is not all UTF-8
	unstated   bool        // the model says that the document does not state the field
	code       record.Code // why no record came, or ""
	why        string
	halves     []*piece // what it was split into
}

// fill asks for the piece and reads the answer. An error means that the
// document waits for another time.
func (x *piece) fill(ctx context.Context) error {
	came, err := x.ask(ctx)
	if err != nil {
		if ends(err) {
			return err
		}
		x.code, x.why = record.NoAnswer, err.Error()
		return nil
	}
	if err := x.take(came); err != nil {
		x.code, x.why = record.Syntax, err.Error()
		var none *noAnswer
		if errors.As(err, &none) {
			x.code = record.NoAnswer
		}
	}
	if x.cut || x.code == record.Syntax && cutOff(came) {
		if err := x.split(ctx); err != nil {
			return err
		}
	}
	if x.code == "" && x.halves == nil {
		x.places = x.locate(&x.record)
	}
	return nil
}

func spansOf(spans []layout.Span) [][2]int {
	var out [][2]int
	for _, s := range spans {
		out = append(out, [2]int{s.Start, s.End})
	}
	return out
}

// ask sends the request, again in a weaker shape where the server refuses one.
func (x *piece) ask(ctx context.Context) (*model.Answer, error) {
	w := x.w
	for {
		ask := w.asker(x.by).ask(x.part, x.chunk)
		if ask.Given == nil {
			ask.Given = x.keys
		}
		shape := ask.Shape
		req := ask.Request()
		if most := x.by.Context; most > 0 {
			if need := model.Guess(req) + x.by.Reply; need > most && len(ask.Images) == 0 {
				return nil, &model.Failure{Msg: fmt.Sprintf("%s needs about %d tokens with the reply, and the model holds %d", w.doc.ID, need, most), Hint: "one of its lines is too long; split it, or use a model with a larger context"}
			}
		}
		came, err := w.send(ctx, x.by, x.step, req)
		var fail *model.Failure
		if errors.As(err, &fail) && fail.Shape {
			x.trace.add(&trace.ShapeRefused{Shape: shape, Why: fail.Msg})
			continue
		}
		if err == nil && !follows(shape, came) && !x.usable(came) {
			weaker, serr := x.by.Client.Weaken(shape)
			if serr != nil {
				return nil, serr
			}
			if weaker {
				x.trace.add(&trace.ShapeRefused{Shape: shape, Why: "the server accepted the shape but did not follow it"})
				continue
			}
		}
		if err == nil {
			x.trace.add(&trace.Asked{Request: x.by.turn + x.step, Shape: shape, Cached: came.Cached})
		}
		return came, err
	}
}

// follows tells whether a reply has the form that the request held it to. A
// reply that was cut, or refused, says nothing about the server.
func follows(shape string, a *model.Answer) bool {
	if shape == "plain" || cutOff(a) || a.Refusal != "" || strings.TrimSpace(a.Text) == "" {
		return true
	}
	v, err := value.Parse(strings.TrimSpace(a.Text))
	return err == nil && v.Kind == value.Object
}

// cutOff tells a reply that did not come to its own end: it was too long, or ran
// in circles and was stopped.
func cutOff(a *model.Answer) bool { return a.Finish == "length" || a.Finish == exchange.FinishCircles }

// usable tells whether a reply that did not keep its form says enough all the
// same: asking again costs.
func (x *piece) usable(a *model.Answer) bool {
	r, err := x.reply(a.Text)
	if err != nil {
		return false
	}
	v, _ := answer.Inner(x.schema, r.Value)
	if x.schema.EachEntry() {
		return v.Get(schema.Wrapper) != nil || v.Kind == value.Array
	}
	known := 0
	for i := range v.Kids {
		if x.schema.Record().Child(v.Kids[i].Name) != nil {
			known++
		}
	}
	return v.Kind == value.Object && known > 0 && known*2 >= len(v.Kids)
}

// take reads a reply into the record and normalizes it.
func (x *piece) take(came *model.Answer) error {
	if strings.TrimSpace(came.Text) == "" {
		return &noAnswer{whyNone(came, x.by.Reply)}
	}
	// What is not UTF-8 has become U+FFFD on the way. A document may have it too.
	x.garbled = strings.ContainsRune(came.Text, utf8.RuneError) && !strings.ContainsRune(x.w.doc.Text, utf8.RuneError)
	if x.field != nil {
		x.short(came.Text)
		return nil
	}
	if err := x.read(came); err != nil {
		return err
	}
	x.normalize()
	return nil
}

// noAnswer says that a reply holds no answer.
type noAnswer struct{ why string }

func (e *noAnswer) Error() string { return e.why }

// whyNone says in the server's words why a reply is empty.
func whyNone(came *model.Answer, most int) string {
	switch {
	case came.Refusal != "":
		return "the model refused: " + came.Refusal
	case came.Finish == "content_filter":
		return "the server held the reply back (content_filter)"
	case came.Finish == "length" && (came.Reasoned || came.Reasoning > 0):
		return fmt.Sprintf("the model thought until its cap of %d tokens and gave no answer; raise the model's `reply`", most)
	case came.Reasoned:
		return "the model thought and gave no answer"
	case came.Finish != "" && came.Finish != "stop":
		return fmt.Sprintf("the reply is empty (%s)", came.Finish)
	}
	return answer.ErrEmpty.Error()
}

// unstated is how answers to a question for one field say that there is none.
var unstated = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`(?i)^"?(?:` + outline.NotStated + `\b|` + lang.Unstated.Pattern() + `(?: |\.|$)|(?:the|this) ` + lang.Document.Pattern() + `s? do(?:es)? not ` + lang.States.Pattern() + `\b)`)
})

// locate gives the evidence of a record; of a value that is inferred, the words
// it rests on, where they stand in what was shown.
func (x *piece) locate(v *value.Value) evidence.Places {
	for p, place := range x.pointed { // a normalizer may have put it in other words
		if at := v.At(p); at != nil && at.Text != x.w.doc.Text[place.Start:place.End] {
			place.Kind = evidence.Restated
			x.pointed[p] = place
		}
	}
	places := evidence.With(x.schema, v, x.index, x.pointed)
	for p, place := range places { // words are better evidence than a picture
		if at, ok := x.seen[p]; ok && !place.Found() {
			places[p] = at
		}
	}
	for p, place := range places {
		if words, ok := x.basis[p]; ok && place.Kind != evidence.Pictured {
			places[p] = x.index.RestsOn(place, words, v.At(p))
		}
	}
	return onPages(x.w.doc, places)
}

// onPages adds pages and boxes.
func onPages(d *document.Document, places evidence.Places) evidence.Places {
	if d.Layout != nil {
		for p, place := range places {
			places[p] = onPage(d.Layout, place)
		}
	}
	return places
}

// onPage adds page and boxes of the words that a place spans.
func onPage(t *layout.Text, p evidence.Place) evidence.Place {
	if !p.Found() {
		return p
	}
	p.Boxes = nil
	from, to := t.Within(p.Start, p.End)
	line := -1
	for i := from; i < to; i++ {
		w := &t.Words[i]
		if w.Box == (layout.Box{}) {
			continue // a page that a model wrote down has no places
		}
		if p.Page == 0 {
			p.Page = w.Page
		}
		if w.Line != line {
			line = w.Line
			p.Boxes = append(p.Boxes, w.Box)
			continue
		}
		p.Boxes[len(p.Boxes)-1] = layout.Box(p.Boxes[len(p.Boxes)-1]).Union(w.Box)
	}
	if len(p.Boxes) > 0 {
		p.Box = p.Boxes[0]
	}
	return p
}
