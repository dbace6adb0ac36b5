package lang

import (
	"strings"
	"sync"

	"golang.org/x/text/language"
)

// countries holds the names of countries, apart from all other words: few texts ask for one.
type countries struct {
	names map[string][]string // by the code
	codes map[string]string   // by the name in small letters
}

var countriesOnce = sync.OnceValue(func() countries {
	all := countries{map[string][]string{}, map[string]string{}}
	data, _ := files.ReadFile("words/" + countriesFile)
	for _, line := range strings.Split(string(data), "\n") {
		code, words, ok := strings.Cut(line, ": ")
		if !ok || strings.HasPrefix(line, "#") {
			continue
		}
		all.names[code] = strings.Split(words, " | ")
		for _, name := range all.names[code] {
			all.codes[strings.ToLower(name)] = code
		}
	}
	return all
})

const countriesFile = "countries.txt"

// CountryNames gives what a country is called in all languages, by its code of two letters (ISO
// 3166-1), that of its people in some.
func CountryNames(code string) []string { return countriesOnce().names[code] }

// CountryCode gives the code of two letters of the country that a text names, or is the code of, of
// two letters or three; "" for any other.
func CountryCode(text string) string {
	text = strings.TrimSpace(text)
	if code := countriesOnce().codes[strings.ToLower(text)]; code != "" {
		return code
	}
	if len(text) != 2 && len(text) != 3 || text != strings.ToUpper(text) {
		return ""
	}
	region, err := language.ParseRegion(text)
	if err != nil || !region.IsCountry() {
		return ""
	}
	if code := region.String(); countriesOnce().names[code] != nil {
		return code
	}
	return ""
}

// CountryCode3 gives the code of three letters of a country by the one of two.
func CountryCode3(code string) string {
	region, err := language.ParseRegion(code)
	if err != nil {
		return ""
	}
	return region.ISO3()
}
