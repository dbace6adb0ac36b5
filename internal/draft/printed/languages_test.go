package printed

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/schema"
)

// Forms in other languages are read as those in English are: days with their
// endings, months, yes and no, sums, units, figures in words, and words for
// nothing.
func TestLanguages(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(`schema: s
fields:
  day: {date: Day., written: [D MMMM YYYY, D MMM YYYY], printed_as: [Datum, Fecha, Date, Data]}
  paid: {boolean: Paid., printed_as: [Bezahlt, Payé, Pagado, Zapłacono]}
  sum: {money: Sum., printed_as: [Summe, Montant, Importe, Kwota]}
  width: {quantity: Width., unit: m, printed_as: [Breite, Largeur, Ancho, Szerokość]}
  boxes: {integer: Boxes., printed_as: [Kisten, Caisses]}
  note: {text: Note., printed_as: [Vermerk, Remarque, Nota, Uwagi]}
`))
	require.NoError(t, err)
	for text, want := range map[string]string{
		"Datum: 3. März 2031\nBezahlt: ja\nSumme: 20 €\nBreite: 3 Meter\nKisten: vier\nVermerk: keine Angabe\n": `{"day":"3. März 2031","paid":"ja","sum":"20 €","width":"3 Meter","boxes":"vier","note":null}`,
		"Date: 1er avril 2031\nPayé: non\nMontant: 7 €\nLargeur: 3 m\nCaisses: deux\nRemarque: sans objet\n":    `{"day":"1er avril 2031","paid":"non","sum":"7 €","width":"3 m","boxes":"deux","note":null}`,
		"Fecha: 3 de abril de 2031\nPagado: sí\nImporte: EUR 12\nAncho: 3 m\nNota: ../..\n":                     `{"day":"3 de abril de 2031","paid":"sí","sum":"EUR 12","width":"3 m","boxes":null,"note":null}`,
		"Data: 12 października 2031\nZapłacono: nie\nKwota: 500 zł\nSzerokość: 3 m\nUwagi: do sprawdzenia\n":    `{"day":"12 października 2031","paid":"nie","sum":"500 zł","width":"3 m","boxes":null,"note":"do sprawdzenia"}`,
	} {
		got := Fill(s, text)
		assert.JSONEq(t, want, got.String(), text)
	}
	for raw, want := range map[string]string{"1er avril 2031": "2031-04-01", "3 de abril de 2031": "2031-04-03", "12 października 2031": "2031-10-12", "4th of May 2031": "2031-05-04", "9 Mrz. 2031": "2031-03-09"} {
		v, ok := Value(s.Find("day"), raw)
		assert.True(t, ok, raw)
		assert.Equal(t, want, v.Text, raw)
	}
	sum, ok := Value(s.Find("sum"), "500 zł")
	assert.True(t, ok)
	assert.JSONEq(t, `{"amount":500,"currency":"PLN"}`, sum.String())
}

// A list whose plural is not known as one is read by its items' own labels, and each bullet below
// its name is an item.
func TestListsInOtherLanguages(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(`schema: s
fields:
  crates:
    list: Crates.
    key: [crate]
    printed_as: [Partien, Colis]
    fields:
      crate: {text: Its mark., printed_as: [Partie, Colis no]}
      weight: {quantity: Weight., unit: kg, printed_as: [Gewicht, Poids]}
      faults:
        list: What was wrong.
        printed_as: [Befunde]
        fields:
          kind: {choice: What., of: {wet: {also: [nass]}, torn: {also: [gerissen]}}}
          share: {quantity: Share., unit: '%'}
`))
	require.NoError(t, err)
	for text, want := range map[string]string{
		"Partie: 7-A\nGewicht: 12 kg\nBefunde:\n  - nass, 20 % der Ware\n  - gerissen, 5 % der Ware\n\nPartie: 7-B\nGewicht: 3 kg\n": `{"crates":[{"crate":"7-A","weight":"12 kg","faults":[{"kind":"nass","share":"20 %"},{"kind":"gerissen","share":"5 %"}]},{"crate":"7-B","weight":"3 kg","faults":[]}]}`,
		"Colis no: 7-A\nPoids: 12 kg\n\nColis no: 7-B\nPoids: 3 kg\n":                                                                `{"crates":[{"crate":"7-A","weight":"12 kg","faults":[]},{"crate":"7-B","weight":"3 kg","faults":[]}]}`,
	} {
		got := Fill(s, text)
		assert.JSONEq(t, want, got.String(), text)
	}
}
