package browser

import (
	"unicode"
	"unicode/utf8"

	"filler/internal/measure/review"
	"filler/internal/record/evidence"
	"filler/internal/view/screen"
	"filler/internal/view/signs"
)

// state is all that the page shows.
type state struct {
	Version  int               `json:"version"`
	Document string            `json:"document"`
	Head     []string          `json:"head"`
	At       int               `json:"at"` // of values; -1 for none
	Values   []shown           `json:"values"`
	Lines    []line            `json:"lines,omitempty"` // of a text
	Pages    []page            `json:"pages,omitempty"` // of a document with boxes
	Keys     map[string]string `json:"keys"`            // actions by key
	Help     [][2]string       `json:"help"`
	Said     string            `json:"said"`
	Fault    bool              `json:"fault"`
	Over     bool              `json:"over"` // nothing is left
}

// shown is one decision.
type shown struct {
	Key     string   `json:"key"`
	Name    string   `json:"name"`
	Value   string   `json:"value"`
	Verdict string   `json:"verdict"`
	Said    []string `json:"said,omitempty"`
	About   string   `json:"about,omitempty"`
	Note    string   `json:"note,omitempty"`
	Risk    string   `json:"risk,omitempty"`
	Options []string `json:"options,omitempty"`
	Places  [][2]int `json:"places,omitempty"` // bytes of the source text
	Likely  *[2]int  `json:"likely,omitempty"` // words that may be the value
}

// line is a line of a text, in words.
type line struct {
	Number int    `json:"number"`
	Words  []word `json:"words"`
}

// word is a word of the source, or what stands between two.
type word struct {
	Start int     `json:"start"`
	End   int     `json:"end"`
	Text  string  `json:"text"`
	Box   *[4]int `json:"box,omitempty"`
}

// page is a page with its words.
type page struct {
	Number int    `json:"number"`
	Width  int    `json:"width"`
	Height int    `json:"height"`
	Words  []word `json:"words"`
}

// The page shows so many lines of a text around the value at hand, and so many pages of
// a long document.
const (
	linesAround = 250
	pagesAround = 2
)

func (s *Server) state() *state {
	st := &state{Version: s.Desk.Version(), Keys: map[string]string{}, Help: screen.HelpOf(s.Keys), At: -1}
	for key, action := range s.Keys {
		st.Keys[key] = string(action)
	}
	sh := s.Desk.Sheet()
	if sh == nil {
		st.Over = true
		if e, ok := s.Desk.Estimate(); ok && e.Seen > 0 {
			st.Head = append(st.Head, screen.EstimateText(e))
		}
		return st
	}
	st.Document, st.Head = signs.Visible(sh.Document), screen.HeadOf(s.Desk, s.Blind)
	now, _ := s.Desk.Point()
	for i, p := range sh.Points() {
		v := valueOf(sh, p)
		if p == now {
			st.At = i
			v.About = screen.AboutOf(s.Desk, p)
			v.Options = review.Options(s.Desk.Schema.At(p.Path))
			if offers := likely(sh, p); offers != nil {
				v.Likely = offers
			}
		}
		st.Values = append(st.Values, v)
	}
	switch {
	case sh.Source == nil:
		st.Said, st.Fault = "the document can't be read: "+sh.Unread, true
	case s.Desk.Refused != "":
		st.Said, st.Fault = screen.RefusedText(s.Desk), true
	}
	switch {
	case sh.Source == nil:
	case sh.Source.Layout != nil:
		st.Pages = pagesOf(sh, now)
	default:
		st.Lines = linesOf(sh, now)
	}
	return st
}

func valueOf(sh *review.Sheet, p review.Point) shown {
	v := shown{Key: p.Key(), Name: p.Path.Words(), Verdict: string(sh.Verdict(p)), Note: signs.Visible(sh.Notes[p.Key()])}
	for _, said := range sh.Said(p) {
		v.Said = append(v.Said, signs.Visible(said))
	}
	switch p.Kind {
	case review.OfLine:
		l, _ := sh.LineAt(p.Line)
		v.Name, v.Value = p.Key(), signs.Visible(l.Text)
		v.Places = [][2]int{{l.Start, l.End}}
		return v
	case review.OfItem:
		v.Value = "as a whole"
		if at := sh.Record.At(p.Path); at.Empty() {
			v.Value = "no items"
		}
		if v.Name == "" {
			v.Name = "the record"
		}
		return v
	}
	v.Value = signs.Visible(review.Written(sh.Schema.At(p.Path), p.Path, sh.Record.At(p.Path)))
	if r, known := sh.RiskOf(p.Path); known {
		v.Risk = screen.RiskText(r)
	}
	for _, place := range sh.PlacesOf(p.Path) {
		v.Places = append(v.Places, [2]int{place.Start, place.End})
	}
	return v
}

// likely gives the words that may be a value which is not there.
func likely(sh *review.Sheet, p review.Point) *[2]int {
	if !sh.LacksWords(p) {
		return nil
	}
	if o, ok := sh.Likely(p.Path); ok {
		return &[2]int{o.Start, o.End}
	}
	return nil
}

// around gives the line, or the page, that a reviewer looks at.
func around(sh *review.Sheet, now review.Point) evidence.Place {
	if l, ok := sh.LineAt(now.Line); ok && now.Kind == review.OfLine {
		return evidence.Place{Start: l.Start, End: l.End, Line: l.Line}
	}
	if places := sh.PlacesOf(now.Path); len(places) > 0 {
		return places[0]
	}
	line := sh.HomeOf(now.Path)
	return evidence.Place{Start: sh.Index.LineSpan(line).Start, Line: line + 1}
}

// linesOf gives the lines of a text around the value at hand.
func linesOf(sh *review.Sheet, now review.Point) (lines []line) {
	breaks, text := sh.Index.Breaks, sh.Source.Text
	at := around(sh, now).Line - 1
	from, to := max(0, at-linesAround), min(len(breaks), at+linesAround)
	if len(breaks) <= 2*linesAround {
		from, to = 0, len(breaks)
	}
	for n := from; n <= to; n++ {
		at := sh.Index.LineSpan(n)
		if at.Start == len(text) && n > 0 {
			break
		}
		lines = append(lines, line{Number: n + 1, Words: wordsOf(text, at.Start, min(at.End, at.Start+longest))})
	}
	return lines
}

// longest is how much of one line is shown, in bytes.
const longest = 20_000

// wordsOf cuts a stretch into words and what stands between them.
func wordsOf(text string, start, end int) (words []word) {
	for at := start; at < end; {
		r, _ := utf8.DecodeRuneInString(text[at:end])
		space := unicode.IsSpace(r)
		to := at
		for to < end {
			r, size := utf8.DecodeRuneInString(text[to:end])
			if unicode.IsSpace(r) != space {
				break
			}
			to += size
		}
		words = append(words, word{Start: at, End: to, Text: signs.Visible(text[at:to])})
		at = to
	}
	return words
}

// pagesOf gives the pages around the value at hand with their words.
func pagesOf(sh *review.Sheet, now review.Point) (pages []page) {
	t := sh.Source.Layout
	start, own := around(sh, now).Start, 1
	for i := range t.Words {
		if w := &t.Words[i]; w.Start <= start && start < w.End || w.Start > start {
			own = w.Page
			break
		}
	}
	first, last := max(1, own-pagesAround), min(len(t.Pages), own+pagesAround)
	at := map[int]int{}
	for n := first; n <= last; n++ {
		at[n] = len(pages)
		pages = append(pages, page{Number: n, Width: t.Pages[n-1].Width, Height: t.Pages[n-1].Height})
	}
	for i := range t.Words {
		w := &t.Words[i]
		if p, ok := at[w.Page]; ok {
			box := [4]int(w.Box)
			pages[p].Words = append(pages[p].Words, word{Start: w.Start, End: w.End, Text: signs.Visible(sh.Source.Text[w.Start:w.End]), Box: &box})
		}
	}
	return pages
}
