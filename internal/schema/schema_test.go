package schema

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/place"
)

const small = `
schema: s
each: %
fields:
  name: {text: A name., required: true, pattern: '^A', max: 9}
  kind: {choice: Kind., of: {a: {also: [b]}, "007": , null: }}
  bays:
    list: Bays.
    key: [no]
    fields:
      no: {integer: Number., min: 1}
      marks: {list: Marks., items: {number: A mark., max: 2.5}}
  who: {group: Who., fields: {on: {date: Day., written: [D.M.YYYY]}}}
`

func parse(t *testing.T, text string) *Schema {
	t.Helper()
	s, err := Parse("s.yaml", []byte(text))
	require.NoError(t, err)
	return s
}

func TestCompiles(t *testing.T) {
	s := parse(t, strings.Replace(small, "%", "document", 1))
	full, wire := s.Full(), s.Wire()
	assert.Equal(t, `{"$schema":"https://json-schema.org/draft/2020-12/schema","title":"s","type":"object","properties":{`+
		`"name":{"type":"string","minLength":1,"maxLength":9,"pattern":"^A"},`+
		`"kind":{"type":["string","null"],"enum":["a","007","null",null]},`+
		`"bays":{"type":["array","null"],"items":{"type":"object","properties":{"no":{"type":["integer","null"],"minimum":1},`+
		`"marks":{"type":["array","null"],"items":{"type":"number","maximum":2.5}}},"additionalProperties":false}},`+
		`"who":{"type":["object","null"],"properties":{"on":{"type":["string","null"],"format":"date"}},"additionalProperties":false}},`+
		`"required":["name"],"additionalProperties":false}`, full.String())
	assert.Equal(t, `{"type":"object","properties":{"name":{"type":["string","null"]},`+
		`"kind":{"type":["string","null"],"enum":["a","007","null",null]},`+
		`"bays":{"type":"array","items":{"type":"object","properties":{"no":{"type":["integer","null"]},`+
		`"marks":{"type":"array","items":{"type":["number","null"]}}},`+
		`"required":["no","marks"],"additionalProperties":false}},`+
		`"who":{"type":"object","properties":{"on":{"type":["string","null"]}},"required":["on"],"additionalProperties":false}},`+
		`"required":["name","kind","bays","who"],"additionalProperties":false}`, wire.String())
}

func TestFindsFields(t *testing.T) {
	for _, each := range []string{"document", "entry"} {
		s := parse(t, strings.Replace(small, "%", each, 1))
		var paths []string
		for _, f := range s.Leaves() {
			paths = append(paths, f.Path)
		}
		assert.Equal(t, []string{"name", "kind", "bays[].no", "bays[].marks[]", "who.on"}, paths)
		for _, p := range paths {
			require.NotNil(t, s.Find(p), p)
			assert.Equal(t, p, s.Find(p).Path)
		}
		assert.Equal(t, each == "entry", s.EachEntry())
	}
	s := parse(t, strings.Replace(small, "%", "entry", 1))
	assert.Equal(t, "bays[].marks[]", s.At("/3/bays/0/marks/1").Path)
	assert.Nil(t, s.At("/3/bays/0/nothing"))
	wire := s.Wire()
	assert.NotNil(t, wire.At("/properties/records/items/properties/name"))
}

func TestDates(t *testing.T) {
	for text, want := range map[string]string{"D.M.YYYY": "3.4.2031", "DD/MM/YYYY": "03/04/2031", "D MMMM YYYY": "3 April 2031", "MMM D, YYYY": "Apr 3, 2031", "M/YYYY": "4/2031", "MMMM YYYY": "April 2031", "YYYY": "2031"} {
		f, err := ParseDateFormat(text)
		require.NoError(t, err)
		assert.Equal(t, want, f.Write("2031-04-03"[:len(layoutOf[f.finest])]))
		got, ok := f.Read(want)
		assert.True(t, ok)
		assert.Equal(t, "2031-04-03"[:len(layoutOf[f.finest])], got, text)
	}
	for _, bad := range []string{"", "D.M", "D.M.YYY", "YYYYY-M-D", "D.D.YYYY", "D YYYY", "M"} {
		_, err := ParseDateFormat(bad)
		assert.Error(t, err, bad)
	}
	f, _ := ParseDateFormat("D.M.YYYY")
	for _, bad := range []string{"31.2.2031", "3.13.2031", "3.4.31", "3.4.2031 ", "a3.4.2031", "3-4-2031", "0.1.2031"} {
		_, ok := f.Read(bad)
		assert.Equal(t, bad == "3.4.2031 ", ok, bad)
	}
	two := &Field{}
	for _, text := range []string{"D/M/YYYY", "M/D/YYYY"} {
		f, _ := ParseDateFormat(text)
		two.Written = append(two.Written, f)
	}
	_, ok := two.ReadDate("3/4/2031")
	assert.False(t, ok, "two readings are none")
	_, ok = two.ReadDate("13/4/2031")
	assert.True(t, ok)
	_, err := Parse("s.yaml", []byte("schema: s\nfields:\n  due: {date: Month it is due., precision: month, written: [M/YYYY, MMMM YYYY]}\n"))
	assert.NoError(t, err)
	_, err = Parse("s.yaml", []byte("schema: s\nfields:\n  due: {date: Day it is due., written: [M/YYYY]}\n"))
	assert.ErrorContains(t, err, "precision: month")
	month := &Field{Type: Date, Precision: "month"}
	for text, want := range map[string]string{"Sept. 2031": "2031-09", "März 2031": "2031-03", "2031-09": "2031-09", "3 April 2031": "2031-04-03", "2031": ""} {
		got, _ := month.ReadDate(text)
		assert.Equal(t, want, got, text)
	}
}

// What would cost the parser too much is refused at once.
func TestHostileFiles(t *testing.T) {
	for name, text := range map[string]string{
		"brackets": "schema: " + strings.Repeat("[", 156_000), "deep flow": "a: " + strings.Repeat("{a: ", 400), "deep block": deepBlock(400),
		"large": "a: " + strings.Repeat("x", 2<<20), "aliases": "a: &x [1]\nb: *x\n", "two documents": "schema: a\n---\nschema: b\n",
		"tabs": "schema: a\nfields:\n\ta: b\n", "tag": "schema: !x y\nfields: {a: b}\n", "list": "- a\n", "empty": "", "not UTF-8": "a: \xff",
	} {
		_, err := Parse("x.yaml", []byte(text))
		var faults place.Faults
		require.ErrorAs(t, err, &faults, name)
		for _, f := range faults {
			assert.NotEmpty(t, f.Msg, name)
			assert.NotEmpty(t, f.Hint, name)
			assert.NotContains(t, f.Error(), "\n", name)
		}
	}
}

func deepBlock(n int) string {
	var b strings.Builder
	for i := range n {
		b.WriteString(strings.Repeat(" ", i) + "a:\n")
	}
	return b.String()
}

// FuzzParse: whatever comes in, it ends in a schema or in faults that fit one
// line each, and a schema that loads compiles.
func FuzzParse(f *testing.F) {
	f.Add(strings.Replace(small, "%", "document", 1))
	f.Add("schema: a\nfields:\n  a: {text: x, min: 1e9}\n")
	f.Add("fields: {a: {list: b, items: {choice: c, of: [x, y]}}}")
	f.Fuzz(func(t *testing.T, text string) {
		s, err := Parse("f.yaml", []byte(text))
		if err != nil {
			var faults place.Faults
			require.ErrorAs(t, err, &faults)
			require.NotEmpty(t, faults)
			return
		}
		require.NotEmpty(t, s.Leaves())
		full, wire := s.Full(), s.Wire()
		require.NotEmpty(t, full.String()+wire.String())
	})
}
