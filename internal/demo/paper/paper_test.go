package paper

import (
	"image"
	"image/color"
	"math"
	"math/rand"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// ink counts the dark points of a part of a picture.
func ink(img *image.Gray, x0, y0, x1, y1 int) (n int) {
	for y := max(0, y0); y < min(img.Rect.Max.Y, y1); y++ {
		for x := max(0, x0); x < min(img.Rect.Max.X, x1); x++ {
			if img.GrayAt(x, y).Y < 128 {
				n++
			}
		}
	}
	return n
}

// Every word has ink in its box, and what of a random page has ink lies in a box,
// but for the rules of tables. The same chance draws the same page.
func TestBoxesHoldTheirWords(t *testing.T) {
	for _, kind := range Kinds {
		one, two := Random(kind, rand.New(rand.NewSource(19))), Random(kind, rand.New(rand.NewSource(19)))
		require.Equal(t, one.Words, two.Words, kind)
		require.Equal(t, one.Image.Pix, two.Image.Pix, "%s: byte for byte", kind)
		require.Greater(t, len(one.Words), 30, kind)
		left := *one.Image
		left.Pix = append([]uint8(nil), one.Image.Pix...)
		for _, w := range one.Words {
			require.NotEmpty(t, strings.TrimSpace(w.Text), kind)
			require.NotContains(t, w.Text, " ", "one word is one word")
			x0, y0, x1, y1 := int(w.X0), int(w.Y0), int(math.Ceil(w.X1)), int(math.Ceil(w.Y1))
			require.Less(t, x0, x1)
			require.Less(t, y0, y1)
			require.True(t, x0 >= 0 && y0 >= 0 && x1 <= one.Image.Rect.Max.X && y1 <= one.Image.Rect.Max.Y, "%s: %s leaves the page at %d, %d", kind, w.Text, x0, y0)
			require.Positive(t, ink(one.Image, x0, y0, x1, y1), "%s: %s has no ink", kind, w.Text)
			for y := y0 - 1; y <= y1; y++ {
				for x := x0 - 1; x <= x1; x++ {
					left.SetGray(x, y, color.Gray{Y: 255})
				}
			}
		}
		if !strings.Contains(kind, "table") && !strings.Contains(kind, "form") {
			rest := ink(&left, 0, 0, left.Rect.Max.X, left.Rect.Max.Y)
			assert.Less(t, rest, ink(one.Image, 0, 0, left.Rect.Max.X, left.Rect.Max.Y)/10+4000, "%s: ink outside of all boxes", kind)
		}
	}
}

// A turned page has its words where turning takes them; turned by nothing it is
// the page.
func TestTurned(t *testing.T) {
	s := New(600, 800, 100)
	s.Line(60, 100, "Heron Plank, bay one", Style{Size: 14})
	s.Line(60, 700, "Rushy Ford", Style{Size: 14, Font: "bold"})
	img, words := s.Turned(0)
	assert.Equal(t, s.Image.Pix, img.Pix)
	for i, w := range words {
		assert.Equal(t, s.Words[i].Text, w.Text)
	}
	for _, degrees := range []float64{-3, 1.5, 3} {
		turned, words := s.Turned(degrees)
		require.Len(t, words, len(s.Words))
		for i, w := range words {
			require.Positive(t, ink(turned, int(w.X0)-2, int(w.Y0)-2, int(w.X1)+2, int(w.Y1)+2), "%s at %v", w.Text, w)
			was := s.Words[i]
			dx, dy := (w.X0+w.X1)/2-(was.X0+was.X1)/2, (w.Y0+w.Y1)/2-(was.Y0+was.Y1)/2
			require.Less(t, math.Hypot(dx, dy), 0.06*1000, "no word goes far")
		}
		total, before := ink(turned, 0, 0, 600, 800), ink(s.Image, 0, 0, 600, 800)
		assert.InDelta(t, before, total, float64(before)/4, "no ink is lost")
	}
}

// A paragraph keeps within its width, says its text, and breaks words only where
// it may.
func TestParagraphs(t *testing.T) {
	r := rand.New(rand.NewSource(23))
	for trial := range 40 {
		s := New(900, 1200, 100)
		text := Sentence(r, 30)
		width := 200 + float64(r.Intn(500))
		hyphenate := func(string) int { return 0 }
		if trial%2 == 0 {
			hyphenate = func(w string) int {
				if len(w) > 8 {
					return len(w) / 2
				}
				return 0
			}
		}
		end := s.Paragraph(50, 80, width, text, Style{Size: 11}, trial%3 == 0, hyphenate)
		require.Greater(t, end, 80.0)
		var said strings.Builder
		for i, w := range s.Words {
			require.LessOrEqual(t, w.X1, 50+width+2, "%s leaves the column", w.Text)
			said.WriteString(w.Text)
			if strings.HasSuffix(w.Text, "-") && trial%2 == 0 && i+1 < len(s.Words) && !strings.Contains(text, w.Text) {
				rest := strings.TrimSuffix(said.String(), "-")
				said.Reset()
				said.WriteString(rest)
				continue
			}
			said.WriteString(" ")
		}
		require.Equal(t, text, strings.TrimSpace(said.String()))
	}
}

// A scanner's specks darken, and lighten nothing.
func TestSpeckle(t *testing.T) {
	s := New(300, 300, 100)
	s.Line(30, 150, "Nine Alders", Style{Size: 20})
	was := append([]uint8(nil), s.Image.Pix...)
	Speckle(s.Image, rand.New(rand.NewSource(44)), 50)
	darker := 0
	for i, p := range s.Image.Pix {
		if p < was[i] {
			darker++
		}
	}
	assert.Greater(t, darker, 50)
	assert.Greater(t, ink(s.Image, 0, 0, 300, 300), 50)
}
