package document

import (
	"bytes"
	"compress/zlib"
	"encoding/binary"
	"errors"
	"hash/crc32"
	"image"
	"image/png"
	"io"
)

// salvaged gives what there is of a picture that is cut short or has a wrong byte, as
// a sound one: what is missing is blank. It is nil where too little is there.
func salvaged(data []byte, kind string) []byte {
	switch kind {
	case "jpeg":
		// Bits that are missing count as zero, which repeats what came before; the
		// mark of the end follows.
		filled := append(append(bytes.Clone(data), make([]byte, len(data)+1<<16)...), 0xff, 0xd9)
		return drawnAgain(filled)
	case "png":
		return drawnAgain(wholePNG(data))
	}
	return nil
}

// drawnAgain gives a picture as a PNG, if it can be drawn.
func drawnAgain(data []byte) []byte {
	img, _, err := image.Decode(bytes.NewReader(data))
	if err != nil {
		return nil
	}
	var out bytes.Buffer
	if (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(&out, img) != nil {
		return nil
	}
	return out.Bytes()
}

// leastSalvaged is how much of a PNG's rows must be there, in a hundred.
const leastSalvaged = 50

// wholePNG makes the pieces of a PNG (W3C PNG, second edition) whole: the rows that can
// be unpacked, white ones for the others, and sums that fit.
func wholePNG(data []byte) []byte {
	const sign = 8
	var head, packed []byte
	var before [][]byte // pieces that the rows need: colours, transparency
	for at := sign; at+8 <= len(data); {
		size := int(binary.BigEndian.Uint32(data[at:]))
		name := string(data[at+4 : at+8])
		body := data[at+8 : max(min(at+8+size, len(data)), at+8)]
		switch name {
		case "IHDR":
			head = body
		case "IDAT":
			packed = append(packed, body...)
		case "PLTE", "tRNS":
			before = append(before, append([]byte(name), body...))
		}
		if size < 0 || at+12+size <= at {
			break
		}
		at += 12 + size
	}
	if len(head) != 13 || head[12] != 0 { // interlaced rows are no rows of the picture
		return nil
	}
	width, height := int(binary.BigEndian.Uint32(head)), int(binary.BigEndian.Uint32(head[4:]))
	channels := map[byte]int{0: 1, 2: 3, 3: 1, 4: 2, 6: 4}[head[9]]
	row := 1 + (width*channels*int(head[8])+7)/8
	if channels == 0 || width <= 0 || height <= 0 || row > 1<<28/height {
		return nil
	}
	in, err := zlib.NewReader(bytes.NewReader(packed))
	if err != nil {
		return nil
	}
	rows := make([]byte, row*height)
	n, err := io.ReadFull(in, rows)
	if err != nil && !errors.Is(err, io.ErrUnexpectedEOF) && n == 0 || n*100 < len(rows)*leastSalvaged {
		return nil
	}
	whole := n / row
	for i := whole * row; i < len(rows); i++ { // white, each row as it stands
		rows[i] = 0xff
		if i%row == 0 {
			rows[i] = 0
		}
	}
	var body bytes.Buffer
	w := zlib.NewWriter(&body)
	if _, err := w.Write(rows); err != nil || w.Close() != nil {
		return nil
	}
	out := bytes.Clone(data[:sign])
	put := func(piece []byte) {
		out = binary.BigEndian.AppendUint32(out, uint32(len(piece)-4))
		out = binary.BigEndian.AppendUint32(append(out, piece...), crc32.ChecksumIEEE(piece))
	}
	put(append([]byte("IHDR"), head...))
	for _, b := range before {
		put(b)
	}
	put(append([]byte("IDAT"), body.Bytes()...))
	put([]byte("IEND"))
	return out
}
