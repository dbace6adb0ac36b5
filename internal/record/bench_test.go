package record

import (
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// BenchmarkCheck reads a record and checks it whole, with links and rules;
// BenchmarkLibrary reads it as the JSON Schema library's own reader does, and
// validates it.
func BenchmarkCheck(b *testing.B) {
	v, rec := sample(b)
	text := rec.String()
	var reader value.Reader
	for b.Loop() {
		rec, err := reader.ReadString(text)
		require.NoError(b, err)
		require.Empty(b, v.Check(&rec))
	}
}

func BenchmarkLibrary(b *testing.B) {
	v, rec := sample(b)
	text := rec.String()
	for b.Loop() {
		rec, err := jsonschema.UnmarshalJSON(strings.NewReader(text))
		require.NoError(b, err)
		require.NoError(b, v.compiled.Validate(rec))
	}
}

func sample(b *testing.B) (*Validator, *value.Value) {
	s, err := schema.Load("../demo/project/schemas/inspection.yaml")
	require.NoError(b, err)
	v, err := NewValidator(s)
	require.NoError(b, err)
	rec, err := value.Parse(`{"report_no":"FB-2031-05","bridge":"Heron Plank","river":"Vanmere","visited":"2031-03-13","next_visit":"2031-09-13","weather":null,"closed":false,"inspector":{"name":"Sefa Thornby","licence":"QL-332"},"checked_by":{"name":null,"licence":null},"bays":[{"number":1,"length":{"amount":7.9,"unit":"m"},"deck":"steel","defects":[{"kind":"rust","grade":0,"photos":[1,2]},{"kind":"crack","grade":1,"photos":[3]}]},{"number":2,"length":{"amount":13.6,"unit":"m"},"deck":"timber","defects":[{"kind":"crack","grade":2,"photos":[4,5]}]}],"actions":[{"what":"renew the handrail post","by":"2031-06-18","bay":2,"cost":{"amount":240.00,"currency":"EUR"}}]}`)
	require.NoError(b, err)
	return v, &rec
}
