package screen

import (
	"fmt"
	"strings"
	"testing"

	tea "charm.land/bubbletea/v2"
	"github.com/charmbracelet/x/ansi"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/measure/review"
	"filler/internal/record"
	"filler/internal/schema"
	"filler/internal/source/document"
)

// memory keeps one record nowhere.
type memory struct{ kept *review.Kept }

func (m memory) Documents() []string               { return []string{m.kept.Document} }
func (m memory) Open(string) (*review.Kept, error) { return m.kept, nil }
func (m memory) Keep(*review.Kept) error           { return nil }
func (m memory) Sign(k *review.Kept, _ record.Hashes) (string, error) {
	k.Signed = true
	return "", nil
}
func (m memory) Unsign(k *review.Kept) error { k.Signed = false; return nil }

// long makes a screen of a document of so many bytes and a list of so many items.
func long(t testing.TB, bytes, items int) *Model {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  ref: {text: Number., printed_as: [Sheet]}\n  rows:\n    list: Rows.\n    key: [number]\n    fields:\n      number: {integer: Number.}\n      sort: {choice: Sort., of: {russet: , codlin: }}\n      picked: {date: Day., written: [D MMMM YYYY]}\n      weight: {quantity: Weight., unit: kg}\n      note: A note.\n"))
	require.NoError(t, err)
	check, err := record.NewValidator(s)
	require.NoError(t, err)
	var text strings.Builder
	text.WriteString("Sheet: OR-1\n")
	rows := value.List()
	for i := range items {
		fmt.Fprintf(&text, "Row %d  russet  %d April 2031  %d,5 kg  left by 林檎 at the gate\n", i+1, i%28+1, i+20)
		rows.Kids = append(rows.Kids, value.Obj(value.Num(fmt.Sprint(i+1)).Named("number"), value.Str("russet").Named("sort"), value.Str(fmt.Sprintf("2031-04-%02d", i%28+1)).Named("picked"),
			value.Obj(value.Num(fmt.Sprintf("%d.5", i+20)).Named("amount"), value.Str("kg").Named("unit")).Named("weight"), value.Value{Name: "note"}))
	}
	for text.Len() < bytes {
		text.WriteString("The orchard lay quiet while the pickers walked between trees, and nothing was counted that day, nor weighed. ")
		if text.Len()%7 == 0 {
			text.WriteByte('\n')
		}
	}
	doc, err := document.Parse("long.txt", []byte(text.String()))
	require.NoError(t, err)
	rec := value.Obj(value.Str("OR-1").Named("ref"), rows.Named("rows"))
	desk, err := review.NewDesk(s, check, memory{&review.Kept{Document: "long.txt", Record: rec}}, func(string) (*document.Document, error) { return doc, nil }, review.Order{})
	require.NoError(t, err)
	require.NoError(t, desk.Begin())
	keys, err := NewKeys(nil)
	require.NoError(t, err)
	return New(Setup{Desk: desk, Keys: keys, Reviewer: "M. Harrow", Below: 0.1, Colour: true})
}

func (m *Model) strike(t testing.TB, keys ...string) {
	codes := map[string]rune{"enter": tea.KeyEnter, "down": tea.KeyDown, "up": tea.KeyUp, "esc": tea.KeyEscape, "tab": tea.KeyTab, "pgdown": tea.KeyPgDown, "pgup": tea.KeyPgUp}
	for _, k := range keys {
		msg := tea.KeyPressMsg{Text: k, Code: []rune(k)[0]}
		if code, special := codes[k]; special {
			msg = tea.KeyPressMsg{Code: code}
		}
		m.Update(msg)
	}
}

// Whatever the size: each line of the screen is as wide as it, and there are as many
// as it has, in every mode.
func TestDrawnToFit(t *testing.T) {
	m := long(t, 3000, 12)
	for _, size := range [][2]int{{50, 12}, {61, 15}, {80, 24}, {133, 40}, {300, 90}} {
		m.Update(tea.WindowSizeMsg{Width: size[0], Height: size[1]})
		for _, keys := range [][]string{{"enter"}, {"e"}, {"1", "2", "3"}, {"esc"}, {"t"}, {"down"}, {"esc"}, {"?"}, {"q"}, {"n", "n", "n"}, {"g", "w"}, {"enter"}, {"c", "a"}, {"enter"}, {"pgdown", "pgdown"}, {"pgup"}, {"+"}, {"u"}, {"N"}} {
			m.strike(t, keys...)
			lines := strings.Split(m.Draw(), "\n")
			assert.LessOrEqual(t, len(lines), size[1], "%v %v", size, keys)
			for i, line := range lines {
				assert.LessOrEqual(t, ansi.StringWidth(line), size[0], "%v %v line %d: %q", size, keys, i, ansi.Strip(line))
			}
		}
	}
}

// Wherever the source is scrolled to, its rows are all of the text, each byte once.
func TestSourceRowsAreTheText(t *testing.T) {
	m := long(t, 20_000, 5)
	for _, width := range []int{7, 20, 63} {
		text, got := m.text(), strings.Builder{}
		for _, r := range m.sourceRows(0, width, 1<<20) {
			if r.start > 0 && text[r.start-1] == '\n' && r.line > 1 {
				got.WriteByte('\n')
			}
			got.WriteString(text[r.start:r.end])
		}
		assert.Equal(t, strings.TrimRight(text, "\n"), strings.TrimRight(got.String(), "\n"), width)
	}
}

func TestKeysAreSet(t *testing.T) {
	keys, err := NewKeys(map[string]string{"right": "j", "next": "l down"})
	require.NoError(t, err)
	assert.Equal(t, []Action{Right, Next, "", ""}, []Action{keys.action("j"), keys.action("l"), keys.action("enter"), keys.action("n")})
	_, err = NewKeys(map[string]string{"right": "e"})
	assert.ErrorContains(t, err, "no key is left for change")
	_, err = NewKeys(map[string]string{"yes": "e"})
	assert.ErrorContains(t, err, `no action "yes"`)
}

// BenchmarkKey makes decisions in a document of 5 MB with a list of 400 items, and
// draws the screen after each key: the worst of them counts.
func BenchmarkKey(b *testing.B) {
	for _, way := range []struct {
		name string
		keys []string
	}{{"right", []string{"enter"}}, {"empty and undo", []string{"x", "u"}}, {"take", []string{"t", "esc"}}, {"take it and undo", []string{"y", "u"}}, {"type and undo", []string{"e", "7", "enter", "u"}}, {"add and undo", []string{"+", "u"}}, {"scroll", []string{"pgdown", "pgup"}}, {"doubtful", []string{"d"}}, {"accept and undo", []string{"f", "u"}}} {
		b.Run(way.name, func(b *testing.B) {
			m := long(b, 5<<20, 400)
			m.Update(tea.WindowSizeMsg{Width: 158, Height: 47})
			m.strike(b, "enter", "enter", "enter")
			m.Draw()
			n := 0
			for b.Loop() {
				for _, k := range way.keys {
					m.strike(b, k)
					m.Draw()
					n++
				}
			}
			b.ReportMetric(float64(b.Elapsed().Microseconds())/float64(n)/1000, "ms/key")
		})
	}
}
