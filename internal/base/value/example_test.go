package value_test

import (
	"fmt"

	"filler/internal/base/value"
)

// A number keeps the literal that it was written with, and a name given twice
// stays there twice.
func ExampleParse() {
	v, err := value.Parse(`{"load": 12.50, "grade": 1, "grade": 2}`)
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, kid := range v.Kids {
		fmt.Println(kid.Name, kid.Text)
	}
	// Output:
	// load 12.50
	// grade 1
	// grade 2
}

// An error says where: the strict reader repairs nothing.
func ExampleParse_error() {
	_, err := value.Parse("{\n  \"a\": 01\n}")
	fmt.Println(err)
	// Output:
	// line 2, column 8: a number with a leading zero
}

func ExamplePointer() {
	p := value.Pointer("").Key("bays").Index(3).Key("deck/rail")
	fmt.Println(p)
	fmt.Println(p.Parent(), p.Last())
	// Output:
	// /bays/3/deck~1rail
	// /bays/3 deck/rail
}
