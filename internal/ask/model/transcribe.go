package model

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"

	"filler/internal/ask/exchange"
	"filler/internal/source/ocr"
)

// Transcriber has a model that sees write down what is on a picture. Its
// exchanges are in the ledger under run 0.
type Transcriber struct{ Client *Client }

// transcribe is what the model is asked.
const transcribe = `Write down all that is printed or written on this page, and nothing else: no comment, no fence.
Keep the order in which a person reads it, each line on a line of its own. Keep columns of tables apart by several spaces. Leave out what can't be read.`

// Name tells models apart.
func (t Transcriber) Name() string { return "model " + Identity(t.Client.model) }

// Gives gives text: a model names no places.
func (t Transcriber) Gives() string { return ocr.Text }

// Read has the model transcribe a picture.
func (t Transcriber) Read(ctx context.Context, picture []byte) ([]byte, error) {
	m := t.Client.model
	kind := http.DetectContentType(picture)
	if !strings.HasPrefix(kind, "image/") {
		return nil, &ocr.Error{Msg: "models take PNG and JPEG pictures; this is neither", Hint: "save it as PNG"}
	}
	req := &exchange.Request{Model: m.Name, Temperature: m.Temperature, MaxTokens: m.Reply, Extra: m.Body,
		Messages: []exchange.Message{{Role: "user", Content: transcribe, Images: []exchange.Image{{Type: kind, Data: picture}}}}}
	answer, err := t.Client.Ask(ctx, Call{Step: "transcribe"}, req)
	var f *Failure
	switch {
	case errors.As(err, &f) && !f.Stopped:
		hint := f.Hint
		if hint == "" {
			hint = "name a model that sees under `ocr` in filler.yaml"
		}
		return nil, &ocr.Error{Msg: "the model that should read pictures: " + f.Msg, Hint: hint}
	case err != nil:
		return nil, err
	case answer.Refusal != "" && strings.TrimSpace(answer.Text) == "":
		return nil, &ocr.Error{Msg: fmt.Sprintf("the model refused to read it (%s)", answer.Refusal), Hint: "try another model under `ocr`"}
	case answer.Finish == "length":
		return nil, &ocr.Error{Msg: "the model was cut short while it wrote the page down", Hint: "raise the model's `reply` in filler.yaml"}
	}
	return []byte(answer.Text), nil
}
