package answer

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"filler/internal/base/process"
	"filler/internal/base/value"
)

// BenchmarkRead reads valid JSON of some 4 MB, which should cost no more than
// reading JSON does.
func BenchmarkRead(b *testing.B) {
	var s strings.Builder
	s.WriteString(`{"records": [`)
	for i := range 20000 {
		if i > 0 {
			s.WriteByte(',')
		}
		fmt.Fprintf(&s, `{"report_no": "FB-2031-%05d", "bridge": "Widow Ashby's Crossing", "visited": "2031-04-03", "bays": [{"number": 1, "length": {"amount": 12.50, "unit": "m"}, "defects": [{"kind": "rot", "grade": 2}]}]}`, i)
	}
	s.WriteString(`]}`)
	b.SetBytes(int64(s.Len()))
	process.Garbage(process.Usual()) // as the program does
	for b.Loop() {
		r, err := Read(s.String(), value.Object)
		require.NoError(b, err)
		require.Empty(b, r.Deviations)
	}
}

// A reply of nearly JSON with as many comments as are listed.
func BenchmarkAccountComments(b *testing.B) {
	text := "{" + strings.Repeat("\"name\": 'Heron Plank at the weir', // as it says\n", 950) + `"grade": "` + strings.Repeat("word ", 200_000) + `"}`
	r, err := ReadKnown(text, value.Object, knownNames)
	if err != nil {
		b.Fatal(err)
	}
	b.SetBytes(int64(len(text)))
	for b.Loop() {
		r.Account(knownNames, &r.Value)
	}
}

// A reply of many lines that is no JSON, with much that is not used.
func BenchmarkAccount(b *testing.B) {
	text := strings.Repeat("**name:** Heron Plank\nI am not sure of this, or of the other.\n| rot | 1 |\n", 10_000)
	r, err := ReadKnown(text, value.Object, knownNames)
	if err != nil {
		b.Fatal(err)
	}
	b.SetBytes(int64(len(text)))
	for b.Loop() {
		r.Account(knownNames, &r.Value)
	}
}
