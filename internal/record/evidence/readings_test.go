package evidence

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// exam is sentences with values that they state and values that they do not: the
// same figure with another unit, currency, sign or day, figures that are parts of
// others, and what is taken back.
var exam = []struct{ field, text, right, wrong string }{
	{"{quantity: Q., unit: mm}", "Format 21 x 14,8 cm", `{"amount":210,"unit":"mm"}`, `{"amount":21,"unit":"mm"}`},
	{"{quantity: Q., unit: mm}", "Kisten 40 mal 60 cm", `{"amount":400,"unit":"mm"}`, `{"amount":40,"unit":"mm"}`},
	{"{quantity: Q., unit: m²}", "a hut of 2 m by 3 m", `{"amount":6,"unit":"m²"}`, `{"amount":5,"unit":"m²"}`},
	{"{quantity: Q., unit: m²}", "Fläche: 3,2 a", `{"amount":320,"unit":"m²"}`, `{"amount":32,"unit":"m²"}`},
	{"{integer: 'Notice, in months.'}", "Kündigungsfrist: ein halbes Jahr", `6`, `5`},
	{"{integer: 'Notice, in months.'}", "a quarter of a year, or three weeks", `3`, `4`},
	{"{integer: 'Notice, in months.'}", "preaviso de un mes", `1`, `2`},
	{"{integer: 'Notice, in weeks.'}", "Notice: two months", ``, `8`},
	{"{number: 'Time, in hours.'}", "an hour and\nthree quarters", `1.75`, `3.25`},
	{"{integer: N.}", "six cents quarante affiches pour le 3 et le 5", `640`, `600`},
	{"{integer: N.}", "Zylinder    3,5 Std.     keine", `0`, `1`},
	{"{date: D., written: [D.M.YYYY]}", "angenommen 12.3.35, fertig 30.3.35", `"2035-03-12"`, `"2035-12-03"`},
	{"{date: D., written: [D.M.YYYY]}", "geboren 12.3.35, Vertrag vom 1.4.2035", `"2035-03-12"`, `"1935-03-12"`},
	{"{date: D.}", "Turned on 4 May 2033, and on the 8th and 10th.", `"2033-05-10"`, `"2033-05-09"`},
	{"{date: D.}", "Seen on the 8th, 10th and 13th of March 2035.", `"2035-03-08"`, `"2035-03-09"`},
	{"{date: D.}", "Nacht vom 3. auf den 4. Februar 2035", `"2035-02-03"`, `"2035-02-05"`},
	{"{date: D.}", "gewendet 16., 19., 23. und 30.3.2035", `"2035-03-19"`, `"2035-03-20"`},
	{"{date: D.}", "Los días 4, 6 y 9 de abril de 2035", `"2035-04-06"`, `"2035-04-05"`},
	{"{date: D.}", "Il 12 e il 14 maggio 2035", `"2035-05-14"`, `"2035-05-13"`},
	{"{date: D.}", "Am 2.5.2035 begonnen, am 18. fertig.", `"2035-05-18"`, `"2035-05-08"`},
	{"{date: D.}", "On the 18th it was done.", ``, `"2035-05-18"`},
	{"{date: D., written: [D.M.YYYY]}", "Ab 1.3.2035. Verkostung 13.4., wieder 11.5.", `"2035-04-13"`, `"2035-04-12"`},
	{"{date: D., written: [D/M/YYYY]}", "Le 1/3/2035 ; le 5/4 : dégusté", `"2035-04-05"`, `"2035-05-04"`},
	{"{date: D., written: [M/D/YYYY]}", "From 3/1/2035. Tasted 5/4: good", `"2035-05-04"`, `"2035-04-05"`},
	{"{integer: N., max: 20}", "Marks: 13/20, the rest 4/10.", `13`, `4`},
	{"{integer: N., max: 10}", "Sie gab acht von zehn Punkten.", `8`, `9`},
	{"{integer: N., max: 20}", "dix-huit sur vingt", `18`, `8`},
	{"{quantity: Q., unit: '%'}", "It lost an eighth of its weight.", `{"amount":12.5,"unit":"%"}`, `{"amount":8,"unit":"%"}`},
	{"{quantity: Q., unit: '%'}", "zwei Drittel des Himmels bedeckt", `{"amount":66.7,"unit":"%"}`, `{"amount":66.6,"unit":"%"}`},
	{"{quantity: Q., unit: '%'}", "Bewölkung 2/8", `{"amount":25,"unit":"%"}`, `{"amount":28,"unit":"%"}`},
	{"{quantity: Q., unit: '%'}", "Humidity 0.91", `{"amount":91,"unit":"%"}`, `{"amount":9.1,"unit":"%"}`},
	{"{quantity: Q., unit: '%'}", "A length of 0.91 m", ``, `{"amount":91,"unit":"%"}`},
	{"{quantity: Q., unit: '%'}", "On the 8th it was weighed.", ``, `{"amount":8,"unit":"%"}`},
	{"{quantity: Q., unit: min}", "It took three quarters of an hour.", `{"amount":45,"unit":"min"}`, `{"amount":75,"unit":"min"}`},
	{"{quantity: Q., unit: h}", "Fahrzeit 1 Std. 30 min", `{"amount":1.5,"unit":"h"}`, `{"amount":1.3,"unit":"h"}`},
	{"{integer: 'Duration, in minutes.'}", "Dauer 1h10", `70`, `110`},
	{"{integer: 'Duration, in minutes.'}", "about two hours", `120`, `12`},
	{"{integer: 'Number of bays.'}", "about two hours", ``, `120`},
	{"{integer: N.}", "seen at x120", `120`, `20`},
	{"{integer: N.}", "WHEELS 2 DOZ.", `24`, `12`},
	{"{quantity: Q., unit: kg}", "16 à 4,2 kg", `{"amount":67.2,"unit":"kg"}`, `{"amount":62.7,"unit":"kg"}`},
	{"{quantity: Q., unit: kg}", "twelve sacks of 25 kg", `{"amount":300,"unit":"kg"}`, `{"amount":310,"unit":"kg"}`},
	{"{money: M.}", "3 at £4.50", `{"amount":13.5,"currency":"GBP"}`, `{"amount":13.5,"currency":"EUR"}`},
	{"{quantity: Q., unit: kg}", "16 planks. 4 kg", ``, `{"amount":64,"unit":"kg"}`},
	{"{text: T.}", "TASTED BY A. PENR0W", `"A. Penrow"`, `"A. Penrose"`},
	{"{number: N.}", "It rose by minus 4 degrees, −7 at night.", `-7`, `7.5`},
	{"{time: T.}", "We began at a quarter past eight.", `"08:15"`, `"08:45"`},
	{"{time: T.}", "We began at a quarter to eight.", `"07:45"`, `"08:15"`},
	{"{time: T.}", "Come at half past five.", `"17:30"`, `"18:30"`},
	{"{time: T.}", "Come at ten minutes past three in the afternoon.", `"15:10"`, `"03:10"`},
	{"{time: T.}", "to be fetched at noon", `"12:00"`, `"00:00"`},
	{"{time: T.}", "closes at midnight", `"00:00"`, `"12:00"`},
	{"{time: T.}", "at nine o'clock in the morning", `"09:00"`, `"21:00"`},
	{"{time: T.}", "bitte bis halb sechs abends", `"17:30"`, `"18:30"`},
	{"{time: T.}", "um Viertel vor acht", `"07:45"`, `"08:15"`},
	{"{time: T.}", "um acht Uhr dreißig", `"08:30"`, `"08:00"`},
	{"{time: T.}", "um 5 Uhr nachmittags", `"17:00"`, `"15:00"`},
	{"{time: T.}", "à neuf heures moins le quart", `"08:45"`, `"09:15"`},
	{"{time: T.}", "à midi et demi", `"12:30"`, `"12:00"`},
	{"{time: T.}", "à huit heures et demie du soir", `"20:30"`, `"08:30"`},
	{"{time: T.}", "Quarter of the eight boxes past the gate", ``, `"08:15"`},
	{"{time: T.}", "Begin l4:2O", `"14:20"`, `"14:30"`},
	{"{quantity: Q., unit: kg}", "une tonne et demie de pommes", `{"amount":1500,"unit":"kg"}`, `{"amount":1000,"unit":"kg"}`},
	{"{quantity: Q., unit: kg}", "six kilos and a half", `{"amount":6.5,"unit":"kg"}`, `{"amount":6,"unit":"kg"}`},
	{"{quantity: Q., unit: kg}", "3 Kilo und ein halbes", `{"amount":3.5,"unit":"kg"}`, `{"amount":3,"unit":"kg"}`},
	{"{quantity: Q., unit: kg, signs: {minus: [leichter], plus: [schwerer]}}", "Mieke ist 300 g leichter.", `{"amount":-0.3,"unit":"kg"}`, `{"amount":0.3,"unit":"kg"}`},
	{"{number: N., signs: {minus: [lost], plus: [gained]}}", "The level is unchanged.", `0`, `1`},
	{"{integer: N., printed_as: [Photos]}", "Photos: none", `0`, `1`},
	{"{integer: N.}", "none of the 4 came", ``, `0`},
	{"{date: D., written: [D.M.YYYY]}", "Ankunft l.lO.2O33", `"2033-10-01"`, `"2033-10-11"`},
	{"{money: M.}", "Anzahlung l5O,OO EUR", `{"amount":150,"currency":"EUR"}`, `{"amount":50,"currency":"EUR"}`},
	{"{integer: N.}", "Oil and Il lo Ol", ``, `10`},
	{"{money: M.}", "Ich habe zwölf Euro fünfzig ausgelegt.", `{"amount":12.5,"currency":"EUR"}`, `{"amount":12,"currency":"EUR"}`},
	{"{money: M.}", "at two pounds ten in all", `{"amount":2.1,"currency":"GBP"}`, `{"amount":2,"currency":"GBP"}`},
	{"{money: M.}", "It cost 12 euros 50.", `{"amount":12.5,"currency":"EUR"}`, `{"amount":50,"currency":"EUR"}`},
	{"{money: M.}", "We paid two pounds. Ten came.", `{"amount":2,"currency":"GBP"}`, `{"amount":2.1,"currency":"GBP"}`},
	{"{date: D.}", "Written on 22 May 2033. I come again on the 5th of June.", `"2033-06-05"`, `"2034-06-05"`},
	{"{date: D.}", "Am 20. Dezember 2033 geschrieben. Ich komme am 3. Januar.", `"2034-01-03"`, `"2035-01-03"`},
	{"{date: D.}", "I come on the 5th of June.", ``, `"2033-06-05"`},
	{"{quantity: Q., unit: kg}", "Weight: 92 lb", `{"amount":41.73,"unit":"kg"}`, `{"amount":41.74,"unit":"kg"}`},
	{"{quantity: Q., unit: kg}", "Weight: 92 lb", ``, `{"amount":42,"unit":"kg"}`},
	{"{quantity: Q., unit: km/h}", "It blew thirty knots.", `{"amount":55.56,"unit":"km/h"}`, `{"amount":30,"unit":"km/h"}`},
	{"{number: Late., signs: {minus: [early], plus: [late]}}", "We were on time.", `0`, `1`},
	{"{quantity: Q., unit: km/h}", "It blew hard, thirty\nknots I should say.", `{"amount":55.56,"unit":"km/h"}`, `{"amount":30,"unit":"km/h"}`},
	{"{time: T.}", "two o'clock to five", `"17:00"`, `"18:00"`},
	{"{quantity: Q., unit: m}", "Mide seis metros y medio.", `{"amount":6.5,"unit":"m"}`, `{"amount":6,"unit":"m"}`},
	{"{number: N.}", "Son doscientos cuarenta y cinco euros en total.", `245`, `240`},
	{"{number: N.}", "ventuno barche e quaranta remi", `21`, `1`},
	{"{quantity: Q., unit: m}", "three and a quarter metres of tweed", `{"amount":3.25,"unit":"m"}`, `{"amount":3,"unit":"m"}`},
	{"{quantity: Q., unit: m}", "en soie verte (4 m 20, doublée)", `{"amount":4.2,"unit":"m"}`, `{"amount":20,"unit":"m"}`},
	{"{quantity: Q., unit: m}", "2 m 50 kg", `{"amount":2,"unit":"m"}`, `{"amount":2.5,"unit":"m"}`},
	{"{money: M.}", "24 TUNICS  GBP 1,9OO.00", `{"amount":1900,"currency":"GBP"}`, `{"amount":1.9,"currency":"GBP"}`},
	{"{number: N.}", "The gap is 3 1/2 wide.", `3.5`, `3`},
	{"{number: N.}", "We used 2½ sacks.", `2.5`, `2`},
	{"{number: N.}", "It took two and a half hours.", `2.5`, `3.5`},
	{"{number: N.}", "Es dauerte zweieinhalb Stunden.", `2.5`, `2`},
	{"{integer: N.}", "Twenty-three of them came.", `23`, `20`},
	{"{integer: N.}", "A dozen eggs.", `12`, `2`},
	{"{integer: N.}", "Es waren dreiundzwanzig Stück.", `23`, `3`},
	{"{integer: N.}", "Länge hundertfünfzig, Breite zwölf.", `150`, `50`},
	{"{integer: N.}", "1'240 were counted.", `1240`, `240`},
	{"{integer: N.}", "1,240 were counted at 3.50 each and 2.75 each.", `1240`, `124`},
	{"{number: N.}", "1,240 at 3.50 and 2.75.", `1240`, `1.24`},
	{"{number: N.}", "1.240 zu 3,50 und 2,75.", `1240`, `1.24`},
	{"{integer: N.}", "On 12 May 2031 we saw 9 of them.", `9`, `12`},
	{"{integer: N.}", "Seen on 3.4.2031: 8 boats.", `8`, `4`},
	{"{integer: N.}", "Marlow of 0undle sent 6.", `6`, `0`},
	{"{number: Rate., signs: {minus: [loses], plus: [gains]}}", "It loses 40 seconds a day.", `-40`, `40`},
	{"{number: Rate., signs: {minus: [loses], plus: [gains]}}", "It gains 16 seconds a day.", `16`, `-16`},
	{"{money: M., signs: {minus: [credit]}}", "There is a credit of EUR 24,50 on it.", `{"amount":-24.5,"currency":"EUR"}`, `{"amount":24.5,"currency":"EUR"}`},
	{"{money: M.}", "It costs EUR 12.50 in all.", `{"amount":12.5,"currency":"EUR"}`, `{"amount":12.5,"currency":"USD"}`},
	{"{money: M.}", "It costs 12.50 euros in all.", `{"amount":12.5,"currency":"EUR"}`, `{"amount":12.5,"currency":"CHF"}`},
	{"{money: M.}", "Screws at 50 cents each.", `{"amount":0.5,"currency":"EUR"}`, `{"amount":50,"currency":"EUR"}`},
	{"{money: M.}", "Total: 75,- EUR", `{"amount":75,"currency":"EUR"}`, `{"amount":75,"currency":"GBP"}`},
	{"{money: M.}", "Fee $ 80.", `{"amount":80,"currency":"CAD"}`, `{"amount":80,"currency":"EUR"}`},
	{"{money: M.}", "thirty euros on account", `{"amount":30,"currency":"EUR"}`, `{"amount":3,"currency":"EUR"}`},
	{"{quantity: Q., unit: cm}", "It is 41 cm high.", `{"amount":41,"unit":"cm"}`, `{"amount":41,"unit":"mm"}`},
	{"{quantity: Q., unit: cm}", "It is 1.2 m high.", `{"amount":120,"unit":"cm"}`, `{"amount":1.2,"unit":"cm"}`},
	{"{quantity: Q., unit: g}", "The movement weighs 2 1/2 kg.", `{"amount":2500,"unit":"g"}`, `{"amount":2.5,"unit":"g"}`},
	{"{quantity: Q., unit: g}", "The letter weighs 20 g and cost 20 EUR.", `{"amount":20,"unit":"g"}`, `{"amount":20,"unit":"kg"}`},
	{"{quantity: Q., unit: m}", "Clear length: 9 Meter", `{"amount":9,"unit":"m"}`, `{"amount":9,"unit":"km"}`},
	{"{date: D.}", "He came on the 3rd of April 2032.", `"2032-04-03"`, `"2032-04-30"`},
	{"{date: D.}", "Reçu le 1er avril 2032.", `"2032-04-01"`, `"2032-04-11"`},
	{"{date: D.}", "on the seventeenth of August 2032", `"2032-08-17"`, `"2032-08-16"`},
	{"{date: D.}", "the twenty-first of May 2032", `"2032-05-21"`, `"2032-05-01"`},
	{"{date: D.}", "recibido el 3 de abril de 2031", `"2031-04-03"`, `"2031-03-04"`},
	{"{date: D.}", "dated April 3, 2032", `"2032-04-03"`, `"2032-03-04"`},
	{"{date: D.}", "Filed 2032/04/03.", `"2032-04-03"`, `"2032-03-04"`},
	{"{date: D., precision: month}", "Prochain relevé : avril 2035", `"2035-04"`, `"2035-05"`},
	{"{date: D., precision: month}", "Due 8/2034.", `"2034-08"`, `"2034-07"`},
	{"{integer: N.}", "I had written that it gains 16; it is not 16 but 18.", `18`, `16`},
	{"{number: N.}", "The price is ~~40.00~~ 38.00.", `38`, `40`},
	{"{number: N.}", "The day is 31 euros, not 29, and the deposit stays.", `31`, `29`},
	{"{date: D.}", "She keeps it until 19 August 2032 and not until 12 August 2032 as I wrote.", `"2032-08-19"`, `"2032-08-12"`},
	{"{integer: N.}", "Er nahm 31 und nicht 29 davon.", `31`, `29`},
	{"{integer: N.}", "We saw 7 boats, not all of the 29 sailed.", `29`, `30`},
	{"{number: N.}", "The price is 40.00¹ from May on.", `40`, `401`},
	{"{money: M., currency: EUR}", "| Tool | Hire / Day | Deposit |\n|---|---|---|\n| Saw | 10.50 | 100 |\n", `{"amount":10.5,"currency":"EUR"}`, `{"amount":10.5,"currency":"CHF"}`},
	{"{money: M., currency: EUR}", "| Goods | Price per kg | Weight kg |\n|---|---|---|\n| Nails | 7.25 | 11 |\n", `{"amount":7.25,"currency":"EUR"}`, `{"amount":11,"currency":"EUR"}`},
	{"{quantity: Q., unit: m²}", "The yard has 20 m² of floor.", `{"amount":20,"unit":"m²"}`, `{"amount":20,"unit":"m"}`},
	{"{number: N.}", "Temperatur minus 12 Grad.", `-12`, `12.5`},
	{"{number: N.}", "Drift of − 4 per day.", `-4`, `4.4`},
	{"{number: N.}", "1 250 Zuschauer kamen.", `1250`, `1.25`},
	{"{number: N.}", "1 250,75 étaient dus.", `1250.75`, `250.75`},
	{"{number: N.}", "Fläche 1 250 m²", `1250`, `250`},
	{"{number: N.}", "Output of 1.2 million units.", `1200000`, `1.2`},
	{"{number: N.}", "Umsatz 3 Mio. Euro", `3000000`, `3`},
	{"{number: N.}", "About 12k readers.", `12000`, `12`},
	{"{number: N.}", "Half a barrel was left.", `0.5`, `5`},
	{"{number: N.}", "one hundred and five crates", `105`, `100`},
	{"{number: N.}", "two dozen eggs", `24`, `12`},
	{"{number: N.}", "soixante-douze caisses", `72`, `60`},
	{"{number: N.}", "quatre-vingt-dix boîtes", `90`, `80`},
	{"{number: N.}", "vingt et un sacs", `21`, `20`},
	{"{number: N.}", "zweihundertzwölf Stück", `212`, `200`},
	{"{number: N.}", "Between 4 and 6 of them.", `4`, `46`},
	{"{number: N.}", "4–6 of them", `4`, `-6`},
	{"{integer: N.}", "Call 030 221 9040 for more; 7 came.", `7`, `221`},
	{"{integer: N.}", "Invoice 2031-118 lists 5 items.", `5`, `118`},
	{"{integer: N.}", "At 14:30 there were 9.", `9`, `30`},
	{"{integer: N.}", "Room 12b holds 40.", `40`, `12`},
	{"{number: N.}", "Der Wert betrug 1.250 bei 2.400 und 3,5.", `1250`, `1.25`},
	{"{number: N., written: {decimal: \",\", group: \".\"}}", "Fläche 1.240 gemessen", `1240`, `1.24`},
	{"{number: N., written: {decimal: \".\", group: \",\"}}", "Area 1,240 measured", `1240`, `1.24`},
	{"{number: N.}", "Area 1,240 measured", ``, `1.24`},
	{"{number: N.}", "Area 1,240 measured", ``, `1240`},
	{"{integer: N.}", "Area 1,240 measured", `1240`, `124`},
	{"{money: M.}", "Total 1.250,00 €", `{"amount":1250,"currency":"EUR"}`, `{"amount":1.25,"currency":"EUR"}`},
	{"{money: M.}", "Total €1,250.00", `{"amount":1250,"currency":"EUR"}`, `{"amount":1250,"currency":"CHF"}`},
	{"{money: M.}", "Preis 80,– EUR", `{"amount":80,"currency":"EUR"}`, `{"amount":80,"currency":"CHF"}`},
	{"{money: M.}", "Fr. 480.– bezahlt", `{"amount":480,"currency":"CHF"}`, `{"amount":480,"currency":"EUR"}`},
	{"{money: M.}", "twelve pounds fifty, no: £12.50", `{"amount":12.5,"currency":"GBP"}`, `{"amount":12.5,"currency":"EUR"}`},
	{"{money: M.}", "The sum of 40 Swiss francs was paid.", `{"amount":40,"currency":"CHF"}`, `{"amount":40,"currency":"EUR"}`},
	{"{money: M.}", "275 francs suisses", `{"amount":275,"currency":"CHF"}`, `{"amount":275,"currency":"USD"}`},
	{"{money: M.}", "20 pounds sterling", `{"amount":20,"currency":"GBP"}`, `{"amount":20,"currency":"EUR"}`},
	{"{money: M., currency: USD}", "Paid 15 dollars.", `{"amount":15,"currency":"USD"}`, `{"amount":51,"currency":"USD"}`},
	{"{money: M., currency: EUR}", "Amount (EUR): 310", `{"amount":310,"currency":"EUR"}`, `{"amount":301,"currency":"EUR"}`},
	{"{money: M.}", "Amount (EUR): 310", `{"amount":310,"currency":"EUR"}`, `{"amount":310,"currency":"USD"}`},
	{"{money: M.}", "Item      Price/CHF\nlamp      12.50\nhook      3.20", `{"amount":12.5,"currency":"CHF"}`, `{"amount":12.5,"currency":"EUR"}`},
	{"{money: M.}", "| item | price (GBP) |\n|---|---|\n| lamp | 12.50 |", `{"amount":12.5,"currency":"GBP"}`, `{"amount":12.5,"currency":"EUR"}`},
	{"{money: M.}", "1.2 million euros", `{"amount":1200000,"currency":"EUR"}`, `{"amount":1.2,"currency":"EUR"}`},
	{"{money: M.}", "EUR 3 Mio.", `{"amount":3000000,"currency":"EUR"}`, `{"amount":3,"currency":"EUR"}`},
	{"{money: M.}", "Weight 20 kg, 8 EUR", `{"amount":8,"currency":"EUR"}`, `{"amount":20,"currency":"EUR"}`},
	{"{quantity: Q., unit: kg}", "Weight: 20 lb", `{"amount":9.0718474,"unit":"kg"}`, `{"amount":20,"unit":"kg"}`},
	{"{quantity: Q., unit: cm}", "Girth (m)   1.46", `{"amount":146,"unit":"cm"}`, `{"amount":1.46,"unit":"cm"}`},
	{"{quantity: Q., unit: cm}", "No.   Girth (m)\n7     1.46\n8     2.10", `{"amount":210,"unit":"cm"}`, `{"amount":1.46,"unit":"cm"}`},
	{"{quantity: Q., unit: cm}", "No.   Girth (cm)\n7     146\n8     210", `{"amount":210,"unit":"cm"}`, `{"amount":210,"unit":"m"}`},
	{"{quantity: Q., unit: °C}", "It was 50 °F inside.", `{"amount":10,"unit":"°C"}`, `{"amount":50,"unit":"°C"}`},
	{"{quantity: Q., unit: °C}", "minus 4 Grad Celsius", `{"amount":-4,"unit":"°C"}`, `{"amount":4,"unit":"°F"}`},
	{"{quantity: Q., unit: °C}", "21.5 degrees Celsius", `{"amount":21.5,"unit":"°C"}`, `{"amount":21.5,"unit":"°F"}`},
	{"{quantity: Q., unit: m2}", "an area of 3 square metres", `{"amount":3,"unit":"m2"}`, `{"amount":3,"unit":"m3"}`},
	{"{quantity: Q., unit: m2}", "0,42 ha Wald", `{"amount":4200,"unit":"m2"}`, `{"amount":0.42,"unit":"m2"}`},
	{"{quantity: Q., unit: m2}", "5 m long", ``, `{"amount":5,"unit":"m2"}`},
	{"{quantity: Q., unit: m}", "5 m² of felt", ``, `{"amount":5,"unit":"m"}`},
	{"{quantity: Q., unit: m}", "5 mm thick", `{"amount":0.005,"unit":"m"}`, `{"amount":5,"unit":"m"}`},
	{"{quantity: Q., unit: in}", "A 12\" pipe", `{"amount":12,"unit":"in"}`, `{"amount":12,"unit":"cm"}`},
	{"{quantity: Q., unit: kg}", "three kilos of tar", `{"amount":3,"unit":"kg"}`, `{"amount":3,"unit":"g"}`},
	{"{quantity: Q., unit: {s/day: {also: [seconds a day]}}}", "gains 16 seconds a day", `{"amount":16,"unit":"s/day"}`, `{"amount":61,"unit":"s/day"}`},
	{"{quantity: Q., unit: s/day}", "gains 16 s/day", `{"amount":16,"unit":"s/day"}`, `{"amount":16,"unit":"min"}`},
	{"{quantity: Q., unit: '%'}", "Humidity 45 per cent", `{"amount":45,"unit":"%"}`, `{"amount":45,"unit":"kg"}`},
	{"{quantity: Q., unit: '%'}", "Feuchte 12,5 %", `{"amount":12.5,"unit":"%"}`, `{"amount":125,"unit":"%"}`},
	{"{quantity: Q., unit: km/h}", "wind 30 km/h", `{"amount":30,"unit":"km/h"}`, `{"amount":30,"unit":"m/s"}`},
	{"{quantity: Q., unit: l}", "two and a half litres", `{"amount":2.5,"unit":"l"}`, `{"amount":2,"unit":"l"}`},
	{"{date: D., written: [D.M.YYYY]}", "am 03.04.2032 geliefert", `"2032-04-03"`, `"2032-03-04"`},
	{"{date: D., written: [M/D/YYYY]}", "on 4/3/2032", `"2032-04-03"`, `"2032-03-04"`},
	{"{date: D.}", "Sept 3, 2032", `"2032-09-03"`, `"2032-08-03"`},
	{"{date: D.}", "3. Sept. 2032", `"2032-09-03"`, `"2032-09-30"`},
	{"{date: D.}", "Mittwoch, 5. Mai 2032", `"2032-05-05"`, `"2032-05-15"`},
	{"{date: D.}", "le 14 juillet 2032", `"2032-07-14"`, `"2032-06-14"`},
	{"{date: D., precision: month}", "sometime in Sept 2032", `"2032-09"`, `"2032-10"`},
	{"{date: D., precision: year}", "founded in 1987", `"1987"`, `"1978"`},
	{"{time: T.}", "at 9 Uhr 15", `"09:15"`, `"15:09"`},
	{"{time: T.}", "we met at 3:30 pm", `"15:30"`, `"03:30"`},
	{"{time: T.}", "vers 14h30", `"14:30"`, `"04:30"`},
	{"{time: T.}", "open from 8 am", `"08:00"`, `"20:00"`},
	{"{boolean: B., true: {also: [intact]}, false: {also: [broken]}}", "The seal was intact.", `true`, ``},
	{"{number: N.}", "The reading was <del>41</del> 42.", `42`, ``},
	{"{integer: N.}", "Nicht 7, sondern 9 Kisten.", `9`, `7`},
	{"{integer: N.}", "There were 12 (correction: 14) boxes.", `14`, ``},
	{"{text: T.}", "By Marlow of 0undle.", `"Marlow of Oundle"`, `"Marlow of Arundel"`},
}

// What a sentence states is found where it stands, and what it does not state is
// found nowhere.
func TestExam(t *testing.T) {
	for _, c := range exam {
		s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  f: "+c.field+"\n"))
		require.NoError(t, err, c.field)
		for want, text := range map[bool]string{true: c.right, false: c.wrong} {
			if text == "" {
				continue
			}
			rec, err := value.Parse(`{"f":` + text + `}`)
			require.NoError(t, err)
			place := Of(s, &rec, NewIndex(c.text))["/f"]
			assert.Equal(t, want, place.Found(), "%s in %q", text, c.text)
		}
	}
}

// A right value is found, and a wrong one is not, whatever stands around the
// sentence: the same again in a long text of others' figures.
func TestExamInCompany(t *testing.T) {
	for i, c := range exam {
		if c.right == "" {
			continue
		}
		text := strings.Repeat("No figures stand here, and nothing of note.\n", 1+i%5) + "\n" + c.text + "\n\n" + strings.Repeat("Nor here.\n", i%7)
		s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  f: "+c.field+"\n"))
		require.NoError(t, err)
		rec, err := value.Parse(fmt.Sprintf(`{"f":%s}`, c.right))
		require.NoError(t, err)
		place := Of(s, &rec, NewIndex(text))["/f"]
		require.True(t, place.Found(), c.text)
		at := strings.Index(text, c.text)
		assert.True(t, place.Start >= at && place.End <= at+len(c.text), "%s: found at %q", c.text, text[place.Start:place.End])
	}
}
