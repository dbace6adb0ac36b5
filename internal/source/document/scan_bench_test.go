package document

import (
	"bytes"
	"fmt"
	"math/rand"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"
	"golang.org/x/net/html"

	"filler/internal/demo/paper"
)

// bookHOCR is hOCR of so many pages as the engine writes it.
var bookHOCR = sync.OnceValue(func() []byte {
	var b strings.Builder
	b.WriteString("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<!DOCTYPE html PUBLIC \"-//W3C//DTD XHTML 1.0 Transitional//EN\" \"http://www.w3.org/TR/xhtml1/DTD/xhtml1-transitional.dtd\">\n<html xmlns=\"http://www.w3.org/1999/xhtml\" xml:lang=\"en\" lang=\"en\">\n <head><title></title><meta name='ocr-system' content='tesseract 5.3.0' /></head>\n <body>\n")
	r := rand.New(rand.NewSource(4))
	var sheets []*paper.Sheet
	for _, kind := range []string{"two columns", "side notes", "columns and table", "form"} {
		sheets = append(sheets, paper.Random(kind, r))
	}
	words := 0
	for page := 1; page <= 500; page++ {
		fmt.Fprintf(&b, "  <div class='ocr_page' id='page_%d' title='image \"p%d.png\"; bbox 0 0 1240 1754; ppageno %d; scan_res 150 150'>\n   <div class='ocr_carea' id='block_%d_1' title=\"bbox 0 0 1240 1754\">\n    <p class='ocr_par' id='par_%d_1' lang='eng' title=\"bbox 0 0 1240 1754\">\n", page, page, page-1, page, page)
		all := sheets[page%len(sheets)].Words
		for n := range 400 {
			w := all[n%len(all)]
			if n%10 == 0 {
				fmt.Fprintf(&b, "     <span class='ocr_line' id='line_%d_%d' title=\"bbox 100 100 1100 130; baseline 0.001 -5; x_size 24; x_descenders 5; x_ascenders 6\">\n", page, n)
			}
			words++
			fmt.Fprintf(&b, "      <span class='ocrx_word' id='word_%d_%d' title='bbox %d %d %d %d; x_wconf %d'>%s</span>\n", page, n, int(w.X0), int(w.Y0), int(w.X1), int(w.Y1), 60+n%40, w.Text)
			if n%10 == 9 {
				b.WriteString("     </span>\n")
			}
		}
		b.WriteString("    </p>\n   </div>\n  </div>\n")
	}
	b.WriteString(" </body>\n</html>\n")
	return []byte(b.String())
})

// BenchmarkHOCR reads 500 pages and 200,000 words whole, into a text with its
// map. BenchmarkHOCRParse is what the HTML library takes merely to parse them.
func BenchmarkHOCR(b *testing.B) {
	data := bookHOCR()
	b.SetBytes(int64(len(data)))
	for b.Loop() {
		d, err := Parse("a.hocr", data)
		require.NoError(b, err)
		require.Len(b, d.Layout.Pages, 500)
	}
}

func BenchmarkHOCRParse(b *testing.B) {
	data := bookHOCR()
	b.SetBytes(int64(len(data)))
	for b.Loop() {
		_, err := html.Parse(bytes.NewReader(data))
		require.NoError(b, err)
	}
}

func BenchmarkPlain(b *testing.B) {
	data := bytes.Repeat([]byte("Bay 2 of the bridge is 12.4 m long, and its deck of planks is sound: grüne Bretter.\n"), 100_000)
	b.SetBytes(int64(len(data)))
	for b.Loop() {
		_, err := Parse("a.txt", data)
		require.NoError(b, err)
	}
}
