package evidence_test

import (
	"fmt"

	"filler/internal/base/value"
	"filler/internal/record/evidence"
	"filler/internal/schema"
)

// Each value's place in the source text is found, with how it stands there.
func ExampleOf() {
	s, err := schema.Parse("s.yaml", []byte(`schema: s
fields:
  bridge: {text: Name of the bridge.}
  visited: {date: Day of the visit.}
  grade: {integer: Grade.}
`))
	if err != nil {
		fmt.Println(err)
		return
	}
	text := "Heron Plank, visited 3 May 2031.\nGrade: 2\n"
	rec, _ := value.Parse(`{"bridge": "Heron Plank", "visited": "2031-05-03", "grade": 7}`)
	places := evidence.Of(s, &rec, evidence.NewIndex(text))
	for _, p := range []value.Pointer{"/bridge", "/visited", "/grade"} {
		fmt.Printf("%s %s %q\n", p, places[p].Kind, text[places[p].Start:places[p].End])
	}
	// Output:
	// /bridge quoted "Heron Plank"
	// /visited restated "3 May 2031"
	// /grade none ""
}
