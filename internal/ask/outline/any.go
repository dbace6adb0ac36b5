package outline

import (
	"fmt"
	"strings"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// longestFit is how many bytes of a JSON Schema a line shows.
const longestFit = 1500

// fits gives the keywords that any value of a field has to meet, as JSON; "" for none.
func fits(f *schema.Field) string {
	if f.Type != schema.Any || schema.FormOf(f) == "" {
		return ""
	}
	shown := value.Obj()
	for _, k := range f.Extra.Kids {
		if k.Kind != value.Null {
			shown.Kids = append(shown.Kids, k)
		}
	}
	if len(shown.Kids) == 0 {
		return ""
	}
	text := shown.String()
	if len(text) > longestFit {
		return strings.ToValidUTF8(text[:longestFit], "") + " …"
	}
	return text
}

var refersTo = lazy.New(`"\$ref":"#(def-\d+)"`)

// definitions tells, below the fields, what the names in their JSON Schemas stand for.
func (w *writer) definitions(record *schema.Field) {
	defs := record.Extra.Get("$defs")
	if defs == nil {
		return
	}
	told := map[string]bool{}
	for open := w.String(); ; {
		var more strings.Builder
		for _, m := range refersTo.FindAllStringSubmatch(open, -1) {
			def := defs.Get(m[1])
			if def == nil || told[m[1]] || w.Len() > 10*longestFit {
				continue
			}
			told[m[1]] = true
			body := def.Clone().Named("")
			body.Drop("$anchor")
			fmt.Fprintf(&more, "#%s is %s\n", m[1], body.String())
		}
		if more.Len() == 0 {
			return
		}
		open = more.String()
		w.WriteString(open)
	}
}
