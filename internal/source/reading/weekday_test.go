package reading

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"filler/internal/schema"
)

// A weekday by itself stands for the last such day before the first day that the text says in full, and for no
// other one before it; not where it stands above that day.
func TestWeekdayBefore(t *testing.T) {
	for shift := range 14 {
		sent := time.Date(2034, time.May, 1+shift, 0, 0, 0, 0, time.UTC)
		for back := -8; back <= 20; back++ {
			day := sent.AddDate(0, 0, -back)
			text := "Sent " + sent.Format("2 January 2006") + ".\n\nI saw it on " + day.Weekday().String() + " after lunch."
			found := New(text).OnWeekdayBefore(day.Format(time.DateOnly))
			assert.Equal(t, back >= 1 && back <= 6, len(found) == 1, "%d days before %s", back, sent)
			above := "On " + day.Weekday().String() + " I saw it.\n\nSent " + sent.Format("2 January 2006") + "."
			assert.Empty(t, New(above).OnWeekdayBefore(day.Format(time.DateOnly)))
		}
	}
	assert.Empty(t, New("I saw it on Monday.").OnWeekdayBefore("2034-05-01"))
}

// A place that begins a sentence has that sentence, as any other place of it does.
func TestSentenceOfItsBegin(t *testing.T) {
	const text = "The first one was seen. S-12 (2021) failed, as did S-13. The last one is new.\nAnd more."
	for _, sentence := range []string{"The first one was seen.", "S-12 (2021) failed, as did S-13.", "The last one is new."} {
		at := strings.Index(text, sentence)
		for i := range len(sentence) - 1 {
			s := New(text).SentenceSpan(at+i, at+i+1)
			assert.Contains(t, text[s.Start:s.End], sentence, "at %d", at+i)
			assert.LessOrEqual(t, s.End-s.Start, len(sentence)+1, "%q at %d", text[s.Start:s.End], at+i)
		}
	}
}

// A word for "not" of one language denies nothing in another that uses it for something else, and an answer
// nothing of the labelled line below it.
func TestNotOfAnotherLanguage(t *testing.T) {
	for _, c := range []struct {
		text, word string
		want       Denial
	}{
		{"De rit is betaald met pas en dat is goed voor het dorp.", "betaald", Said},
		{"De rit is niet betaald en dat is voor het dorp.", "betaald", Denied},
		{"La facture n'est pas payée et le client est prévenu.", "payée", Denied},
		{"O pedido foi pago no banco e está na loja para o cliente.", "pago", Said},
		{"O pedido não foi pago e está na loja para o cliente.", "pago", Denied},
		{"Allergies: none known\nFasting: since midnight", "Fasting", Said},
		{"There are none\nfasting: the ward said so.", "fasting", Denied},
		{"The bill is not paid and it is on the desk for the owner.", "paid", Denied},
	} {
		tx := New(c.text)
		at := strings.Index(c.text, c.word)
		assert.Equal(t, c.want, tx.Denial(Span{at, at + len(c.word)}), c.text)
	}
}

// What says that an English text writes the day first, or the month; both, and neither, say nothing.
func TestOrderInEnglish(t *testing.T) {
	f := &schema.Field{Type: schema.Date}
	for what, want := range map[string]int{
		"VAT is to be added.": 1, "Pay 205.50 GBP to us.": 1, "12 Weir Lane, SY4 7QP": 1, "It is £20.": 1,
		"It is $20, to Akron, OH 44301.": -1, "It is $20, VAT and all, to Akron, OH 44301.": 0, "It is $20.": 0, "It is in good order.": 0,
	} {
		tx := New("It was seen by the owner on 09/11/2026 and is the best of them. " + what)
		first, _, _ := tx.InFigures(f, "2026-11-09")
		second, _, _ := tx.InFigures(f, "2026-09-11")
		assert.Equal(t, want > 0, len(first) == 1, what)
		assert.Equal(t, want < 0, len(second) == 1, what)
	}
}
