package draft

import (
	"fmt"
	"sort"
	"strings"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// FromOpen drafts a schema from records of style open: lists of values with the
// names that documents give them, and with what they belong to.
func FromOpen(records []value.Value) (*Result, error) {
	var texts []string
	for i := range records {
		var b strings.Builder
		of := ""
		list := records[i].Get("values")
		if list == nil {
			continue
		}
		for j := range list.Kids {
			v := &list.Kids[j]
			name, said := oneLine(v, "name"), oneLine(v, "value")
			if name == "" || said == "" {
				continue
			}
			if belongs := oneLine(v, "of"); belongs != of {
				of = belongs
				fmt.Fprintf(&b, "\n%s\n", of)
			}
			indent := ""
			if of != "" {
				indent = "  "
			}
			fmt.Fprintf(&b, "%s%s: %s\n", indent, strings.TrimRight(name, ":"), said)
		}
		if b.Len() > 0 {
			texts = append(texts, b.String())
		}
	}
	if len(texts) == 0 {
		return nil, fmt.Errorf("the records of this run hold no values to draft from")
	}
	r, err := FromTexts(texts)
	if err != nil {
		return nil, err
	}
	return r.joined(records)
}

// textLine is a text of a draft as it is written.
var textLine = lazy.New(`(?m)^( *)([A-Za-z_][\w-]*): \{text: (.*)\}(  # .*)?$`)

// joined proposes entities and edges: a text is an entity where most of its values are
// things that documents name, and what is said of two things in several documents is a
// list of edges.
func (r *Result) joined(records []value.Value) (*Result, error) {
	all, things, said := map[string]int{}, map[string]int{}, map[string]int{}
	for i := range records {
		named := map[string]bool{}
		each(&records[i], "things", func(v *value.Value) { named[lang.FoldName(oneLine(v, "name"))] = true })
		each(&records[i], "values", func(v *value.Value) {
			name := nameOf(oneLine(v, "name"))
			all[name]++
			if named[lang.FoldName(oneLine(v, "value"))] {
				things[name]++
			}
		})
		each(&records[i], "relations", func(v *value.Value) { said[nameOf(oneLine(v, "says"))]++ })
	}
	text := textLine.ReplaceAllStringFunc(string(r.YAML), func(line string) string {
		m := textLine.FindStringSubmatch(line)
		if n := things[m[2]]; n < 2 || 2*n <= all[m[2]] {
			return line
		}
		return m[1] + m[2] + ": {text: " + m[3] + ", entity: true}" + m[4]
	})
	var kinds []string
	for how, n := range said {
		if n > 1 && all[how] == 0 && how != "" {
			kinds = append(kinds, how)
		}
	}
	if sort.Strings(kinds); len(kinds) > 1 && r.Schema.Find("relations") == nil {
		text += fmt.Sprintf("  relations:\n    list: How what the document names belongs together.\n    edge: {from: from, to: to, kind: how}\n    fields:\n      from: The name of the one thing.\n      to: The name of the other.\n      how: {choice: What the one is to the other., of: [%s]}\n", strings.Join(kinds, ", "))
	}
	s, err := schema.Parse("draft", []byte(text))
	if err != nil {
		return r, nil // the draft without them stands
	}
	return &Result{YAML: []byte(text), Schema: s, Samples: r.Samples}, nil
}

func each(rec *value.Value, list string, do func(v *value.Value)) {
	if l := rec.Get(list); l != nil {
		for i := range l.Kids {
			do(&l.Kids[i])
		}
	}
}

func oneLine(v *value.Value, name string) string {
	if kid := v.Get(name); kid != nil {
		return strings.Join(strings.Fields(kid.Text), " ")
	}
	return ""
}
