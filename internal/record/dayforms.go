package record

import (
	"fmt"
	"strings"

	"filler/internal/base/lazy"
)

// dayOfTwo is a day in figures that may begin with its day or with its month.
var dayOfTwo = lazy.New(`\b(?:0?[1-9]|1[0-2])([./-])(0?[1-9]|1[0-2])[./-](\d{4}|\d{2})\b`)

// formsOf gives the two forms that a day in a line may have, as schemas write them.
func formsOf(said string) string {
	m := dayOfTwo.FindStringSubmatch(said)
	if m == nil {
		return "[D.M.YYYY]"
	}
	year, pivot := strings.Repeat("Y", len(m[3])), ""
	if len(m[3]) == 2 {
		pivot = ", and pivot, such as 1950"
	}
	return fmt.Sprintf("[D%sM%s%s] or [M%sD%s%s]%s", m[1], m[1], year, m[1], m[1], year, pivot)
}
