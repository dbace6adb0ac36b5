package reading

import (
	"math/rand/v2"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/lazy"
)

// TestLinesWithoutFiguresHoldNoMatch: patterns that are looked for in lines with figures only find
// in them what they find in the whole text.
func TestLinesWithoutFiguresHoldNoMatch(t *testing.T) {
	patterns := []*lazy.Regexp{hourRange, dayHours, timeRange, degrees, yearSpan, twoUnits, inFigures, dayWithSigns, timeWithSigns,
		inHours, inThree, inSmall, inColons, fromTo, shortMonth, shortMonthNamed, monthText, bareFraction, fraction, power}
	found := map[*lazy.Regexp]int{}
	compare := func(text string) {
		tx := New(text)
		for _, p := range patterns {
			want := p.FindAllStringSubmatchIndex(text, -1)
			if got := tx.matches(p, tx.Stretches[0]); len(got)+len(want) > 0 {
				require.Equal(t, want, got, "%s\n%q", p, text)
			}
			found[p] += len(want)
		}
		for _, p := range []*lazy.Regexp{zip, dayFirstZip} {
			in := false
			for _, s := range figureLinesOf(text) {
				in = in || p.MatchString(text[s.Start:s.End])
			}
			require.Equal(t, p.MatchString(text), in, "%s\n%q", p, text)
		}
	}
	parts := strings.Fields(`1 2 14 30 2031 12.5 3/4 1/2 ½ ⅔ - – / . , : ' ° h hours min s Mo Sat May april Uhr pm to bis and 年 月 日 令和 时 10^4 x E5 ft in kg | ( )`)
	parts = append(parts, "2.30-4.45pm", "2014-15", "令和2年3月", "2031年4月5日", "2h 14 min 30 s", "16m 12 s", "1:23.4", "9.30-11.15", "May '31", "40° 12' N", "4.7 x 10^3")
	rng := rand.New(rand.NewPCG(3, 9))
	for range 2_000 {
		var b strings.Builder
		for range 4 + rng.IntN(20) {
			b.WriteString(parts[rng.IntN(len(parts))])
			b.WriteString([]string{"", " ", " ", " ", "\n", "\r\n", "\n\n", "\t", "\u00a0"}[rng.IntN(9)])
		}
		compare(b.String())
	}
	for _, kept := range []string{"sheets", "trades"} {
		paths, err := filepath.Glob(filepath.Join("..", "..", "record", "evidence", "testdata", kept, "*.txtar"))
		require.NoError(t, err)
		require.NotEmpty(t, paths)
		for i := 0; i < len(paths); i += 4 {
			text, err := os.ReadFile(paths[i])
			require.NoError(t, err)
			compare(string(text))
		}
	}
	for _, p := range patterns {
		assert.Greater(t, found[p], 20, "hardly ever met: %s", p)
	}
}

func TestCellGaps(t *testing.T) {
	pattern := regexp.MustCompile(`\s{2,}|[\t|]`)
	parts := []string{" ", " ", "\t", "|", "\n", "\r", "\f", "\u00a0", "a", "é", "\xff"}
	rng := rand.New(rand.NewPCG(5, 5))
	for range 20_000 {
		var b strings.Builder
		for range rng.IntN(12) {
			b.WriteString(parts[rng.IntN(len(parts))])
		}
		var want []Span
		for _, m := range pattern.FindAllStringIndex(b.String(), -1) {
			want = append(want, Span{m[0], m[1]})
		}
		require.Equal(t, want, cellGaps(b.String()), "%q", b.String())
	}
}
