package record

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"

	"filler/internal/place"
	"filler/internal/value"
)

// maxLine is the longest line of a records file.
const maxLine = 256 << 20

// ReadLines calls each for the lines of a records file in JSON Lines, "-" for
// standard input: the line's number from 1, and the line or what is wrong with
// it. The line's values are good until each returns. Empty lines are passed
// over.
func ReadLines(path string, eachEntry bool, each func(n int, l Line, err error) error) error {
	in := io.Reader(os.Stdin)
	if path != "-" {
		info, err := os.Stat(path)
		if err == nil && info.IsDir() {
			return place.Faults{{File: path, Msg: "this is a folder", Hint: "name a file of JSON Lines"}}
		}
		f, err := os.Open(path)
		if err != nil {
			return place.Faults{{File: path, Msg: "can't be read", Hint: "check the path and its permissions"}}
		}
		defer f.Close()
		in = f
	}
	return readLines(in, eachEntry, each)
}

func readLines(in io.Reader, eachEntry bool, each func(n int, l Line, err error) error) error {
	buffered := bufio.NewReaderSize(in, 1<<20)
	var reader value.Reader
	var buf []byte
	for n := 1; ; n++ {
		var err error
		buf, err = readLine(buffered, buf[:0])
		if err != nil && len(buf) == 0 {
			if errors.Is(err, io.EOF) {
				return nil
			}
			return err
		}
		text := bytes.TrimSpace(buf)
		if n == 1 {
			text = bytes.TrimPrefix(text, []byte("\ufeff"))
		}
		if len(text) == 0 {
			continue
		}
		var l Line
		v, perr := reader.Read(text)
		if perr == nil {
			l, perr = LineFromJSON(&v, eachEntry)
		} else {
			var se *value.SyntaxError
			if errors.As(perr, &se) {
				perr = fmt.Errorf("not JSON at column %d: %s", se.Col, se.Msg)
			}
		}
		if eerr := each(n, l, perr); eerr != nil {
			return eerr
		}
		if err != nil {
			return nil
		}
	}
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
