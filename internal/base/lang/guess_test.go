package lang

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// Running text tells its language, also in capitals and cut short; a script of no words here its
// script; a form without words of a language nothing.
func TestGuess(t *testing.T) {
	for text, want := range map[string]string{
		"The bridge was visited on Tuesday by our inspector, and two of its boards are loose.":   "en",
		"DIE BRÜCKE WURDE AM DIENSTAG BESICHTIGT UND IST IN GUTEM ZUSTAND.":                      "de",
		"Le pont a été visité mardi et les planches sont dans un bon état.":                      "fr",
		"El puente se visitó el martes y las tablas están en buen estado para el paso.":          "es",
		"Il ponte è stato visitato martedì e le assi sono in buone condizioni per il passaggio.": "it",
		"De brug werd op dinsdag bezocht en het dek is in goede staat voor het verkeer.":         "nl",
		"A ponte foi visitada na terça-feira e as tábuas não estão soltas, com exceção de uma.":  "pt",
		"Most został sprawdzony we wtorek i nie jest w złym stanie, z wyjątkiem jednej deski.":   "pl",
		"Мост был осмотрен во вторник, две доски расшатаны.":                                     "und-Cyrl",
		"橋は火曜日に点検され、板が二枚ゆるんでいます。":                                                                "ja",
		"该桥已于星期二检查，两块木板松动。":                                                                      "und-Hani",
		"No. 17-B   4.50   12/7": "",
		"":                       "",
		"Rechnung Nr. 17\nMontag, 3. März 2031\nZustand: gut, nicht geprüft":                   "de",
		strings.Repeat("x", 20000) + " the bridge and the boards of the valley":                "",
		"Boards: the deck is sound. " + strings.Repeat("Holz der Brücke und die Bretter. ", 3): "de",
	} {
		assert.Equal(t, want, Guess(text).Code, text)
	}
	assert.Equal(t, "German", Guess("die Brücke und der Steg").Name)
}
