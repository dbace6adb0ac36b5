package schema

import (
	"fmt"
	"math/rand/v2"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
)

// dump gives all of a schema but where it came from.
func dump(s *Schema) string {
	v := s.Export()
	return string(v.Indent()) + "\n" + string(s.YAML())
}

func roundTrip(t *testing.T, s *Schema) {
	t.Helper()
	exported := s.Export()
	again, kept, err := Import("x.json", exported.JSON())
	require.NoError(t, err, "%s\n%s", s.YAML(), exported.Indent())
	same(t, dump(s), dump(again))
	require.Equal(t, s.Full().String(), again.Full().String())
	for _, k := range kept {
		assert.NotEmpty(t, k.Keyword)
	}
	written, err := Parse("w.yaml", s.YAML())
	require.NoError(t, err, string(s.YAML()))
	same(t, dump(s), dump(written))
}

// same compares long texts and tells the first line that differs.
func same(t *testing.T, want, got string) {
	t.Helper()
	a, b := strings.Split(want, "\n"), strings.Split(got, "\n")
	for i := range a {
		if i >= len(b) || a[i] != b[i] {
			require.FailNow(t, "not the same", "line %d\n%s\n%s", i+1, strings.Join(a[max(0, i-6):min(len(a), i+3)], "\n"), strings.Join(b[min(len(b), max(0, i-3)):min(len(b), i+3)], "\n"))
		}
	}
	require.Len(t, b, len(a))
}

func TestOurSchemasComeBack(t *testing.T) {
	for _, file := range []string{"../demo/project/schemas/inspection.yaml", "../demo/start/schemas/visit.yaml", "../../cmd/filler/testdata/projects/organ/schemas/survey.yaml"} {
		s, err := Load(file)
		require.NoError(t, err)
		roundTrip(t, s)
	}
}

// gen makes random schemas of our language that use every key.
type gen struct {
	r    *rand.Rand
	used map[string]bool
	n    int
}

func (g *gen) maybe(key, text string) string {
	if g.r.IntN(3) > 0 {
		return ""
	}
	g.used[key] = true
	return ", " + key + ": " + text
}

func (g *gen) leaf() string {
	types := []Type{Text, Integer, Number, Boolean, Date, Time, DateTime, Choice, Money, Quantity, Any}
	t := types[g.r.IntN(len(types))]
	g.used[string(t)] = true
	f := fmt.Sprintf("{%s: \"What it is, %d: yes.\"", t, g.r.IntN(9))
	f += g.maybe("required", "true") + g.maybe("printed_as", `[No., "Label: two"]`) + g.maybe("avoid", "[this, \"that #1\"]") + g.maybe("sensitive", "true") + g.maybe("style", "record") + g.maybe("weight", "2.5") + g.maybe("was", fmt.Sprintf("[old%d, /old/of%d]", g.n, g.n))
	switch t {
	case Text:
		f += g.maybe("pattern", `'^[A-Z]\d+"x$'`) + g.maybe("min", "1") + g.maybe("max", "12") + g.maybe("compare", []string{"loose", "set", "{similar: 0.8}"}[g.r.IntN(3)]) + g.maybe("normalize", "[upper, no-end-stop]") + g.maybe("examples", `[{text: "a\nb", gives: null}]`)
		f += g.maybe("entity", []string{"true", "{called: thing}"}[g.r.IntN(2)])
	case Integer, Number:
		f += g.maybe("min", "-3") + g.maybe("max", "9") + g.maybe("compare", "{within: 0.5}") + g.maybe("written", `{decimal: ",", group: "."}`) + g.maybe("signs", `{minus: [loses, "in debt"], plus: gains}`)
	case Date:
		f += g.maybe("written", "[D.M.YYYY, D MMMM YYYY]") + g.maybe("precision", "month") + g.maybe("pivot", "1950")
	case DateTime:
		f += g.maybe("written", "[D.M.YYYY]") + g.maybe("zone", []string{"Europe/Lisbon", "none", "'-03:30'"}[g.r.IntN(3)])
	case Boolean:
		f += g.maybe("true", "{also: [intact, in order]}") + g.maybe("false", "{also: broken}")
	case Choice:
		f += ", of: {yes: {also: [ja, si]}, 'no': , \"007\": {about: The agent.}}" + g.maybe("compare", "none")
	case Money:
		f += g.maybe("currency", "EUR") + g.maybe("max", "100")
	case Quantity:
		f += g.maybe("unit", []string{"m/s²", "{m/s²: {also: [metres a second a second]}}"}[g.r.IntN(2)]) + g.maybe("min", "0.5")
	}
	switch g.r.IntN(4) {
	case 0:
		f += g.maybe("evidence", "quoted")
	case 1:
		f += ", evidence: inferred" + g.maybe("basis", "true")
	}
	return f + "}"
}

func (g *gen) fields(level, indent int) string {
	var b strings.Builder
	pad := strings.Repeat(" ", indent)
	for range 1 + g.r.IntN(4) {
		g.n++
		name := fmt.Sprintf("f%d", g.n)
		switch k := g.r.IntN(6); {
		case k == 0 && level < 3:
			g.used["group"] = true
			fmt.Fprintf(&b, "%s%s:\n%s  group: A group.\n%s  required: %v\n", pad, name, pad, pad, g.r.IntN(2) == 0)
			id := ""
			if g.r.IntN(3) == 0 {
				g.used["entity"] = true
				id = pad + "    id: {integer: Mark.}\n"
				fmt.Fprintf(&b, "%s  entity: {key: [id]}\n", pad)
			}
			fmt.Fprintf(&b, "%s  fields:\n%s%s", pad, id, g.fields(level+1, indent+4))
		case k == 1 && level < 3:
			g.used["list"] = true
			fmt.Fprintf(&b, "%s%s:\n%s  list: A list.\n", pad, name, pad)
			if g.r.IntN(2) == 0 {
				g.used["ordered"] = true
				fmt.Fprintf(&b, "%s  ordered: true\n%s  min: 0\n%s  max: 3\n", pad, pad, pad)
			}
			if g.r.IntN(3) == 0 {
				g.used["removed_as"] = true
				fmt.Fprintf(&b, "%s  removed_as: [written off, \"gone: sold\"]\n", pad)
			}
			if g.r.IntN(3) == 0 {
				g.used["entity"], g.used["edge"] = true, true
				fmt.Fprintf(&b, "%s  entity: {key: [id], called: stone}\n%s  edge: {from: id, to: id}\n", pad, pad)
			}
			if g.r.IntN(2) == 0 {
				g.used["key"] = true
				fmt.Fprintf(&b, "%s  key: [id]\n", pad)
			}
			fmt.Fprintf(&b, "%s  fields:\n%s    id: {integer: Mark.}\n%s", pad, pad, g.fields(level+1, indent+4))
		case k == 2:
			g.used["items"] = true
			fmt.Fprintf(&b, "%s%s: {list: Plain items., items: %s}\n", pad, name, g.leaf())
		case k == 3:
			g.used["uses"] = true
			fmt.Fprintf(&b, "%s%s: {uses: person, about: Someone.}\n", pad, name)
		default:
			fmt.Fprintf(&b, "%s%s: %s\n", pad, name, g.leaf())
		}
	}
	return b.String()
}

func (g *gen) schema() string {
	b := "schema: random-schema\nabout: Anything.\nshared:\n  person: {fields: {name: \"A name.\"}}\n"
	if g.r.IntN(3) == 0 {
		g.used["each"] = true
		b += "each: entry\nkey: [mark]\nversion: \"1.10\"\n"
	}
	if g.r.IntN(3) == 0 {
		b += "examples:\n  - {text: Nothing here., gives: {mark: 3}}\n"
	}
	b += "fields:\n  mark: {integer: Mark.}\n  rows: {list: Rows., fields: {no: {integer: Number.}}}\n  row: {link: A row., to: 'rows[].no'}\n" + g.fields(0, 2)
	g.used["link"] = true
	if g.r.IntN(2) == 0 {
		g.used["rules"] = true
		b += "rules:\n  - {holds: mark > 0, say: 'Marks begin at 1: always.'}\n  - {for: 'rows[]', holds: no != record.mark}\n"
	}
	return b
}

func TestRandomSchemasComeBack(t *testing.T) {
	g := &gen{r: rand.New(rand.NewPCG(20, 21)), used: map[string]bool{}}
	for range 300 {
		text := g.schema()
		s, err := Parse("random.yaml", []byte(text))
		require.NoError(t, err, text)
		roundTrip(t, s)
	}
	for typ, keys := range TypeKeys {
		assert.True(t, g.used[string(typ)], "the generator never used %s", typ)
		for _, k := range keys {
			if k != "fields" && k != "of" && k != "to" && k != "item_keywords" {
				assert.True(t, g.used[k], "the generator never used %s", k)
			}
		}
	}
	for _, k := range append(append([]string(nil), CommonKeys...), leafKeys...) {
		if k != "keywords" {
			assert.True(t, g.used[k], "the generator never used %s", k)
		}
	}
}

func TestImportRefuses(t *testing.T) {
	for text, says := range map[string]string{
		`{`: "not JSON", `[]`: "does not describe a record", `{"type":"string"}`: "does not describe a record", `{"type":"object","properties":{}}`: "does not describe a record",
		`{"type":"object","required":["a b"],"properties":{"a b":{"type":"string"}}}`:                          "is not a field name",
		`{"type":"object","properties":{"a":{"$ref":"other.json"}}}`:                                           "points outside the file",
		`{"type":"object","properties":{"a":{"$ref":"file:///etc/passwd"}}}`:                                   "points outside the file",
		`{"type":"object","properties":{"a":{"$ref":"#/$defs/x"}}}`:                                            "points to nothing",
		`{"type":"object","required":["a_b"],"properties":{"aB":{"type":"string"},"a_b":{"type":"string"}}}`:   "differ in case",
		`{"type":"object","properties":{"a":{"$dynamicRef":"#x"}}}`:                                            "$dynamicRef",
		`{"$defs":{"a":{"$anchor":"x"},"b":{"$anchor":"x"}},"type":"object","properties":{"a":{"$ref":"#x"}}}`: "are called",
		`{"type":"object","properties":{"a":{"type":"string"},"b":{"type":"string","type":"integer"}}}`:        `the key "type" is here twice`,
	} {
		_, _, err := Import("f.json", []byte(text))
		require.Error(t, err, text)
		assert.Contains(t, err.Error(), says, text)
		assert.NotContains(t, err.Error(), "\n", text)
	}
}

func FuzzImport(f *testing.F) {
	data, err := os.ReadFile("../demo/project/schemas/inspection.yaml")
	require.NoError(f, err)
	s, err := Parse("s.yaml", data)
	require.NoError(f, err)
	exported := s.Export()
	f.Add(exported.String())
	f.Add(`{"type":"object","properties":{"a":{"anyOf":[{"type":"integer","minimum":3},{"type":"null"}]},"b":{"type":"array","items":{"enum":["x","y"]}}}}`)
	f.Add(`{"$defs":{"a":{"allOf":[{"const":"x"}]}},"properties":{"a":{"$ref":"#/$defs/a"}}}`)
	f.Fuzz(func(t *testing.T, text string) {
		s, _, err := Import("f.json", []byte(text))
		if err == nil {
			require.NotEmpty(t, s.Leaves())
			full := s.Full()
			require.NotEmpty(t, full.String())
		}
	})
}

// The wire form of any schema says only what servers that constrain decoding
// commonly take, requires every property, lets every leaf be null, and has a form
// that comes again once.
func TestWireIsPlain(t *testing.T) {
	g := &gen{r: rand.New(rand.NewPCG(60, 61)), used: map[string]bool{}}
	allowed := map[string]bool{"type": true, "properties": true, "required": true, "additionalProperties": true, "items": true, "enum": true}
	var defs *value.Value
	shared := 0
	var walk func(v *value.Value, path string)
	walk = func(v *value.Value, path string) {
		if ref := v.Word("$ref"); ref != "" {
			require.Len(t, v.Kids, 1, path)
			shared++
			if v = defs.Get(strings.TrimPrefix(ref, "#/$defs/")); v == nil {
				t.Fatalf("%s points to nothing: %s", path, ref)
			}
		}
		for i := range v.Kids {
			require.True(t, allowed[v.Kids[i].Name], "%s has %s", path, v.Kids[i].Name)
		}
		types := textsOf(v.Get("type"))
		switch {
		case v.Get("properties") != nil:
			var names []string
			for i := range v.Get("properties").Kids {
				names = append(names, v.Get("properties").Kids[i].Name)
				if !slices.Contains(types, "null") { // else null stands for all of it
					walk(&v.Get("properties").Kids[i], path+"/"+names[i])
				}
			}
			require.Equal(t, names, textsOf(v.Get("required")), path)
			require.Equal(t, "false", v.Get("additionalProperties").Text, path)
		case v.Get("items") != nil:
			walk(v.Get("items"), path+"[]")
		default:
			require.Contains(t, types, "null", path)
		}
	}
	for range 200 {
		s, err := Parse("random.yaml", []byte(g.schema()))
		require.NoError(t, err)
		wire := s.Wire()
		require.Equal(t, "object", wire.Get("type").Text)
		defs = nil
		if d := wire.Get("$defs"); d != nil {
			own := d.Clone()
			defs = &own
			wire.Drop("$defs")
		}
		walk(&wire, "")
	}
	require.Positive(t, shared, "no form comes again")
}
