package layout

import (
	"fmt"
	"math/rand"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/demo/paper"
)

// drawn gives the page of a sheet as an engine without faults would.
func drawn(s *paper.Sheet) Page {
	p := Page{Width: s.Image.Rect.Dx(), Height: s.Image.Rect.Dy(), DPI: s.DPI}
	for _, w := range s.Words {
		p.Words = append(p.Words, Word{Text: w.Text, Box: Box{int(w.X0), int(w.Y0), int(w.X1) + 1, int(w.Y1) + 1}, Confidence: NoConfidence})
	}
	return p
}

// whole checks what holds for every text: no word is lost or made up, each
// stands at its offsets with its own box, and the offsets only grow.
func whole(t require.TestingT, pages []Page, text *Text) {
	type key struct {
		text string
		box  Box
		page int
	}
	left := map[key]int{}
	for i, p := range pages {
		for _, w := range p.Words {
			if !isBlank(w.Text) {
				left[key{w.Text, w.Box, i + 1}]++
			}
		}
	}
	at := 0
	for i, w := range text.Words {
		left[key{w.Text, w.Box, w.Page}]--
		require.GreaterOrEqual(t, w.Start, at)
		at = w.End
		stands := text.Text[w.Start:w.End]
		if w.Joined {
			require.True(t, strings.HasPrefix(w.Text, stands) && len(w.Text)-len(stands) <= 3, "%q stands for %q", stands, w.Text)
			require.Equal(t, w.End, text.Words[i+1].Start, "a broken word touches its rest")
		} else {
			require.Equal(t, w.Text, stands)
		}
		require.Equal(t, i, text.WordAt(w.Start))
		from, to := text.Within(w.Start, w.End)
		require.Equal(t, []int{i, i + 1}, []int{from, to})
	}
	for k, n := range left {
		require.Zero(t, n, "%v", k)
	}
}

// Pages whose boxes are known to the pixel, more of them than an engine could
// read in a test, and of other seeds than those that the engine reads.
func TestReadingOrderOfKnownBoxes(t *testing.T) {
	right, all := map[string]int{}, map[string]int{}
	pages := 240
	if testing.Short() {
		pages = 60
	}
	for i := range pages {
		r := rand.New(rand.NewSource(int64(i) + 90_000))
		kind := paper.Kinds[i%len(paper.Kinds)]
		s := paper.Random(kind, r)
		drawn := []Page{drawn(s)}
		r.Shuffle(len(drawn[0].Words), func(a, b int) {
			w := drawn[0].Words
			w[a], w[b] = w[b], w[a]
		})
		text := Make(drawn, Options{})
		whole(t, drawn, text)
		good, of := adjacent(truthOf(s.Words, text))
		right[kind], all[kind] = right[kind]+good, all[kind]+of
		if good*100 < of*90 {
			t.Logf("page %d (%s): %d of %d", i, kind, good, of)
		}
	}
	for _, kind := range paper.Kinds {
		share := float64(right[kind]) / float64(all[kind])
		t.Logf("%-18s %.2f %%", kind, 100*share)
		assert.GreaterOrEqual(t, share, 0.97, kind)
	}
}

// words makes a page of lines that are given as "x,y text"; letters are 10 wide
// and 14 high, words parted by 8.
func words(lines ...string) Page {
	p := Page{Width: 1200, Height: 1600}
	for _, l := range lines {
		var x, y int
		place, text, _ := strings.Cut(l, " ")
		fmt.Sscanf(place, "%d,%d", &x, &y)
		for _, w := range strings.Fields(text) {
			p.Words = append(p.Words, Word{Text: w, Box: Box{x, y, x + 10*len(w), y + 14}, Confidence: NoConfidence})
			x += 10*len(w) + 8
		}
	}
	return p
}

// Lines that run from top to bottom are read so, the first one from the right,
// however the engine lists their letters; lines of the same letters from left to
// right, and cells of one letter below each other, are not.
func TestFromTopToBottom(t *testing.T) {
	letters := []rune("橋点検記録三月四日見板腐手末直良替費用万円上下左右")
	r := rand.New(rand.NewSource(7))
	for range 200 {
		size, pitch := 20+r.Intn(30), 1.3+r.Float64()
		var want []string
		page := Page{Width: 2400, Height: 1600}
		x := 2200
		for range 2 + r.Intn(8) {
			text := make([]rune, 4+r.Intn(20))
			for i := range text {
				text[i] = letters[r.Intn(len(letters))]
				y := 100 + i*size*21/20
				page.Words = append(page.Words, Word{Text: string(text[i]), Box: Box{x + r.Intn(3), y + r.Intn(3), x + size - r.Intn(3), y + size - r.Intn(3)}, Confidence: NoConfidence})
			}
			want = append(want, string(text))
			x -= int(float64(size) * pitch)
		}
		r.Shuffle(len(page.Words), func(a, b int) { page.Words[a], page.Words[b] = page.Words[b], page.Words[a] })
		text := Make([]Page{page}, Options{})
		require.Equal(t, strings.Join(want, ""), strings.Join(strings.Fields(text.Text), ""))
		require.Equal(t, 1, text.Down)
		turned := Page{Width: 2400, Height: 2400} // the same from left to right
		for _, w := range page.Words {
			turned.Words = append(turned.Words, Word{Text: w.Text, Box: Box{w.Box[1], 2300 - w.Box[2], w.Box[3], 2300 - w.Box[0]}, Confidence: NoConfidence})
		}
		across := Make([]Page{turned}, Options{})
		require.Zero(t, across.Down)
		require.Equal(t, strings.Join(want, ""), strings.Join(strings.Fields(across.Text), ""))
	}
	var cells Page
	for row := range 12 {
		for column := range 4 {
			cells.Words = append(cells.Words, Word{Text: string(letters[row+column]), Box: Box{100 + 200*column, 100 + 36*row, 120 + 200*column, 120 + 36*row}, Confidence: NoConfidence})
		}
	}
	cells.Width, cells.Height = 1000, 800
	assert.Zero(t, Make([]Page{cells}, Options{}).Down, "cells of one letter")
}

func TestRenderings(t *testing.T) {
	for name, c := range map[string]struct {
		page Page
		how  string
		want string
	}{
		"label and value": {words("50,50 Bridge", "300,52 Heron Plank", "50,80 River", "300,79 Lirr", "50,110 Visited", "300,110 3.4.2031"), Flow, "Bridge   Heron Plank\nRiver    Lirr\nVisited  3.4.2031\n"},
		"rows keep their gaps": {words("50,50 Bay", "200,50 Kind", "420,50 Grade", "50,80 1", "200,80 rot", "420,80 2", "50,110 2", "420,110 3", "50,140 3", "200,140 rust", "420,140 0"), Rows,
			"Bay            Kind                  Grade\n1              rot                   2\n2                                    3\n3              rust                  0\n"},
		"a cell in the middle of its row": {words("50,61 1", "150,50 two broken boards", "150,72 and carting them", "500,61 3.5", "50,110 2", "150,110 planed larch", "500,110 96", "50,140 3", "150,140 bolts", "500,140 24"), Flow,
			"1  two broken boards and carting them  3.5\n2  planed larch                        96\n3  bolts                               24\n"},
		"a head under columns of prose": {words("50,50 the deck is sound from", "50,72 end to end and needs", "50,94 no work this year or", "50,116 the next one", "400,50 a beam under the far", "400,72 bay has begun to rot",
			"400,94 and should be looked", "400,116 at in the spring", "50,180 Bay", "150,180 Kind", "650,180 Grade", "50,204 1", "150,204 two of the boards are missing near the far bank", "650,204 3", "50,228 2", "150,228 rust", "650,228 0"), Flow,
			"the deck is sound from end to end and needs no work this year or the next one\n\na beam under the far bay has begun to rot and should be looked at in the spring\n\n" +
				"Bay  Kind                                             Grade\n1    two of the boards are missing near the far bank  3\n2    rust                                             0\n"},
		"boxes": {words("50,50 Heron Plank", "50,80 closed"), Boxes, "page 1 of 1 (1200 x 1600)\nL1 [50,50,158,64] Heron Plank\nL2 [50,80,110,94] closed\n"},
		"a word broken at the line's end": {words("50,50 the boards of this old deck were all re-", "50,72 placed in the spring of that year, and the", "50,94 rail was painted once again by the parish"), Flow,
			"the boards of this old deck were all replaced in the spring of that year, and the rail was painted once again by the parish\n"},
		"a word that has its hyphen anyway": {words("50,50 a re-used beam and the boards of the re-", "50,72 used deck were looked at by the parish and", "50,94 found to be good for another year or two"), Flow,
			"a re-used beam and the boards of the re-used deck were looked at by the parish and found to be good for another year or two\n"},
		"addresses, codes and capitals stay as they stand": {words("50,50 the list of this year is at https://reed.example/hire-", "50,72 list and names the old beam of the bridge at FB31ab-", "50,94 cd besides, the rail is of the NORTH-", "50,116 side firm and was bought by the parish and re-", "50,138 painted by them in the spring of that year"), Flow,
			"the list of this year is at https://reed.example/hire-list and names the old beam of the bridge at FB31ab- cd besides, the rail is of the NORTH-\nside firm and was bought by the parish and repainted by them in the spring of that year\n"},
		"an index in two columns": {words("50,50 abutment 12, 14", "50,72 bay 3, 7, 9", "50,94 beam 21", "50,116 bolt 8, 30", "50,138 crack 11",
			"300,50 deck 2, 16", "300,72 gate 5", "300,94 kerb 19, 20", "300,116 pier 4, 22", "300,138 rail 6"), Flow,
			"abutment 12, 14\nbay 3, 7, 9\nbeam 21\nbolt 8, 30\ncrack 11\n\ndeck 2, 16\ngate 5\nkerb 19, 20\npier 4, 22\nrail 6\n"},
		"two columns": {words("50,50 the deck is sound from", "50,72 end to end and needs", "50,94 no work this year or", "50,116 the next one",
			"400,50 a beam under the far", "400,72 bay has begun to rot", "400,94 and should be looked", "400,116 at in the spring"), Rows,
			"the deck is sound from\nend to end and needs\nno work this year or\nthe next one\n\na beam under the far\nbay has begun to rot\nand should be looked\nat in the spring\n"},
	} {
		text := Make([]Page{c.page}, Options{})
		whole(t, []Page{c.page}, text)
		assert.Equal(t, c.want, text.Render(c.how), name)
	}
}

func TestRunningHeads(t *testing.T) {
	var pages []Page
	for n := range 5 {
		pages = append(pages, words("50,40 Yearbook 2031", "900,42 Ossel Valley", fmt.Sprintf("50,300 the %d. visit was dry", n), "50,322 and short", fmt.Sprintf("600,1560 page %d", n+1)))
	}
	text := Make(pages, Options{})
	whole(t, pages, text)
	assert.Equal(t, 5, strings.Count(text.Text, "Yearbook"))
	less := Make(pages, Options{DropRunning: true})
	assert.NotContains(t, less.Text, "Yearbook")
	assert.NotContains(t, less.Text, "page")
	assert.Equal(t, 5, strings.Count(less.Text, "visit was dry\nand short"))
	two := Make(pages[:2], Options{DropRunning: true})
	assert.Contains(t, two.Text, "Yearbook", "two pages are too few to tell")
}

// On pages full of rows, with the same words at the same heights, no row goes, nor the
// head of the table that each page repeats; the page's own head and foot do.
func TestRowsAreNoRunningHeads(t *testing.T) {
	for _, headed := range []bool{false, true} {
		var pages []Page
		for n := range 12 {
			var lines []string
			y := 60
			if headed {
				lines = append(lines, fmt.Sprintf("50,40 Yearbook 2031 page %d", n+1), fmt.Sprintf("600,1570 %d", n+1))
				y = 110
			}
			lines = append(lines, fmt.Sprintf("50,%d Bay", y), fmt.Sprintf("300,%d Kind", y), fmt.Sprintf("600,%d Grade", y))
			for y += 26; y < 1510; y += 26 {
				lines = append(lines, fmt.Sprintf("50,%d %d", y, 10+(y*n)%80), fmt.Sprintf("300,%d rot", y), fmt.Sprintf("600,%d %d", y, y%4))
			}
			pages = append(pages, words(lines...))
		}
		all, less := Make(pages, Options{}), Make(pages, Options{DropRunning: true})
		whole(t, pages, all)
		heads := 0
		if headed {
			heads = 5 * 12 // words
			require.Len(t, less.Dropped, 2)
			assert.Equal(t, []Dropped{{"Yearbook 2031 page 1", 12}, {"1", 12}}, less.Dropped)
		}
		assert.Equal(t, len(all.Words)-heads, len(less.Words))
		assert.NotContains(t, less.Text, "Yearbook")
		assert.Equal(t, 12, strings.Count(less.Text, "Grade"))
	}
}

// Heads that differ on left and right pages are heads all the same.
func TestHeadsInPairs(t *testing.T) {
	var pages []Page
	for n := range 8 {
		head := "50,40 Reports of the year"
		if n%2 == 1 {
			head = "800,40 The valley of the Ossel"
		}
		pages = append(pages, words(head, fmt.Sprintf("50,300 visit number %d", n), "50,322 was dry"))
	}
	less := Make(pages, Options{DropRunning: true})
	assert.NotContains(t, less.Text, "Reports of")
	assert.NotContains(t, less.Text, "valley of")
	assert.Equal(t, []Dropped{{"Reports of the year", 4}, {"The valley of the Ossel", 4}}, less.Dropped)
}

// One page can be shown alone, and words marked, in every rendering.
func TestShow(t *testing.T) {
	text := Make([]Page{words("50,50 first page"), words("50,50 second page")}, Options{})
	mark := func(w *Placed, s string) string { return "<" + s + ">" }
	for _, how := range Renderings {
		one := text.Show(Rendering{How: how, Page: 2, Mark: mark})
		assert.Contains(t, one, "<second> <page>", how)
		assert.NotContains(t, one, "first", how)
	}
	for _, how := range Renderings {
		toldOfLines(t, Make([]Page{words("50,50 first page", "50,72 goes on", "400,50 beside", "50,200 "+strings.Repeat("long ", 40)), words("50,50 second page")}, Options{}), how)
	}
	plain := Make([]Page{{Text: "Bay 1   rot\n  grade 2\n\nend"}, words("50,50 scanned")}, Options{})
	assert.Equal(t, "Bay 1   rot\ngrade 2\n\nend\n\nscanned\n", plain.Text, "a page whose places nobody knows is taken as it stands")
}

// toldOfLines checks that each line that is shown is told of, with its first word.
func toldOfLines(t *testing.T, text *Text, how string) {
	t.Helper()
	var starts []int
	shown := text.Show(Rendering{How: how, Line: func(at int) { starts = append(starts, at) }})
	lines := strings.Split(strings.TrimSuffix(shown, "\n"), "\n")
	if shown == "" {
		lines = nil
	}
	require.Len(t, starts, len(lines), "%s: %q", how, shown)
	for i, at := range starts {
		if at < 0 {
			continue
		}
		n := slices.IndexFunc(text.Words, func(w Placed) bool { return w.Start == at && w.End > at })
		require.GreaterOrEqual(t, n, 0)
		require.Contains(t, lines[i], text.Text[at:text.Words[n].End], how)
	}
}

// Whatever an engine gives, no word is lost and every offset is true.
func FuzzMake(f *testing.F) {
	f.Add(int64(1), 40, 3, 1200)
	f.Add(int64(2), 3, 1, 1)
	f.Fuzz(func(t *testing.T, seed int64, count, pages, room int) {
		if count < 0 || count > 300 || pages < 1 || pages > 4 || room < 1 || room > 1<<20 {
			return // more than a page ever has
		}
		r := rand.New(rand.NewSource(seed))
		texts := []string{"a", "re-", "placed", "-", "|", "\u00ad", "1.", "Ñandú-", "עברית", " ", "x\u200b", strings.Repeat("w", r.Intn(40)+1)}
		all := make([]Page, pages)
		for range count {
			p := &all[r.Intn(pages)]
			x, y := r.Intn(room)-room/10, r.Intn(room)
			p.Words = append(p.Words, Word{Text: texts[r.Intn(len(texts))], Box: Box{x, y, x + r.Intn(room/4+1), y + r.Intn(30)}, Confidence: r.Intn(102) - 1})
		}
		text := Make(all, Options{})
		whole(t, all, text)
		for _, how := range Renderings {
			toldOfLines(t, text, how)
		}
	})
}

func BenchmarkMake(b *testing.B) {
	r := rand.New(rand.NewSource(5))
	pages := []Page{drawn(paper.Random("two columns", r)), drawn(paper.Random("table", r)), drawn(paper.Random("side notes", r))}
	n := 0
	for _, p := range pages {
		n += len(p.Words)
	}
	for b.Loop() {
		Make(pages, Options{})
	}
	b.ReportMetric(float64(n)*float64(b.N)/b.Elapsed().Seconds(), "words/s")
}
