package schema

import (
	"fmt"
	"strings"
	"testing"
)

// wideSchema is a JSON Schema of so many properties, a third of them groups with a reference.
func wideSchema(n int) []byte {
	var b strings.Builder
	b.WriteString(`{"type":"object","$defs":{"x":{"type":["string","null"],"enum":["u","v",null]}},"properties":{`)
	for i := range n {
		if i > 0 {
			b.WriteByte(',')
		}
		if i%3 > 0 {
			fmt.Fprintf(&b, `"f%d":{"type":"string","description":"Field %d."}`, i, i)
		} else {
			fmt.Fprintf(&b, `"f%d":{"type":"object","properties":{"a":{"type":"integer"},"b":{"$ref":"#/$defs/x"}}}`, i)
		}
	}
	b.WriteString("}}")
	return []byte(b.String())
}

func BenchmarkImport(b *testing.B) {
	for _, n := range []int{500, 2000, 4000} {
		data := wideSchema(n)
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			for b.Loop() {
				if _, _, err := Import("wide.json", data); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}
