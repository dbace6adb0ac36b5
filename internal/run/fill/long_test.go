package fill

import (
	"fmt"
	"math/rand/v2"
	"net/http/httptest"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"sort"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/ask/prompt"
	"filler/internal/base/project"
	"filler/internal/record"
	"filler/internal/schema"
	"filler/internal/standin"
)

// entriesOf gives where the entries of a register begin.
func entriesOf(text string) []int {
	var at []int
	for _, m := range regexp.MustCompile(`(?m)^Report no\.: FB`).FindAllStringIndex(text, -1) {
		at = append(at, m[0])
	}
	return at
}

// longFill fills one text in chunks and gives its line.
func longFill(t *testing.T, s *schema.Schema, text, character string, chunk, overlap int) record.Line {
	t.Helper()
	server := httptest.NewServer(standin.Handler(standin.Options{Character: character}))
	defer server.Close()
	file := filepath.Join(t.TempDir(), "register.txt")
	require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
	line, _ := fillOne(t, Setup{Schema: s, Model: &project.Model{Entry: "m", Name: character, At: server.URL + "/v1", Shape: "auto", Reply: 4096},
		Pace: project.Pace{AtOnce: 8, Attempts: 2, Timeout: time.Minute}, Rounds: 2, Settings: prompt.Settings{Layout: "rows", Chunk: chunk, Overlap: overlap}}, file)
	return line
}

// homes gives the entry that most of a record's evidence lies in, for each; -1
// for one whose evidence lies in several, in none of them for more than a half.
func homes(line *record.Line, starts []int) []int {
	count := make([]map[int]int, len(line.Record.Kids))
	for i := range count {
		count[i] = map[int]int{}
	}
	for i := range line.Evidence.Kids {
		e := &line.Evidence.Kids[i]
		var n, at int
		if start := e.Get("start"); start != nil {
			fmt.Sscan(start.Text, &at)
			fmt.Sscanf(e.Name, "/%d/", &n)
			count[n][sort.SearchInts(starts, at+1)-1]++
		}
	}
	var out []int
	for _, c := range count {
		best, all := -1, 0
		for entry, n := range c {
			all += n
			if n > c[best] {
				best = entry
			}
		}
		if c[best]*2 <= all {
			best = -1
		}
		out = append(out, best)
	}
	return out
}

// Every entry of a register comes out exactly once and in order, whatever the
// size of the chunks and the care of the model: with entries longer than a
// chunk, and with neighbours that are the same to the letter.
func TestEveryEntryOnce(t *testing.T) {
	data, err := os.ReadFile("../../demo/project/register/documents/register.txt")
	require.NoError(t, err)
	s, err := schema.Load("../../demo/project/register/schemas/register.yaml")
	require.NoError(t, err)
	whole := string(data)
	rules := regexp.MustCompile(`(?m)^-{20,}$`).FindAllStringIndex(whole, -1)
	twin := whole[rules[3][0]:rules[4][0]]
	twins := whole[:rules[4][0]] + twin + twin + whole[rules[4][0]:rules[12][0]]
	r := rand.New(rand.NewPCG(51, 52))
	for _, c := range []struct {
		text  string
		sizes []int
	}{
		{whole, []int{220 + r.IntN(100), 1000 + r.IntN(3000)}},
		{twins, []int{200, 350, 200 + r.IntN(600), 800 + r.IntN(1000), 4000, 30000}},
	} {
		starts := entriesOf(c.text)
		var want []int
		for i := range starts {
			want = append(want, i)
		}
		for _, size := range c.sizes {
			for k, character := range []string{"hasty", "steady"} {
				overlap := r.IntN(8)
				if testing.Short() && (len(c.sizes) < 3 || size < 300 || (size+k)%3 > 0) { // a few of them
					continue
				}
				line := longFill(t, s, c.text, character, size, overlap)
				assert.Equal(t, want, homes(&line, starts), "%s, chunks of %d tokens, overlap %d, %d entries", character, size, overlap, len(starts))
			}
		}
	}
}

// Rows of tables are entries as well: each comes out once, in order, or the
// record says that it was not read. Later parts are shown the table's head.
func TestEveryRowOnce(t *testing.T) {
	r := rand.New(rand.NewPCG(53, 54))
	var text strings.Builder
	text.WriteString("# Visits of the year 2031\n\nKept by the office.\n")
	names := []string{"Heron Plank", "Rushy Ford", "Nine Alders", "Pipit Gill"}
	n := 0
	var starts []int
	for _, part := range []string{"North", "South"} {
		fmt.Fprintf(&text, "\n## %s\n\n| Visit no. | Bridge | Visited | Grade |\n|---|---|---|---|\n", part)
		for range 60 {
			starts = append(starts, text.Len())
			fmt.Fprintf(&text, "| V-%03d | %s | %d.%d.2031 | %d |\n", n, names[r.IntN(4)], 1+n%28, 1+n%12, r.IntN(4))
			n++
		}
	}
	s, err := schema.Parse("s.yaml", []byte("schema: visits\neach: entry\nfields:\n  no: {text: Number of the visit., printed_as: [Visit no.]}\n  bridge: Name of the bridge.\n  visited: {date: Day of the visit., written: [D.M.YYYY]}\n  grade: {integer: Grade.}\n"))
	require.NoError(t, err)
	for _, character := range []string{"hasty", "steady"} {
		for _, size := range []int{150, 300 + r.IntN(600), 5000} {
			line := longFill(t, s, text.String(), character, size, r.IntN(4))
			got := slices.DeleteFunc(homes(&line, starts), func(home int) bool { return home < 0 })
			assert.IsIncreasing(t, got, "%s, chunks of %d", character, size)
			unread := 0
			for _, p := range line.Problems {
				if p.Code() == record.Uncovered {
					unread++
				}
			}
			assert.GreaterOrEqual(t, len(got)+unread, n, "%s, chunks of %d: a row was lost without a word", character, size)
			assert.GreaterOrEqual(t, len(got), n-2, "%s, chunks of %d", character, size)
		}
	}
}
