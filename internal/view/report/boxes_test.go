package report

import (
	"image"
	"image/color"
	"math/rand"
	"testing"

	"github.com/stretchr/testify/assert"

	"filler/internal/demo/paper"
	"filler/internal/source/layout"
)

func made(confidence int) *layout.Text {
	sheet := paper.Random("columns and table", rand.New(rand.NewSource(3)))
	page := layout.Page{Width: 1240, Height: 1754}
	for _, w := range sheet.Words {
		page.Words = append(page.Words, layout.Word{Text: w.Text, Box: layout.Box{int(w.X0), int(w.Y0), int(w.X1), int(w.Y1)}, Confidence: confidence})
	}
	return layout.Make([]layout.Page{page}, layout.Options{})
}

// Every word is framed in the colour of its block, and doubtful ones are
// filled; the picture shows through.
func TestPage(t *testing.T) {
	white := image.NewUniform(color.White)
	blank := image.NewGray(image.Rect(0, 0, 1240, 1754))
	for i := range blank.Pix {
		blank.Pix[i] = 255
	}
	text := made(90)
	img := Boxes(text, 1, blank)
	assert.Equal(t, image.Rect(0, 0, 1240, 1754), img.Bounds())
	framed := 0
	for _, w := range text.Words {
		if img.At(w.Box[0], w.Box[1]+1) != white.At(0, 0) {
			framed++
		}
		assert.NotEqual(t, white.At(0, 0), img.At((w.Box[0]+w.Box[2])/2, w.Box[3]+1), "the line under %s", w.Text)
	}
	assert.Greater(t, framed*10, len(text.Words)*9)
	doubtful := Boxes(made(20), 1, blank)
	w := text.Words[0]
	plain, filled := img.RGBAAt((w.Box[0]+w.Box[2])/2, w.Box[1]+3), doubtful.RGBAAt((w.Box[0]+w.Box[2])/2, w.Box[1]+3)
	assert.Less(t, filled.B, plain.B)
	assert.Equal(t, img.Pix, Boxes(made(90), 1, blank).Pix, "the same input gives the same picture")
}

// Without a picture the words are written where they stand, and a page larger
// than the screen is drawn smaller.
func TestPageWithoutPicture(t *testing.T) {
	text := layout.Make([]layout.Page{{Width: 5000, Height: 2500, Words: []layout.Word{{Text: "Heron", Box: layout.Box{1000, 1000, 2000, 1400}, Confidence: 95}}}}, layout.Options{})
	img := Boxes(text, 1, nil)
	assert.Equal(t, image.Rect(0, 0, 1400, 700), img.Bounds())
	grey := 0
	for y := 285; y < 390; y++ {
		for x := 285; x < 560; x++ {
			if c := img.RGBAAt(x, y); c.R == c.G && c.R < 120 {
				grey++
			}
		}
	}
	assert.Greater(t, grey, 200, "the letters")
}
