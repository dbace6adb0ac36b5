package schema_test

import (
	"fmt"

	"filler/internal/schema"
)

const bays = `schema: footbridge-inspection
fields:
  report_no: {text: Number at the top of the report., required: true}
  bays:
    list: The bays, in the order of the report.
    key: [number]
    fields:
      number: {integer: Bay number.}
      length: {quantity: Clear length., unit: m}
`

// A schema is read with all its fields in order, and each has a path.
func ExampleParse() {
	s, err := schema.Parse("schema.yaml", []byte(bays))
	if err != nil {
		fmt.Println(err)
		return
	}
	all := append(s.Root.Fields, s.Root.Fields[1].Item.Fields...)
	for _, f := range all {
		fmt.Println(f.Path, f.Type, f.About)
	}
	// Output:
	// report_no text Number at the top of the report.
	// bays list The bays, in the order of the report.
	// bays[].number integer Bay number.
	// bays[].length quantity Clear length.
}

// A fault has its place, and the nearest word that is known.
func ExampleParse_fault() {
	_, err := schema.Parse("schema.yaml", []byte("schema: s\nfields:\n  grade: {integre: Grade.}\n"))
	fmt.Println(err)
	// Output:
	// schema.yaml:3:3: fields: the field "grade" has no type; did you mean "integer" for "integre"?
}
