package draft

import (
	"fmt"
	"strings"

	"filler/internal/base/value"
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
	return FromTexts(texts)
}

func oneLine(v *value.Value, name string) string {
	if kid := v.Get(name); kid != nil {
		return strings.Join(strings.Fields(kid.Text), " ")
	}
	return ""
}
