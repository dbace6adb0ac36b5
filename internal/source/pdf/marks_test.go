package pdf

import (
	"bytes"
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/go-pdf/fpdf"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/image/font/gofont/goregular"
)

// objects writes a file of objects, the first one the root.
func objects(all ...string) []byte {
	var b bytes.Buffer
	b.WriteString("%PDF-1.6\n")
	var at []int
	for i, o := range all {
		at = append(at, b.Len())
		fmt.Fprintf(&b, "%d 0 obj\n%s\nendobj\n", i+1, o)
	}
	table := b.Len()
	fmt.Fprintf(&b, "xref\n0 %d\n0000000000 65535 f \n", len(all)+1)
	for _, a := range at {
		fmt.Fprintf(&b, "%010d 00000 n \n", a)
	}
	fmt.Fprintf(&b, "trailer<</Size %d/Root 1 0 R>>\nstartxref\n%d\n%%%%EOF\n", len(all)+1, table)
	return b.Bytes()
}

func stream(head, body string) string {
	return fmt.Sprintf("<<%s/Length %d>>stream\n%s\nendstream", head, len(body), body)
}

// A form's values are there though they are not drawn, its boxes as ticked or not and
// not as a letter of some font; what a line goes through is struck out; remarks are
// told and are no part of the text.
func TestFormsAndMarks(t *testing.T) {
	data := objects("<</Type/Catalog/Pages 2 0 R/AcroForm<</Fields[6 0 R 7 0 R 8 0 R 12 0 R]>>>>",
		"<</Type/Pages/Kids[3 0 R]/Count 1>>",
		"<</Type/Page/Parent 2 0 R/MediaBox[0 0 400 300]/Contents 4 0 R/Resources<</Font<</F 5 0 R>>>>/Annots[6 0 R 7 0 R 8 0 R 12 0 R 13 0 R 14 0 R]>>",
		stream("", "BT /F 10 Tf 20 260 Td (Bridge) Tj 0 -30 Td (Closed) Tj 60 0 Td (Open) Tj -60 -30 Td (Weather) Tj 0 -30 Td (The price is 40.00 38.00 crowns) Tj ET"),
		"<</Type/Font/Subtype/Type1/BaseFont/Helvetica>>",
		"<</Type/Annot/Subtype/Widget/FT/Tx/T(bridge)/V(Heron Plank)/Rect[80 255 200 272]/P 3 0 R>>",
		"<</Type/Annot/Subtype/Widget/FT/Btn/T(closed)/V/Yes/AS/Yes/Rect[56 227 68 239]/AP<</N<</Yes 10 0 R/Off 11 0 R>>>>/P 3 0 R>>",
		"<</Type/Annot/Subtype/Widget/FT/Btn/T(open)/V/Off/AS/Off/Rect[108 227 120 239]/AP<</N<</Yes 10 0 R/Off 11 0 R>>>>/P 3 0 R>>",
		"<</Type/Font/Subtype/Type1/BaseFont/ZapfDingbats>>",
		stream("/Type/XObject/Subtype/Form/BBox[0 0 12 12]/Resources<</Font<</Z 9 0 R>>>>", "BT /Z 10 Tf 2 2 Td (4) Tj ET"),
		stream("/Type/XObject/Subtype/Form/BBox[0 0 12 12]", ""),
		"<</Type/Annot/Subtype/Widget/FT/Ch/T(weather)/V(rain)/Opt[(dry)(rain)]/Rect[80 195 200 212]/P 3 0 R>>",
		"<</Type/Annot/Subtype/Text/Contents(check this figure)/Rect[300 160 320 180]/P 3 0 R>>",
		"<</Type/Annot/Subtype/StrikeOut/QuadPoints[75 180 100 180 75 168 100 168]/Rect[74 167 101 181]/P 3 0 R>>")
	pages, err := Read(context.Background(), Request{Data: data})
	require.NoError(t, err)
	var found []string
	for _, w := range pages[0].Words {
		found = append(found, w.Text)
	}
	assert.ElementsMatch(t, []string{"Bridge", "Heron", "Plank", "Closed", "[x]", "Open", "[ ]", "Weather", "rain", "The", "price", "is", "~~40.00~~", "38.00", "crowns"}, found)
	assert.Equal(t, []string{"check this figure"}, pages[0].Remarks)
}

// A page whose font does not tell what its letters are is drawn as well; one that says
// what it says without a map is not.
func TestLettersThatAreNotTold(t *testing.T) {
	p := fpdf.New("P", "mm", "A4", "")
	p.AddUTF8FontFromBytes("go", "", goregular.TTF)
	p.SetFont("go", "", 11)
	p.AddPage()
	p.Text(20, 20, "The price is 40.00 crowns a day")
	sound := written(t, p)
	require.Equal(t, 1, strings.Count(string(sound), "/ToUnicode"))
	for _, data := range [][]byte{sound, bytes.Replace(sound, []byte("/ToUnicode"), []byte("/ToNothing"), 1)} {
		pages, err := Read(context.Background(), Request{Data: data})
		require.NoError(t, err)
		assert.Equal(t, []any{7, true}, []any{len(pages[0].Words), pages[0].Picture == nil})
		assert.Less(t, pages[0].Unmapped, BrokenFrom)
	}
	var names strings.Builder
	for i := range 26 {
		fmt.Fprintf(&names, "/g%d", 300+i)
	}
	broken := objects("<</Type/Catalog/Pages 2 0 R>>", "<</Type/Pages/Kids[3 0 R]/Count 1>>",
		"<</Type/Page/Parent 2 0 R/MediaBox[0 0 500 300]/Contents 4 0 R/Resources<</Font<</F 5 0 R>>>>>>",
		stream("", "BT /F 10 Tf 20 260 Td (tghr prcf qrst wxzv bncd fghj klmn pqrs tvwx zbcd fghk) Tj ET"),
		"<</Type/Font/Subtype/Type1/BaseFont/ABCDEF+Own/FirstChar 97/LastChar 122/Encoding<</Type/Encoding/Differences[97 "+names.String()+"]>>>>")
	pages, err := Read(context.Background(), Request{Data: broken})
	require.NoError(t, err)
	assert.GreaterOrEqual(t, pages[0].Unmapped, BrokenFrom)
	assert.NotNil(t, pages[0].Picture)
}
