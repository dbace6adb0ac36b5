package fill

import (
	"bytes"
	"strings"

	"filler/internal/ask/model"
	"filler/internal/ask/outline"
	"filler/internal/ask/prompt"
	"filler/internal/base/value"
	"filler/internal/record/evidence"
	"filler/internal/schema"
	"filler/internal/store"
)

// Steps are the records that the first reply to a document gives, one step after
// the other. Null: none came.
type Steps struct {
	Came       value.Value // what a strict JSON reader makes of the reply as it came
	Lenient    value.Value // read leniently, and out of what models put around values
	Normalized value.Value
}

// StepsOf reads the first reply of a document in a run once more, step by step.
// It gives false where the document was asked about in several requests, or
// otherwise than whole: then no one reply is the record.
func StepsOf(s *schema.Schema, settings prompt.Settings, exchanges []store.Exchange) (Steps, bool) {
	var first *store.Exchange
	for i := range exchanges {
		x := &exchanges[i]
		switch {
		case x.Step == "fill" && x.Status == 200:
			first = x // of several attempts and shapes the last is what was taken
		case strings.HasPrefix(x.Step, "fill ") && !strings.HasPrefix(x.Step, "fill."):
			return Steps{}, false
		}
	}
	if first == nil || settings.Images != "" {
		return Steps{}, false
	}
	came, err := ReadReply(*first)
	if err != nil {
		return Steps{}, true
	}
	var steps Steps
	if v, err := value.Parse(strings.TrimSpace(came.Text)); err == nil {
		steps.Came = v
		if list := v.Get(schema.Wrapper); s.EachEntry() && list != nil {
			steps.Came = list.Named("")
		}
	}
	x := &piece{part: &part{schema: s, style: prompt.Record}, w: &filling{Filler: &Filler{Schema: s, Settings: settings}, index: evidence.NewIndex(shownIn(first))}}
	if err := x.read(&model.Answer{Reply: *came}); err != nil {
		return steps, true
	}
	steps.Lenient = x.record.Clone()
	x.normalize()
	steps.Normalized = x.record
	return steps, true
}

// shownIn gives the document as a request showed it; "" where none is found.
func shownIn(x *store.Exchange) (doc string) {
	body, err := value.ParseBytes(bytes.Join(x.Request, nil))
	if err != nil {
		return ""
	}
	body.Walk(func(_ value.Pointer, v *value.Value) bool {
		if v.Kind == value.String && outline.Has(v.Text, outline.Document+"\n") {
			if _, shown, _, fenced := outline.FindDocument(v.Text); fenced {
				doc = shown
			}
		}
		return true
	})
	return doc
}
