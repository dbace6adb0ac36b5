package document

import (
	"bytes"
	"path/filepath"
	"strings"

	"filler/internal/base/lazy"
	"filler/internal/source/pdf"
)

// Format is what kind of source a document was read from.
type Format string

// The formats.
const (
	Plain   Format = "text"
	WebPage Format = "html"
	Mail    Format = "mail"
	XML     Format = "xml"
	HOCR    Format = "hocr"
	ALTO    Format = "alto"
	PageXML Format = "page"
	TSV     Format = "tsv" // the OCR engine's
	PDF     Format = "pdf"
	Picture Format = "picture"
	Office  Format = "office"
)

var (
	utf8Mark  = []byte("\ufeff")
	pageStart = lazy.New(`(?is)^\s*(?:<\?xml[^>]*>\s*)?(?:<!--.*?-->\s*)*(?:<!doctype html|<html[\s>])`)
	mailStart = lazy.New(`(?i)^(?:received|return-path|from|to|subject|date|message-id|mime-version|delivered-to):[^\n]*\n(?:[ \t][^\n]*\n)*(?:[A-Za-z-]+:)`)
	xmlStart  = lazy.New(`^\s*<\?xml[\s?]`)
	scanRoot  = lazy.New(`<(?:[A-Za-z_][\w.-]*:)?(alto|PcGts)[\s>]`)
)

// hasOCR tells hOCR from other web pages.
func hasOCR(data []byte) bool {
	head := data[:min(len(data), 1<<16)]
	return bytes.Contains(head, []byte("ocr_page")) || bytes.Contains(head, []byte("ocr-system"))
}

// formatOf tells the format by content, and by the name where the content
// says little.
func formatOf(id string, data []byte) Format {
	head := string(bytes.TrimPrefix(data[:min(len(data), 2048)], utf8Mark))
	ext := strings.ToLower(filepath.Ext(id))
	page := pageStart.MatchString(head)
	switch {
	case pdf.Is(data):
		return PDF
	case isPicture(data):
		return Picture
	case isWord(data):
		return Office
	case ext == ".eml":
		return Mail
	case strings.HasPrefix(head, tsvHead):
		return TSV
	case ext == ".hocr", (page || ext == ".html" || ext == ".htm" || ext == ".xhtml") && hasOCR(data):
		return HOCR
	case ext == ".html" || ext == ".htm" || ext == ".xhtml" || page:
		return WebPage
	case xmlStart.MatchString(head) || (ext == ".xml" || ext == ".alto") && strings.HasPrefix(strings.TrimSpace(head), "<"):
		if m := scanRoot.FindStringSubmatch(string(data[:min(len(data), 8192)])); m != nil {
			if m[1] == "alto" {
				return ALTO
			}
			return PageXML
		}
		return XML
	case ext == "" && mailStart.MatchString(head) && strings.Contains(strings.ToLower(head), "\nmessage-id:"):
		return Mail
	}
	return Plain
}

// refused gives what is wrong with kinds of files that are known and not read.
func refused(id string, data []byte) error {
	if isSheet(data) {
		return &Error{id, "this is a spreadsheet; its rows are documents", "name it in filler.yaml as {table: …, text: […]}"}
	}
	for _, k := range []struct{ start, what, hint string }{
		{"RIFF????WEBP", "a WebP picture", "save it as PNG"},
		{"????ftyphei", "a HEIC picture", "save it as PNG or JPEG"},
		{"????ftypavif", "an AVIF picture", "save it as PNG or JPEG"},
		{"PK\x03\x04", "an office document or an archive", "save it as PDF or as text"},
		{"\xd0\xcf\x11\xe0", "an old office document", "save it as PDF or as text"},
		{"GIF8", "a GIF picture", "save it as PNG"},
		{"\x1f\x8b", "a compressed file", "unpack it"},
		{"{\\rtf", "a rich text document", "save it as PDF or as text"},
	} {
		if begins(data, k.start) {
			if k.what == "an old office document" && strings.EqualFold(filepath.Ext(id), ".msg") {
				k.what, k.hint = "a mail in the form of an office program", "save it as .eml"
			}
			return &Error{id, "this is " + k.what + ", which is not read", k.hint}
		}
	}
	if ext := strings.ToLower(filepath.Ext(id)); pictureExts[ext] || ext == ".pdf" {
		return &Error{id, "named " + ext + ", and no such file by its content", "it may be damaged or cut short; save it again"}
	}
	return nil
}

// begins tells data that begin as a pattern says; ? stands for any byte.
func begins(data []byte, pattern string) bool {
	if len(data) < len(pattern) {
		return false
	}
	for i := range len(pattern) {
		if pattern[i] != '?' && pattern[i] != data[i] {
			return false
		}
	}
	return true
}

var tableExts = map[string]bool{".csv": true, ".tsv": true, ".tab": true, ".jsonl": true, ".ndjson": true}

var pictureExts = map[string]bool{".png": true, ".jpg": true, ".jpeg": true, ".tif": true, ".tiff": true}

// FormatName gives the format of a document as its name says it.
func FormatName(id string) string {
	file, _, row := strings.Cut(id, "#")
	if row {
		return "row of a table"
	}
	if i := strings.LastIndexByte(file, '.'); i >= 0 && !strings.Contains(file[i:], "/") {
		return strings.ToLower(file[i+1:])
	}
	return "(none)"
}
