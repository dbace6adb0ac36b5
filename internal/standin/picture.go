package standin

import (
	"context"
	"fmt"
	"strings"

	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/source/layout"
)

// look reads the pictures of a request by the OCR program: the stand-in has no
// eyes. Where no text came along, what they say is the document.
func (t *task) look(ctx context.Context, pictures [][]byte) error {
	var texts []string
	for i, p := range pictures {
		d, err := (&document.Reader{}).Parse(ctx, fmt.Sprintf("picture %d", i+1), p)
		if err != nil {
			return err
		}
		t.pages = append(t.pages, d)
		texts = append(texts, d.Render(layout.Rows))
	}
	if t.document == "" {
		t.document = strings.Join(texts, "\n")
	}
	return nil
}

// places puts values with their places on the pictures in place of values.
func (w *writer) places(f *schema.Field, v *value.Value) value.Value {
	switch {
	case f.Type == schema.Group && v.Kind == value.Object:
		out := value.Obj()
		for _, kid := range f.Fields {
			if at := v.Get(kid.Name); at != nil {
				got := w.places(kid, at)
				out.Kids = append(out.Kids, got.Named(kid.Name))
			}
		}
		return out
	case f.Type == schema.List && v.Kind == value.Array:
		out := value.List()
		for i := range v.Kids {
			out.Kids = append(out.Kids, w.places(f.Item, &v.Kids[i]))
		}
		return out
	}
	page, box := w.where(f, v)
	own := v.Clone()
	return value.Obj(own.Named("value"), page.Named("page"), box.Named("box"))
}

// where finds the words of a value on the pictures.
func (w *writer) where(f *schema.Field, v *value.Value) (page, box value.Value) {
	spellings := []string{v.Text}
	if f.Type == schema.Date {
		for _, format := range f.DateFormats() {
			if spelled := format.Write(v.Text); spelled != "" {
				spellings = append(spellings, spelled)
			}
		}
	}
	for _, s := range spellings {
		if page, box = w.spelled(v, s); page.Kind != value.Null {
			break
		}
	}
	return page, box
}

func (w *writer) spelled(v *value.Value, text string) (page, box value.Value) {
	box = value.List()
	want := strings.Fields(text)
	if amount := v.Get("amount"); amount != nil {
		want = []string{amount.Text}
	}
	if len(want) == 0 || v.Kind == value.Bool {
		return page, box
	}
	for n, d := range w.task.pages {
		if d.Layout == nil {
			continue
		}
		words := d.Layout.Words
		for i := 0; i+len(want) <= len(words); i++ {
			union := layout.Box{}
			for j := range want {
				if !strings.EqualFold(strings.Trim(words[i+j].Text, ".,;:()"), strings.Trim(want[j], ".,;:()")) {
					union = layout.Box{}
					break
				}
				union = union.Union(words[i+j].Box)
			}
			if union != (layout.Box{}) {
				for _, k := range union {
					box.Kids = append(box.Kids, value.Num(fmt.Sprint(k)))
				}
				return value.Num(fmt.Sprint(n + 1)), box
			}
		}
	}
	return page, box
}
