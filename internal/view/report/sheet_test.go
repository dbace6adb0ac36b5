package report

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
	"filler/internal/source/document"
)

func made100(r *rand.Rand) string {
	var b strings.Builder
	for range 100 {
		b.WriteString([]string{"a", "é", "語", " ", "\n", "4", "<", "\x1b", "\u00ad"}[r.IntN(9)])
	}
	return b.String()
}

// spans draws stretches that begin and end between characters.
func spans(r *rand.Rand, text string, n int) (all [][2]int) {
	var edges []int
	for i := range text {
		edges = append(edges, i)
	}
	edges = append(edges, len(text))
	for range n {
		a, b := r.IntN(len(edges)), r.IntN(len(edges))
		if a != b {
			all = append(all, [2]int{edges[min(a, b)], edges[max(a, b)]})
		}
	}
	return all
}

// However values overlap, the lines say the text, and each piece names just the values
// that stand on it.
func TestLinesSayTheText(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 9))
	for range 400 {
		text := made100(r)
		b := &builder{Maker: &Maker{}, sheet: &Sheet{}}
		for n, at := range spans(r, text, r.IntN(6)) {
			b.sheet.Values = append(b.sheet.Values, &Value{N: n, spans: [][2]int{at}})
		}
		b.lines(text, nil)
		at := 0
		for i, want := range strings.Split(strings.TrimSuffix(text, "\n"), "\n") {
			require.Less(t, i, len(b.sheet.Lines))
			start := at
			said := ""
			for _, p := range b.sheet.Lines[i].Pieces {
				said += p.Text
			}
			assert.Equal(t, b.shown(want), said)
			for j, p := range b.sheet.Lines[i].Pieces {
				// where a piece begins is known by the shown texts before it
				length := 0
				for length <= len(want) && b.shown(want[start-at:start-at+length]) != p.Text {
					length++
				}
				holds := map[int]bool{}
				for _, v := range b.sheet.Values {
					if v.spans[0][0] <= start && start < v.spans[0][1] {
						holds[v.N] = true
					}
				}
				assert.Equal(t, numbers(holds), p.Values, "piece %d of line %d of %q", j, i, text)
				start += length
			}
			at += len(want) + 1
		}
	}
}

// Of a blocked text only what is open and not shut can be read, and everything stands
// where it stood.
func TestBlocked(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 9))
	for range 400 {
		text := made100(r)
		b := &builder{Maker: &Maker{Cover: &record.Cover{}}, open: spans(r, text, 3), shut: spans(r, text, 1)}
		got := b.blocked(text)
		require.Len(t, got, len(text))
		within := func(all [][2]int, i int) bool {
			for _, at := range all {
				if at[0] <= i && i < at[1] {
					return true
				}
			}
			return false
		}
		for i := range text {
			if within(b.open, i) && !within(b.shut, i) {
				assert.Equal(t, text[i], got[i])
			} else if text[i] != got[i] {
				assert.Equal(t, byte(block), got[i])
			} else {
				assert.Contains(t, " \n\x01", string(text[i]), "a sign that may not be seen")
			}
		}
	}
}

func bigGiven(s *schema.Schema, n int) *Given {
	var text strings.Builder
	list := value.List()
	places, risks := value.Obj(), value.Obj()
	for i := range n {
		line := fmt.Sprintf("Pot %d glazed ash for 12.50\n", i)
		at := text.Len()
		text.WriteString(line)
		list.Kids = append(list.Kids, value.Obj(value.Num(strconv.Itoa(i)).Named("number"), value.Str("ash").Named("glaze")))
		for name, word := range map[string]string{"number": strconv.Itoa(i), "glaze": "ash"} {
			p := fmt.Sprintf("/pots/%d/%s", i, name)
			from := at + strings.Index(line, " "+word) + 1
			places.Set(p, value.Obj(value.Str("quoted").Named("kind"), value.Num(strconv.Itoa(from)).Named("start"), value.Num(strconv.Itoa(from+len(word))).Named("end"), value.Num(strconv.Itoa(i+1)).Named("line")))
			risks.Set(p, value.Num("0.02"))
		}
	}
	rec := value.Obj(list.Named("pots"))
	return &Given{Line: record.Line{Document: "a.txt", Status: record.Unflagged, Record: rec, Evidence: places, Risk: risks}, Source: &document.Document{ID: "a.txt", Text: text.String()}}
}

// What a document of so many lines and twice as many values costs.
func BenchmarkDocument(b *testing.B) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nabout: S.\nfields:\n  pots:\n    list: Pots.\n    fields:\n      number: {integer: N.}\n      glaze: {text: G.}\n"))
	require.NoError(b, err)
	for _, n := range []int{20, 2000} {
		b.Run(strconv.Itoa(n), func(b *testing.B) {
			g := bigGiven(s, n)
			m := &Maker{Schema: s}
			size := 0
			for b.Loop() {
				var out bytes.Buffer
				require.NoError(b, pages().ExecuteTemplate(&out, "document", m.Sheet(g)))
				size = out.Len()
			}
			b.ReportMetric(float64(size), "bytes")
		})
	}
}
