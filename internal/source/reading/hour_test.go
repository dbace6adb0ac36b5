package reading

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// An hour without minutes is a time where what stands around it says so.
func TestHoursAlone(t *testing.T) {
	for text, times := range map[string]string{
		"Check-in dalle 15 alle 19.30":     "15:00",
		"check-out entro le ore 10.":       "10:00 22:00",
		"o godz. 17":                       "17:00",
		"ouvert de 9h à 18h":               "09:00 18:00",
		"We meet at 3 on Monday":           "03:00 15:00",
		"at 15 Elm Street":                 "",
		"at 15.30 m depth":                 "",
		"by 15 % and by 15/3, from 15 men": "",
		"it cost £15, at 15 kg":            "",
	} {
		tx := New(text)
		for h := range 24 {
			at := pad(strings.TrimPrefix(string(rune('0'+h/10))+string(rune('0'+h%10)), "0")) + ":00"
			assert.Equal(t, strings.Contains(times, at), len(tx.SpokenTimes(at)) > 0, "%s: %s", text, at)
		}
	}
}

// At least and more or less are no minus; a number of a customer tells nothing of decimals, and one
// of many figures that is otherwise neither.
func TestSignsAndDecimals(t *testing.T) {
	f := &schema.Field{Type: schema.Number}
	for text, is := range map[string]string{
		"al menos 300 euros": "300", "au moins 300": "300", "menos 300": "-300", "plus ou moins 300": "300", "pelo menos 300": "300",
		"Nr. 8810.4472, Stand 12.044, 1.616,33 und 7,25":    "12044",
		strings.Repeat("3,25 m, ", 10) + "v 4.50 m, 12.044": "12044",
		"3,25 m, v 4.50 m, 12.044":                          "?12044",
	} {
		found, _ := New(text).Numbers(f, value.CanonicalNumber(strings.TrimPrefix(is, "?")))
		assert.Equal(t, is[0] != '?', len(found) > 0, text)
	}
}

// What a mail quotes without marks begins where its heads or the words above it stand; a text without
// the heads of a message is no mail.
func TestHistory(t *testing.T) {
	head := "From: H\nDate: 13 Nov 2031\nSubject: PO\n\nHi\n"
	for text, line := range map[string]int{
		head + "\n-----Original Message-----\nFrom: D\n":                  6,
		head + "bye\nVon: D\nGesendet: 12.11.\nBetreff: PO\n\nAlles klar": 6,
		head:                                6,
		"a\n-----Original Message-----\nb":  3,
		head + "> From: D\n> Subject: PO\n": 8,
	} {
		assert.Equal(t, line, New(text).History(), text)
	}
}

// A text with am and pm, and no hour over twelve, goes by the clock of twelve hours.
func TestGoesByTwelve(t *testing.T) {
	for text, is := range map[string]bool{"2.30 call to dine, 5 pm room turn": true, "2.30 call, 17.00 turn, 5 pm": false, "2.30 call": false, "pm 5": false, "at 11:45 a.m., 13.5 m": true} {
		assert.Equal(t, is, New(text).GoesByTwelve(), text)
	}
}

// A no right behind a name is its answer where nothing more is said; else it may be of what follows.
func TestAnswerBehind(t *testing.T) {
	for text, want := range map[string]Denial{"Emballage cadeau non. Acompte": Denied, "gift wrap no, card yes": Denied, "gift wrap no later than May": Unsure, "gift wrap": Said, "Stellplatz nein\nKeller": Denied} {
		name := map[bool]string{true: "Stellplatz", false: "wrap"}[text[0] == 'S']
		if text[0] == 'E' {
			name = "cadeau"
		}
		at := strings.Index(text, name)
		assert.Equal(t, want, New(text).Denial(Span{at, at + len(name)}), text)
	}
}
