package screen

import (
	"fmt"
	"strings"

	tea "charm.land/bubbletea/v2"
	"charm.land/lipgloss/v2"
	"github.com/charmbracelet/x/ansi"

	"filler/internal/measure/review"
	"filler/internal/record/evidence"
	"filler/internal/view/signs"
	"filler/internal/view/tones"
)

// The tones of the terminal, and those of the source's words.
const (
	plain  = tones.Plain
	faint  = tones.Faint
	bold   = tones.Bold
	good   = tones.Good
	soft   = tones.Soft
	bad    = tones.Bad
	marked = tones.Tone("marked") // the words of the value at hand
	dim    = tones.Tone("dim")    // other words that say the same
)

func (m *Model) paint(t tones.Tone, text string) string {
	if t == plain || text == "" || t.IsColour() && !m.Colour {
		return text
	}
	switch t {
	case marked:
		return lipgloss.NewStyle().Reverse(true).Render(text)
	case dim:
		return lipgloss.NewStyle().Underline(true).Render(text)
	}
	return t.Style().Render(text)
}

// clip cuts a text to a width, with a sign that it goes on.
func clip(text string, width int) string {
	if width <= 0 {
		return ""
	}
	if len(text) > 8*width {
		text = text[:8*width]
	}
	return ansi.Truncate(signs.Visible(strings.ReplaceAll(text, "\n", " ")), width, "…")
}

// cell is clip, filled up with spaces.
func cell(text string, width int) string {
	text = clip(text, width)
	return text + strings.Repeat(" ", max(0, width-ansi.StringWidth(text)))
}

// fit fills up what is drawn already.
func fit(drawn string, width int) string {
	w := ansi.StringWidth(drawn)
	if w > width {
		return ansi.Truncate(drawn, width, "…")
	}
	return drawn + strings.Repeat(" ", width-w)
}

func padLeft(n, width int) string { return fmt.Sprintf("%*d", width, n) }

// below is how many rows stand below the panes, and above how many above them.
const (
	above = 2
	below = 5
)

func (m *Model) bodyHeight() int { return max(1, m.height-above-below) }

// panes gives the widths of the tree and the source, and their height.
func (m *Model) panes() (left, right, height int) {
	left = min(max(26, m.width*2/5), 60)
	return left, m.width - left - 1, m.bodyHeight()
}

// The smallest screen that is drawn.
const leastWidth, leastHeight = 50, 12

// View draws the screen.
func (m *Model) View() tea.View {
	v := tea.NewView(m.Draw())
	v.AltScreen = true
	v.MouseMode = tea.MouseModeCellMotion
	return v
}

// Draw gives the screen as text.
func (m *Model) Draw() string {
	switch {
	case m.width < leastWidth || m.height < leastHeight:
		return fmt.Sprintf("%d columns and %d lines are too few; the review needs %d and %d.", m.width, m.height, leastWidth, leastHeight)
	case m.mode == helping:
		return m.drawHelp()
	case m.Desk.Sheet() == nil:
		return m.drawEnd()
	}
	left, right, height := m.panes()
	var b strings.Builder
	b.WriteString(fit(m.head(), m.width) + "\n")
	b.WriteString(m.paint(faint, strings.Repeat("─", left)+"┬"+strings.Repeat("─", right)) + "\n")
	tree, source := m.treeLines(left, height), m.sourceLines(right, height)
	for i := range height {
		l, r := "", ""
		if i < len(tree) {
			l = tree[i]
		}
		if i < len(source) {
			r = source[i]
		}
		b.WriteString(fit(l, left) + m.paint(faint, "│") + fit(r, right) + "\n")
	}
	b.WriteString(m.paint(faint, strings.Repeat("─", left)+"┴"+strings.Repeat("─", right)) + "\n")
	for _, line := range m.foot() {
		b.WriteString(fit(line, m.width) + "\n")
	}
	b.WriteString(m.keyLine())
	return b.String()
}

// head says what is reviewed and how far it has come.
func (m *Model) head() string {
	right := strings.Join(HeadOf(m.Desk, m.Blind), " · ")
	room := m.width - ansi.StringWidth(right) - 3
	return " " + m.paint(bold, cell(fromEnd(m.Desk.Sheet().Document, room), room)) + " " + right
}

// HeadOf says how far a review has come, part by part.
func HeadOf(d *review.Desk, blind bool) []string {
	sh := d.Sheet()
	n, all := d.Documents()
	open, of := d.Left()
	parts := []string{fmt.Sprintf("%d of %d", n, all), fmt.Sprintf("%d of %d decided", of-open, of)}
	if at, stops := d.Stops(); stops > 0 {
		parts = []string{fmt.Sprintf("%d of %d decisions", at, stops)}
	}
	if e, ok := d.Estimate(); ok && e.Seen > 0 {
		parts = append(parts, EstimateText(e))
	}
	if sh.Signed {
		parts = append(parts, "signed by "+sh.Reviewer)
	}
	if sh.Test {
		parts = append(parts, "test split")
	}
	if blind {
		parts = append(parts, "blind")
	}
	return parts
}

// AboutOf says what a decision is about.
func AboutOf(d *review.Desk, p review.Point) string {
	if p.Kind == review.OfLine {
		return "right: nothing in it is left out"
	}
	return review.About(d.Schema.At(p.Path))
}

// RiskText writes a risk.
func RiskText(r float64) string { return fmt.Sprintf("risk %.2f", r) }

// EstimateText says what a sample says so far.
func EstimateText(e review.Estimate) string {
	text := fmt.Sprintf("accuracy %.2f (%.2f to %.2f)", e.Accuracy, e.Low, e.High)
	if e.Enough() {
		text += ", enough is known"
	}
	return text
}

// RefusedText says why the document at hand is not signed though all is decided.
func RefusedText(d *review.Desk) string { return "all is decided, but not signed: " + d.Refused }

// fromEnd cuts a path at its beginning.
func fromEnd(path string, width int) string {
	path = signs.Visible(path)
	if w := ansi.StringWidth(path); w > width && width > 1 {
		return "…" + ansi.TruncateLeft(path, w-width+1, "")
	}
	return path
}

// foot says what the field is, where the value stands, and what speaks against it.
func (m *Model) foot() []string {
	p, ok := m.Desk.Point()
	if !ok {
		return []string{"", "", ""}
	}
	sh := m.Desk.Sheet()
	name := p.Path.Words()
	switch {
	case p.Kind == review.OfLine:
		name = p.Key()
	case name == "":
		name = "the record"
	}
	what := " " + m.paint(bold, clip(name, m.width/2)) + "  " + clip(AboutOf(m.Desk, p), m.width-4-min(ansi.StringWidth(name), m.width/2))
	stands := " " + clip(m.stands(p)+m.likelyText(p), m.width-2)
	if note := sh.Notes[p.Key()]; note != "" {
		stands = " " + clip("note: "+note+" · "+m.stands(p), m.width-2)
	}
	if m.faultAbove() {
		stands = " " + m.paint(bad, clip("! "+m.said, m.width-2))
	}
	return []string{what, stands, m.thirdLine(p)}
}

// faultAbove tells whether a fault has the line above what is typed or marked, to be read
// whole.
func (m *Model) faultAbove() bool {
	return m.isFault && (m.mode == typing || m.mode == taking || m.mode == placing)
}

// likelyText says which words may be the value.
func (m *Model) likelyText(p review.Point) string {
	sh := m.Desk.Sheet()
	if m.mode != deciding || !sh.LacksWords(p) {
		return ""
	}
	o, ok := m.likely(p)
	if !ok {
		return ""
	}
	to, at, _ := sh.Words(p.Path, o.Start, o.End)
	return fmt.Sprintf(" · likely “%s” in line %d, %s takes it", clip(review.Shown(&to), 40), sh.Index.LineOf(at.Start)+1, m.Keys.of(TakeFirst))
}

// thirdLine is what is typed, what came of the last key, or what speaks against the
// value.
func (m *Model) thirdLine(p review.Point) string {
	said := m.said
	if m.faultAbove() {
		said = ""
	}
	if said != "" {
		t := plain
		if m.isFault {
			t, said = bad, "! "+said
		}
		said = m.paint(t, clip(said, m.width-2))
	}
	switch m.mode {
	case typing, noting:
		label := " value: "
		if m.mode == noting {
			label = " note: "
		}
		if options := m.matching(); len(options) > 0 && (m.fresh || m.input.Value() == "" || len(options) > 1) {
			said = m.paint(faint, clip(strings.Join(options, " · "), m.width/2))
		}
		m.input.SetWidth(max(12, m.width/2-len(label)))
		return label + m.input.View() + "  " + said
	case taking, placing:
		label := fmt.Sprintf(" words %d of %d", min(m.offer+1, len(m.offers)), len(m.offers))
		if m.typed != "" {
			label += " that begin with " + m.typed
		}
		return label + "  " + said
	}
	if m.mode == finding {
		return fmt.Sprintf(" go to: %s  %d of %d  ", m.typed, min(m.at+1, len(m.found)), len(m.found)) + said
	}
	if said != "" {
		return " " + said
	}
	if against := m.Desk.Sheet().Said(p); len(against) > 0 && m.Desk.Sheet().Verdict(p) == "" {
		return " " + m.paint(bad, clip("! "+strings.Join(against, "; "), m.width-2))
	}
	return ""
}

// stands says where a value stands, in words.
func (m *Model) stands(p review.Point) string {
	sh := m.Desk.Sheet()
	if p.Kind == review.OfItem {
		if sh.Schema.At(p.Path) == nil {
			return fmt.Sprintf("the schema has no such field; %s removes it", m.Keys.of(Remove))
		}
		if v := sh.Record.At(p.Path); v.Empty() {
			return "no items; right, if the document has none"
		}
		return ""
	}
	if p.Kind == review.OfLine {
		return ""
	}
	var parts []string
	places := sh.PlacesOf(p.Path)
	v := sh.Record.At(p.Path)
	switch {
	case sh.Index == nil:
	case v.Empty():
		if _, likely := m.likely(p); !likely || sh.Verdict(p) != "" {
			parts = append(parts, "no value; right, if the document says nothing of it")
			break
		}
		parts = append(parts, "no value")
	case len(places) == 0:
		parts = append(parts, "stands nowhere in the document")
	default:
		place := places[0]
		words := strings.Join(strings.Fields(sh.Source.Text[place.Start:place.End]), " ")
		how := map[evidence.Kind]string{evidence.Quoted: "stands", evidence.Restated: "stands as", evidence.Lookalike: "stands nearly, as", evidence.Inferred: "rests on"}[place.Kind]
		if how == "" {
			how = "stands as"
		}
		text := fmt.Sprintf("%s in line %d", how, place.Line)
		if place.Kind != evidence.Quoted {
			text = fmt.Sprintf("%s “%s” in line %d", how, clip(words, 40), place.Line)
		}
		if place.Rivals > 0 {
			text += map[bool]string{true: ", and in one other place", false: fmt.Sprintf(", and in %d other places", place.Rivals)}[place.Rivals == 1]
		}
		parts = append(parts, text)
	}
	if r, known := sh.RiskOf(p.Path); known {
		parts = append(parts, RiskText(r))
	}
	if verdict := sh.Verdict(p); verdict != "" {
		parts = append(parts, string(verdict))
	}
	return strings.Join(parts, " · ")
}

// keyLine names the keys that are likeliest now.
func (m *Model) keyLine() string {
	say := func(pairs ...string) string {
		var parts []string
		for i := 0; i < len(pairs); i += 2 {
			parts = append(parts, pairs[i]+" "+pairs[i+1])
		}
		return " " + m.paint(faint, clip(strings.Join(parts, " · "), m.width-2))
	}
	k := m.Keys.of
	switch m.mode {
	case typing, noting:
		return say("enter", "done", "tab", "take the first choice", "esc", "leave it")
	case taking:
		return say("enter", "take", "down", "next", "letters", "words that begin so", "left right", "one word", "shift+right", "one word more", "esc", "leave it")
	case finding:
		return say("letters", "of a field or a value", "down", "the next", "enter", "there", "esc", "back")
	case placing:
		return say("enter", "its place", "down", "next", "left right", "one word", "esc", "leave it")
	}
	return say(k(Help), "keys", k(Right), "right", k(Change), "change", k(Take), "take", k(Empty), "empty", k(AcceptItem), "item", k(AcceptRest), "rest", k(Doubtful), "doubtful", k(Unsure), "unsure", k(Add), "add", k(Remove), "remove", k(Undo), "undo", k(Quit), "stop")
}

// drawHelp shows all keys.
func (m *Model) drawHelp() string {
	var cells []string
	for _, h := range help {
		cells = append(cells, cell(m.Keys.all(h.action), 11)+" "+h.does)
	}
	lines := []string{" " + m.paint(bold, "Keys") + "   any key goes back", ""}
	height := max(1, m.height-4)
	columns := (len(cells) + height - 1) / height
	rows := (len(cells) + columns - 1) / columns
	width := (m.width - 1) / columns
	for i := range rows {
		line := " "
		for c := range columns {
			if at := c*rows + i; at < len(cells) {
				line += cell(cells[at], width)
			}
		}
		lines = append(lines, fit(line, m.width))
	}
	return strings.Join(lines, "\n")
}

// drawEnd is what is shown when nothing is left.
func (m *Model) drawEnd() string {
	lines := []string{"", " " + m.paint(bold, "Nothing is left to decide."), ""}
	if e, ok := m.Desk.Estimate(); ok && e.Seen > 0 {
		lines = append(lines, " "+EstimateText(e)+fmt.Sprintf(", of %d values looked at", e.Seen), "")
	}
	if m.said != "" {
		lines = append(lines, " "+clip(m.said, m.width-2), "")
	}
	lines = append(lines, fmt.Sprintf(" %s undo · %s look back · %s stop", m.Keys.of(Undo), m.Keys.of(Previous), m.Keys.of(Quit)))
	return strings.Join(lines, "\n")
}
