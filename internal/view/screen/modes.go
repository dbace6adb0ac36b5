package screen

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	tea "charm.land/bubbletea/v2"

	"filler/internal/base/value"
	"filler/internal/measure/review"
)

// beginTyping opens the line in which a value is typed.
func (m *Model) beginTyping() {
	p, ok := m.Desk.Point()
	if !ok || p.Kind != review.OfValue {
		m.tell("there is no value here; %s adds an item, %s takes one out", m.Keys.of(Add), m.Keys.of(Remove))
		return
	}
	m.mode, m.fresh, m.said = typing, true, ""
	sh := m.Desk.Sheet()
	m.input.SetValue(review.Written(sh.Schema.At(p.Path), p.Path, sh.Record.At(p.Path)))
	m.input.CursorEnd()
	m.input.Focus()
}

func (m *Model) beginNote() {
	p, ok := m.Desk.Point()
	if !ok {
		return
	}
	m.mode, m.fresh, m.said = noting, false, ""
	m.input.SetValue(m.Desk.Sheet().Notes[p.Key()])
	m.input.CursorEnd()
	m.input.Focus()
}

// freshen takes away what stood in the line before somebody typed.
func (m *Model) freshen() {
	if m.fresh {
		m.input.SetValue("")
		m.fresh = false
	}
}

// typeKey takes a key while a value or a note is typed.
func (m *Model) typeKey(k tea.KeyPressMsg) tea.Cmd {
	switch k.String() {
	case "esc":
		m.mode, m.said = deciding, ""
		return nil
	case "enter":
		m.typedIn()
		return nil
	case "tab":
		if options := m.matching(); len(options) > 0 {
			m.input.SetValue(options[0])
			m.input.CursorEnd()
			m.fresh = false
		}
		m.judge()
		return nil
	}
	if k.Text != "" {
		m.freshen()
	}
	m.fresh = false
	var cmd tea.Cmd
	m.input, cmd = m.input.Update(k)
	m.judge()
	return cmd
}

// matching gives the options of a choice that begin with what was typed, or have it in
// them.
func (m *Model) matching() (options []string) {
	p, ok := m.Desk.Point()
	if !ok || m.mode != typing {
		return nil
	}
	all := review.Options(m.Desk.Schema.At(p.Path))
	typed := strings.ToLower(m.input.Value())
	if m.fresh || typed == "" {
		return all
	}
	if slices.Contains(all, typed) {
		return []string{typed}
	}
	for _, o := range all {
		if strings.HasPrefix(strings.ToLower(o), typed) {
			options = append(options, o)
		}
	}
	for _, o := range all {
		if len(options) == 0 && strings.Contains(strings.ToLower(o), typed) {
			options = append(options, o)
		}
	}
	return options
}

// meant gives what the typed words are: the one option that they begin, else
// themselves.
func (m *Model) meant() string {
	typed := m.input.Value()
	p, _ := m.Desk.Point()
	if typed == "" || m.fresh {
		return typed
	}
	if _, fault := m.Desk.Sheet().Read(p.Path, typed); fault == "" {
		return typed
	}
	if options := m.matching(); len(options) > 0 {
		return options[0]
	}
	return typed
}

// judge says at once what is wrong with what was typed.
func (m *Model) judge() {
	m.said, m.isFault = "", false
	p, ok := m.Desk.Point()
	if m.mode != typing || !ok {
		return
	}
	to, fault := m.Desk.Sheet().Read(p.Path, m.meant())
	if fault != "" {
		m.said, m.isFault = fault, true
		return
	}
	m.said = "→ " + shownOrNothing(&to)
}

func shownOrNothing(v *value.Value) string {
	if text := review.Shown(v); text != "" {
		return text
	}
	return "no value"
}

// typedIn makes what was typed the value, or the note.
func (m *Model) typedIn() {
	p, _ := m.Desk.Point()
	text := m.input.Value()
	if m.mode == noting {
		m.mode, m.said = deciding, ""
		m.do(false, func(sh *review.Sheet) error { sh.Note(p, text); return nil })
		return
	}
	text = m.meant()
	if _, fault := m.Desk.Sheet().Read(p.Path, text); fault != "" {
		m.said, m.isFault = fault, true
		return
	}
	m.mode, m.said = deciding, ""
	m.do(true, func(sh *review.Sheet) error { return sh.Type(p, text) })
}

// beginTaking offers words of the source: as the value, or as its place.
func (m *Model) beginTaking(as mode) {
	p, ok := m.Desk.Point()
	sh := m.Desk.Sheet()
	switch {
	case sh.Source == nil:
		m.tell("the document can't be read: %s", sh.Unread)
		return
	case !ok || p.Kind != review.OfValue:
		m.tell("there is no value here to take")
		return
	}
	m.mode, m.typed, m.said = as, "", ""
	m.offer = 0
	m.findOffers()
	if len(m.offers) == 0 {
		m.mark = span{}
		m.tell("nothing is likely; type the first letters of the words, or point with the arrows")
	}
}

// findOffers looks for what may be meant. A value's other places are those where the
// source reads as the same value.
func (m *Model) findOffers() {
	p, _ := m.Desk.Point()
	sh := m.Desk.Sheet()
	m.offers = sh.Offers(p.Path, m.typed)
	if m.mode == placing {
		now := sh.Record.At(p.Path)
		here := sh.PlacesOf(p.Path)
		m.offers = slices.DeleteFunc(m.offers, func(o review.Offer) bool {
			if len(here) > 0 && here[0].Start == o.Start && here[0].End == o.End {
				return true
			}
			to, _, _ := sh.Words(p.Path, o.Start, o.End)
			return now == nil || !strings.EqualFold(review.Shown(&to), review.Shown(now))
		})
	}
	m.offer = 0
	m.show()
}

// show marks the offer at hand.
func (m *Model) show() {
	if m.offer < len(m.offers) {
		m.mark = span{m.offers[m.offer].Start, m.offers[m.offer].End}
	}
	m.weigh()
}

// weigh says what the marked words are as a value.
func (m *Model) weigh() {
	m.top = -1
	m.said, m.isFault = "", false
	p, _ := m.Desk.Point()
	if m.mark.end <= m.mark.start {
		return
	}
	to, _, fault := m.Desk.Sheet().Words(p.Path, m.mark.start, m.mark.end)
	if fault != "" && m.mode == taking {
		m.said, m.isFault = fault, true
		return
	}
	m.said = "→ " + shownOrNothing(&to)
}

// takeKey takes a key while words are pointed to.
func (m *Model) takeKey(k tea.KeyPressMsg) {
	switch name := k.String(); name {
	case "esc":
		if m.typed != "" {
			m.typed = ""
			m.findOffers()
			return
		}
		m.mode, m.said, m.mark = deciding, "", span{}
	case "enter":
		m.taken()
	case "tab", "down":
		m.offer = min(m.offer+1, max(0, len(m.offers)-1))
		m.show()
	case "shift+tab", "up":
		m.offer = max(0, m.offer-1)
		m.show()
	case "left", "right":
		m.mark = m.shifted(m.mark, name == "right")
		m.weigh()
	case "shift+right", "ctrl+right":
		if next := m.shifted(span{m.mark.end, m.mark.end}, true); next.end > m.mark.end {
			m.mark.end = next.end
		}
		m.weigh()
	case "shift+left", "ctrl+left":
		text := strings.TrimRightFunc(m.text()[m.mark.start:m.mark.end], func(r rune) bool { return !unicode.IsSpace(r) })
		if text = strings.TrimRightFunc(text, unicode.IsSpace); text != "" {
			m.mark.end = m.mark.start + len(text)
		}
		m.weigh()
	case "backspace":
		if m.typed != "" {
			_, size := utf8.DecodeLastRuneInString(m.typed)
			m.typed = m.typed[:len(m.typed)-size]
			m.findOffers()
		}
	default:
		if k.Text != "" && m.mode == taking {
			m.typed += k.Text
			m.findOffers()
			if len(m.offers) == 0 {
				m.said, m.isFault = "no words begin so; esc clears", true
			}
		}
	}
}

func (m *Model) text() string { return m.Desk.Sheet().Source.Text }

// shifted gives the word behind a stretch, or the one before it.
func (m *Model) shifted(s span, right bool) span {
	text := m.text()
	if right {
		at := s.end
		for at < len(text) && isSpace(text[at]) {
			at++
		}
		end := at
		for end < len(text) && !isSpace(text[end]) {
			end++
		}
		if end == at {
			return s
		}
		return span{at, end}
	}
	end := min(s.start, len(text))
	for end > 0 && isSpace(text[end-1]) {
		end--
	}
	start := end
	for start > 0 && !isSpace(text[start-1]) {
		start--
	}
	if end == start {
		return s
	}
	return span{start, end}
}

func isSpace(b byte) bool { return b == ' ' || b == '\n' || b == '\t' || b == '\r' }

// taken makes the marked words the value, or its place.
func (m *Model) taken() {
	p, _ := m.Desk.Point()
	mark, as := m.mark, m.mode
	if mark.end <= mark.start {
		m.mode, m.said = deciding, ""
		return
	}
	if _, _, fault := m.Desk.Sheet().Words(p.Path, mark.start, mark.end); fault != "" && as == taking {
		m.said, m.isFault = fault, true
		return
	}
	m.mode, m.mark, m.said = deciding, span{}, ""
	m.do(true, func(sh *review.Sheet) error {
		if as == placing {
			sh.Move(p, mark.start, mark.end)
			return nil
		}
		return sh.Take(p, mark.start, mark.end)
	})
}

// findKey takes a key while a field or a value is looked for.
func (m *Model) findKey(k tea.KeyPressMsg) {
	m.top = -1
	switch k.String() {
	case "esc":
		m.Desk.Select(m.from)
		m.mode, m.said = deciding, ""
		return
	case "enter":
		m.mode, m.said = deciding, ""
		return
	case "down", "tab":
		m.at = min(m.at+1, max(0, len(m.found)-1))
	case "up", "shift+tab":
		m.at = max(0, m.at-1)
	case "backspace":
		if m.typed != "" {
			_, size := utf8.DecodeLastRuneInString(m.typed)
			m.typed = m.typed[:len(m.typed)-size]
		}
		m.look()
	default:
		m.typed += k.Text
		m.look()
	}
	if m.at < len(m.found) {
		m.Desk.Select(m.found[m.at])
	}
}

func (m *Model) look() {
	m.Desk.Select(m.from)
	m.found, m.at = m.Desk.Find(m.typed), 0
	m.said = ""
	if m.typed != "" && len(m.found) == 0 {
		m.tell("no field and no value begins so")
	}
}

// likely gives the words of the source that are likeliest to be a value; false where
// there are none that the schema allows.
func (m *Model) likely(p review.Point) (review.Offer, bool) {
	sh := m.Desk.Sheet()
	if p.Kind != review.OfValue || sh.Source == nil {
		return review.Offer{}, false
	}
	key := likelyKey{sh, p, m.decided}
	if m.likelyOf != key {
		m.likelyOf, m.likelyIs = key, nil
		if o, ok := sh.Likely(p.Path); ok {
			m.likelyIs = &o
		}
	}
	if m.likelyIs == nil {
		return review.Offer{}, false
	}
	return *m.likelyIs, true
}

// likelyKey is what the likeliest words hang on.
type likelyKey struct {
	sheet   *review.Sheet
	point   review.Point
	decided int
}
