package fill

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"image/png"
	"strings"
	"time"

	"filler/internal/ask/exchange"
	"filler/internal/ask/model"
	"filler/internal/ask/prompt"
	"filler/internal/base/project"
	"filler/internal/base/value"
	"filler/internal/demo/paper"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/store"
)

// The verdicts of a probe.
const (
	Honoured = "honoured"
	Ignored  = "accepted, not followed"
	Refused  = "refused"
	Silent   = "no answer"
	Same     = "the same reply"
	Another  = "another reply"
)

// Probed is what one small exchange has shown.
type Probed struct {
	What    string // a shape, "schema shown", "images" or "same reply twice"
	Verdict string
	Note    string
	Took    time.Duration
	PerSec  float64 // tokens of the reply a second; 0 where not known
}

// probeSchema and probeText are the small job that every shape is tried on. The
// bridge's name tells whether the document was read.
const probeSchema = `schema: probe
about: One visit to one footbridge.
fields:
  bridge: {text: Name of the bridge., required: true}
  bays: {integer: How many bays it has.}
  open: {boolean: Whether it is open.}
`

const probeText = "Bridge: Pipit Gill\nBays: 3\nOpen: yes\n"

// Probe tries out what a model's server can do, one small exchange after the
// other, and tells each result as it comes. It remembers the strongest shape
// that was honoured, for `shape: auto`.
func Probe(ctx context.Context, m *project.Model, dir string, pace project.Pace, l store.Store, tell func(Probed)) error {
	p := &prober{tell: tell}
	var err error
	if p.schema, err = schema.Parse("probe.yaml", []byte(probeSchema)); err != nil {
		return err
	}
	if p.doc, err = document.Parse("probe.txt", []byte(probeText)); err != nil {
		return err
	}
	fixed := *m
	fixed.Shape = "plain" // a refusal must not change what is known of the model
	pace.Attempts = 1
	client, server, err := connect(&fixed, dir, pace, protocol, l)
	if err != nil {
		return err
	}
	if server != nil {
		defer server.Close()
	}
	client.Fresh = true
	p.client, p.model = client, &fixed
	best := ""
	for _, shape := range project.Shapes[1:] {
		verdict, err := p.shape(ctx, shape)
		if err != nil {
			return err
		}
		if verdict == Honoured && best == "" {
			best = shape
		}
	}
	if best == "schema" || best == "tool" {
		if err := p.described(ctx, best == "tool"); err != nil {
			return err
		}
	}
	if err := p.twice(ctx); err != nil {
		return err
	}
	if said := client.Adapted(); said != "" {
		tell(Probed{What: "keys of a request", Verdict: Ignored, Note: said})
	}
	if err := p.images(ctx); err != nil {
		return err
	}
	if best == "" {
		return nil
	}
	return l.SaveShape(model.Identity(m), best)
}

type prober struct {
	client *model.Client
	model  *project.Model
	schema *schema.Schema
	doc    *document.Document
	tell   func(Probed)
	last   string // the reply in words
}

// ask makes one exchange. An error means that no further one makes sense.
func (p *prober) ask(ctx context.Context, req *exchange.Request) (a *model.Answer, took time.Duration, refused *model.Failure, err error) {
	began := time.Now()
	a, err = p.client.Ask(ctx, model.Call{Step: "probe"}, req)
	took = time.Since(began)
	var f *model.Failure
	if errors.As(err, &f) && (!f.Fatal || f.Rejected) && !f.Stopped {
		return nil, took, f, nil
	}
	return a, took, nil, err
}

func (p *prober) shape(ctx context.Context, shape string) (string, error) {
	req := prompt.Fill(p.model, p.schema, p.doc, shape, prompt.Settings{})
	a, took, refused, err := p.ask(ctx, req)
	if err != nil {
		return "", err
	}
	out := Probed{What: shape, Took: took}
	switch {
	case refused != nil:
		out.Verdict, out.Note = Refused, refused.Msg
	default:
		out.Verdict, out.Note = p.judge(shape, a)
		if took > 0 && a.HasUsage {
			out.PerSec = float64(a.TokensOut) / took.Seconds()
		}
		if shape == "plain" {
			p.last = a.Text
		}
	}
	p.tell(out)
	return out.Verdict, nil
}

// judge tells whether a reply has the form that was asked for.
func (p *prober) judge(shape string, a *model.Answer) (verdict, note string) {
	text := strings.TrimSpace(a.Text)
	switch {
	case text == "" && a.Refusal != "":
		return Ignored, "the model refused: " + a.Refusal
	case text == "":
		return Ignored, "the reply is empty"
	case shape == "tool" && !a.Called:
		return Ignored, "it answered in text and called no function"
	}
	v, err := value.Parse(text)
	switch {
	case err != nil && shape == "plain":
		return Ignored, "not only JSON: there is text or a fence around it"
	case err != nil:
		return Ignored, "the reply is not JSON"
	case v.Kind != value.Object || v.Get("bridge") == nil:
		return Ignored, "the reply is JSON of another form"
	case shape != "plain" && shape != "object" && (v.Get("bays") == nil || v.Get("open") == nil || len(v.Kids) != 3):
		return Ignored, "fields are missing or added"
	case v.Get("bridge").Text != "Pipit Gill":
		return Honoured, "but it did not read the document: " + v.Get("bridge").String()
	}
	return Honoured, ""
}

// twice asks the same once more.
func (p *prober) twice(ctx context.Context) error {
	a, took, refused, err := p.ask(ctx, prompt.Fill(p.model, p.schema, p.doc, "plain", prompt.Settings{}))
	if err != nil {
		return err
	}
	out := Probed{What: "same reply twice", Took: took, Verdict: Same}
	switch {
	case refused != nil:
		out.Verdict, out.Note = Silent, refused.Msg
	case p.last == "":
		return nil
	case a.Text != p.last:
		out.Verdict, out.Note = Another, "repeat runs before trusting a difference"
	}
	p.tell(out)
	return nil
}

// described finds out whether the model is shown the JSON Schema of the reply:
// only a description in it says what to answer.
func (p *prober) described(ctx context.Context, tool bool) error {
	const word = "alder"
	format := `{"type":"object","properties":{"answer":{"type":["string","null"],"description":"(text) The word ` + word + `, whatever is asked."}},"required":["answer"],"additionalProperties":false}`
	req := &exchange.Request{Model: p.model.Name, Temperature: p.model.Temperature, MaxTokens: p.model.Reply, Extra: p.model.Body, FormatName: "probe", Format: []byte(format), Tool: tool,
		Messages: []exchange.Message{{Role: "user", Content: "Answer in the form asked for. The form may say what to answer; where it does not, answer null."}}}
	a, took, refused, err := p.ask(ctx, req)
	if err != nil {
		return err
	}
	out := Probed{What: "schema shown", Took: took, Verdict: Ignored, Note: "the model does not see what the schema says of a field"}
	switch {
	case refused != nil:
		out.Verdict, out.Note = Refused, refused.Msg
	case strings.Contains(strings.ToLower(a.Text), word):
		out.Verdict, out.Note = Honoured, "`sees_schema: true` spares the fields in the prompt"
	}
	p.tell(out)
	return nil
}

// images sends a small picture of a word.
func (p *prober) images(ctx context.Context) error {
	sheet := paper.New(420, 120, 150)
	sheet.Line(40, 70, "Pipit Gill", paper.Style{Size: 16})
	var picture bytes.Buffer
	if err := png.Encode(&picture, sheet.Image); err != nil {
		return err
	}
	req := &exchange.Request{Model: p.model.Name, Temperature: p.model.Temperature, MaxTokens: p.model.Reply, Extra: p.model.Body,
		Messages: []exchange.Message{{Role: "user", Content: "What is printed on this picture? Answer with the words alone.", Images: []exchange.Image{{Type: "image/png", Data: picture.Bytes()}}}}}
	a, took, refused, err := p.ask(ctx, req)
	if err != nil {
		return err
	}
	out := Probed{What: "images", Took: took, Verdict: Honoured}
	switch {
	case refused != nil:
		out.Verdict, out.Note = Refused, refused.Msg
	case !strings.Contains(strings.ToLower(a.Text), "pipit"):
		out.Verdict, out.Note = Ignored, fmt.Sprintf("it says %.60q", strings.TrimSpace(a.Text))
	}
	p.tell(out)
	return nil
}
