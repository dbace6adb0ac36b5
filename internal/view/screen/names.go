package screen

import (
	"fmt"
	"strings"

	tea "charm.land/bubbletea/v2"
	"github.com/charmbracelet/x/ansi"

	"filler/internal/out/graph"
	"filler/internal/view/tones"
)

// Names is the screen on which pairs of names are decided on, one at a time.
type Names struct {
	Desk   *graph.Desk
	Said   func(n *graph.Node, most int) []string // where it is named, with the words of the lines
	Colour bool

	width, height, at int
	told              string
	err               error
}

// NewNames makes the screen. Its desk has at least one pair.
func NewNames(d *graph.Desk, said func(*graph.Node, int) []string, colour bool) *Names {
	return &Names{Desk: d, Said: said, Colour: colour, width: 80, height: 24}
}

// Err gives what ended it against the reviewer's will, or nil.
func (m *Names) Err() error { return m.err }

// Init asks for nothing.
func (m *Names) Init() tea.Cmd { return nil }

// Update takes a key or a new size.
func (m *Names) Update(msg tea.Msg) (tea.Model, tea.Cmd) {
	switch msg := msg.(type) {
	case tea.WindowSizeMsg:
		m.width, m.height = msg.Width, msg.Height
	case tea.KeyPressMsg:
		return m, m.key(msg.String())
	}
	return m, nil
}

func (m *Names) key(name string) tea.Cmd {
	m.told = ""
	switch name {
	case "q", "ctrl+c", "esc":
		return tea.Quit
	case "y", "n":
		if m.err = m.Desk.Decide(m.at, name == "y"); m.err != nil {
			return tea.Quit
		}
		next := m.Desk.Open(m.at)
		if next < 0 {
			m.told = "every pair is decided; q ends, u takes the last one back"
			return nil
		}
		m.at = next
	case "u":
		pair, undone, err := m.Desk.Undo()
		if m.err = err; err != nil {
			return tea.Quit
		}
		if m.told = "nothing is left to take back"; undone {
			m.at, m.told = pair, "taken back"
		}
	case "space", "j", "down", "right":
		m.at = (m.at + 1) % len(m.Desk.Pairs)
	case "b", "k", "up", "left":
		m.at = (m.at + len(m.Desk.Pairs) - 1) % len(m.Desk.Pairs)
	default:
		m.told = name + " means nothing here"
	}
	return nil
}

// View draws the screen.
func (m *Names) View() tea.View {
	v := tea.NewView(m.Draw())
	v.AltScreen = true
	return v
}

func (m *Names) paint(t tones.Tone, text string) string {
	return (&Model{Setup: Setup{Colour: m.Colour}}).paint(t, text)
}

// Draw gives the screen as text.
func (m *Names) Draw() string {
	if m.width < leastWidth || m.height < leastHeight {
		return fmt.Sprintf("%d columns and %d lines are too few; the names need %d and %d.", m.width, m.height, leastWidth, leastHeight)
	}
	c := &m.Desk.Pairs[m.at]
	one, two := m.Desk.Counts()
	var b strings.Builder
	line := func(text string) { b.WriteString(ansi.Truncate(text, m.width, "…") + "\n") }
	line(fmt.Sprintf("%s  pair %d of %d · one thing %d · two %d · left %d", m.paint(bold, "Names"), m.at+1, len(m.Desk.Pairs), one, two, len(m.Desk.Pairs)-one-two))
	line(m.paint(faint, strings.Repeat("─", m.width)))
	why := fmt.Sprintf("%s · alike %.2f · %s", m.Desk.Graph.Nodes[c.A].Kind, c.Score, c.Why)
	if c.Shared > 0 {
		why += fmt.Sprintf(" · neighbours of both %d", c.Shared)
	}
	line(why)
	if same, decided := m.Desk.Decided(m.at); decided {
		line(m.paint(good, "✓ decided: "+map[bool]string{true: "one thing", false: "two"}[same]))
	} else {
		line("")
	}
	most := max((m.height-9)/2-3, 1)
	for _, n := range []int{c.A, c.B} {
		node := &m.Desk.Graph.Nodes[n]
		line("")
		line(m.paint(bold, clip(node.Name, m.width-20)) + m.paint(faint, fmt.Sprintf("  mentions %d", len(node.Mentions))))
		for _, said := range m.Said(node, most) {
			line("  " + clip(said, m.width-2))
		}
		if near := m.Desk.Near(n); len(near) > 0 {
			line(m.paint(faint, "  next to "+clip(strings.Join(near, ", "), m.width-10)))
		}
	}
	rows := strings.Count(b.String(), "\n")
	b.WriteString(strings.Repeat("\n", max(m.height-2-rows, 0)))
	line(m.paint(soft, m.told))
	b.WriteString(ansi.Truncate(m.paint(faint, "y one thing   n two   space later   b back   u take back   q end"), m.width, "…"))
	return b.String()
}
