package pdf

import (
	"math"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/klippa-app/go-pdfium/enums"
	"github.com/klippa-app/go-pdfium/requests"

	"filler/internal/source/layout"
)

// mark is what stands on a page beside its own text: a field of a form, a remark, a
// line through words.
type mark struct {
	kind enums.FPDF_ANNOTATION_SUBTYPE
	box  layout.Box
	set  string // the state of a box to be ticked; "" of other marks
	text string // what is filled in, or remarked
}

// maxMarks bounds how many marks of a page are looked at.
const maxMarks = 5000

// marks gives the marks of a page. It is asked before the page is flattened.
func (p *reader) marks(at requests.Page, turn affine) (found []mark) {
	count, err := p.lib.FPDFPage_GetAnnotCount(&requests.FPDFPage_GetAnnotCount{Page: at})
	if err != nil {
		return nil
	}
	for i := range min(count.Count, maxMarks) {
		a, err := p.lib.FPDFPage_GetAnnot(&requests.FPDFPage_GetAnnot{Page: at, Index: i})
		if err != nil {
			continue
		}
		text := func(key string) string {
			v, err := p.lib.FPDFAnnot_GetStringValue(&requests.FPDFAnnot_GetStringValue{Annotation: a.Annotation, Key: key})
			if err != nil {
				return ""
			}
			return strings.Join(strings.Fields(strings.ToValidUTF8(v.Value, "\ufffd")), " ")
		}
		kind, kerr := p.lib.FPDFAnnot_GetSubtype(&requests.FPDFAnnot_GetSubtype{Annotation: a.Annotation})
		rect, rerr := p.lib.FPDFAnnot_GetRect(&requests.FPDFAnnot_GetRect{Annotation: a.Annotation})
		if kerr == nil && rerr == nil {
			m := mark{kind: kind.Subtype, box: boxOf(turn, float64(rect.Rect.Left), float64(rect.Rect.Top), float64(rect.Rect.Right), float64(rect.Rect.Bottom))}
			if m.kind == enums.FPDF_ANNOT_SUBTYPE_WIDGET {
				m.set, m.text = text("AS"), text("V")
			} else {
				m.text = text("Contents")
			}
			found = append(found, m)
		}
		_, _ = p.lib.FPDFPage_CloseAnnot(&requests.FPDFPage_CloseAnnot{Annotation: a.Annotation})
	}
	return found
}

func boxOf(turn affine, left, top, right, bottom float64) layout.Box {
	x0, y0 := turn.of(left, top)
	x1, y1 := turn.of(right, bottom)
	return layout.Box{int(math.Floor(min(x0, x1))), int(math.Floor(min(y0, y1))), int(math.Ceil(max(x0, x1))), int(math.Ceil(max(y0, y1)))}
}

// withMarks brings the marks of a page among its words: boxes as [x] and [ ], values of
// fields that are not drawn, struck-out words between ~~; and gives the remarks.
func withMarks(words []layout.Word, marks []mark) ([]layout.Word, []string) {
	var remarks []string
	for _, m := range marks {
		switch m.kind {
		case enums.FPDF_ANNOT_SUBTYPE_WIDGET:
			words = m.intoForm(words)
		case enums.FPDF_ANNOT_SUBTYPE_STRIKEOUT:
			strike(words, m.box)
		}
		if m.text != "" && m.kind != enums.FPDF_ANNOT_SUBTYPE_WIDGET && m.kind != enums.FPDF_ANNOT_SUBTYPE_FREETEXT && m.kind != enums.FPDF_ANNOT_SUBTYPE_POPUP && m.kind != enums.FPDF_ANNOT_SUBTYPE_LINK {
			remarks = append(remarks, m.text)
		}
	}
	return words, remarks
}

// intoForm shows a field of a form among the words.
func (m mark) intoForm(words []layout.Word) []layout.Word {
	within := func(w layout.Word) bool {
		x, y := (w.Box[0]+w.Box[2])/2, (w.Box[1]+w.Box[3])/2
		return x >= m.box[0] && x <= m.box[2] && y >= m.box[1] && y <= m.box[3]
	}
	switch {
	case m.set != "":
		words = slices.DeleteFunc(words, within) // the tick itself, a letter of some font
		text := "[x]"
		if m.set == "Off" {
			text = "[ ]"
		}
		return append(words, layout.Word{Text: text, Box: m.box, Confidence: layout.NoConfidence})
	case m.text != "" && !slices.ContainsFunc(words, within):
		return append(words, spread(m.text, m.box)...)
	}
	return words
}

// spread sets the words of a text into a box, each with its share of the width.
func spread(text string, box layout.Box) (words []layout.Word) {
	all := strings.Fields(text)
	letters := len([]rune(strings.Join(all, " ")))
	at, wide := 0, float64(box[2]-box[0])/float64(max(letters, 1))
	for _, w := range all {
		n := len([]rune(w))
		words = append(words, layout.Word{Text: w, Box: layout.Box{box[0] + int(wide*float64(at)), box[1], box[0] + int(wide*float64(at+n)), box[3]}, Confidence: layout.NoConfidence})
		at += n + 1
	}
	return words
}

// strike marks words that a line goes through.
func strike(words []layout.Word, line layout.Box) {
	for i := range words {
		w := &words[i]
		wide := min(w.Box[2], line[2]) - max(w.Box[0], line[0])
		mid := (w.Box[1] + w.Box[3]) / 2
		if wide*2 > w.Box[2]-w.Box[0] && mid >= line[1] && mid <= line[3] && !strings.HasPrefix(w.Text, "~~") {
			w.Text = "~~" + w.Text + "~~"
		}
	}
}

// sampled is how many characters of a page are looked at for their meaning.
const sampled = 400

// isNothing tells what is no letter of any text: what stands for no character, for one
// of a private set, or for a command.
func isNothing(r rune) bool {
	return r == 0 || r == utf8.RuneError || r < ' ' && r != '\n' && r != '\r' && r != '\t' || r >= 0xe000 && r <= 0xf8ff || r >= 0xf0000
}

// unmapped gives how many of a hundred characters of a page have no meaning that the
// file tells: what they look like can be drawn, what they are is not said.
func (p *reader) unmapped(at requests.Page, words []layout.Word) int {
	text, err := p.lib.FPDFText_LoadPage(&requests.FPDFText_LoadPage{Page: at})
	if err != nil {
		return 0
	}
	defer func() { _, _ = p.lib.FPDFText_ClosePage(&requests.FPDFText_ClosePage{TextPage: text.TextPage}) }()
	count, err := p.lib.FPDFText_CountChars(&requests.FPDFText_CountChars{TextPage: text.TextPage})
	if err != nil || count.Count == 0 {
		return 0
	}
	n, bad, mute := 0, 0, 0
	for i := 0; i < count.Count; i += max(count.Count/sampled, 1) {
		n++
		e, err := p.lib.FPDFText_HasUnicodeMapError(&requests.FPDFText_HasUnicodeMapError{TextPage: text.TextPage, Index: i})
		if err != nil || !e.HasUnicodeMapError {
			continue
		}
		// Fonts may lack a map and say what they say all the same.
		mute++
		if u, err := p.lib.FPDFText_GetUnicode(&requests.FPDFText_GetUnicode{TextPage: text.TextPage, Index: i}); err == nil && isNothing(rune(u.Unicode)) {
			bad++
		}
	}
	if mute*100/n >= BrokenFrom && unspeakable(words) {
		return mute * 100 / n
	}
	return bad * 100 / n
}

// unspeakable tells words of Latin letters of which most have no vowel: letters that
// stand for others.
func unspeakable(words []layout.Word) bool {
	all, without := 0, 0
	for _, w := range words {
		latin := 0
		vowel := false
		for _, r := range strings.ToLower(w.Text) {
			switch {
			case unicode.Is(unicode.Latin, r):
				latin++
				vowel = vowel || r >= utf8.RuneSelf || strings.ContainsRune("aeiouy", r)
			case unicode.IsLetter(r):
				vowel = true // of another script
			}
		}
		if latin >= 4 {
			all++
			if !vowel {
				without++
			}
		}
	}
	return all >= 8 && without*2 >= all
}
