package evidence

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// A small figure that stands somewhere by chance is told where another stands beside its field's name,
// and only there.
func TestCountedOtherwise(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  cylinders: {integer: Taken along.}\n  least: {integer: Least number., printed_as: [min]}\n"))
	require.NoError(t, err)
	for text, told := range map[string]bool{
		"Fuel: 2 cylinders. Task 3.":                    true,
		"Fuel: two cylinders. Task 3.":                  true,
		"Cylinders: 2. Task 3.":                         true,
		"Cylinders: 2 and task 3, 2 cylinders empty":    true,
		"Fuel: 3 cylinders. Task 2.":                    false,
		"2 cylinders at first, 3 cylinders in the end":  false,
		"2 cylinders and 1 more; 4 cylinders? No, 3.":   false,
		"task 2   cylinders full: 3":                    false,
		"Fuel: 1–2 cylinders. Task 3.":                  false,
		"No. 1/2 cylinders. Task 3.":                    false,
		"at 09:02 cylinders were changed, 3 in all":     false,
		"Paid for fuel £2 cylinders aside. 3 were used": false,
		"WIND 6 CYLINDERS 3 TASK 2":                     false,
		"3 in all":                                      false,
	} {
		rec, err := value.Parse(`{"cylinders":3,"least":null}`)
		require.NoError(t, err)
		ix := NewIndex(text)
		assert.Equal(t, told, Of(s, &rec, ix)["/cylinders"].Opposed > 0, text)
	}
	rec, err := value.Parse(`{"cylinders":null,"least":4}`)
	require.NoError(t, err)
	assert.Zero(t, Of(s, &rec, NewIndex("Rest 5 min. Take 4."))["/least"].Opposed)
}

// What another entry of a register counts says nothing of an entry.
func TestCountedInEntries(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\neach: entry\nfields:\n  name: Name.\n  cylinders: {integer: Taken along.}\n"))
	require.NoError(t, err)
	rec, err := value.Parse(`[{"name":"G-SKYA","cylinders":2},{"name":"G-SKYB","cylinders":3}]`)
	require.NoError(t, err)
	for p, at := range Of(s, &rec, NewIndex("G-SKYA flew with 2 cylinders.\n\nG-SKYB took 3 with it.\n")) {
		assert.True(t, at.Found(), p)
	}
}
