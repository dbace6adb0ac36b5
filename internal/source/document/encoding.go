package document

import (
	"bytes"
	"fmt"
	"strings"
	"unicode/utf16"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"
)

// decode turns the bytes of a text into UTF-8, and says how they were read
// where that is not plain.
func decode(id string, data []byte) (text, note string, err error) {
	switch {
	case bytes.HasPrefix(data, []byte{0xff, 0xfe}):
		return fromUTF16(id, data[2:], false, "read as UTF-16")
	case bytes.HasPrefix(data, []byte{0xfe, 0xff}):
		return fromUTF16(id, data[2:], true, "read as UTF-16")
	}
	data = bytes.TrimPrefix(data, utf8Mark)
	if little, big := zerosAt(data); little || big {
		return fromUTF16(id, data, big, "read as UTF-16 without a mark")
	}
	if at := bytes.IndexByte(data, 0); at >= 0 {
		return "", "", &Error{id, fmt.Sprintf("NUL byte at offset %d", at), "it looks like a binary file; name a text file"}
	}
	if utf8.Valid(data) {
		return string(data), "", nil
	}
	at, _ := firstInvalid(data)
	if name, ok := oneByte(data); ok {
		out, derr := charmap.Windows1252.NewDecoder().Bytes(data)
		if derr == nil {
			return string(out), "read as " + name, nil
		}
	}
	return "", "", &Error{id, fmt.Sprintf("byte 0x%02x at offset %d is not UTF-8", data[at], at), "save the file as UTF-8"}
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

func fromUTF16(id string, data []byte, big bool, note string) (string, string, error) {
	if len(data)%2 != 0 {
		return "", "", &Error{id, "an odd number of bytes; UTF-16 has two for each character", "save the file as UTF-8"}
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
		return "", "", &Error{id, fmt.Sprintf("not UTF-16 at byte %d", 2*i), "save the file as UTF-8"}
	}
	if i := strings.IndexByte(text, 0); i >= 0 {
		return "", "", &Error{id, fmt.Sprintf("a NUL character at offset %d", i), "it looks like a binary file; name a text file"}
	}
	return strings.TrimPrefix(text, "\ufeff"), note, nil
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
