package invent

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// anything draws a value of any form by the keywords that a JSON Schema has for it; null where
// they say nothing that can be drawn.
func (d *drawing) anything(f *schema.Field) value.Value {
	in := f.Inside()
	first := f.Extra.Get("prefixItems")
	switch {
	case !f.Required && d.r.IntN(6) == 0:
		return value.Value{}
	case in.Free() && in.Member("").Typed() != nil:
		out := value.Obj()
		for range 1 + d.r.IntN(4) {
			out.Set(d.entryName(f), d.fresh(in.Member("").Typed()))
		}
		return out
	case in.IsTuple() && first != nil:
		out := value.List()
		for i := range first.Kids {
			if of := in.Item(i).Typed(); of != nil {
				out.Kids = append(out.Kids, d.fresh(of).Named(""))
			} else {
				out.Kids = append(out.Kids, d.byKeywords(&first.Kids[i], 1))
			}
		}
		return out
	}
	return d.byKeywords(&f.Extra, 0)
}

// entryNames are names for the entries of a map.
var entryNames = []string{"amber", "chalk", "copper", "east", "front", "gravel", "humus", "lime", "salt", "tin", "upper", "west"}

// entryName draws a name that an entry of a map may have.
func (d *drawing) entryName(f *schema.Field) string {
	names := f.Extra.Get("propertyNames")
	if enum := names.Get("enum"); enum != nil && len(enum.Kids) > 0 {
		return pick(d.r, enum.Kids).Text
	}
	if pattern := names.Get("pattern"); pattern != nil {
		if re, err := regexp.Compile(pattern.Text); err == nil {
			if all := slices.DeleteFunc(slices.Clone(entryNames), func(n string) bool { return !re.MatchString(n) }); len(all) > 1 {
				return pick(d.r, all)
			}
			if name, err := fromPattern(re, d.r); err == nil {
				return name
			}
		}
	}
	return pick(d.r, entryNames)
}

func (d *drawing) byKeywords(s *value.Value, depth int) value.Value {
	if depth > 4 || s.Kind != value.Object {
		return value.Value{}
	}
	if ref := s.Get("$ref"); ref != nil {
		if def := d.Schema.Record().Extra.Get("$defs").Get(strings.TrimPrefix(ref.Text, "#")); def != nil {
			return d.byKeywords(def, depth+1)
		}
		return value.Value{}
	}
	if e := s.Get("enum"); e != nil && len(e.Kids) > 0 {
		return pick(d.r, e.Kids).Named("")
	}
	if c := s.Get("const"); c != nil {
		return c.Named("")
	}
	for _, union := range []string{"anyOf", "oneOf", "allOf"} {
		if of := s.Get(union); of != nil && len(of.Kids) > 0 && s.Get("properties") == nil {
			one := pick(d.r, of.Kids)
			return d.byKeywords(&one, depth+1)
		}
	}
	var types []string
	if t := s.Get("type"); t != nil {
		if t.Kind == value.String {
			types = []string{t.Text}
		}
		for _, k := range t.Kids {
			types = append(types, k.Text)
		}
	}
	if len(types) == 0 {
		types = []string{"string"}
	}
	switch t := pick(d.r, types); t {
	case "object":
		return d.members(s, depth)
	case "array":
		return d.items(s, depth)
	case "null":
		return value.Value{}
	default:
		of := schema.Field{Type: map[string]schema.Type{"integer": schema.Integer, "number": schema.Number, "boolean": schema.Boolean}[t], Name: "value"}
		if of.Type == "" {
			return value.Str(fmt.Sprintf("%s %d", pick(d.r, []string{"north", "spare", "old", "marked"}), 1+d.r.IntN(90)))
		}
		return d.fresh(&of)
	}
}

// members draws an object: what it needs and half of what it may have, and some of any name.
func (d *drawing) members(s *value.Value, depth int) value.Value {
	out := value.Obj()
	var needed []string
	if r := s.Get("required"); r != nil {
		for _, k := range r.Kids {
			needed = append(needed, k.Text)
		}
	}
	if props := s.Get("properties"); props != nil {
		for i := range props.Kids {
			if p := &props.Kids[i]; slices.Contains(needed, p.Name) || d.r.IntN(2) == 0 {
				out.Set(p.Name, d.byKeywords(p, depth+1))
			}
		}
	}
	if more := s.Get("additionalProperties"); more != nil && more.Kind == value.Object {
		for _, name := range []string{"tone", "mark", "weight"}[:1+d.r.IntN(3)] {
			out.Set(name, d.byKeywords(more, depth+1))
		}
	}
	return out
}

// items draws an array.
func (d *drawing) items(s *value.Value, depth int) value.Value {
	out := value.List()
	if first := s.Get("prefixItems"); first != nil {
		for i := range first.Kids {
			out.Kids = append(out.Kids, d.byKeywords(&first.Kids[i], depth+1))
		}
		return out
	}
	if of := s.Get("items"); of != nil && of.Kind == value.Object {
		for range 1 + d.r.IntN(2) {
			out.Kids = append(out.Kids, d.byKeywords(of, depth+1))
		}
	}
	return out
}

// inFormat draws a text of a format of JSON Schema; "" for one that is not known.
func (d *drawing) inFormat(name string) string {
	n := func(most int) int { return d.r.IntN(most) }
	switch name {
	case "uuid":
		return fmt.Sprintf("%08x-%04x-4%03x-a%03x-%012x", d.r.Uint32(), n(1<<16), n(1<<12), n(1<<12), d.r.Uint64()&(1<<48-1))
	case "email":
		return fmt.Sprintf("%s.%d@made.example", pick(d.r, []string{"ada", "finn", "mara", "otto"}), n(100))
	case "uri", "url":
		return fmt.Sprintf("https://made.example/%s/%d", pick(d.r, []string{"a", "b", "c"}), n(1000))
	case "hostname":
		return fmt.Sprintf("host%d.made.example", n(100))
	case "ipv4":
		return fmt.Sprintf("192.0.2.%d", n(256))
	case "time":
		return fmt.Sprintf("%02d:%02d:00Z", n(24), n(60))
	case "duration":
		return fmt.Sprintf("PT%dM", 1+n(90))
	}
	return ""
}
