// Package packed keeps bodies small, in the same form in every store, so that one can be copied
// into another as it lies there.
//
// Rules it keeps:
//
//   - What is packed comes back byte for byte; what is damaged is an error, never a crash.
//   - The first byte says how a body is kept. The dictionary is a part of the form.
package packed

import (
	"bytes"
	"compress/flate"
	"crypto/sha256"
	_ "embed" // the dictionary
	"encoding/binary"
	"encoding/hex"
	"errors"
	"io"
	"sync"
)

// dictionary is what bodies are full of: names of JSON members, beginnings of
// requests. It is a part of the layout: another one is another version.
//
//go:embed dictionary.txt
var dictionary []byte

// The first byte of a body says how it is kept.
const (
	asItIs   = 0
	deflated = 1
)

// plainBelow is the size below which compressing is not worth the while; below quickBelow the best
// level takes four times as long, most of it to clear its tables, for a few bytes less.
const (
	plainBelow = 64
	quickBelow = 2048
)

type packer struct {
	out bytes.Buffer
	to  *flate.Writer
}

var quick, deep = packersOf(flate.BestSpeed), packersOf(6)

func packersOf(level int) *sync.Pool {
	return &sync.Pool{New: func() any {
		p := &packer{}
		p.to, _ = flate.NewWriterDict(&p.out, level, dictionary) // these are levels that there are
		return p
	}}
}

// Body makes a body small: deflated (RFC 1951) behind the dictionary, where that
// saves anything.
func Body(body []byte) []byte {
	if len(body) >= plainBelow {
		packers := deep
		if len(body) < quickBelow {
			packers = quick
		}
		p := packers.Get().(*packer)
		defer packers.Put(p)
		p.out.Reset()
		p.out.WriteByte(deflated)
		p.to.Reset(&p.out)
		p.to.Write(body) // a buffer takes everything
		p.to.Close()
		if p.out.Len() <= len(body) {
			return bytes.Clone(p.out.Bytes())
		}
	}
	return append([]byte{asItIs}, body...)
}

// ErrDamaged says that a body can't be given back.
var ErrDamaged = errors.New("a body in it is damaged")

var unpackers = sync.Pool{New: func() any { return flate.NewReaderDict(bytes.NewReader(nil), dictionary) }}

// Open gives a body back.
func Open(kept []byte) ([]byte, error) {
	if len(kept) == 0 {
		return nil, ErrDamaged
	}
	switch kept[0] {
	case asItIs:
		return kept[1:], nil
	case deflated:
		from := unpackers.Get().(io.Reader)
		defer unpackers.Put(from)
		if err := from.(flate.Resetter).Reset(bytes.NewReader(kept[1:]), dictionary); err != nil {
			return nil, ErrDamaged
		}
		var out bytes.Buffer
		out.Grow(4 * len(kept))
		if _, err := out.ReadFrom(from); err != nil {
			return nil, ErrDamaged
		}
		return out.Bytes(), nil
	}
	return nil, ErrDamaged
}

// All packs several parts as one body, each behind its length; nil parts
// come back as nil.
func All(parts ...[]byte) []byte {
	var all []byte
	for _, p := range parts {
		if p == nil {
			all = binary.AppendUvarint(all, 0)
			continue
		}
		all = append(binary.AppendUvarint(all, uint64(len(p))+1), p...)
	}
	return Body(all)
}

func OpenAll(kept []byte, parts ...*[]byte) error {
	all, err := Open(kept)
	if err != nil {
		return err
	}
	for _, p := range parts {
		n, width := binary.Uvarint(all)
		if width <= 0 || n > uint64(len(all)-width)+1 {
			return ErrDamaged
		}
		if all = all[width:]; n == 0 {
			*p = nil
			continue
		}
		*p, all = all[:n-1:n-1], all[n-1:]
	}
	return nil
}

// HashBytes gives the bytes of a hash in hex; what is no hash is kept as it is.
func HashBytes(text string) []byte {
	if text == "" {
		return nil
	}
	if b, err := hex.DecodeString(text); err == nil && len(b) == 32 {
		return b
	}
	return []byte(text)
}

func HashText(b []byte) string {
	if len(b) == 32 {
		return hex.EncodeToString(b)
	}
	return string(b)
}

// Hashes gives the hashes of the parts of requests. What requests share is compared with the last
// one's, which is far quicker than hashing it again. Its caller keeps others out.
type Hashes struct{ last []hashed }

type hashed struct {
	body []byte
	hash [32]byte
}

// Of gives the hash of the ith part of a request.
func (h *Hashes) Of(i int, part []byte) [32]byte {
	for len(h.last) <= i {
		h.last = append(h.last, hashed{hash: sha256.Sum256(nil)})
	}
	last := &h.last[i]
	if !bytes.Equal(last.body, part) {
		*last = hashed{bytes.Clone(part), sha256.Sum256(part)}
	}
	return last.hash
}
