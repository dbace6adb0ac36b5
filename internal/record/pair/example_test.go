package pair_test

import (
	"fmt"

	"filler/internal/base/value"
	"filler/internal/record/pair"
	"filler/internal/schema"
)

// Items of lists are paired by what they hold, in whatever order they come:
// here the second entry of gold has no partner, and the last filled one is
// extra.
func ExampleLists() {
	s, err := schema.Parse("s.yaml", []byte(`schema: s
fields:
  defects:
    list: Defects.
    fields:
      part: {text: Part.}
      grade: {integer: Grade.}
`))
	if err != nil {
		fmt.Println(err)
		return
	}
	gold, _ := value.Parse(`[{"part": "handrail", "grade": 2}, {"part": "decking", "grade": 1}, {"part": "bearing", "grade": 3}]`)
	filled, _ := value.Parse(`[{"part": "bearing", "grade": 3}, {"part": "handrail", "grade": 4}, {"part": "kerb", "grade": 9}]`)
	for _, p := range pair.Lists(s.Root.Fields[0], gold.Kids, filled.Kids) {
		fmt.Println("gold", p.Gold, "filled", p.Filled)
	}
	// Output:
	// gold 0 filled 1
	// gold 1 filled -1
	// gold 2 filled 0
	// gold -1 filled 2
}
