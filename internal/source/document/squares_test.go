package document

import (
	"bytes"
	"image/color"
	"image/png"
	"math/rand"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/needs"
	"filler/internal/demo/paper"
)

// form is a sheet with boxes before words, and which are crossed.
func form(r *rand.Rand, dpi int) (s *paper.Sheet, crossed []bool) {
	s = paper.New(dpi*6, dpi*4, dpi)
	side, st := float64(dpi)/6.5, paper.Style{Size: 11}
	for row := range 6 {
		x, y := float64(dpi)/2, float64(dpi)*(0.6+0.5*float64(row))
		for range 2 {
			top := y - side*0.9
			for _, l := range [][4]float64{{x, top, x + side, top}, {x, top + side, x + side, top + side}, {x, top, x, top + side}, {x + side, top, x + side, top + side + 2}} {
				s.Rule(l[0], l[1], l[2], l[3])
			}
			crossed = append(crossed, r.Intn(2) == 0)
			for i := 0.0; crossed[len(crossed)-1] && i < side; i += 0.25 {
				for thick := range 2 {
					s.Image.Set(int(x+i)+thick, int(top+i), color.Gray{50})
					s.Image.Set(int(x+i)+thick, int(top+side-i), color.Gray{50})
				}
			}
			x = s.Line(x+side*1.6, y, strings.TrimSuffix(paper.Sentence(r, 2), "."), st) + float64(dpi)/3
		}
	}
	return s, crossed
}

// Every box is found, and whether it is crossed, at whatever angle it hangs; there is none in prose.
func TestSquares(t *testing.T) {
	r := rand.New(rand.NewSource(2074))
	for _, degrees := range []float64{0, 0.7, -1.5} {
		for _, dpi := range []int{150, 300} {
			s, crossed := form(r, dpi)
			img, words := s.Turned(degrees)
			paper.Speckle(img, r, 40)
			heights := 0
			for _, w := range words {
				heights += int(w.Y1 - w.Y0)
			}
			_, in := inGrey(img)
			n := 0
			for _, sq := range in.squares(heights / len(words)) {
				if sq.filled <= blockFrom {
					n++
				}
			}
			assert.Equal(t, len(crossed), n, "%v° at %d dpi", degrees, dpi)
		}
	}
	for _, kind := range []string{"side notes", "form", "table", "columns", "letter"} {
		img, _ := paper.Random(kind, r).Turned(r.Float64())
		_, in := inGrey(img)
		for _, sq := range in.squares(20) {
			assert.Greater(t, sq.filled, blockFrom, "%s: %v", kind, sq)
		}
	}
}

// In the text they are boxes, before their words.
func TestBoxesOfScans(t *testing.T) {
	needs.Program(t, "tesseract")
	r := rand.New(rand.NewSource(2075))
	s, crossed := form(r, 150)
	img, words := s.Turned(0.5)
	var picture bytes.Buffer
	require.NoError(t, png.Encode(&picture, img))
	d, err := Parse("a.png", picture.Bytes())
	require.NoError(t, err)
	require.Contains(t, d.Notes, "boxes of the form read as [x] and [ ]")
	var want []string
	for i, is := range crossed {
		mark := []string{"[", "]"}
		if is {
			mark = []string{"[x]"}
		}
		want = append(append(want, mark...), words[2*i].Text, words[2*i+1].Text)
	}
	assert.Equal(t, want, strings.Fields(d.Text))
}

// A page of squares is no form, and no effort either.
func TestPattern(t *testing.T) {
	s := paper.New(2400, 1600, 150)
	for y := 20; y < 1560; y += 30 {
		for x := 20; x < 2360; x += 30 {
			for _, l := range [][4]int{{x, y, x + 20, y}, {x, y + 20, x + 20, y + 20}, {x, y, x, y + 20}, {x + 20, y, x + 20, y + 22}} {
				s.Rule(float64(l[0]), float64(l[1]), float64(l[2]), float64(l[3]))
			}
		}
	}
	_, in := inGrey(s.Image)
	assert.Empty(t, in.squares(20))
}
