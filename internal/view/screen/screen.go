// Package screen is the terminal view of a review: the record as a tree at the left, the
// source at the right, what the value at hand is below, and a line of keys.
//
// Rules it keeps:
//
//   - It decides nothing: every key is one call of package review.
//   - What a key costs does not hang on how long the document or the record is: what is
//     drawn is what is seen.
//   - Colour says nothing that a sign beside it does not.
package screen

import (
	"errors"
	"fmt"

	"charm.land/bubbles/v2/textinput"
	tea "charm.land/bubbletea/v2"

	"filler/internal/measure/review"
)

// Setup is what a screen shows and how.
type Setup struct {
	Desk     *review.Desk
	Keys     Keys
	Reviewer string
	Below    float64 // the risk below which what is quoted can be accepted at once
	Colour   bool
	Blind    bool // no filled values are shown
}

// Model is the state of the screen.
type Model struct {
	Setup
	width, height int
	mode          mode
	input         textinput.Model
	fresh         bool // the text in the input goes at the first letter
	offers        []review.Offer
	offer         int
	typed         string
	found         []review.Point // decisions that begin with what was typed
	at            int            // of them
	from          review.Point   // where it was begun to look for them
	mark          span           // the words that are pointed to
	drag          int            // where the mouse was pressed, of the source; -1 for nowhere
	top           int            // of the source pane, a byte at which a row begins; -1: by the value at hand
	treeTop       int
	rows          []row
	lines         []textRow // of the source, as drawn
	likelyOf      likelyKey
	likelyIs      *review.Offer
	last          Action // that a key did
	said          string // what came of the last key
	isFault       bool
	err           error // that ended the review
	keys          int   // that were pressed
	decided       int
}

type span struct{ start, end int }

// mode is what keys mean.
type mode int

const (
	deciding mode = iota
	typing        // a value
	noting
	taking  // words of the source
	placing // another place of the value
	finding // a field or a value of the record
	helping
)

// New makes a screen. Its desk has begun.
func New(s Setup) *Model {
	m := &Model{Setup: s, width: 80, height: 24, drag: -1, top: -1}
	m.input = textinput.New()
	m.input.Prompt = ""
	m.refused()
	return m
}

// Init asks for nothing.
func (m *Model) Init() tea.Cmd { return nil }

// Keys counts the keys that were pressed, and Decided the decisions made by them.
func (m *Model) Pressed() (keys, decided int) { return m.keys, m.decided }

// Err gives what ended the review against the reviewer's will, or nil.
func (m *Model) Err() error { return m.err }

// Update takes a key, the mouse or a new size.
func (m *Model) Update(msg tea.Msg) (tea.Model, tea.Cmd) {
	switch msg := msg.(type) {
	case tea.WindowSizeMsg:
		m.width, m.height = msg.Width, msg.Height
	case tea.KeyPressMsg:
		m.keys++
		return m, m.key(msg)
	case tea.PasteMsg:
		if m.mode == typing || m.mode == noting {
			m.freshen()
			var cmd tea.Cmd
			m.input, cmd = m.input.Update(msg)
			m.judge()
			return m, cmd
		}
	case tea.MouseClickMsg:
		m.press(msg.Mouse())
	case tea.MouseMotionMsg:
		m.drift(msg.Mouse())
	case tea.MouseReleaseMsg:
		return m, m.release(msg.Mouse())
	case tea.MouseWheelMsg:
		by := 3
		if msg.Button == tea.MouseWheelUp {
			by = -3
		}
		m.scroll(by)
	}
	return m, nil
}

func (m *Model) tell(format string, args ...any) {
	m.said, m.isFault = fmt.Sprintf(format, args...), false
}

func (m *Model) fault(err error) {
	if err == nil {
		return
	}
	m.said, m.isFault = err.Error(), true
}

// key has a key do what it means.
func (m *Model) key(k tea.KeyPressMsg) tea.Cmd {
	name := k.String()
	if name == "ctrl+c" {
		return tea.Quit
	}
	switch m.mode {
	case helping:
		m.mode = deciding
		return nil
	case typing, noting:
		return m.typeKey(k)
	case taking, placing:
		m.takeKey(k)
		return nil
	case finding:
		m.findKey(k)
		return nil
	}
	m.said = ""
	if m.Desk.Sheet() == nil {
		return m.keyAtEnd(name)
	}
	switch m.Keys.action(name) {
	case Quit:
		return tea.Quit
	case Help:
		m.mode = helping
	case Change:
		m.beginTyping()
	case Note:
		m.beginNote()
	case Find:
		m.mode, m.typed, m.found = finding, "", nil
		m.from, _ = m.Desk.Point()
	case Take:
		m.beginTaking(taking)
	case Place:
		m.beginTaking(placing)
	case ScrollDown:
		m.scroll(m.bodyHeight() - 2)
	case ScrollUp:
		m.scroll(2 - m.bodyHeight())
	default:
		m.act(m.Keys.action(name), name)
	}
	return nil
}

// keyAtEnd takes a key where nothing is left to decide.
func (m *Model) keyAtEnd(name string) tea.Cmd {
	switch m.Keys.action(name) {
	case Undo:
		m.travel(m.Desk.Undo)
	case Previous, PreviousDocument:
		m.fault(m.Desk.Backward())
	case Help:
		m.mode = helping
	case Quit, Right:
		return tea.Quit
	}
	return nil
}

// act does what needs nothing but the key.
func (m *Model) act(a Action, name string) {
	p, ok := m.Desk.Point()
	defer func() { m.last = a }()
	switch a {
	case Next:
		m.move(m.Desk.Forward(false))
	case Previous:
		m.move(m.Desk.Backward())
	case NextOpen:
		m.move(m.Desk.Forward(true))
	case Doubtful:
		m.top = -1
		if !m.Desk.Doubtful(m.last == Doubtful) {
			m.tell("nothing more is open in this document")
		}
	case NextDocument:
		m.move(m.Desk.Turn(1))
	case PreviousDocument:
		m.move(m.Desk.Turn(-1))
	case Undo:
		m.travel(m.Desk.Undo)
	case Redo:
		m.travel(m.Desk.Redo)
	case "":
		m.tell("%s does nothing here; ? shows the keys", name)
	default:
		if ok {
			m.decide(a, p)
		}
	}
}

func (m *Model) travel(way func() (bool, error)) {
	moved, err := way()
	m.top = -1
	if err == nil && !moved {
		m.tell("there is nothing more of that")
	}
	m.fault(err)
}

// decide has a decision made, and goes on to what is open next, or to the item that it
// was about.
func (m *Model) decide(a Action, p review.Point) {
	var done Done
	m.do(true, func(sh *review.Sheet) (err error) {
		done, err = Do(sh, a, p, m.Below)
		return err
	})
	if m.isFault {
		return
	}
	SelectIn(m.Desk, done.Item)
	if said := done.Said(); said != "" && m.said != "" {
		m.tell("%s; %s", said, m.said)
	} else if said != "" {
		m.tell("%s", said)
	}
}

// do has something done to the document at hand; with on the next open decision comes.
func (m *Model) do(on bool, change func(sh *review.Sheet) error) {
	sheet := m.Desk.Sheet()
	signed := sheet.Signed
	point, _ := m.Desk.Point()
	if err := m.Desk.Do(change); err != nil {
		m.fault(err)
		return
	}
	m.decided++
	if sheet.Signed && !signed {
		m.tell("%s is signed", sheet.Document)
	}
	if m.Desk.Refused != "" {
		m.refused()
		return
	}
	m.top = -1
	if now, ok := m.Desk.Point(); on && ok && now == point && sheet.Verdict(now) != "" {
		said, was := m.said, m.isFault
		m.fault(m.Desk.Forward(true))
		m.refused()
		if m.said == "" {
			m.said, m.isFault = said, was
		}
	}
}

// refused tells why the document at hand is not signed though all is decided.
func (m *Model) refused() {
	if m.Desk.Refused != "" {
		m.fault(errors.New(RefusedText(m.Desk)))
	}
}

func (m *Model) move(err error) {
	m.top = -1
	m.refused()
	m.fault(err)
}
