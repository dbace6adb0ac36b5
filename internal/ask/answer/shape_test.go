package answer

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record/normalize"
	"filler/internal/schema"
)

const survey = `
schema: survey
fields:
  name: Name of the bridge.
  length: {quantity: Length., unit: m}
  fee: {money: Fee., currency: EUR}
  guard: {group: Who., fields: {first: First name., licence: Licence.}}
  bays:
    list: Bays.
    key: [number]
    fields:
      number: {integer: Number.}
      deck: Deck.
      span: {quantity: Span., unit: m}
      marks: {list: Marks., items: {text: Mark.}}
`

func surveyed(t testing.TB) *schema.Schema {
	s, err := schema.Parse("s.yaml", []byte(survey))
	require.NoError(t, err)
	return s
}

// shaped reads a reply as a filling does.
func shaped(t testing.TB, s *schema.Schema, text string) (value.Value, []Deviation) {
	r, err := ReadKnown(text, value.Object, func(name string) bool {
		known := false
		s.Root.Walk(func(f *schema.Field, _ int) {
			known = known || f.Name != "" && normalize.PlainName(f.Name) == normalize.PlainName(name)
		})
		return known
	})
	require.NoError(t, err, text)
	v, deviations := Inner(s, r.Value)
	deviations = append(append(r.Deviations, deviations...), Shape(s, &v)...)
	normalize.Record(s, &v)
	return v, deviations
}

const plainSurvey = `{"name":"Heron Plank","length":{"amount":9.5,"unit":"m"},"fee":{"amount":12,"currency":"EUR"},"guard":{"first":"Ada","licence":"QL-1"},"bays":[{"number":1,"deck":"oak","span":{"amount":4.5,"unit":"m"},"marks":["a","b"]},{"number":2,"deck":"steel","span":{"amount":5,"unit":"m"},"marks":[]}]}`

// Each of the forms in which models write a record says the same record.
func TestForms(t *testing.T) {
	s := surveyed(t)
	for name, text := range map[string]string{
		"as asked":                 plainSurvey,
		"the call of a tool":       `<tool_call>{"name":"record","arguments":` + plainSurvey + `}</tool_call>`,
		"with arguments as a text": `{"name":"record","arguments":` + value.Str(plainSurvey).String() + `}`,
		"wrapped, with more":       `{"result":{"data":` + plainSurvey + `},"confidence":0.9,"notes":["a","b"]}`,
		"the schema, filled in":    `{"type":"object","properties":` + plainSurvey + `,"required":["name"]}`,
		"a list around":            strings.Replace(plainSurvey, `{"first":"Ada","licence":"QL-1"}`, `[{"first":"Ada","licence":"QL-1"}]`, 1),
		"a value in a list":        strings.Replace(plainSurvey, `"Heron Plank"`, `["Heron Plank"]`, 1),
		"bays by number":           strings.NewReplacer(`[{"number":1,`, `{"1":{`, `{"number":2,`, `"2":{`, `"marks":[]}]`, `"marks":[]}}`).Replace(plainSurvey),
		"bays by index":            strings.NewReplacer(`[{"number":1,`, `{"0":{"number":1,`, `{"number":2,`, `"1":{"number":2,`, `"marks":[]}]`, `"marks":[]}}`).Replace(plainSurvey),
		"bays by title":            strings.NewReplacer(`[{"number":1,`, `{"Bay 1":{`, `{"number":2,`, `"Bay 2":{`, `"marks":[]}]`, `"marks":[]}}`).Replace(plainSurvey),
		"bays in bays":             strings.NewReplacer(`"bays":[`, `"bays":{"bay":[`, `"marks":[]}]`, `"marks":[]}]}`).Replace(plainSurvey),
		"marks by number":          strings.Replace(plainSurvey, `["a","b"]`, `{"0":"a","1":"b"}`, 1),
		"sure of it":               strings.Replace(plainSurvey, `{"first":"Ada","licence":"QL-1"}`, `{"value":{"first":"Ada","licence":"QL-1"},"confidence":0.8}`, 1),
		"measures apart":           strings.NewReplacer(`"length":{"amount":9.5,"unit":"m"}`, `"length_amount":9.5,"length_unit":"m"`, `"fee":{"amount":12,"currency":"EUR"}`, `"fee":12,"fee_currency":"EUR"`).Replace(plainSurvey),
		"units in names":           strings.NewReplacer(`"length":{"amount":9.5,"unit":"m"}`, `"length_m":9.5`, `"fee":{"amount":12,"currency":"EUR"}`, `"fee_eur":12`).Replace(plainSurvey),
		"a group, joined":          strings.Replace(plainSurvey, `"guard":{"first":"Ada","licence":"QL-1"}`, `"guard_first":"Ada","guard_licence":"QL-1"`, 1),
		"flat":                     `{"name":"Heron Plank","length.amount":9.5,"length.unit":"m","fee.amount":12,"fee.currency":"EUR","guard.first":"Ada","guard.licence":"QL-1","bays[0].number":1,"bays[0].deck":"oak","bays[0].span.amount":4.5,"bays[0].span.unit":"m","bays[0].marks[0]":"a","bays[0].marks[1]":"b","bays[1].number":2,"bays[1].deck":"steel","bays[1].span.amount":5,"bays[1].span.unit":"m","bays[1].marks":[]}`,
		"pointers":                 `{"/name":"Heron Plank","/length":{"amount":9.5,"unit":"m"},"/fee":{"amount":12,"currency":"EUR"},"/guard/first":"Ada","/guard/licence":"QL-1","/bays/0":{"number":1,"deck":"oak","span":{"amount":4.5,"unit":"m"},"marks":["a","b"]},"/bays/1":{"number":2,"deck":"steel","span":{"amount":5,"unit":"m"},"marks":[]}}`,
		"as on a web page":         strings.ReplaceAll(plainSurvey, `"`, "&quot;"),
	} {
		v, deviations := shaped(t, s, text)
		parsed, err := value.Parse(plainSurvey)
		require.NoError(t, err)
		assert.True(t, value.Equal(&parsed, &v), "%s: %s", name, v.String())
		assert.Equal(t, name == "as asked", len(deviations) == 0, "%s: every deviation is listed: %v", name, deviations)
	}
	lines := "name: \"Heron Plank\"\nlength: {\"amount\":9.5,\"unit\":\"m\"}\nfee: {\"amount\":12,\"currency\":\"EUR\"}\nguard: {\"first\":\"Ada\",\"licence\":\"QL-1\"}\nbays: " + plainSurvey[strings.Index(plainSurvey, `[{"number"`):len(plainSurvey)-1]
	parsed, err := value.Parse(plainSurvey)
	require.NoError(t, err)
	for _, text := range []string{lines, "- **" + strings.ReplaceAll(strings.ReplaceAll(lines, "\n", "\n- **"), ": ", "**: "), "{" + strings.ReplaceAll(strings.NewReplacer("name:", `"name":`, "length:", `"length":`, "fee:", `"fee":`, "guard:", `"guard":`, "bays:", `"bays":`).Replace(lines), "\n", "}\n{") + "}"} {
		v, _ := shaped(t, s, text)
		assert.True(t, value.Equal(&parsed, &v), "%s\n%s", text, v.String())
	}
}

const leaf = `
schema: leaf
each: entry
fields:
  no: Number.
  bridge: Bridge.
  length: {quantity: Length., unit: m}
`

// Likewise with records that are entries of one document.
func TestBulletsAreRecords(t *testing.T) {
	for said, n := range map[string]int{
		"1. **no:** V-1, **bridge:** Heron\n2. **no:** V-2, **bridge:** Marl\n3. **no:** V-3, **bridge:** Pipit": 3,
		"Here they are:\n\n- no: V-1\n  bridge: Heron\n- no: V-2\n  bridge: Marl\n\nThat is all.":                2,
		"- no: V-1\n- bridge: Heron\n- length: 4 m":                                                              0,
		"no: V-1\n- bridge: Heron\n- bridge: Marl":                                                               0,
	} {
		r, err := ReadKnown(said, value.Object, func(name string) bool { return name == "no" || name == "bridge" || name == "length" })
		require.NoError(t, err)
		require.Len(t, r.All, n, said)
		for i := range r.All {
			assert.Equal(t, fmt.Sprintf("V-%d", i+1), r.All[i].Get("no").Text)
		}
	}
}

func TestFormsOfEntries(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(leaf))
	require.NoError(t, err)
	a, b := `{"no":"V-1","bridge":"Heron Plank","length":{"amount":4.5,"unit":"m"}}`, `{"no":"V-2","bridge":"Rushy Ford","length":{"amount":7,"unit":"m"}}`
	want, err := value.Parse("[" + a + "," + b + "]")
	require.NoError(t, err)
	for name, text := range map[string]string{
		"a list":                want.String(),
		"as asked":              `{"records":` + want.String() + `}`,
		"under another name":    `{"count":2,"leaves":` + want.String() + `,"notes":"none"}`,
		"the call of a tool":    `{"name":"records","arguments":{"records":` + want.String() + `}}`,
		"a wrapper around each": `[{"record":` + a + `},{"record":` + b + `}]`,
		"by number":             `{"V-1":` + a + `,"V-2":` + b + `}`,
		"by title":              `{"leaves":{"Leaf 1":` + a + `,"Leaf 2":` + b + `}}`,
		"a list in a list":      `[` + want.String() + `]`,
		"columns":               `{"no":["V-1","V-2"],"bridge":["Heron Plank","Rushy Ford"],"length":[{"amount":4.5,"unit":"m"},{"amount":7,"unit":"m"}]}`,
		"units in names":        strings.NewReplacer(`"length":{"amount":4.5,"unit":"m"}`, `"length_m":4.5`, `"length":{"amount":7,"unit":"m"}`, `"length_m":"7"`).Replace(want.String()),
	} {
		r, err := Read(text, value.Object)
		require.NoError(t, err)
		v, _ := Inner(s, r.Value)
		if inner := v.Get(schema.Wrapper); inner != nil {
			v = inner.Named("")
		}
		Shape(s, &v)
		normalize.Record(s, &v)
		assert.True(t, value.Equal(&want, &v), "%s: %s", name, v.String())
	}
}

// What stands around an answer is none of it; and rows
// with signs between the values are records.
func TestDressedReplies(t *testing.T) {
	want, err := value.Parse(`{"records":[{"no":"V-1","bridge":"Heron Plank"},{"no":"V-2","bridge":"Rushy, the Ford"}]}`)
	require.NoError(t, err)
	whole := "{\n \"records\": [\n  {\"no\": \"V-1\", \"bridge\": \"Heron Plank\"},\n  {\"no\": \"V-2\", \"bridge\": \"Rushy, the Ford\"}\n ]\n}"
	known := func(name string) bool { return name == "no" || name == "bridge" || name == "records" }
	for name, text := range map[string]string{
		"a formula":           "\\[" + whole + "\\]",
		"wide signs":          strings.NewReplacer(`":`, `"：`, `",`, `"，`).Replace(whole),
		"low and high quotes": strings.NewReplacer(`"no"`, "„no”", `"V-1"`, "„V-1”").Replace(whole),
		"commas":              "no,bridge\nV-1,Heron Plank\nV-2,\"Rushy, the Ford\"\n",
		"tabs, fenced":        "Here:\n```tsv\nno\tbridge\nV-1\tHeron Plank\nV-2\tRushy, the Ford\n```\n",
		"semicolons":          "no;bridge\nV-1;Heron Plank\nV-2;Rushy, the Ford\n",
	} {
		r, err := ReadKnown(text, value.Object, known)
		require.NoError(t, err, name)
		got := r.Value
		if got.Kind == value.Array {
			got = value.Obj(got.Named("records"))
		}
		assert.True(t, value.Equal(&want, &got), "%s: %s", name, got.String())
		assert.NotEmpty(t, r.Deviations, name)
	}
	for _, prose := range []string{"> a\n> b\n", "1 no\n2 bridge\n4 no\n", "no, bridge", "+ x\n- y\n+ z\n"} {
		_, err := ReadKnown(prose, value.Object, known)
		assert.Error(t, err, prose)
	}
}

// What is in the form that was asked for is left as it is, whatever it holds;
// and whatever a reply is, taking it apart ends, and loses no text that a field
// could take.
func TestFormsLeaveTheRest(t *testing.T) {
	s := surveyed(t)
	r := rand.New(rand.NewPCG(51, 52))
	for range 3000 {
		v := value.Obj()
		for _, f := range s.Root.Fields {
			if r.IntN(5) > 0 {
				v.Set(f.Name, randomOf(r, f))
			}
		}
		if r.IntN(3) == 0 {
			v.Set("more", value.Str("x"))
		}
		was := v.String()
		if len(v.Kids) > 1 {
			inner, deviations := Inner(s, v)
			require.Empty(t, deviations, was)
			require.Equal(t, was, inner.String())
		}
		require.Empty(t, Shape(s, &v), was)
		require.Equal(t, was, v.String())
	}
	for range 4000 {
		v := randomTree(r, 0)
		if v.Kind != value.Object {
			continue
		}
		inner, _ := Inner(s, v)
		before := inner.String()
		Shape(s, &inner)
		again := inner.String()
		texts := 0
		inner.Scan(func(v *value.Value) bool {
			if v.Kind == value.String && strings.HasPrefix(v.Text, "t") {
				texts++
			}
			return true
		})
		require.Equal(t, strings.Count(before, `"t`), texts, "%s became %s", before, again)
	}
}

func randomOf(r *rand.Rand, f *schema.Field) value.Value {
	if r.IntN(6) == 0 && f.Type != schema.List {
		return value.Value{}
	}
	switch f.Type {
	case schema.Group:
		v := value.Obj()
		for _, kid := range f.Fields {
			v.Set(kid.Name, randomOf(r, kid))
		}
		return v
	case schema.List:
		v := value.List()
		for range r.IntN(4) {
			item := randomOf(r, f.Item)
			for item.Kind == value.Null {
				item = randomOf(r, f.Item)
			}
			v.Kids = append(v.Kids, item)
		}
		return v
	case schema.Quantity, schema.Money:
		name, own := f.Measure()
		return value.Obj(value.Num(fmt.Sprint(r.IntN(99))).Named("amount"), value.Str(own).Named(name))
	case schema.Integer:
		return value.Num(fmt.Sprint(r.IntN(99)))
	}
	return value.Str([]string{"oak", "[1]", "{x}", "a.b", "", "value"}[r.IntN(6)])
}

// randomTree is an object of any form with names that may mean a field.
func randomTree(r *rand.Rand, depth int) value.Value {
	if depth > 3 || r.IntN(4) == 0 {
		return value.Str(fmt.Sprintf("t%d", r.IntN(9)))
	}
	if r.IntN(4) == 0 {
		v := value.List()
		for range r.IntN(3) {
			v.Kids = append(v.Kids, randomTree(r, depth+1))
		}
		return v
	}
	names := []string{"name", "bays", "guard", "first", "result", "1", "2", "Bay 1", "bays[0].deck", "guard.first", "length_m", "length", "fee", "arguments", "number", "0", "length_unit", "guard_first", "a.b", "bays..x", "///", "bays[9999999999].deck"}
	v := value.Obj()
	for range 1 + r.IntN(4) {
		if name := names[r.IntN(len(names))]; v.Get(name) == nil {
			v.Kids = append(v.Kids, randomTree(r, depth+1).Named(name))
		}
	}
	return v
}
