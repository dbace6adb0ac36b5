package document

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"

	"golang.org/x/net/html"

	"filler/internal/source/layout"
)

// fromHOCR reads the words of hOCR, a web page in which classes and titles say
// what a piece of a scan is and where it stands (the hOCR format, version 1.2).
// Where an engine gives lines without words, the words share out their line.
func fromHOCR(text string) ([]layout.Page, error) {
	h := &hocr{z: html.NewTokenizer(strings.NewReader(text))}
	for {
		switch kind := h.z.Next(); kind {
		case html.ErrorToken:
			if err := h.z.Err(); !errors.Is(err, io.EOF) {
				return nil, fmt.Errorf("the markup can't be read: %w", err)
			}
			if h.word != nil || h.whole == 1 {
				return nil, errors.New("the file is cut short, in the middle of a page")
			}
			h.endLine()
			if len(h.pages) == 0 {
				return nil, errors.New("it marks no page with the class ocr_page")
			}
			return h.pages, nil
		case html.StartTagToken:
			h.start()
		case html.EndTagToken:
			h.end()
		case html.TextToken:
			if h.word != nil || h.line != nil {
				h.text = append(h.text, h.z.Text()...)
			}
		}
	}
}

type hocr struct {
	z     *html.Tokenizer
	pages []layout.Page
	word  *layout.Word // being read
	line  *layout.Word // being read, as long as no word was in it
	text  []byte
	depth int // of elements within the word or line
	whole int // 1 within the element html, 2 behind it
}

func (h *hocr) start() {
	name, more := h.z.TagName()
	isVoid := len(name) == 2 && (string(name) == "br" || string(name) == "hr") || string(name) == "img" || string(name) == "meta" || string(name) == "link"
	if isVoid {
		return
	}
	var class, title []byte
	for more {
		var key, val []byte
		key, val, more = h.z.TagAttr()
		switch string(key) {
		case "class":
			class = val
		case "title":
			title = val
		}
	}
	if string(name) == "html" {
		h.whole = 1
	}
	if h.word != nil || h.line != nil {
		h.depth++
	}
	switch kindOf(class) {
	case hocrPage:
		h.endLine()
		h.page(title)
	case hocrLine:
		h.endLine()
		if len(h.pages) > 0 {
			h.line, h.text, h.depth = &layout.Word{Box: hocrBox(title), Confidence: layout.NoConfidence}, h.text[:0], 1
		}
	case hocrWord:
		if len(h.pages) > 0 {
			h.line = nil
			h.word, h.text, h.depth = &layout.Word{Box: hocrBox(title), Confidence: hocrConfidence(title)}, h.text[:0], 1
		}
	}
}

const (
	hocrOther = iota
	hocrPage
	hocrLine
	hocrWord
)

func kindOf(class []byte) int {
	if len(class) < 8 || class[0] != 'o' {
		return hocrOther
	}
	if at := bytes.IndexByte(class, ' '); at > 0 {
		class = class[:at]
	}
	switch string(class) {
	case "ocr_page":
		return hocrPage
	case "ocrx_word", "ocr_word":
		return hocrWord
	case "ocr_line", "ocrx_line", "ocr_header", "ocr_footer", "ocr_caption", "ocr_textfloat":
		return hocrLine
	}
	return hocrOther
}

func (h *hocr) page(title []byte) {
	box := hocrBox(title)
	p := layout.Page{Width: box[2], Height: box[3]}
	if at := bytes.Index(title, []byte("scan_res")); at >= 0 {
		if f := bytes.Fields(title[at+8:]); len(f) > 0 {
			p.DPI, _ = strconv.Atoi(string(f[0]))
		}
	}
	h.pages = append(h.pages, p)
}

func (h *hocr) end() {
	if name, _ := h.z.TagName(); string(name) == "html" {
		h.whole = 2
	}
	if h.word == nil && h.line == nil {
		return
	}
	if h.depth--; h.depth > 0 {
		return
	}
	if h.word != nil {
		h.take(h.word)
		h.word = nil
		return
	}
	h.endLine()
}

// take adds a word; white within it parts it in two.
func (h *hocr) take(w *layout.Word) {
	text := bytes.TrimSpace(h.text)
	if len(text) == 0 {
		return
	}
	w.Text = string(text)
	p := &h.pages[len(h.pages)-1]
	p.Words = append(p.Words, splitWord(*w)...)
}

func (h *hocr) endLine() {
	if h.line != nil {
		h.take(h.line)
	}
	h.line = nil
}

// splitWord parts what an engine gives as one piece at its white, sharing the
// box out by characters.
func splitWord(w layout.Word) []layout.Word {
	if !strings.ContainsAny(w.Text, " \t\n\r\u00a0") {
		return []layout.Word{w}
	}
	parts := strings.Fields(strings.ReplaceAll(w.Text, "\u00a0", " "))
	all := []rune(strings.Join(parts, " "))
	var found []layout.Word
	at := 0
	for _, part := range parts {
		n := len([]rune(part))
		one := layout.Word{Text: part, Box: w.Box, Confidence: w.Confidence}
		wide := w.Box[2] - w.Box[0]
		one.Box[0] = w.Box[0] + wide*at/len(all)
		one.Box[2] = w.Box[0] + wide*(at+n)/len(all)
		found = append(found, one)
		at += n + 1
	}
	return found
}

// hocrBox reads "bbox x0 y0 x1 y1" out of a title.
func hocrBox(title []byte) layout.Box {
	var b layout.Box
	at := bytes.Index(title, []byte("bbox"))
	if at < 0 {
		return b
	}
	s := title[at+4:]
	for i := range b {
		for len(s) > 0 && s[0] == ' ' {
			s = s[1:]
		}
		n, digits, minus := 0, 0, false
		if len(s) > 0 && s[0] == '-' {
			minus, s = true, s[1:]
		}
		for len(s) > 0 && s[0] >= '0' && s[0] <= '9' && digits < 9 {
			n, digits, s = n*10+int(s[0]-'0'), digits+1, s[1:]
		}
		if len(s) > 0 && s[0] == '.' {
			for s = s[1:]; len(s) > 0 && s[0] >= '0' && s[0] <= '9'; s = s[1:] {
			}
		}
		if digits == 0 {
			return layout.Box{}
		}
		if minus {
			n = -n
		}
		b[i] = n
	}
	return b
}

func hocrConfidence(title []byte) int {
	at := bytes.Index(title, []byte("x_wconf"))
	if at < 0 {
		return layout.NoConfidence
	}
	s := strings.TrimLeft(string(title[at+7:]), " ")
	if end := strings.IndexAny(s, " ;"); end >= 0 {
		s = s[:end]
	}
	return confidence(s, 1)
}

// confidence reads a figure that counts to 100/scale; scale is 100 where the
// format counts to 1.
func confidence(s string, scale float64) int {
	c, err := strconv.ParseFloat(strings.TrimSpace(s), 64)
	if err != nil || c < 0 {
		return layout.NoConfidence
	}
	return int(min(c*scale, 100) + 0.5)
}
