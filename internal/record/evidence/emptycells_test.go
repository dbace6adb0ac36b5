package evidence

import (
	"fmt"
	"math/rand"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// emptyLayouts write rows of cells of which some are empty.
var emptyLayouts = map[string]func(rows [][]string) string{
	"semicolons": func(rows [][]string) string {
		var b strings.Builder
		for _, row := range rows {
			b.WriteString(strings.Join(row, ";") + "\n")
		}
		return b.String()
	},
	"bars": func(rows [][]string) string {
		var b strings.Builder
		for i, row := range rows {
			if b.WriteString("| " + strings.Join(row, " | ") + " |\n"); i == 0 {
				b.WriteString("|" + strings.Repeat("---|", len(row)) + "\n")
			}
		}
		return b.String()
	},
	"blanks": func(rows [][]string) string {
		var b strings.Builder
		for _, row := range rows {
			for _, cell := range row {
				fmt.Fprintf(&b, "%-14s", cell)
			}
			b.WriteString("\n")
		}
		return b.String()
	},
}

// Of tables with empty cells anywhere the right record has nothing left over, and each value that is lost is told
// or asked about at its own place, beside a column that nobody asked for.
func TestEmptyCells(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  trees: {list: Trees., fields: {tag: {text: Tag.}, height: {number: Height.}, cost: {number: Cost.}, owner: {text: Who owns it.}}}\n"))
	require.NoError(t, err)
	r := rand.New(rand.NewSource(5))
	owners := []string{"Ott", "Pell & Co", "Quill", "The parish"}
	lost, told := map[string]int{}, map[string]int{}
	for range 40 {
		rows := [][]string{{"Tag", "Height", "Note", "Cost", "Owner"}}
		rec := value.List()
		for i := range 3 + r.Intn(6) {
			tag, height, cost, owner := fmt.Sprintf("T%d", i+1), fmt.Sprintf("%d.5", 4+i), fmt.Sprint(60+17*i), owners[r.Intn(len(owners))]
			item := value.Obj(value.Str(tag).Named("tag"), value.Num(height).Named("height"), value.Num(cost).Named("cost"), value.Str(owner).Named("owner"))
			note := []string{"", "leans"}[r.Intn(2)]
			switch r.Intn(5) {
			case 0:
				cost = ""
				item.Set("cost", value.Value{})
			case 1:
				owner = ""
				item.Set("owner", value.Value{})
			}
			rows, rec.Kids = append(rows, []string{tag, height, note, cost, owner}), append(rec.Kids, item)
		}
		whole := value.Obj(rec.Named("trees"))
		for name, layout := range emptyLayouts {
			ix := NewIndex(layout(rows))
			assert.Empty(t, Unread(s, &whole, ix, Of(s, &whole, ix)), "%s: %s", name, ix.Source)
			for i := range rec.Kids {
				for _, field := range []string{"height", "cost", "owner"} {
					less := whole.Clone()
					at := value.Pointer("").Key("trees").Index(i).Key(field)
					if less.At(at).Empty() {
						continue
					}
					*less.At(at) = value.Value{Name: field}
					lines, left := Look(s, &less, ix, Of(s, &less, ix))
					lost[name]++
					for _, l := range append(lines, left...) {
						if l.At == at {
							told[name]++
							break
						}
					}
				}
			}
		}
	}
	for name, n := range lost {
		t.Logf("%s: %d of %d lost cells are told at their place", name, told[name], n)
		assert.GreaterOrEqual(t, float64(told[name])/float64(n), 0.95, name)
	}
}
