package cli

import (
	"fmt"
	"io"
	"os"
	"slices"
	"strings"
	"time"

	"charm.land/lipgloss/v2"
	"github.com/charmbracelet/x/ansi"
	"golang.org/x/term"

	"filler/internal/measure/score"
	"filler/internal/view/figures"
	"filler/internal/view/tones"
)

// terminal is what is known of where output goes.
type terminal struct {
	out, err bool // whether each is a terminal
	width    int  // of standard output, in cells
	colour   bool
	unicode  bool // pictures are drawn with signs beyond ASCII
}

func inspect(out, errOut io.Writer) terminal {
	t := terminal{width: 100}
	if f, ok := out.(*os.File); ok && term.IsTerminal(int(f.Fd())) {
		t.out = true
		if w, _, err := term.GetSize(int(f.Fd())); err == nil && w > 20 {
			t.width = w
		}
	}
	if f, ok := errOut.(*os.File); ok {
		t.err = term.IsTerminal(int(f.Fd()))
	}
	t.unicode = os.Getenv("NO_COLOR") == "" && os.Getenv("TERM") != "dumb"
	t.colour = t.out && os.Getenv("NO_COLOR") == "" && os.Getenv("TERM") != "dumb"
	return t
}

type tone = tones.Tone

const (
	plain = tones.Plain
	faint = tones.Faint
	good  = tones.Good
	soft  = tones.Soft
	bad   = tones.Bad
	bold  = tones.Bold
)

func (a *app) paint(t tone, s string) string {
	if !a.term.colour || t == plain || s == "" {
		return s
	}
	return steering(t.Style().Render(visible(s)))
}

// paintErr is paint for standard error.
func (a *app) paintErr(t tone, s string) string {
	if !a.term.err {
		return s
	}
	return a.paint(t, s)
}

// table is a quiet table: a head, a thin rule, rows.
type table struct {
	a     *app
	heads []string
	right []bool
	rows  [][]field
	least []string // the columns that give way, the first of them first
}

type field struct {
	text string
	tone tone
}

// newTable makes a table; a head that begins with ">" is of a column of
// figures.
func (a *app) newTable(heads ...string) *table {
	t := &table{a: a}
	for _, h := range heads {
		h, right := strings.CutPrefix(h, ">")
		t.heads = append(t.heads, h)
		t.right = append(t.right, right)
	}
	return t
}

func (t *table) row(cells ...any) {
	var row []field
	for _, c := range cells {
		cell, is := c.(field)
		if !is {
			cell = field{text: fmt.Sprint(c)}
		}
		cell.text = oneRow.Replace(cell.text)
		if t.a.term.out { // as wide as it will be shown
			cell.text = visible(cell.text)
		}
		row = append(row, cell)
	}
	t.rows = append(t.rows, row)
}

// oneRow keeps a text of several lines in the line of its row.
var oneRow = strings.NewReplacer("\r\n", " ⏎ ", "\n", " ⏎ ", "\r", " ⏎ ", "\t", " ")

// rule draws a thin rule between rows.
func (t *table) rule() { t.rows = append(t.rows, nil) }

// giveWay names the columns that a terminal which is too narrow goes without, the first
// of them first. A line below says which.
func (t *table) giveWay(heads ...string) *table {
	t.least = heads
	return t
}

// drop takes columns out until the table fits, as far as they may give way.
func (t *table) drop() (gone []string) {
	for _, head := range t.least {
		i := slices.Index(t.heads, head)
		if i < 0 || !t.a.term.out || t.tightest() <= t.a.term.width {
			continue
		}
		gone = append(gone, head)
		t.heads, t.right = slices.Delete(slices.Clone(t.heads), i, i+1), slices.Delete(slices.Clone(t.right), i, i+1)
		for j, r := range t.rows {
			if i < len(r) {
				t.rows[j] = slices.Delete(slices.Clone(r), i, i+1)
			}
		}
	}
	return gone
}

// comfortable is how much of a text column is left before others give way.
const comfortable = 20

// tightest gives the width of the table with its widest text column cut.
func (t *table) tightest() int {
	widths := t.widths()
	total, text := 2*(len(widths)-1), 0
	for i, w := range widths {
		total += w
		if !t.right[i] {
			text = max(text, w-comfortable)
		}
	}
	return total - text
}

func (t *table) widths() []int {
	widths := make([]int, len(t.heads))
	for i, h := range t.heads {
		widths[i] = lipgloss.Width(h)
	}
	for _, r := range t.rows {
		for i, c := range r {
			widths[i] = max(widths[i], lipgloss.Width(c.text))
		}
	}
	return widths
}

func (t *table) print() {
	gone := t.drop()
	widths := t.widths()
	t.narrow(widths)
	total := 2 * (len(widths) - 1)
	for _, w := range widths {
		total += w
	}
	var heads []field
	for _, h := range t.heads {
		heads = append(heads, field{h, bold})
	}
	t.line(heads, widths)
	t.ruler(total)
	for _, r := range t.rows {
		if r == nil {
			t.ruler(total)
			continue
		}
		t.line(r, widths)
	}
	if len(gone) > 0 {
		t.a.painted(faint, "too narrow for: "+strings.Join(gone, ", "))
	}
}

// narrow takes from the widest text column what does not fit the terminal, and if that is
// not enough from the next.
func (t *table) narrow(widths []int) {
	if !t.a.term.out {
		return
	}
	over := 2*(len(widths)-1) - t.a.term.width
	for _, w := range widths {
		over += w
	}
	for over > 0 {
		widest := -1
		for i, w := range widths {
			if !t.right[i] && w > narrowest && (widest < 0 || w > widths[widest]) {
				widest = i
			}
		}
		if widest < 0 {
			return
		}
		less := min(over, widths[widest]-narrowest)
		widths[widest], over = widths[widest]-less, over-less
	}
}

// narrowest is what a text column keeps.
const narrowest = 8

func (t *table) ruler(width int) { t.a.printf("%s\n", t.a.paint(faint, strings.Repeat("─", width))) }

func (t *table) line(cells []field, widths []int) {
	var b strings.Builder
	for i, c := range cells {
		if i > 0 {
			b.WriteString("  ")
		}
		text := clip(c.text, widths[i])
		pad := strings.Repeat(" ", max(0, widths[i]-lipgloss.Width(text)))
		if t.right[i] {
			b.WriteString(pad + t.a.paint(c.tone, text))
		} else {
			b.WriteString(t.a.paint(c.tone, text) + pad)
		}
	}
	t.a.printf("%s\n", strings.TrimRight(b.String(), " "))
}

// clip cuts a text to a width in cells.
func clip(s string, width int) string {
	if lipgloss.Width(s) <= width {
		return s
	}
	return strings.TrimRight(ansi.Truncate(s, width-1, ""), " ") + "…"
}

// cost is money with the currency of the project's prices.
func (a *app) cost(nano int64) string {
	if a.currency == "" {
		return money(nano)
	}
	return money(nano) + " " + a.currency
}

func thousands[T int | int64](n T) string { return figures.Thousands(n) }
func money(nano int64) string             { return figures.Money(nano) }
func seconds(d time.Duration) string      { return figures.Seconds(d) }
func plural(n int, one string) string     { return figures.Plural(n, one) }
func ratioText(r score.Ratio) string      { return figures.Ratio(r) }

// sayf prints a sentence, broken between words where the terminal ends; the
// further lines are indented.
func (a *app) sayf(format string, args ...any) { a.painted(plain, fmt.Sprintf(format, args...)) }

// painted is sayf in one colour.
func (a *app) painted(as tone, text string) {
	if !a.term.out {
		a.printf("%s\n", a.paint(as, text))
		return
	}
	text = visible(text)
	line, width := "", a.term.width
	for _, word := range strings.Fields(text) {
		if line != "" && lipgloss.Width(line)+1+lipgloss.Width(word) > width {
			a.printf("%s\n", a.paint(as, line))
			line = "  " + word
			continue
		}
		if line != "" {
			line += " "
		}
		line += word
	}
	a.printf("%s\n", a.paint(as, line))
}
