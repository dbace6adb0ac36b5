package evidence

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// A number between the ends of a run stands there if the list has both ends, and nowhere else.
func TestRuns(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(`schema: s
fields:
  shelves: {list: Shelves., items: {integer: Shelf.}}
  bays: {list: Bays., key: [number], fields: {number: {integer: Number.}, deck: {text: Deck.}}}
`))
	require.NoError(t, err)
	for _, c := range []struct {
		text, record string
		nowhere      int
	}{
		{"shelves 4-6", `{"shelves":[4,5,6]}`, 0},
		{"Regale 4 bis 7, 9", `{"shelves":[4,5,6,7,9]}`, 0},
		{"shelves 14–17, and 20 to 22.", `{"shelves":[14,15,16,17,20,21,22]}`, 0},
		{"bays 3–5: timber", `{"bays":[{"number":3,"deck":"timber"},{"number":4,"deck":"timber"},{"number":5,"deck":"timber"}]}`, 0},
		{"shelves 4-6", `{"shelves":[4,5,7]}`, 2},        // without an end the run says nothing
		{"shelves 4 6", `{"shelves":[4,5,6]}`, 1},        // no run
		{"part 4-6-8", `{"shelves":[4,5,6]}`, 1},         // a code
		{"4/6", `{"shelves":[4,5,6]}`, 2},                // a share
		{"shelves 4.4-6.6", `{"shelves":[4,5,6]}`, 3},    // other figures
		{"pages 1 to 900", `{"shelves":[1,450,900]}`, 1}, // longer than any run
		{"shelves 6 to 4", `{"shelves":[4,5,6]}`, 1},     // it does not run
		{"at 14:00-16:00", `{"shelves":[14,15,16]}`, 3},  // times
	} {
		rec, err := value.Parse(c.record)
		require.NoError(t, err)
		nowhere := 0
		for _, p := range Of(s, &rec, NewIndex(c.text)) {
			if !p.Found() {
				nowhere++
			}
		}
		assert.Equal(t, c.nowhere, nowhere, "%s: %s", c.text, c.record)
	}
}

// A figure of an enumeration that is there twice while the one beside it is left out is told.
func TestEnumeratedTwice(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  readings: {list: Readings., items: {number: Reading.}}\n"))
	require.NoError(t, err)
	for _, c := range []struct {
		text, record string
		again        int
	}{
		{"shelves 3 and 4", `{"readings":[4,4]}`, 1},
		{"readings 5.1, 5.2, 5.3", `{"readings":[5.1,5.1,5.3]}`, 1},
		{"readings 5.1, 5.2, 5.1", `{"readings":[5.1,5.2,5.1]}`, 0},
		{"all three were 5.1", `{"readings":[5.1,5.1,5.1]}`, 0},
		{"readings 5.1 (twice), 5.2", `{"readings":[5.1,5.1,5.2]}`, 0},
		{"reading 1 and 3: 5.1, reading 2: 5.2", `{"readings":[5.1,5.2,5.1]}`, 0},
	} {
		rec, err := value.Parse(c.record)
		require.NoError(t, err)
		again := 0
		for _, p := range Of(s, &rec, NewIndex(c.text)) {
			if p.Again != "" {
				again++
			}
		}
		assert.Equal(t, c.again, again, "%s: %s", c.text, c.record)
	}
}
