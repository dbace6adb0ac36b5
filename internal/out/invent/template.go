package invent

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"strconv"
	"strings"
	"text/template"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Template is a text of the user's own: a Go text/template over the record, with fields by
// their names; lists are gone through with range, unknown values are empty.
type Template struct {
	File string
	tmpl *template.Template
}

// ReadTemplate reads a template, and tries it on a record.
func ReadTemplate(file string, m *Maker) (*Template, error) {
	text, err := os.ReadFile(file)
	if err != nil {
		return nil, fmt.Errorf("%s: can't be read; check its name", file)
	}
	t := &Template{File: file}
	if t.tmpl, err = template.New(file).Option("missingkey=error").Parse(string(text)); err != nil {
		return nil, fmt.Errorf("%s; see `filler help invent`", strings.TrimPrefix(err.Error(), "template: "))
	}
	if m.Schema.EachEntry() {
		return nil, fmt.Errorf("%s: a template is of one record, and the schema has `each: entry`; use --texts", file)
	}
	rec, err := m.Record(0, nil)
	if err != nil {
		return nil, err
	}
	m.used = map[string]bool{} // it was only tried
	w, err := t.fill(m.Schema, &rec, random(1, 1))
	if err != nil {
		return nil, err
	}
	if len(w.Places) == 0 {
		return nil, fmt.Errorf("%s: no value of the record stands in it; write {{.%s}} where one belongs", file, m.Schema.Record().Fields[0].Name)
	}
	return t, nil
}

// Values are written between marks while the template runs, so that their places are known.
const (
	markOpen  = '\uE000'
	markEnds  = '\uE001'
	markClose = '\uE002'
)

// fill writes a record into the template. What the template leaves out is taken out of the
// record, as far as the schema lets it.
func (t *Template) fill(s *schema.Schema, rec *value.Value, r *rand.Rand) (*writer, error) {
	w := &writer{Page: newPage(), r: r, labels: map[string]string{}}
	var at []value.Pointer
	var data func(f *schema.Field, v *value.Value, p value.Pointer) any
	data = func(f *schema.Field, v *value.Value, p value.Pointer) any {
		switch {
		case f.Type == schema.Group:
			all := map[string]any{}
			for _, kid := range f.Fields {
				all[kid.Name] = data(kid, v.Get(kid.Name), p.Key(kid.Name))
			}
			return all
		case f.Type == schema.List:
			all := []any{}
			if v != nil {
				for i := range v.Kids {
					all = append(all, data(f.Item, &v.Kids[i], p.Index(i)))
				}
			}
			return all
		case v.Empty():
			return ""
		}
		text, ok := spell(f, v, nil, r)
		if !ok {
			w.lost = append(w.lost, p)
			return ""
		}
		at = append(at, p)
		return string(markOpen) + strconv.Itoa(len(at)-1) + string(markEnds) + text + string(markClose)
	}
	var b strings.Builder
	if err := t.tmpl.Execute(&b, data(s.Record(), rec, "")); err != nil {
		var exec template.ExecError
		if errors.As(err, &exec) {
			err = exec.Err
		}
		return nil, fmt.Errorf("%s; fields stand by their names, such as {{.%s}}", strings.TrimPrefix(err.Error(), "template: "), s.Record().Fields[0].Name)
	}
	rest := b.String()
	for {
		before, more, ok := strings.Cut(rest, string(markOpen))
		if w.say(before); !ok {
			break
		}
		number, more, _ := strings.Cut(more, string(markEnds))
		text, after, _ := strings.Cut(more, string(markClose))
		if n, err := strconv.Atoi(number); err == nil && n < len(at) {
			w.value(at[n], text)
		}
		rest = after
	}
	eachLeaf(s.Record(), rec, "", func(_ *schema.Field, v *value.Value, p value.Pointer) {
		if _, there := w.Places[p]; !there && !v.Empty() {
			w.lost = append(w.lost, p)
		}
	})
	return w, nil
}
