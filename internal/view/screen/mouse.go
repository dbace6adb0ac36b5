package screen

import (
	tea "charm.land/bubbletea/v2"

	"filler/internal/measure/review"
)

// press notes where the mouse was pressed: words of the source, or a row of the tree.
func (m *Model) press(at tea.Mouse) {
	m.drag = -1
	sh := m.Desk.Sheet()
	if sh == nil || at.Button != tea.MouseLeft || m.mode != deciding && m.mode != taking && m.mode != placing {
		return
	}
	left, _, height := m.panes()
	y := at.Y - above
	if y < 0 || y >= height {
		return
	}
	if at.X < left {
		if i := m.treeTop + y; m.mode == deciding && i < len(m.rows) && m.rows[i].has {
			m.Desk.Select(m.rows[i].point)
			m.top, m.said = -1, ""
		}
		return
	}
	if p, ok := m.Desk.Point(); ok && p.Kind == review.OfValue && sh.Source != nil {
		m.drag = m.offsetAt(at.X-left-1, y)
	}
	if m.drag >= 0 {
		if m.mode == deciding {
			m.mode = taking
			m.offers, m.typed = nil, ""
		}
		m.pull(m.drag)
	}
}

// drift draws the words that the mouse has passed over.
func (m *Model) drift(at tea.Mouse) {
	if m.drag < 0 {
		return
	}
	left, _, _ := m.panes()
	if to := m.offsetAt(at.X-left-1, at.Y-above); to >= 0 {
		m.pull(to)
	}
}

// pull marks the whole words from where the mouse was pressed to where it is.
func (m *Model) pull(to int) {
	from := min(m.drag, to)
	to = max(m.drag, to)
	text := m.text()
	for from > 0 && !isSpace(text[from-1]) {
		from--
	}
	for to < len(text) && !isSpace(text[to]) {
		to++
	}
	top := m.top
	m.mark = span{from, to}
	m.weigh()
	m.top = top
}

// release takes the words that were dragged over.
func (m *Model) release(at tea.Mouse) tea.Cmd {
	if m.drag < 0 {
		return nil
	}
	m.drift(at)
	m.drag = -1
	m.taken()
	return nil
}
