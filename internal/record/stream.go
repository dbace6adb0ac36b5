package record

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"unsafe"

	"filler/internal/base/place"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// maxLine is the longest line of a records file.
const maxLine = 256 << 20

// ReadLines calls each for the lines of a records file in JSON Lines, "-" for
// standard input: the line's number from 1, and the line or what is wrong with
// it. The line's values are good until each returns. Empty lines are passed
// over.
func ReadLines(path string, s *schema.Schema, each func(n int, l Line, err error) error) error {
	return ReadValues(path, func(n int, v *value.Value, err error) error {
		var l Line
		if err == nil {
			l, err = LineFromJSON(v, s)
		}
		return each(n, l, err)
	})
}

// ReadValues calls each for the values of a file of JSON Lines.
func ReadValues(path string, each func(n int, v *value.Value, err error) error) error {
	return opened(path, func(in io.Reader) error { return readValues(in, each) })
}

// ReadTexts calls each for the lines of a file of JSON Lines as they stand: the
// line's number, where it begins, and its text, which is good until each returns.
func ReadTexts(path string, each func(n int, at int64, text []byte) error) error {
	return opened(path, func(in io.Reader) error { return readTexts(in, each) })
}

// opened reads a file, or with "-" standard input.
func opened(path string, read func(in io.Reader) error) error {
	if path == "-" {
		return read(os.Stdin)
	}
	info, err := os.Stat(path)
	if err == nil && info.IsDir() {
		return place.Faults{{File: path, Msg: "this is a folder", Hint: "name a file of JSON Lines"}}
	}
	f, err := os.Open(path)
	if err != nil {
		return place.Faults{{File: path, Msg: "can't be read", Hint: "check the path and its permissions"}}
	}
	defer f.Close()
	return read(f)
}

func readTexts(in io.Reader, each func(n int, at int64, text []byte) error) error {
	buffered := bufio.NewReaderSize(in, 1<<20)
	var buf []byte
	at := int64(0)
	for n := 1; ; n++ {
		var err error
		buf, err = readLine(buffered, buf[:0])
		if err != nil && !errors.Is(err, io.EOF) {
			return err
		}
		text, from := bytes.TrimSpace(buf), at
		if i := bytes.Index(buf, text); i > 0 {
			from += int64(i)
		}
		at += int64(len(buf))
		if n == 1 && bytes.HasPrefix(text, []byte("\ufeff")) {
			text, from = text[3:], from+3
		}
		if len(text) > 0 {
			if eerr := each(n, from, text); eerr != nil {
				return eerr
			}
		}
		if err != nil {
			return nil
		}
	}
}

func readValues(in io.Reader, each func(n int, v *value.Value, err error) error) error {
	var reader value.Reader
	return readTexts(in, func(n int, _ int64, text []byte) error {
		v, err := reader.Read(text)
		if err != nil {
			err = explained(err)
		}
		return each(n, &v, err)
	})
}

// ReadLine reads one line of a records file, of which a part may be known.
func ReadLine(r *value.Reader, text []byte, known value.Known, s *schema.Schema) (Line, error) {
	v, err := r.ReadKnowing(unsafe.String(unsafe.SliceData(text), len(text)), known)
	if err != nil {
		return Line{}, explained(err)
	}
	return LineFromJSON(&v, s)
}

func explained(err error) error {
	var se *value.SyntaxError
	if errors.As(err, &se) {
		return fmt.Errorf("not JSON at column %d: %s", se.Col, se.Msg)
	}
	return err
}

func readLine(in *bufio.Reader, buf []byte) ([]byte, error) {
	for {
		part, err := in.ReadSlice('\n')
		buf = append(buf, part...)
		if len(buf) > maxLine {
			return buf, fmt.Errorf("a line of over %d MB", maxLine>>20)
		}
		if !errors.Is(err, bufio.ErrBufferFull) {
			return buf, err
		}
	}
}
