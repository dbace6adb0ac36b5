package document

import (
	"bytes"
	"context"
	"image"
	"image/color"
	"image/png"
	"math/rand"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	xdraw "golang.org/x/image/draw"

	"filler/internal/base/needs"
	"filler/internal/demo/paper"
)

func letter(r *rand.Rand) *paper.Sheet {
	s := paper.New(900, 600, 150)
	for i := range 6 {
		s.Line(60, 80+50*float64(i), paper.Sentence(r, 6), paper.Style{Size: 12})
	}
	return s
}

func asPNG(t *testing.T, img image.Image) []byte {
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, img))
	return b.Bytes()
}

// A page that lies on its side, or stands on its head, says what it says upright, and its picture is
// shown as it was read.
func TestUpright(t *testing.T) {
	needs.Program(t, "tesseract")
	img := letter(rand.New(rand.NewSource(2076))).Image
	want, err := Parse("a.png", asPNG(t, img))
	require.NoError(t, err)
	for quarters := 1; quarters <= 3; quarters++ {
		file := filepath.Join(t.TempDir(), "a.png")
		require.NoError(t, os.WriteFile(file, asPNG(t, quartered(img, quarters)), 0o644))
		data, err := os.ReadFile(file)
		require.NoError(t, err)
		r := &Reader{}
		d, err := r.Parse(context.Background(), "a.png", data)
		require.NoError(t, err)
		assert.Equal(t, want.Text, d.Text, "%d quarters", quarters)
		assert.Contains(t, strings.Join(d.Notes, "; "), "before OCR")
		assert.Equal(t, 4-quarters, d.Layout.Pages[0].Turned)
		shown, err := r.Picture(context.Background(), d, Source{ID: "a.png", File: file}, 1)
		require.NoError(t, err)
		assert.Equal(t, img.Bounds(), shown.Bounds())
		assert.InDelta(t, d.Layout.Pages[0].Width, shown.Bounds().Dx(), 0)
		for _, w := range d.Words()[:5] { // ink is where a word is said to be
			dark := 0
			for x := w.Box[0]; x < w.Box[2]; x++ {
				for y := w.Box[1]; y < w.Box[3]; y++ {
					if c, _, _, _ := shown.At(x, y).RGBA(); c < 0x8000 {
						dark++
					}
				}
			}
			assert.Greater(t, dark, 20, w.Text)
		}
	}
}

// Four quarters are none.
func TestQuartered(t *testing.T) {
	img := letter(rand.New(rand.NewSource(2077))).Image
	var turned image.Image = img
	for range 4 {
		turned = quartered(turned, 1)
	}
	again := quartered(quartered(img, 3), 1)
	for _, at := range []image.Point{{70, 75}, {100, 76}, {899, 599}, {0, 0}, {313, 271}} {
		assert.Equal(t, color.GrayModel.Convert(img.At(at.X, at.Y)), color.GrayModel.Convert(turned.At(at.X, at.Y)))
		assert.Equal(t, color.GrayModel.Convert(img.At(at.X, at.Y)), color.GrayModel.Convert(again.At(at.X, at.Y)))
	}
}

// A shadow over half of a page is taken out: the engine reads what it read without; where there is none,
// and of what is no paper, a picture stays as it is.
func TestShadow(t *testing.T) {
	needs.Program(t, "tesseract")
	img := letter(rand.New(rand.NewSource(2078))).Image
	_, had := evened(img)
	assert.False(t, had)
	want, err := Parse("a.png", asPNG(t, img))
	require.NoError(t, err)
	b := img.Bounds()
	shaded := image.NewGray(b)
	for y := range b.Dy() {
		for x := range b.Dx() {
			light := 1 - 0.62*float64(x)/float64(b.Dx())
			if x > 500 && y > 200 {
				light *= 0.75
			}
			shaded.SetGray(x, y, color.Gray{uint8(float64(img.GrayAt(x, y).Y) * light)})
		}
	}
	d, err := Parse("a.png", asPNG(t, shaded))
	require.NoError(t, err)
	even, had := evened(shaded)
	require.True(t, had)
	assert.Greater(t, even.GrayAt(850, 580).Y, uint8(225), "paper is white again")
	assert.Equal(t, strings.Fields(want.Text), strings.Fields(d.Text))
	_, had = evened(image.NewGray(b))
	assert.False(t, had, "a black picture")
}

// A page in small letters is read enlarged, and its words stand where they do on the page.
func TestSmallLetters(t *testing.T) {
	needs.Program(t, "tesseract")
	sheet := letter(rand.New(rand.NewSource(2079)))
	b := sheet.Image.Bounds()
	small := image.NewGray(image.Rect(0, 0, b.Dx()*2/5, b.Dy()*2/5))
	xdraw.CatmullRom.Scale(small, small.Bounds(), sheet.Image, b, xdraw.Src, nil)
	d, err := Parse("a.png", asPNG(t, small))
	require.NoError(t, err)
	assert.Contains(t, d.Notes, "enlarged before OCR")
	found := 0
	for _, want := range sheet.Words {
		for _, got := range d.Words() {
			x, y := int(want.X0+want.X1)/5, int(want.Y0+want.Y1)/5 // the middle, at two fifths
			if got.Text == want.Text && got.Box[0] <= x && x <= got.Box[2] && got.Box[1] <= y && y <= got.Box[3] {
				found++
				break
			}
		}
	}
	assert.Greater(t, found*10, len(sheet.Words)*8, "%d of %d words", found, len(sheet.Words))
}
