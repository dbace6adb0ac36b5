package document

import (
	"bytes"
	"cmp"
	"filler/internal/base/lazy"
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf16"
	"unicode/utf8"
	"unsafe"

	"github.com/gogs/chardet"
	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/htmlindex"
)

// told is what is said of the character set of a source: stated by the user, which
// wins over all, or declared by the source or whoever sent it.
type told struct{ stated, declared string }

// decode turns the bytes of a text into UTF-8, and says how they were read where
// that is not plain: as stated; by their mark; as declared; as UTF-8; else by guess.
// A mark wins over a declaration, as the standards of HTML and XML have it.
func decode(id string, data []byte, t told) (text string, notes []string, err error) {
	if t.stated != "" {
		return exactly(id, data, t.stated)
	}
	switch {
	case bytes.HasPrefix(data, []byte{0xff, 0xfe}):
		return fromUTF16(id, data[2:], false, "read as UTF-16")
	case bytes.HasPrefix(data, []byte{0xfe, 0xff}):
		return fromUTF16(id, data[2:], true, "read as UTF-16")
	case bytes.HasPrefix(data, utf8Mark):
		return plainUTF8(id, data[len(utf8Mark):], nil)
	}
	text, notes, ok := asDeclared(data, t.declared)
	if ok {
		return text, notes, nil
	}
	if little, big := zerosAt(data); little || big {
		return fromUTF16(id, data, big, "read as UTF-16 without a mark")
	}
	return plainUTF8(id, data, notes)
}

// plainUTF8 takes bytes as UTF-8, and guesses where they are not.
func plainUTF8(id string, data []byte, notes []string) (string, []string, error) {
	if at := bytes.IndexByte(data, 0); at >= 0 {
		return "", nil, &Error{id, fmt.Sprintf("NUL byte at offset %d", at), "it looks like a binary file; name a text file"}
	}
	if utf8.Valid(data) && !bytes.Contains(data, []byte("\x1b$")) {
		// What was read is not written to any more: a copy would be as large.
		text := unsafe.String(unsafe.SliceData(data), len(data))
		return text, append(notes, garbled(text)...), nil
	}
	if text, note, ok := guess(data); ok {
		return text, append(notes, note), nil
	}
	if at, broken := firstInvalid(data); broken {
		return "", nil, &Error{id, fmt.Sprintf("byte 0x%02x at offset %d is not UTF-8", data[at], at), "save the file as UTF-8, or say what it is: `read: {encoding: windows-1250}`"}
	}
	return string(data), notes, nil
}

// exactly reads bytes in the character set that the user states.
func exactly(id string, data []byte, name string) (string, []string, error) {
	e, err := htmlindex.Get(name)
	if err != nil {
		return "", nil, &Error{id, fmt.Sprintf("unknown encoding %q", name), "write a name such as windows-1250 or shift_jis"}
	}
	text, lost := decodeAs(e, data)
	if lost >= 0 {
		return "", nil, &Error{id, fmt.Sprintf("not %s at character %d", name, utf8.RuneCountInString(text[:lost])+1), "state another encoding, or none"}
	}
	return strings.TrimPrefix(text, "\ufeff"), []string{"read as " + name + ", as stated"}, nil
}

// asDeclared reads bytes in the character set that they declare. A set of one byte a
// character takes any bytes: where they are UTF-8 with letters beyond ASCII, that is
// what they are.
func asDeclared(data []byte, name string) (string, []string, bool) {
	if name == "" {
		return "", nil, false
	}
	e, err := htmlindex.Get(strings.TrimSpace(name))
	if err != nil {
		return "", []string{fmt.Sprintf("it declares the encoding %.40q, which is not known", name)}, false
	}
	if known, _ := htmlindex.Name(e); known == "utf-8" {
		return "", nil, false
	}
	if _, single := e.(*charmap.Charmap); single && utf8.Valid(data) {
		if bytes.ContainsFunc(data, func(r rune) bool { return r >= utf8.RuneSelf }) {
			return "", []string{fmt.Sprintf("it declares %s, and its bytes are UTF-8", name)}, false
		}
		return "", nil, false
	}
	text, lost := decodeAs(e, data)
	notes := []string{fmt.Sprintf("read as %s, as it declares", name)}
	if lost >= 0 {
		notes = append(notes, counted(strings.Count(text, "\ufffd"), "a character that is not "+name+" became U+FFFD", "%d characters that are not "+name+" became U+FFFD"))
	}
	return text, notes, true
}

// decodeAs gives the text, and the place of the first character that could not be
// read, or -1.
func decodeAs(e encoding.Encoding, data []byte) (text string, lost int) {
	out, err := e.NewDecoder().Bytes(data)
	if err != nil {
		return string(out), len(out)
	}
	return string(out), bytes.IndexRune(out, utf8.RuneError)
}

// sampleOf bounds how much of a text is looked at for a guess.
const sampleOf = 64 << 10

// leastSure is from which per cent on another character set is named beside the one
// that was guessed.
const leastSure = 10

// guess finds out the character set of a text that declares none, and says what else
// it could be. It is false for UTF-8 with errors, and for what is no text.
func guess(data []byte) (text, note string, ok bool) {
	if mostlyUTF8(data) {
		return "", "", false
	}
	sample := data
	if at := bytes.IndexFunc(data, func(r rune) bool { return r >= utf8.RuneSelf || r == 0x1b }); at > 0 && len(data) > sampleOf {
		sample = data[max(at-1000, 0):]
		if end := bytes.IndexByte(sample, '\n'); end >= 0 {
			sample = sample[end+1:] // a multibyte text is not begun in the middle
		}
	}
	if len(sample) > sampleOf {
		sample = sample[:sampleOf]
		if end := bytes.LastIndexByte(sample, '\n'); end > 0 {
			sample = sample[:end]
		}
	}
	candidates := likelier(guesses(sample))
	for i, c := range candidates {
		text, lost := decodeAs(c.set, data)
		if lost >= 0 {
			continue
		}
		var others []string
		for j, other := range candidates {
			if j != i && other.sample != c.sample && other.sure >= leastSure && len(others) < 3 {
				others = append(others, other.name)
			}
		}
		note = "read as " + c.name + ", by guess"
		if len(others) > 0 {
			note += "; it could be " + strings.Join(others, " or ") + " as well"
		}
		return text, note, true
	}
	return "", "", false
}

// mostlyUTF8 tells UTF-8 with errors: as many characters beyond ASCII are sound as
// bytes are not.
func mostlyUTF8(data []byte) bool {
	sound, not := 0, 0
	for i := 0; i < len(data); {
		if data[i] < utf8.RuneSelf {
			i++
			continue
		}
		r, size := utf8.DecodeRune(data[i:])
		if i += size; r == utf8.RuneError && size == 1 {
			not++
		} else {
			sound++
		}
	}
	return not > 0 && sound >= not
}

// candidate is a character set that a text may be in.
type candidate struct {
	name   string
	set    encoding.Encoding
	sure   int // per cent
	sample string
}

// guesses gives the sets in which a text reads as one, the likeliest first.
func guesses(sample []byte) []candidate {
	var all []candidate
	add := func(name string, sure int) {
		e, err := htmlindex.Get(strings.ReplaceAll(name, "GB-18030", "gb18030"))
		if err != nil {
			return
		}
		text, lost := decodeAs(e, sample)
		same := slices.IndexFunc(all, func(c candidate) bool { return c.sample == text })
		if same >= 0 && isWestern(name) { // which of two sets that say the same: the commoner
			all[same].name, all[same].set = nameOf(name, sample), e
		}
		if lost < 0 && isText(text) && same < 0 {
			all = append(all, candidate{nameOf(name, sample), e, sure, text})
		}
	}
	western := false
	found, _ := chardet.NewTextDetector().DetectAll(sample)
	slices.SortFunc(found, func(a, b chardet.Result) int { // what it finds comes in no order of its own
		return cmp.Or(cmp.Compare(b.Confidence, a.Confidence), cmp.Compare(strings.ToLower(a.Charset), strings.ToLower(b.Charset)), cmp.Compare(a.Language, b.Language))
	})
	for i, f := range found {
		name := strings.ToLower(f.Charset)
		if name == "utf-8" || strings.HasPrefix(name, "utf-16") || strings.HasPrefix(name, "utf-32") {
			continue
		}
		if western = western || isWestern(name); i == 0 && f.Confidence < leastSure {
			add("windows-1252", leastSure) // little to go by
			western = true
		}
		add(centralSet(f, sample), f.Confidence)
		if name == "iso-8859-2" || name == "windows-1250" {
			add("windows-1250", f.Confidence)
			add("ISO-8859-2", f.Confidence)
		}
	}
	if _, ok := oneByte(sample); ok && !western {
		add("windows-1252", 0)
	}
	if len(all) > 0 && strings.Contains(all[0].sample, "¤") && (all[0].name == "Latin-1" || all[0].name == "ISO-8859-9") {
		before := all
		all = nil
		add("ISO-8859-15", before[0].sure) // nobody writes ¤; where it stands the later set has €
		all = append(all, before...)
	}
	return all
}

func isWestern(name string) bool {
	name = strings.ToLower(name)
	return name == "iso-8859-1" || name == "windows-1252"
}

// alphabets are the letters beyond ASCII of languages whose two sets of one byte a
// letter share most of them, by the code of the language.
var alphabets = map[string]string{"cs": "áčďéěíňóřšťúůýž", "hu": "áéíóöőúüű", "pl": "ąćęłńóśźż", "ro": "ăâîşţ"}

// centralSet tells the two sets of Central Europe apart: by the letters that the
// language has.
func centralSet(f chardet.Result, sample []byte) string {
	letters := alphabets[f.Language]
	if name := strings.ToLower(f.Charset); letters == "" || name != "iso-8859-2" && name != "windows-1250" {
		return f.Charset
	}
	strange := func(set *charmap.Charmap) (n int) {
		text, _ := decodeAs(set, sample)
		for _, r := range text {
			if r >= utf8.RuneSelf && unicode.IsLetter(r) && !strings.ContainsRune(letters, unicode.ToLower(r)) {
				n++
			}
		}
		return n
	}
	if strange(charmap.Windows1250) < strange(charmap.ISO8859_2) {
		return "windows-1250"
	}
	return f.Charset
}

// nameOf calls a set by its usual name.
func nameOf(name string, sample []byte) string {
	switch strings.ToLower(name) {
	case "iso-8859-1", "windows-1252":
		if bytes.ContainsFunc(sample, func(r rune) bool { return r == utf8.RuneError }) {
			for _, b := range sample {
				if b >= 0x80 && b < 0xa0 {
					return "Windows-1252"
				}
			}
		}
		return "Latin-1"
	case "gb-18030":
		return "GB18030"
	}
	return name
}

// isText tells what people write: no control characters, words of one alphabet
// each, but for some, and no parts of drawn tables among their letters.
func isText(text string) bool {
	foreign, mixed, drawn := 0, 0, 0
	before := ' '
	for _, r := range text {
		switch {
		case r < ' ' && r != '\n' && r != '\r' && r != '\t' && r != '\f', r >= 0x7f && r < 0xa0:
			return false
		case r >= 0xe000 && r <= 0xf8ff: // private
			return false
		}
		if isForeign(r) {
			foreign++
		}
		if isForeign(r) && unicode.Is(unicode.Latin, before) || unicode.Is(unicode.Latin, r) && isForeign(before) {
			mixed++
		}
		if isDrawn(r) && !isDrawn(before) && !unicode.IsSpace(before) || isDrawn(before) && !isDrawn(r) && !unicode.IsSpace(r) {
			drawn++
		}
		before = r
	}
	return mixed*2 <= foreign && (drawn < 4 || drawn*2 <= foreign)
}

// isDrawn tells what tables and boxes are drawn with in a text, but for what parts cells.
func isDrawn(r rune) bool { return r >= 0x2500 && r < 0x25a1 && r != '│' && r != '║' && r != '┃' }

// isForeign tells letters that are not Latin.
func isForeign(r rune) bool {
	return r >= utf8.RuneSelf && unicode.IsLetter(r) && !unicode.Is(unicode.Latin, r)
}

// wrongly are the first letters of what UTF-8 looks like that was read as
// Windows-1252.
var wrongly = lazy.New(`[ÂÃÄÅâ][^\x00-\x7f]{1,2}`)

// garbled notes text that was decoded wrongly before it came here, and characters that
// were lost.
func garbled(text string) (notes []string) {
	if lost := strings.Count(text, "\ufffd"); lost > 0 {
		notes = append(notes, counted(lost, "a character of the file is U+FFFD: it was lost before", "%d characters of the file are U+FFFD: they were lost before"))
	}
	if !strings.ContainsFunc(text, func(r rune) bool { return r >= utf8.RuneSelf }) || !strings.Contains(text, "Ã") && !strings.Contains(text, "Â") && !strings.Contains(text, "Ä") && !strings.Contains(text, "Å") && !strings.Contains(text, "â") {
		return notes
	}
	n, was, is := 0, "", ""
	for _, m := range wrongly.FindAllString(text, -1) {
		raw, err := charmap.Windows1252.NewEncoder().String(m)
		if err != nil {
			continue
		}
		r, size := utf8.DecodeRuneInString(raw)
		if size < 2 || !(r >= 0xa0 && r < 0x180 || r >= 0x2010 && r <= 0x203a || r == '€' || r == '™') {
			continue
		}
		if n++; n == 1 {
			was, is = string([]rune(m)[:size]), string(r)
		}
	}
	if n > 0 {
		notes = append(notes, counted(n, "a place looks as if decoded wrongly before", "%d places look as if decoded wrongly before")+fmt.Sprintf(" (%s for %s); get the file again", was, is))
	}
	return notes
}

// declaredIn gives the character set that a page declares in its head, or whoever
// sent it.
func declaredIn(page []byte, contentType string) string {
	if name := charsetOf(contentType); name != "" {
		return name
	}
	head := page[:min(len(page), headOf)]
	for _, m := range [][][]byte{prolog.FindSubmatch(head), inMeta.FindSubmatch(head)} {
		if m != nil && !strings.HasPrefix(strings.ToLower(string(m[1])), "utf-16") { // who can read it so knows better
			return string(m[1])
		}
	}
	return ""
}

// headOf is how far into a page its character set is looked for.
const headOf = 4096

// inMeta is where a page says its character set.
var inMeta = lazy.New(`(?i)<meta\s[^>]*?charset\s*=\s*["']?\s*([\w.:-]+)`)

// prolog is where an XML file says its character set.
var prolog = lazy.New(`^\s*<\?xml[^>]*?encoding\s*=\s*["']([\w.:-]+)["']`)

func declaredInXML(data []byte) string {
	if m := prolog.FindSubmatch(data[:min(len(data), 300)]); m != nil && !strings.HasPrefix(strings.ToLower(string(m[1])), "utf-16") {
		return string(m[1])
	}
	return ""
}

// zerosAt tells UTF-16 without a mark: most characters of Western text have a
// zero byte, always on the same side.
func zerosAt(data []byte) (little, big bool) {
	if len(data) < 4 || len(data)%2 != 0 {
		return false, false
	}
	head := data[:min(len(data), 4096)]
	even, odd := 0, 0
	for i, b := range head {
		if b == 0 {
			if i%2 == 0 {
				even++
			} else {
				odd++
			}
		}
	}
	half := len(head) / 2
	return odd*10 >= half*7 && even == 0, even*10 >= half*7 && odd == 0
}

func fromUTF16(id string, data []byte, big bool, note string) (string, []string, error) {
	if len(data)%2 != 0 {
		return "", nil, &Error{id, "an odd number of bytes; UTF-16 has two for each character", "save the file as UTF-8"}
	}
	units := make([]uint16, len(data)/2)
	for i := range units {
		if big {
			units[i] = uint16(data[2*i])<<8 | uint16(data[2*i+1])
		} else {
			units[i] = uint16(data[2*i+1])<<8 | uint16(data[2*i])
		}
	}
	text := string(utf16.Decode(units))
	if i := strings.IndexRune(text, utf8.RuneError); i >= 0 {
		return "", nil, &Error{id, fmt.Sprintf("not UTF-16 at byte %d", 2*i), "save the file as UTF-8"}
	}
	if i := strings.IndexByte(text, 0); i >= 0 {
		return "", nil, &Error{id, fmt.Sprintf("a NUL character at offset %d", i), "it looks like a binary file; name a text file"}
	}
	return strings.TrimPrefix(text, "\ufeff"), []string{note}, nil
}

// oneByte tells whether bytes that are no UTF-8 are text of one byte a
// character: letters of Western languages here and there, no control
// characters, and no UTF-8 sequence that would say that it is UTF-8 with an error.
func oneByte(data []byte) (name string, ok bool) {
	high, c1 := 0, false
	for i := 0; i < len(data); i++ {
		b := data[i]
		switch {
		case b < 0x20 && b != '\n' && b != '\r' && b != '\t' && b != '\f', b == 0x7f:
			return "", false
		case b == 0x81, b == 0x8d, b == 0x8f, b == 0x90, b == 0x9d: // not used in Windows-1252
			return "", false
		case b >= 0x80:
			high++
			c1 = c1 || b < 0xa0
			if r, size := utf8.DecodeRune(data[i:]); r != utf8.RuneError && size > 1 {
				return "", false
			}
		}
	}
	if high*10 > len(data)*4 {
		return "", false
	}
	if c1 {
		return "Windows-1252", true
	}
	return "Latin-1", true
}
