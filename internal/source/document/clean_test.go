package document

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/source/layout"
)

// Figures of other scripts become ours, in texts and in the words of pages, and it is said how many.
func TestFiguresOfOtherScripts(t *testing.T) {
	r := &Reader{}
	d, err := r.Parse(t.Context(), "a.txt", []byte("المجموع ٦٫٧٥ د.أ\r\n"))
	require.NoError(t, err)
	assert.Equal(t, "المجموع 6.75 د.أ\n", d.Text)
	assert.Equal(t, []string{"3 figures of another script are written as 0 to 9"}, d.Notes)
	assert.NotEqual(t, d.Hash, d.FileHash)
	d, err = r.Parse(t.Context(), "a.html", []byte("<p>１</p>"))
	require.NoError(t, err)
	assert.Equal(t, "1", d.Text[:1])
	assert.Contains(t, d.Notes, "a figure of another script is written as 0 to 9")
	p := layout.Page{Words: []layout.Word{{Text: "１４：２５", Box: layout.Box{0, 0, 9, 9}}}, Text: "１"}
	assert.Equal(t, 5, cleanWords(&p))
	assert.Equal(t, "14:25", p.Words[0].Text)
}
