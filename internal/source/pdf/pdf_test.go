package pdf

import (
	"bytes"
	"context"
	"fmt"
	"math/rand"
	"strings"
	"testing"
	"time"

	"github.com/go-pdf/fpdf"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestMain(m *testing.M) {
	Main()
	m.Run()
}

func written(t testing.TB, p *fpdf.Fpdf) []byte {
	t.Helper()
	var out bytes.Buffer
	require.NoError(t, p.Output(&out))
	return out.Bytes()
}

// Every word comes back where it was set, to a few pixels.
func TestWordsAndBoxes(t *testing.T) {
	p := fpdf.New("P", "mm", "A4", "")
	p.SetFont("Helvetica", "", 11)
	type at struct {
		page int
		x, y float64
		word string
	}
	var set []at
	r := rand.New(rand.NewSource(9))
	for page := 1; page <= 3; page++ {
		p.AddPage()
		for i := range 60 {
			w := at{page, 15 + 60*float64(i%3) + r.Float64()*5, 20 + 12*float64(i/3), fmt.Sprintf("wrd%d-%d", page, i)}
			p.Text(w.x, w.y, w.word)
			set = append(set, w)
		}
	}
	pages, err := Read(context.Background(), Request{Data: written(t, p), MaxPages: 10})
	require.NoError(t, err)
	require.Len(t, pages, 3)
	found := map[string][4]int{}
	for _, page := range pages {
		assert.InDelta(t, 210/25.4*DPI, page.Width, 2)
		assert.InDelta(t, 297/25.4*DPI, page.Height, 2)
		assert.Nil(t, page.Picture)
		for _, w := range page.Words {
			found[w.Text] = w.Box
		}
	}
	require.Len(t, found, len(set))
	for _, w := range set {
		box := found[w.word]
		assert.InDelta(t, w.x/25.4*DPI, box[0], 6, w.word)
		assert.InDelta(t, w.y/25.4*DPI, box[3], 12, w.word)
		p.SetFont("Helvetica", "", 11)
		assert.InDelta(t, p.GetStringWidth(w.word)/25.4*DPI, box[2]-box[0], 14, w.word)
	}
}

// A page that shows turned has its boxes as it shows.
func TestTurnedPage(t *testing.T) {
	p := fpdf.New("P", "mm", "A4", "")
	p.SetFont("Helvetica", "", 11)
	p.AddPage()
	p.Text(20, 50, "corner")
	p.Text(20, 10, "hidden")
	p.SetPageBox("crop", 10, 57, 180, 200) // from 40 mm below the upper edge
	data := bytes.Replace(written(t, p), []byte("/Type /Page\n"), []byte("/Type /Page /Rotate 90\n"), 1)
	require.Contains(t, string(data), "/Rotate 90")
	pages, err := Read(context.Background(), Request{Data: data})
	require.NoError(t, err)
	require.Len(t, pages[0].Words, 1)
	box := pages[0].Words[0].Box
	assert.InDelta(t, 200/25.4*DPI, pages[0].Width, 3)
	assert.InDelta(t, 180/25.4*DPI, pages[0].Height, 3)
	// 10 mm from the crop's left edge is 10 mm from the top once turned, and
	// 10 mm below its upper edge is 10 mm from the right.
	assert.InDelta(t, (20-10)/25.4*DPI, box[1], 8)
	assert.InDelta(t, float64(pages[0].Width)-(50-40)/25.4*DPI, box[0], 8)
	assert.Equal(t, 1, pages[0].Outside)
}

func TestRefusals(t *testing.T) {
	p := fpdf.New("P", "mm", "A4", "")
	p.SetFont("Helvetica", "", 11)
	for range 12 {
		p.AddPage()
		p.Text(20, 20, "deck")
	}
	whole := written(t, p)
	locked := fpdf.New("P", "mm", "A4", "")
	locked.SetProtection(fpdf.CnProtectPrint, "open", "own")
	locked.AddPage()
	locked.SetFont("Helvetica", "", 11)
	locked.Text(20, 20, "deck")
	for name, c := range map[string]struct {
		data []byte
		most int
		says string
	}{
		"too many pages": {whole, 11, "12 pages, and at most 11 are read"},
		"encrypted":      {written(t, locked), 0, "needs a password"},
		"no PDF at all":  {[]byte("%PDF-1.7\nnothing else"), 0, "damaged"},
		"cut short":      {whole[:200], 0, "damaged"},
	} {
		_, err := Read(context.Background(), Request{Data: c.data, MaxPages: c.most})
		require.ErrorContains(t, err, c.says, name)
		assert.NotContains(t, err.Error(), "\n", name)
	}
	ctx, cancel := context.WithTimeout(context.Background(), time.Nanosecond) // a millisecond can be enough to read it
	defer cancel()
	_, err := Read(ctx, Request{Data: whole})
	assert.ErrorContains(t, err, "took too long")
	ctx, stop := context.WithCancel(context.Background())
	stop()
	_, err = Read(ctx, Request{Data: whole})
	assert.ErrorIs(t, err, context.Canceled)
}

// Files that are damaged anywhere are read or refused, and never bring the
// program down.
func TestDamaged(t *testing.T) {
	p := fpdf.New("P", "mm", "A4", "")
	p.SetFont("Helvetica", "", 11)
	p.AddPage()
	p.Text(20, 20, "deck of planks")
	whole := written(t, p)
	r := rand.New(rand.NewSource(3))
	for range 12 {
		data := bytes.Clone(whole)
		for range 1 + r.Intn(40) {
			data[r.Intn(len(data))] = byte(r.Intn(256))
		}
		_, err := Read(context.Background(), Request{Data: data})
		if err != nil {
			var said *Error
			require.ErrorAs(t, err, &said)
		}
	}
}

// A page without text is drawn.
func TestDrawn(t *testing.T) {
	p := fpdf.New("P", "mm", "A4", "")
	p.AddPage()
	p.Rect(20, 20, 50, 50, "F")
	pages, err := Read(context.Background(), Request{Data: written(t, p), MaxPixels: 1_000_000})
	require.NoError(t, err)
	assert.Empty(t, pages[0].Words)
	assert.True(t, bytes.HasPrefix(pages[0].Picture, []byte("\x89PNG")))
	assert.LessOrEqual(t, pages[0].Width*pages[0].Height, 1_010_000)
}

// dense is 60 pages of two columns in small print, 50,000 words in all.
func dense(t testing.TB) []byte {
	p := fpdf.New("P", "mm", "A4", "")
	r := rand.New(rand.NewSource(1))
	list := strings.Fields("bridge river bay inspection the of and timber deck rust scour handrail visited grade photos closed walkers office valley upper lower water")
	for range 60 {
		p.AddPage()
		p.SetFont("Times", "", 9)
		for c := range 2 {
			left := 15 + 95*float64(c)
			p.SetXY(left, 15)
			p.SetLeftMargin(left)
			p.SetRightMargin(210 - 85 - left)
			var b strings.Builder
			for range 420 {
				b.WriteString(list[r.Intn(len(list))] + " ")
			}
			p.SetX(left)
			p.MultiCell(85, 4, b.String(), "", "J", false)
		}
	}
	return written(t, p)
}

func BenchmarkRead(b *testing.B) {
	data := dense(b)
	words := 0
	for b.Loop() {
		pages, err := Read(context.Background(), Request{Data: data})
		require.NoError(b, err)
		words = 0
		for _, p := range pages {
			words += len(p.Words)
		}
	}
	b.ReportMetric(float64(words), "words")
}

// Words that run up or down the page, or stand on their heads, are whole; letters that
// stand one below the other in cells are words of their own, in whatever order they
// are drawn.
func TestWordsOfEveryDirection(t *testing.T) {
	p := fpdf.New("P", "mm", "A4", "")
	p.SetFont("Helvetica", "", 11)
	p.AddPage()
	for i, degrees := range []float64{0, 90, 180, 270, 12} {
		p.TransformBegin()
		p.TransformRotate(degrees, 100, 60+40*float64(i))
		p.Text(100, 60+40*float64(i), fmt.Sprintf("Deposit%d paid", i))
		p.TransformEnd()
	}
	for column := range 3 {
		for row := range 4 {
			p.Text(15+6*float64(column), 20+5*float64(row), string(rune('a'+column*4+row)))
		}
	}
	pages, err := Read(context.Background(), Request{Data: written(t, p)})
	require.NoError(t, err)
	var found []string
	for _, w := range pages[0].Words {
		found = append(found, w.Text)
	}
	want := strings.Fields("Deposit0 paid Deposit1 paid Deposit2 paid Deposit3 paid Deposit4 paid a b c d e f g h i j k l")
	assert.ElementsMatch(t, want, found)
}

// Pages can be read by number; a password opens what is encrypted.
func TestPagesAndPasswords(t *testing.T) {
	p := fpdf.New("P", "mm", "A4", "")
	p.SetFont("Helvetica", "", 11)
	p.SetProtection(0, "heron", "osier")
	for i := range 5 {
		p.AddPage()
		p.Text(20, 20, fmt.Sprintf("page%d", i+1))
	}
	data := written(t, p)
	for _, c := range []struct {
		r    Request
		want string
	}{{Request{}, "page1 page2 page3 page4 page5"}, {Request{First: 2, Last: 3}, "page2 page3"}, {Request{First: 4}, "page4 page5"}, {Request{First: 5, Last: 5}, "page5"}, {Request{First: 2, MaxPages: 4}, "page2 page3 page4 page5"}} {
		c.r.Data, c.r.Password = data, "heron"
		pages, err := Read(context.Background(), c.r)
		require.NoError(t, err)
		var found []string
		for _, page := range pages {
			for _, w := range page.Words {
				found = append(found, w.Text)
			}
		}
		assert.Equal(t, c.want, strings.Join(found, " "))
	}
	for _, c := range []struct {
		r    Request
		says string
	}{{Request{}, "needs a password"}, {Request{Password: "plank"}, "the password does not open it"}, {Request{Password: "heron", First: 2, Last: 6}, "there is no page 6; it has 5"}, {Request{Password: "heron", MaxPages: 3}, "5 pages, and at most 3"}} {
		c.r.Data = data
		_, err := Read(context.Background(), c.r)
		assert.ErrorContains(t, err, c.says)
	}
}
