package schema

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
)

// foreign makes JSON Schemas as programs emit them, and records for them.
type foreign struct {
	r    *rand.Rand
	defs map[string]any
	used map[string]bool
}

func (g *foreign) one(list ...string) string {
	s := list[g.r.IntN(len(list))]
	g.used[s] = true
	return s
}

func (g *foreign) schema(level int) map[string]any {
	s := map[string]any{}
	kinds := []string{"string", "integer", "number", "boolean", "enum", "consts", "date", "mixed", "free", "const"}
	if level < 2 {
		kinds = append(kinds, "object", "object", "array", "array", "ref", "union", "forms", "tuple", "map", "lists", "itself", "both")
	}
	switch kind := g.one(kinds...); kind {
	case "string":
		s = map[string]any{"type": "string"}
		switch g.one("plain", "minLength", "maxLength", "pattern") {
		case "minLength":
			s["minLength"] = 2
		case "maxLength":
			s["maxLength"] = 3
		case "pattern":
			s["pattern"] = "^[a-c]+$"
		}
	case "integer", "number":
		s = map[string]any{"type": kind}
		switch g.one("plain", "minimum", "maximum", "exclusiveMinimum", "multipleOf", "draft4") {
		case "minimum":
			s["minimum"] = 1
		case "maximum":
			s["maximum"] = 3
		case "exclusiveMinimum":
			s["exclusiveMinimum"] = 1
		case "multipleOf":
			s["multipleOf"] = 2
		case "draft4":
			s["minimum"], s["maximum"] = 0, 4
		}
	case "boolean":
		s["type"] = "boolean"
	case "enum":
		s["enum"] = []any{"ab", "bc", "x"}
		if g.r.IntN(2) == 0 {
			s["type"] = "string"
		}
	case "consts":
		s["oneOf"] = []any{map[string]any{"const": "ab", "title": "The first"}, map[string]any{"const": "bc"}}
	case "const":
		s["const"] = "ab"
	case "date":
		s = map[string]any{"type": "string", "format": "date"}
	case "mixed":
		s["type"] = []any{"string", "integer"}
	case "free":
		s["type"] = "object"
	case "object":
		s = g.object(level)
	case "array":
		s = map[string]any{"type": "array", "items": g.schema(level + 2)}
		if g.r.IntN(2) == 0 {
			s["items"] = g.object(level + 1)
		}
		switch g.one("plain", "minItems", "uniqueItems") {
		case "minItems":
			s["minItems"] = 1
		case "uniqueItems":
			s["uniqueItems"] = true
		}
	case "union":
		s["anyOf"] = []any{map[string]any{"type": "string", "maxLength": 3}, map[string]any{"type": "integer"}, g.schema(level + 2)}
	case "forms": // of objects, with what names them or without
		var forms []any
		for i, tag := range []string{"ab", "bc", "ca"}[:2+g.r.IntN(2)] {
			o := g.object(level + 2)
			if g.r.IntN(3) > 0 {
				o["properties"].(map[string]any)["kind"] = map[string]any{"const": tag}
				o["required"] = append(append([]any(nil), anyList(o["required"])...), "kind")
			}
			if i > 0 && g.r.IntN(3) == 0 {
				name := fmt.Sprintf("F%d", len(g.defs))
				g.defs[name] = o
				o = map[string]any{"$ref": "#/$defs/" + name}
			}
			forms = append(forms, o)
		}
		s[g.one("oneOf", "anyOf")] = forms
	case "tuple":
		s = map[string]any{"type": "array", "prefixItems": []any{g.schema(level + 2), g.schema(level + 2)}}
		if g.r.IntN(2) == 0 {
			s["items"] = false
		}
	case "map":
		s = map[string]any{"type": "object", "additionalProperties": g.schema(level + 2)}
		switch g.one("plain", "propertyNames", "patternProperties", "minProperties") {
		case "propertyNames":
			s["propertyNames"] = map[string]any{"maxLength": 4}
		case "patternProperties":
			s["patternProperties"] = map[string]any{"^u": map[string]any{"type": "integer"}}
		case "minProperties":
			s["minProperties"] = 1
		}
	case "lists":
		s = map[string]any{"type": "array", "items": map[string]any{"type": "array", "items": g.schema(level + 2)}}
	case "itself":
		s = map[string]any{"type": "object", "properties": map[string]any{"n": map[string]any{"type": "integer"}, "in": map[string]any{"$ref": "#/$defs/Self"}}, "additionalProperties": false}
		g.defs["Self"] = s
		s = map[string]any{"$ref": "#/$defs/Self"}
	case "both":
		s = map[string]any{"allOf": []any{g.object(level + 1), g.object(level + 1)}}
	case "ref":
		name := fmt.Sprintf("D%d", len(g.defs))
		g.defs[name] = map[string]any{}
		g.defs[name] = g.schema(level + 1)
		s["$ref"] = "#/$defs/" + name
	}
	switch g.one("bare", "bare", "nullable", "anyOf null", "type null", "allOf", "described") {
	case "nullable":
		if _, ok := s["type"].(string); ok && s["enum"] == nil {
			s["type"] = []any{s["type"], "null"} // what nullable means, to judge by
			s["x-was-nullable"] = true
		}
	case "anyOf null":
		s = map[string]any{"anyOf": []any{s, map[string]any{"type": "null"}}, "description": "Or nothing."}
	case "type null":
		if t, ok := s["type"].(string); ok && s["enum"] == nil {
			s["type"] = []any{t, "null"}
		}
	case "allOf":
		s = map[string]any{"allOf": []any{s}}
	case "described":
		s["description"], s["default"], s["title"] = "What it is.", nil, "T"
	}
	return s
}

func (g *foreign) object(level int) map[string]any {
	props, required := map[string]any{}, []any{}
	for i := range 1 + g.r.IntN(3) {
		name := fmt.Sprintf("%c%d", 'a'+i, level)
		props[name] = g.schema(level + 1)
		if g.r.IntN(2) == 0 {
			required = append(required, name)
		}
	}
	s := map[string]any{"type": "object", "properties": props}
	if len(required) > 0 {
		s["required"] = required
	}
	switch g.one("open", "closed", "closed", "if", "dependentRequired", "dependentSchemas", "not", "unevaluatedProperties", "contains", "odd name") {
	case "closed":
		s["additionalProperties"] = false
	case "if":
		s["if"], s["then"] = map[string]any{"required": []any{"a0"}}, map[string]any{"maxProperties": 2}
		s["else"] = map[string]any{"minProperties": 1}
	case "dependentRequired":
		s["dependentRequired"] = map[string]any{fmt.Sprintf("a%d", level): []any{fmt.Sprintf("b%d", level)}}
	case "dependentSchemas":
		s["dependentSchemas"] = map[string]any{fmt.Sprintf("b%d", level): map[string]any{"properties": map[string]any{fmt.Sprintf("a%d", level): map[string]any{"not": map[string]any{"type": "null"}}}}}
	case "not":
		s["not"] = map[string]any{"required": []any{"unknown"}}
	case "unevaluatedProperties":
		s["allOf"] = []any{map[string]any{"properties": map[string]any{"z": map[string]any{"type": "integer"}}}}
		s["unevaluatedProperties"] = false
	case "contains":
		props["list"] = map[string]any{"type": "array", "contains": map[string]any{"type": "integer"}, "items": map[string]any{"type": []any{"integer", "string"}}}
	case "odd name":
		props["@at"] = map[string]any{"type": "string"}
		props["A "+name0(props)] = map[string]any{"type": "integer"}
	}
	return s
}

func name0(props map[string]any) string {
	for name := range props {
		return name[:1]
	}
	return ""
}

func anyList(v any) []any {
	list, _ := v.([]any)
	return list
}

// sample gives a value that the schema accepts more often than not.
func (g *foreign) sample(s map[string]any) any {
	if ref, ok := s["$ref"].(string); ok {
		return g.sample(g.defs[strings.TrimPrefix(ref, "#/$defs/")].(map[string]any))
	}
	for _, k := range []string{"anyOf", "oneOf", "allOf"} {
		if list, ok := s[k].([]any); ok && s["properties"] == nil {
			return g.sample(list[g.r.IntN(len(list))].(map[string]any))
		}
	}
	if c, ok := s["const"]; ok {
		return c
	}
	if e, ok := s["enum"].([]any); ok {
		return e[g.r.IntN(len(e))]
	}
	if list := anyList(s["prefixItems"]); list != nil {
		return []any{g.sample(list[0].(map[string]any)), g.sample(list[1].(map[string]any))}
	}
	if more, ok := s["additionalProperties"].(map[string]any); ok && s["properties"] == nil {
		return map[string]any{"u": g.sample(more)}
	}
	t := s["type"]
	if list, ok := t.([]any); ok {
		t = list[g.r.IntN(len(list))]
	}
	switch t {
	case "string":
		if s["format"] == "date" {
			return "2031-04-03"
		}
		return []string{"ab", "abc", "bc"}[g.r.IntN(3)]
	case "integer", "number":
		return 2
	case "boolean":
		return true
	case "object":
		out := map[string]any{}
		props, _ := s["properties"].(map[string]any)
		required, _ := s["required"].([]any)
		for name, p := range props {
			must := false
			for _, r := range required {
				must = must || r == name
			}
			if must || g.r.IntN(3) > 0 {
				out[name] = g.sample(p.(map[string]any))
			}
		}
		return out
	case "array":
		n := 1 + g.r.IntN(2)
		if s["uniqueItems"] == true {
			n = 1
		}
		var list []any
		for range n {
			list = append(list, g.sample(s["items"].(map[string]any)))
		}
		return list
	}
	return nil
}

// spoil changes one leaf.
func (g *foreign) spoil(v any) any {
	switch x := v.(type) {
	case map[string]any:
		out := map[string]any{}
		names := []string{}
		for k, kid := range x {
			out[k] = kid
			names = append(names, k)
		}
		if len(names) == 0 || g.r.IntN(6) == 0 {
			out["unknown"] = 1
			return out
		}
		k := names[g.r.IntN(len(names))]
		if g.r.IntN(4) == 0 {
			delete(out, k)
		} else {
			out[k] = g.spoil(x[k])
		}
		return out
	case []any:
		if len(x) == 0 || g.r.IntN(4) == 0 {
			return []any{}
		}
		out := append([]any(nil), x...)
		out[g.r.IntN(len(out))] = g.spoil(x[0])
		return out
	}
	return []any{nil, "", "zzzz", -7, 2.5, true, map[string]any{}, []any{}}[g.r.IntN(8)]
}

func decoded(t *testing.T, text string) any {
	t.Helper()
	v, err := jsonschema.UnmarshalJSON(strings.NewReader(text))
	require.NoError(t, err, text)
	return v
}

func compileSchema(t *testing.T, data []byte) *jsonschema.Schema {
	t.Helper()
	v, err := jsonschema.UnmarshalJSON(strings.NewReader(string(data)))
	require.NoError(t, err)
	c := jsonschema.NewCompiler()
	c.AssertFormat()
	require.NoError(t, c.AddResource("s.json", v), string(data))
	out, err := c.Compile("s.json")
	require.NoError(t, err, string(data))
	return out
}

// encoded writes a record as a reply that is held to the wire form: every field is there, and what
// may be anything is a text that holds JSON.
func encoded(f *Field, v *value.Value) value.Value {
	switch {
	case f.Type == Group:
		out := value.Obj()
		for _, kid := range f.Fields {
			out.Set(kid.Name, encoded(kid, v.Get(kid.Name)))
		}
		return out
	case f.Type == List:
		out := value.List()
		if v != nil && v.Kind == value.Array {
			for i := range v.Kids {
				out.Kids = append(out.Kids, encoded(f.Item, &v.Kids[i]))
			}
		}
		return out
	case v == nil || v.Kind == value.Null:
		return value.Value{}
	case f.AnyForm() != nil && len(f.listed().Kids) == 0:
		return formed(f.AnyForm(), v)
	case f.Type == Any && len(f.listed().Kids) == 0:
		bare := v.Clone().Named("")
		return value.Str(bare.String())
	}
	return v.Clone().Named("")
}

// formed writes a value in the form that it is held to, and turns it back.
func formed(form *AnyForm, v *value.Value) value.Value {
	switch {
	case v == nil || v.Kind == value.Null:
		return value.Value{}
	case form.items != nil:
		out := value.List()
		for i := range v.Kids {
			out.Kids = append(out.Kids, formed(form.items, &v.Kids[i]))
		}
		return out
	case form.free != nil:
		out := value.List()
		for i := range v.Kids {
			out.Kids = append(out.Kids, value.Obj(value.Str(v.Kids[i].Name).Named("key"), formed(form.free, &v.Kids[i]).Named("value")))
		}
		return out
	case len(form.members) > 0:
		out := value.Obj()
		for i, m := range form.members {
			out.Set(form.names[i], formed(m, v.Get(form.names[i])))
		}
		return out
	}
	return v.Clone().Named("")
}

// unforeseen tells a record with a value that a form of a union only lets pass, where another form
// has a field of that name: nobody asks for it.
func unforeseen(f *Field, v *value.Value) bool {
	if v == nil || v.Kind == value.Null {
		return false
	}
	loose := f.Extra.Get("type") != nil && f.Extra.Get("type").Kind == value.Null
	switch f.Type {
	case Group:
		for _, kid := range f.Fields {
			if unforeseen(kid, v.Get(kid.Name)) {
				return true
			}
		}
		return loose && v.Kind != value.Object
	case List:
		for i := range v.Kids {
			if unforeseen(f.Item, &v.Kids[i]) {
				return true
			}
		}
		return loose && v.Kind != value.Array
	}
	return loose && f.Type != Any && !f.Kin().fits(v)
}

// An imported schema accepts and refuses the same records as its origin.
func TestForeignSchemasJudgeAlike(t *testing.T) {
	g := &foreign{r: rand.New(rand.NewPCG(22, 23)), used: map[string]bool{}}
	accepted, all, admitted := 0, 0, 0
	for range 700 {
		g.defs = map[string]any{}
		root := g.object(0)
		root["$defs"] = g.defs
		data, err := json.Marshal(root)
		require.NoError(t, err)
		s, _, err := Import("f.json", data)
		require.NoError(t, err, string(data))
		full := s.Full()
		wire := s.Wire()
		theirs, ours, held := compileSchema(t, data), compileSchema(t, full.JSON()), compileSchema(t, wire.JSON())
		for range 12 {
			v := g.sample(root)
			if g.r.IntN(2) == 0 {
				v = g.spoil(v)
			}
			text, _ := json.Marshal(v)
			native, _ := jsonschema.UnmarshalJSON(strings.NewReader(string(text)))
			want, got := theirs.Validate(native), ours.Validate(native)
			require.Equal(t, want == nil, got == nil, "%s\nfrom %s\nbecame %s\ntheirs: %v\nours: %v", text, data, full.JSON(), want, got)
			all++
			if want == nil {
				accepted++
				rec, err := value.Parse(string(text))
				require.NoError(t, err)
				if unforeseen(s.Root, &rec) {
					continue
				}
				reply := encoded(s.Root, &rec)
				admitted++
				native, _ := jsonschema.UnmarshalJSON(strings.NewReader(reply.String()))
				require.NoError(t, held.Validate(native), "%s\nas %s\nheld to %s", text, reply.String(), wire.JSON())
			}
		}
		roundTrip(t, s)
	}
	t.Logf("%d of %d records accepted by both, %d of them held to the wire form", accepted, all, admitted)
	assert.Greater(t, float64(admitted), 0.95*float64(accepted))
	assert.Greater(t, float64(accepted), 0.4*float64(all))
	assert.Less(t, accepted, all)
}
