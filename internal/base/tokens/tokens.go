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

// Count gives the number of tokens of text.
func Count(text string) int {
	n, err := vocabulary().Count(text)
	if err != nil {
		return Estimate(text)
	}
	return n
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
