package lang

import (
	"math/bits"
	"strings"
	"sync"
	"unicode"
)

// guessedBy are the kinds of words that tell a language.
var guessedBy = []Kind{Frequent, Month, Weekday, Number, Yes, No, Not, Unknown, Perhaps, Article, Filler, Removal, Is, Unit, Sum, Missing, Per}

// tongues gives for each word that tells a language a bit for each language that has it.
var tongues = sync.OnceValue(func() map[string]uint16 {
	m := map[string]uint16{}
	for i, l := range Languages() {
		for _, k := range guessedBy {
			for _, w := range l.Words(k) {
				if l.Code != "common" && (k == Frequent || len(w) > 2) {
					m[strings.ToLower(w)] |= 1 << i
				}
			}
		}
	}
	return m
})

// Told is a language, or a script that one of no known words is written in.
type Told struct {
	Code string // of BCP 47: en, und-Cyrl; "" where too little tells
	Name string
}

// scripts are told by their letters, the codes are those of ISO 15924.
var scripts = []struct {
	table *unicode.RangeTable
	told  Told
}{
	{unicode.Cyrillic, Told{"und-Cyrl", "Cyrillic script"}}, {unicode.Greek, Told{"el", "Greek"}}, {unicode.Hiragana, Told{"ja", "Japanese"}}, {unicode.Katakana, Told{"ja", "Japanese"}},
	{unicode.Hangul, Told{"ko", "Korean"}}, {unicode.Han, Told{"und-Hani", "Han script"}}, {unicode.Arabic, Told{"und-Arab", "Arabic script"}}, {unicode.Hebrew, Told{"he", "Hebrew"}},
	{unicode.Thai, Told{"th", "Thai"}}, {unicode.Devanagari, Told{"und-Deva", "Devanagari script"}}, {unicode.Armenian, Told{"hy", "Armenian"}}, {unicode.Georgian, Told{"ka", "Georgian"}},
}

// guessedFrom is how many bytes of a text are looked at.
const guessedFrom = 8 << 10

// Guess tells the language of a text by its most frequent words, or its script where that is not
// Latin; nothing where a text has few such words, or as many of two languages.
func Guess(text string) Told {
	if len(text) > guessedFrom {
		text = text[:guessedFrom]
	}
	var votes [16]float64
	words, latin := tongues(), 0
	var other [16]int
	start := -1
	var low [24]byte // a word in small letters, where it is of the first 128 signs
	plain := true
	end := func(to int) {
		if n := to - start; start >= 0 && n < len(low) {
			var mask uint16
			if plain {
				mask = words[string(low[:n])]
			} else {
				mask = words[strings.ToLower(text[start:to])]
			}
			share := 1 / float64(max(bits.OnesCount16(mask), 1))
			for m := mask; m != 0; m &= m - 1 {
				votes[bits.TrailingZeros16(m)] += share
			}
		}
		start, plain = -1, true
	}
	for i, r := range text {
		if r < 128 {
			letter := r | 0x20
			if letter < 'a' || letter > 'z' {
				end(i)
				continue
			}
			if latin++; start < 0 {
				start = i
			}
			if n := i - start; n < len(low) {
				low[n] = byte(letter)
			}
			continue
		}
		if !unicode.IsLetter(r) {
			end(i)
			continue
		}
		if plain = false; start < 0 {
			start = i
		}
		if unicode.Is(unicode.Latin, r) {
			latin++
			continue
		}
		for s := range scripts {
			if unicode.Is(scripts[s].table, r) {
				other[s]++
				break
			}
		}
	}
	end(len(text))
	return verdict(&votes, &other, latin)
}

func verdict(votes *[16]float64, other *[16]int, latin int) Told {
	most, sum := 0, 0
	for s, n := range other {
		if sum += n; n > other[most] {
			most = s
		}
	}
	if sum > latin {
		if japanese := other[2] + other[3]; japanese*5 > sum { // kana beside Han
			return scripts[2].told
		}
		return scripts[most].told
	}
	best, second := -1, 0.0
	for i, v := range votes {
		switch {
		case best < 0 || v > votes[best]:
			if best >= 0 {
				second = max(second, votes[best])
			}
			best = i
		default:
			second = max(second, v)
		}
	}
	if votes[best] < 2 || votes[best] < 1.3*second {
		return Told{}
	}
	l := Languages()[best]
	return Told{l.Code, strings.Join(l.Words("name"), "")}
}

// IsOwn tells a language that there are words of here.
func IsOwn(code string) bool {
	for _, l := range Languages() {
		if l.Code == code && code != "common" {
			return true
		}
	}
	return false
}
