package layout

import (
	"bytes"
	"fmt"
	"image"
	"image/png"
	"math/rand"
	"os"
	"os/exec"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/needs"
	"filler/internal/demo/paper"
)

// read has the real engine find the words of a picture.
func read(t *testing.T, img image.Image) Page {
	t.Helper()
	var in bytes.Buffer
	require.NoError(t, png.Encode(&in, img))
	cmd := exec.Command(needs.Program(t, "tesseract"), "stdin", "stdout", "tsv")
	cmd.Stdin, cmd.Env = &in, append(os.Environ(), "OMP_THREAD_LIMIT=1")
	out, err := cmd.Output()
	require.NoError(t, err, "the engine; `make needs` installs it")
	p := Page{Width: img.Bounds().Dx(), Height: img.Bounds().Dy(), DPI: 150}
	for _, l := range strings.Split(string(out), "\n") {
		f := strings.Split(l, "\t")
		if len(f) < 12 || f[0] != "5" {
			continue
		}
		n := func(i int) int { v, _ := strconv.Atoi(f[i]); return v }
		p.Words = append(p.Words, Word{Text: f[11], Box: Box{n(6), n(7), n(6) + n(8), n(7) + n(9)}})
	}
	return p
}

// truthOf gives for every word of the text the index of the word that was drawn
// at its place, or -1.
func truthOf(drawn []paper.Word, text *Text) []int {
	found := make([]int, len(text.Words))
	for i, w := range text.Words {
		found[i] = -1
		x, y := float64(w.Box[0]+w.Box[2])/2, float64(w.Box[1]+w.Box[3])/2
		for j, d := range drawn {
			if x >= d.X0-2 && x <= d.X1+2 && y >= d.Y0-4 && y <= d.Y1+4 {
				found[i] = j
				break
			}
		}
	}
	return found
}

// adjacent counts the pairs of neighbours in the text, and those that are
// neighbours on the page.
func adjacent(truth []int) (right, all int) {
	seen := map[int]bool{}
	var order []int
	for _, i := range truth {
		if i >= 0 && !seen[i] {
			seen[i] = true
			order = append(order, i)
		}
	}
	next := map[int]int{}
	last := -1
	for i := 0; i <= 1<<16; i++ {
		if seen[i] {
			next[last] = i
			last = i
		}
	}
	for i := 1; i < len(order); i++ {
		all++
		if next[order[i-1]] == order[i] {
			right++
		}
	}
	return right, all
}

// Fifty pages of every kind are drawn, turned by up to three degrees, and read
// by the real engine; at least 97 of 100 neighbours must be neighbours.
func TestReadingOrderOfRandomPages(t *testing.T) {
	needs.Program(t, "tesseract") // here, since a test is left out by its own goroutine only
	pages := 50
	if testing.Short() {
		pages = 6
	}
	type outcome struct {
		kind       string
		turn       float64
		right, all int
		drawn      int
		text       string
	}
	outcomes := make([]outcome, pages)
	sameOrder := make([]bool, pages)
	var wait sync.WaitGroup
	slots := make(chan bool, 2)
	for i := range pages {
		wait.Go(func() {
			slots <- true
			defer func() { <-slots }()
			r := rand.New(rand.NewSource(int64(i) + 2031))
			kind := paper.Kinds[i%len(paper.Kinds)]
			s := paper.Random(kind, r)
			turn := 0.0
			if i%3 != 0 {
				turn = r.Float64()*6 - 3
			}
			img, words := s.Turned(turn)
			paper.Speckle(img, r, 100)
			if dir := os.Getenv("FILLER_PAGES"); dir != "" {
				f, _ := os.Create(fmt.Sprintf("%s/%02d.png", dir, i))
				_ = png.Encode(f, img)
				f.Close()
			}
			text := Make([]Page{read(t, img)}, Options{})
			truth := truthOf(words, text)
			right, all := adjacent(truth)
			if kind != "wrapped table" { // whose cells are read whole in flow, and line by line in rows
				sameOrder[i] = slices.Equal(strings.Fields(text.Render(Flow)), strings.Fields(text.Render(Rows)))
			} else {
				sameOrder[i] = true
			}
			outcomes[i] = outcome{kind, turn, right, all, len(words), text.Text}
		})
	}
	wait.Wait()
	right, all, drawn := 0, 0, 0
	for i, o := range outcomes {
		right, all = right+o.right, all+o.all
		t.Logf("%2d %-18s turned %+.1f: %d of %d (%.1f %%), %d words drawn", i, o.kind, o.turn, o.right, o.all, 100*float64(o.right)/float64(o.all), o.drawn)
		if dir := os.Getenv("FILLER_PAGES"); dir != "" {
			_ = os.WriteFile(fmt.Sprintf("%s/%02d.txt", dir, i), []byte(o.text), 0o644)
		}
		drawn += o.drawn
	}
	same := 0
	for _, ok := range sameOrder {
		if ok {
			same++
		}
	}
	t.Logf("%d of %d pages have the same words in the same order in flow and in rows", same, pages)
	assert.GreaterOrEqual(t, same, pages*9/10)
	share := float64(right) / float64(all)
	t.Logf("%d of %d neighbours right: %.2f %%", right, all, 100*share)
	assert.GreaterOrEqual(t, share, 0.97)
	assert.GreaterOrEqual(t, float64(all), 0.9*float64(drawn), "the engine missed too much to judge")
}
