package document

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/text/encoding/htmlindex"
)

// in gives a text in a character set.
func in(t *testing.T, name, text string) []byte {
	e, err := htmlindex.Get(name)
	require.NoError(t, err)
	data, err := e.NewEncoder().Bytes([]byte(text))
	require.NoError(t, err, name)
	return data
}

// Letters as people write them, by the sets in which they would keep them. None is
// used to find the sets.
var letters = []struct {
	sets []string
	text string
}{
	{[]string{"windows-1250", "iso-8859-2"}, "Kupní smlouva na použitý vůz. Prodávající předá kupujícímu vozidlo včetně příslušenství nejpozději do pátku. Kupní cena činí 182 500 korun a bude uhrazena převodem. Škody způsobené přepravou hradí dopravce.\n"},
	{[]string{"windows-1250", "iso-8859-2"}, "Wynajmujący oddaje najemcy lokal użytkowy o powierzchni 48 metrów. Czynsz wynosi 1 850 złotych i płatny jest z góry do dziesiątego dnia każdego miesiąca. Najemca nie może podnająć lokalu bez zgody.\n"},
	{[]string{"windows-1251", "koi8-r", "iso-8859-5"}, "Арендодатель передаёт помещение площадью 48 метров. Плата составляет 18 500 рублей в месяц и вносится до десятого числа. Ремонт крыши выполняет арендодатель за свой счёт.\n"},
	{[]string{"windows-1252", "iso-8859-1"}, "Der Mieter übernimmt die Räume im Erdgeschoss für jährlich 18.500 Mark. Schönheitsreparaturen trägt der Mieter, größere Schäden der Eigentümer. Die Übergabe erfolgt am fünften März.\n"},
	{[]string{"windows-1252"}, "Le locataire règle 1 850 € par mois – charges comprises. L’état des lieux a été dressé le 3 février, les clés remises le même jour.\n"},
	{[]string{"windows-1253", "iso-8859-7"}, "Ο μισθωτής καταβάλλει κάθε μήνα 450 δραχμές. Οι επισκευές της στέγης βαρύνουν τον ιδιοκτήτη, οι μικρές ζημιές τον μισθωτή.\n"},
	{[]string{"shift_jis", "euc-jp", "iso-2022-jp"}, "第一条　賃料は月額四万五千円とし、毎月末日までに支払う。修繕の費用は貸主が負担する。契約の期間は二年とする。\n"},
	{[]string{"euc-kr"}, "임차인은 매월 말일까지 사만 오천 원을 지급한다. 지붕의 수리는 임대인이 부담한다. 계약 기간은 이 년으로 한다.\n"},
	{[]string{"gb18030"}, "承租人每月月底前支付租金四千五百元。屋顶的修理由出租人负担。合同期限为两年。\n"},
	{[]string{"big5"}, "承租人每月月底前支付租金四千五百元。屋頂的修理由出租人負擔。合約期限為兩年。\n"},
}

// Texts that say nothing of their character set are read rightly, by a guess that is
// noted; stated and declared sets are read without one.
func TestCharacterSets(t *testing.T) {
	for _, c := range letters {
		for _, set := range c.sets {
			want := c.text
			data := in(t, set, want)
			d, err := Parse("a.txt", data)
			require.NoError(t, err, set)
			assert.Equal(t, want, d.Text, set)
			assert.Contains(t, strings.Join(d.Notes, " "), "by guess", set)

			r := &Reader{Encodings: []Encoding{{"", "utf-8"}, {"old", set}}}
			d, err = r.Parse(t.Context(), "old/a.txt", data)
			require.NoError(t, err)
			assert.Equal(t, want, d.Text, set)
			assert.Equal(t, []string{"read as " + set + ", as stated"}, d.Notes)

			for _, page := range []string{`<html><head><meta charset="%s"></head><body><p>%s</body></html>`, `<html><meta http-equiv="Content-Type" content="text/html; charset=%s"><p>%s</html>`} {
				d, err = Parse("a.html", in(t, set, fmt.Sprintf(page, set, want)))
				require.NoError(t, err)
				assert.Equal(t, strings.TrimSpace(want), strings.TrimSpace(d.Text), set)
				assert.Contains(t, strings.Join(d.Notes, " "), "as it declares", set)
			}
			d, err = Parse("a.xml", in(t, set, fmt.Sprintf(`<?xml version="1.0" encoding="%s"?><a>%s</a>`, set, want)))
			require.NoError(t, err)
			assert.Equal(t, strings.Fields("a: "+want), strings.Fields(d.Text), set)

			mail := "From: a@host.example\r\nSubject: x\r\nMessage-ID: <1@host.example>\r\nContent-Type: text/plain; charset=" + set + "\r\nContent-Transfer-Encoding: 8bit\r\n\r\n"
			d, err = Parse("a.eml", append([]byte(mail), data...))
			require.NoError(t, err)
			assert.Contains(t, d.Text, strings.TrimSpace(want), set)
		}
	}
}

// What is wrong with characters is told and not put right in silence.
func TestCharactersThatAreWrong(t *testing.T) {
	for _, c := range []struct {
		name, data string
		notes      []string
	}{
		{"a.txt", "Preis 40 â‚¬ fÃ¼r MÃ¼ller", []string{"3 places look as if decoded wrongly before (â‚¬ for €); get the file again"}},
		{"a.txt", "«CAFÉ» Ärger, 20 °C, Ångström", nil},
		{"a.txt", "lost \ufffd here", []string{"a character of the file is U+FFFD: it was lost before"}},
		{"a.html", "<html><meta charset=windows-1252><p>Zürich", []string{"it declares windows-1252, and its bytes are UTF-8"}},
		{"a.xml", "<?xml version='1.0' encoding='x-own'?><a>b</a>", []string{`it declares the encoding "x-own", which is not known`}},
	} {
		d, err := Parse(c.name, []byte(c.data))
		require.NoError(t, err)
		assert.Equal(t, c.notes, d.Notes, c.data)
	}
	for _, c := range []struct{ data, says string }{
		{strings.Repeat("Zürich ", 9) + "\xff\xfe", "byte 0xff at offset 72 is not UTF-8"},
		{"a\x00b", "NUL byte at offset 1"},
	} {
		_, err := Parse("a.txt", []byte(c.data))
		assert.ErrorContains(t, err, c.says)
	}
	r := &Reader{Encodings: []Encoding{{"a.txt", "shift_jis"}}}
	_, err := r.Parse(t.Context(), "a.txt", []byte("ab\xff"))
	assert.ErrorContains(t, err, "not shift_jis at character 3; state another encoding, or none")
}

// A line or two in a set of two bytes a letter is read by its common letters, where statistics
// have little to go by.
func TestShortTexts(t *testing.T) {
	for _, c := range []struct {
		text string
		sets []string
	}{
		{"請求書 番号 4471 合計 12,500円 御中 株式会社山田", []string{"shift_jis", "euc-jp"}},
		{"注文 12 個", []string{"shift_jis", "euc-jp"}},
		{"发票 编号 4471 合计 12,500 元", []string{"gb18030"}},
		{"發票 編號 4471 合計 12,500 元", []string{"big5"}},
		{"합계 12,500원 영수증", []string{"euc-kr"}},
		{"Итого 12 500 руб. НДС", []string{"windows-1251", "koi8-r", "iso-8859-5"}},
		{"Rechnung für Frau Möller, 12 Stück", []string{"windows-1252"}},
	} {
		for _, set := range c.sets {
			d, err := Parse("a.txt", in(t, set, c.text))
			require.NoError(t, err, set)
			assert.Equal(t, c.text, d.Text, set)
			assert.Contains(t, strings.Join(d.Notes, " "), "by guess", set)
		}
	}
}
