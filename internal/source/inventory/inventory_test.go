package inventory

import (
	"bytes"
	"context"
	"encoding/csv"
	"fmt"
	"image"
	"image/png"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/project"
	"filler/internal/source/document"
)

func pile(t testing.TB, files map[string]string) []document.Source {
	t.Helper()
	dir := t.TempDir()
	for name, text := range files {
		at := filepath.Join(dir, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(at), 0o755))
		require.NoError(t, os.WriteFile(at, []byte(text), 0o644))
		require.NoError(t, os.Chtimes(at, time.Time{}, time.Date(2031, 3, 1, 0, 0, len(name), 0, time.UTC)))
	}
	found, err := document.Find(dir, []string{dir})
	require.NoError(t, err)
	return found
}

func picture(t testing.TB) string {
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, image.NewGray(image.Rect(0, 0, 40, 30))))
	return b.String()
}

// Every document of a pile has a row, whatever it is; and what cannot be filled from as it is is
// told by its state.
func TestPile(t *testing.T) {
	letter := "The bridge of the lower valley was visited on Tuesday and all of its boards are sound but for two at the north end, which are loose.\n"
	files := map[string]string{
		"a.txt": letter, "b.txt": letter, "near.txt": strings.Replace(letter, "Tuesday", "Monday", 1) + letter + letter + letter, "nearer.txt": letter + letter + letter + letter,
		"brief.txt": "Die Brücke ist gesperrt und wird im Mai geprüft.", "empty.txt": "", "scan.png": picture(t), "cut.png": picture(t)[:40], "page.html": "<html><body><p>" + letter + "and a new deck</p></body></html>",
		"mail.eml": "From: a@example.com\nSubject: Visit\nMessage-ID: <1>\n\nThe deck is sound.\n", "locked.pdf": "%PDF-1.4\n",
	}
	sources := pile(t, files)
	v, err := Take(context.Background(), sources, Options{})
	require.NoError(t, err)
	by := map[string]*Row{}
	for i := range v.Rows {
		by[filepath.Base(v.Rows[i].ID)] = &v.Rows[i]
		assert.Equal(t, int64(len(files[filepath.Base(v.Rows[i].ID)])), v.Rows[i].Bytes)
	}
	require.Len(t, by, len(files))
	assert.Equal(t, by["a.txt"].ID, by["b.txt"].SameAs)
	assert.NotEmpty(t, by["nearer.txt"].NearTo)
	assert.Empty(t, by["a.txt"].SameAs)
	for name, want := range map[string]State{"a.txt": Fine, "scan.png": Scanned, "cut.png": Unreadable, "empty.txt": Unreadable, "locked.pdf": Unreadable, "mail.eml": Fine} {
		assert.Equal(t, want, by[name].State, name)
		assert.Equal(t, want == Unreadable, by[name].Why != "", name)
	}
	assert.Equal(t, "de", by["brief.txt"].Language.Code)
	assert.Equal(t, document.Mail, by["mail.eml"].Kind)
	assert.Equal(t, 1, by["scan.png"].Pages)

	all, kinds := v.All(), v.Kinds()
	assert.Equal(t, len(files), all.Documents)
	sum := Group{}
	for _, g := range kinds {
		sum.Documents, sum.Bytes, sum.Tokens, sum.Unusable = sum.Documents+g.Documents, sum.Bytes+g.Bytes, sum.Tokens+g.Tokens, sum.Unusable+g.Unusable
	}
	assert.Equal(t, all.Documents, sum.Documents)
	assert.Equal(t, all.Bytes, sum.Bytes)
	assert.Equal(t, all.Tokens, sum.Tokens)
	assert.Equal(t, len(v.In(Unreadable)), sum.Unusable)
	oldest, newest := v.Ages()
	assert.Equal(t, []string{"a.txt", "locked.pdf"}, []string{filepath.Base(oldest.ID), filepath.Base(newest.ID)})

	var out bytes.Buffer
	require.NoError(t, v.WriteCSV(&out))
	rows, err := csv.NewReader(&out).ReadAll()
	require.NoError(t, err)
	assert.Len(t, rows, len(files)+1)

	cost, told := v.Price(&project.Model{PriceIn: 2})
	assert.False(t, told, "nobody said what a picture costs")
	assert.InDelta(t, float64(all.Tokens)*2e-6, cost, 1e-12)
	cost, told = v.Price(&project.Model{PriceIn: 2, PricePicture: 0.5})
	assert.True(t, told)
	assert.InDelta(t, float64(all.Tokens)*2e-6+0.5, cost, 1e-12)
}

// Near-duplicates are those that a look at all pairs finds, but near the bound; the same whatever the
// number of hands.
func TestNearAsByAllPairs(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	word := func() string { return fmt.Sprintf("%c%d", 'a'+r.IntN(26), r.IntN(40)) }
	files, texts := map[string]string{}, map[string]string{}
	for i := range 60 {
		var words []string
		for range 20 + r.IntN(400) {
			words = append(words, word())
		}
		files[fmt.Sprintf("%03d.txt", i)] = strings.Join(words, " ")
		for c := range r.IntN(3) { // with some words changed, at one place or all over
			own := append([]string(nil), words...)
			for range r.IntN(1 + len(own)/12) {
				own[r.IntN(len(own))] = word()
			}
			files[fmt.Sprintf("%03d-%d.txt", i, c)] = strings.Join(own, " ")
		}
	}
	sources := pile(t, files)
	for _, s := range sources {
		data, err := os.ReadFile(s.File)
		require.NoError(t, err)
		texts[s.ID] = string(data)
	}
	one, err := Take(context.Background(), sources, Options{AtOnce: 1})
	require.NoError(t, err)
	many, err := Take(context.Background(), sources, Options{AtOnce: 7})
	require.NoError(t, err)
	require.Equal(t, one, many)
	group := map[string]string{}
	for i := range one.Rows {
		row := &one.Rows[i]
		group[row.ID] = row.ID
		if row.SameAs != "" {
			group[row.ID] = group[row.SameAs]
		}
		if row.NearTo != "" {
			group[row.ID] = group[row.NearTo]
		}
	}
	sure, told := 0, 0
	for i, a := range sources {
		for _, b := range sources[:i] {
			like := document.NewShingles(texts[a.ID]).Likeness(document.NewShingles(texts[b.ID]))
			together := group[a.ID] == group[b.ID]
			if like >= 0.85 {
				sure++
				assert.True(t, together, "%s %s %.2f", a.ID, b.ID, like)
			}
			if together {
				told++
				assert.Greater(t, like, 0.35, "%s %s", a.ID, b.ID) // of a chain, whose ends are less alike
			}
		}
	}
	assert.Greater(t, sure, 15)
	assert.Greater(t, told, 15)
}

// A thousand forms of one frame, no two of them copies, do not cost a look at all pairs.
func BenchmarkTake(b *testing.B) {
	files := map[string]string{}
	r := rand.New(rand.NewPCG(1, 2))
	for i := range 2000 {
		var t strings.Builder
		for t.Len() < 2000 {
			fmt.Fprintf(&t, "the deck of bay %d is sound and its rail was painted in %d by the crew, ", r.IntN(1e6), r.IntN(1e6))
		}
		files[fmt.Sprintf("%d/%d.txt", i%10, i)] = t.String()
	}
	sources := pile(b, files)
	for b.Loop() {
		if _, err := Take(context.Background(), sources, Options{AtOnce: 1}); err != nil {
			b.Fatal(err)
		}
	}
	b.ReportMetric(2000*float64(b.N)/b.Elapsed().Seconds(), "documents/s")
}
