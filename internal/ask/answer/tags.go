package answer

import (
	"encoding/xml"
	"strings"

	"filler/internal/base/place"
	"filler/internal/base/value"
)

// tagged is an element that is being read.
type tagged struct {
	name string
	text strings.Builder
	kids []value.Value
}

// fromTags reads elements named like fields: <report_no>FB-7</report_no>. An
// element that comes again is a list's next item; in an element of elements that
// share a name which is not a field's, those are the items. Of a reply that ends
// early (cut), all is kept but the value that it ends in.
func fromTags(text string, known func(string) bool) (v value.Value, cut, ok bool) {
	from := strings.IndexByte(text, '<')
	if from < 0 || len(text) > place.MaxBytes {
		return v, false, false
	}
	d := xml.NewDecoder(strings.NewReader(text[from:]))
	d.Strict = false
	open := []*tagged{{}}
	for {
		token, err := d.Token()
		if err != nil { // the end, or what is no element any more
			break
		}
		last := open[len(open)-1]
		switch x := token.(type) {
		case xml.StartElement:
			if open = append(open, &tagged{name: x.Name.Local}); len(open) > maxOutline {
				return v, false, false
			}
		case xml.CharData:
			last.text.Write(x)
		case xml.EndElement:
			if len(open) > 1 {
				open = closeTag(open, known)
			}
		}
	}
	if cut = len(open) > 1; cut && len(open[len(open)-1].kids) == 0 {
		open = open[:len(open)-1]
	}
	for len(open) > 1 {
		open = closeTag(open, known)
	}
	v = open[0].group(known)
	return v, cut, v.Kind == value.Object
}

// closeTag hands the innermost element to the one around it.
func closeTag(open []*tagged, known func(string) bool) []*tagged {
	last := open[len(open)-1]
	open = open[:len(open)-1]
	v := scalar(last.text.String())
	if len(last.kids) > 0 {
		v = last.group(known)
	}
	above := open[len(open)-1]
	above.kids = append(above.kids, v.Named(last.name))
	return open
}

// group gives an element's elements as a group, or as a list.
func (t *tagged) group(known func(string) bool) value.Value {
	v, at := value.Obj(), map[string]int{}
	times := map[string]int{}
	for _, k := range t.kids {
		times[k.Name]++
	}
	if len(times) == 1 && known(t.name) && !known(t.kids[0].Name) {
		return value.List(unnamed(t.kids)...)
	}
	for _, k := range t.kids {
		i, was := at[k.Name]
		switch {
		case times[k.Name] == 1:
			v.Kids = append(v.Kids, k)
		case !was:
			at[k.Name] = len(v.Kids)
			v.Kids = append(v.Kids, value.List(k.Named("")).Named(k.Name))
		default:
			v.Kids[i].Kids = append(v.Kids[i].Kids, k.Named(""))
		}
	}
	return v
}

func unnamed(kids []value.Value) []value.Value {
	items := make([]value.Value, len(kids))
	for i, k := range kids {
		items[i] = k.Named("")
	}
	return items
}
