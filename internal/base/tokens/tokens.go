// Package tokens counts what a text costs a model to read.
//
// Two ways: Count is exact for one vocabulary (o200k_base) and takes
// milliseconds; Estimate is a guess from bytes that takes none, for use while
// thousands of documents are filled, where the server's own usage corrects it.
// No vocabulary is every model's: both are estimates of what a given server
// will bill, and are shown as such until its usage is known.
package tokens

import (
	"sync"

	"github.com/tiktoken-go/tokenizer/codec"
)

var vocabulary = sync.OnceValue(codec.NewO200kBase)

// pieceOf is how much of a text is counted at once, in bytes: the library's memory is
// many times that of what it is given.
const pieceOf = 64 << 10

// Count gives the number of tokens of text. A long one is counted piece by piece, cut
// where a line begins with a letter, so that no token lies across a cut.
func Count(text string) (n int) {
	for len(text) > 0 {
		end := len(text)
		if end > pieceOf {
			end = cut(text, pieceOf)
		}
		n += count(text[:end])
		text = text[end:]
	}
	return n
}

func count(text string) int {
	n, err := vocabulary().Count(text)
	if err != nil {
		return Estimate(text)
	}
	return n
}

// cut gives a place at or behind at where a line begins with a letter or a digit; the
// end where there is none.
func cut(text string, at int) int {
	for i := at; i < len(text); i++ {
		if c := text[i]; text[i-1] == '\n' && (c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9') {
			return i
		}
	}
	return len(text)
}

// Of a text of more than countedWhole bytes only so much is counted as sampled says,
// in pieces from all over it.
const (
	countedWhole = 4 << 20
	sampled      = 2 << 20
)

// Near counts the tokens of a text, and tells whether that is exact: those of a very
// long one are those of a sample of it, for its length.
func Near(text string) (n int, exact bool) {
	if len(text) <= countedWhole {
		return Count(text), true
	}
	pieces := sampled / (pieceOf / 4)
	step, bytes := len(text)/pieces, 0
	for i := range pieces {
		from := cut(text, max(i*step, 1))
		to := cut(text, min(from+pieceOf/4, len(text)))
		if to > from && to-from <= pieceOf {
			n, bytes = n+count(text[from:to]), bytes+to-from
		}
	}
	if bytes == 0 { // one line without end
		return Estimate(text), false
	}
	return int(float64(n) / float64(bytes) * float64(len(text))), false
}

// bytesPerToken is what running English text with figures and markup measures
// at, in UTF-8 bytes for each o200k_base token.
const bytesPerToken = 3.6

// Estimate guesses the number of tokens of text from its bytes.
func Estimate(text string) int { return EstimateBytes(len(text)) }

// EstimateBytes guesses the number of tokens of n bytes of text.
func EstimateBytes(n int) int {
	if n == 0 {
		return 0
	}
	return int(float64(n)/bytesPerToken) + 1
}
