package evidence

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// What the shape of a document says of its values: nothing is told against a right record, and each of the wrong
// ones is told in the place that is given.
func TestShapes(t *testing.T) {
	looked := func(fields, text, of string) []string { return toldAgainst(t, fields, text, of, Unread) }
	for _, c := range []struct {
		what, fields, text, right string
		wrong                     map[string]string // what is told first, by the record
	}{
		{"a mark under one of several heads", "course: {text: Course.}\n  answers: {list: Answers., fields: {said: {text: Statement.}, answer: {choice: Answer., of: {bad: {}, fair: {}, good: {}}}}}",
			"Course: Ropes\n                bad   fair   good\n1 Food                       x\n2 Beds           x\n3 Views                x\n", `{"course":"Ropes","answers":[{"said":"Food","answer":"good"},{"said":"Beds","answer":"bad"},{"said":"Views","answer":"fair"}]}`,
			map[string]string{
				`{"course":"Ropes","answers":[{"said":"Food","answer":"bad"},{"said":"Beds","answer":"bad"},{"said":"Views","answer":"fair"}]}`:  "/answers/0/answer",
				`{"course":"Ropes","answers":[{"said":"Food","answer":"good"},{"said":"Beds","answer":"bad"},{"said":"Views","answer":"good"}]}`: "/answers/2/answer",
			}},
		{"heads that a legend explains", "answers: {list: Answers., fields: {said: {text: Statement.}, answer: {choice: Answer., of: {bad: {}, fair: {}, good: {}}}}}",
			"| | + | o | - |\n|---|---|---|---|\n| Food | x | | |\n| Beds | | | x |\n\n+ good, o fair, - bad\n", `{"answers":[{"said":"Food","answer":"good"},{"said":"Beds","answer":"bad"}]}`,
			map[string]string{`{"answers":[{"said":"Food","answer":"fair"},{"said":"Beds","answer":"bad"}]}`: "/answers/0/answer"}},
		{"an empty cell under the name of a boolean", "pupils: {list: Pupils., fields: {name: {text: Name.}, age: {integer: Age.}, swims: {boolean: Whether it swims.}, rows: {boolean: Whether it rows.}}}",
			"Name    Age   Swims   Rows\nIvo     7     x       x\nMara    8             x\nOle     9     x\n", `{"pupils":[{"name":"Ivo","age":7,"swims":true,"rows":true},{"name":"Mara","age":8,"swims":false,"rows":true},{"name":"Ole","age":9,"swims":true,"rows":false}]}`,
			map[string]string{
				`{"pupils":[{"name":"Ivo","age":7,"swims":true,"rows":true},{"name":"Mara","age":8,"swims":true,"rows":true},{"name":"Ole","age":9,"swims":true,"rows":false}]}`:   "/pupils/1/swims",
				`{"pupils":[{"name":"Ivo","age":7,"swims":true,"rows":false},{"name":"Mara","age":8,"swims":false,"rows":true},{"name":"Ole","age":9,"swims":true,"rows":false}]}`: "/pupils/0/rows",
			}},
		{"a sign that a legend explains", "runners: {list: Runners., fields: {name: {text: Name.}, time: {text: Time.}, guest: {boolean: Whether it is a guest.}}}",
			"Ada Pell     41:20 G\nG. Marsh     42:07\nIvo Lund     44:51 G\n\nG = guest\n", `{"runners":[{"name":"Ada Pell","time":"41:20","guest":true},{"name":"G. Marsh","time":"42:07","guest":false},{"name":"Ivo Lund","time":"44:51","guest":true}]}`,
			map[string]string{
				`{"runners":[{"name":"Ada Pell","time":"41:20","guest":false},{"name":"G. Marsh","time":"42:07","guest":false},{"name":"Ivo Lund","time":"44:51","guest":true}]}`: "/runners/0/guest",
				`{"runners":[{"name":"Ada Pell","time":"41:20","guest":true},{"name":"G. Marsh","time":"42:07","guest":true},{"name":"Ivo Lund","time":"44:51","guest":true}]}`:   "/runners/1/guest",
			}},
		{"items of two lines each", "port: {text: Port.}\n  calls: {list: Calls., key: [ship], fields: {ship: {text: Ship.}, berth: {text: Berth.}, tonnes: {integer: Tonnes.}, pilot: {boolean: Whether a pilot is needed.}}}",
			"Port: Hamne\n> MV SALTWIND   berth 3N\n   urea 4,200t  pilot Y\n> MV CAROLA     berth 7\n   timber 850t  pilot N\n> MV PETREL     berth 3S\n   scrap 5,600t pilot Y\n\nNo smoking on berth 7.\n", `{"port":"Hamne","calls":[{"ship":"SALTWIND","berth":"3N","tonnes":4200,"pilot":true},{"ship":"CAROLA","berth":"7","tonnes":850,"pilot":false},{"ship":"PETREL","berth":"3S","tonnes":5600,"pilot":true}]}`,
			map[string]string{
				`{"port":"Hamne","calls":[{"ship":"SALTWIND","berth":"3N","tonnes":850,"pilot":true},{"ship":"CAROLA","berth":"7","tonnes":4200,"pilot":false},{"ship":"PETREL","berth":"3S","tonnes":5600,"pilot":true}]}`: "/calls/1/tonnes",
				`{"port":"Hamne","calls":[{"ship":"SALTWIND","berth":"3N","tonnes":4200,"pilot":true},{"ship":"CAROLA","berth":"7","tonnes":850,"pilot":true},{"ship":"PETREL","berth":"3S","tonnes":5600,"pilot":true}]}`:  "/calls/1/pilot",
				`{"port":"Hamne","calls":[{"ship":"CAROLA","berth":"3N","tonnes":4200,"pilot":true},{"ship":"SALTWIND","berth":"7","tonnes":850,"pilot":false},{"ship":"PETREL","berth":"3S","tonnes":5600,"pilot":true}]}`: "/calls/0/ship",
			}},
		{"options that are headings, and a legend in one line", "dishes: {list: Dishes., key: [name], fields: {name: {text: Name.}, course: {choice: Course., of: {starter: {also: [to begin]}, main: {also: [mains]}}}, price: {money: Price., currency: GBP}, vegan: {boolean: Whether it is vegan.}, nuts: {boolean: Whether it contains nuts.}}}",
			"TO BEGIN\nNettle soup (ve) ....... 7.5\nBeetroot, curd (v, n) ... 9.25\n\nMAINS\nHogget pie ............. 19.5\nHake, almonds (n) ...... 22.75\n\nv vegetarian · ve vegan · n contains nuts\n", `{"dishes":[{"name":"Nettle soup","course":"starter","price":{"amount":7.5,"currency":"GBP"},"vegan":true,"nuts":false},{"name":"Beetroot, curd","course":"starter","price":{"amount":9.25,"currency":"GBP"},"vegan":false,"nuts":true},{"name":"Hogget pie","course":"main","price":{"amount":19.5,"currency":"GBP"},"vegan":false,"nuts":false},{"name":"Hake, almonds","course":"main","price":{"amount":22.75,"currency":"GBP"},"vegan":false,"nuts":true}]}`,
			map[string]string{
				`{"dishes":[{"name":"Nettle soup","course":"starter","price":{"amount":7.5,"currency":"GBP"},"vegan":true,"nuts":false},{"name":"Beetroot, curd","course":"starter","price":{"amount":9.25,"currency":"GBP"},"vegan":false,"nuts":true},{"name":"Hogget pie","course":"starter","price":{"amount":19.5,"currency":"GBP"},"vegan":false,"nuts":false},{"name":"Hake, almonds","course":"main","price":{"amount":22.75,"currency":"GBP"},"vegan":false,"nuts":true}]}`: "/dishes/2/course",
				`{"dishes":[{"name":"Nettle soup","course":"starter","price":{"amount":7.5,"currency":"GBP"},"vegan":true,"nuts":false},{"name":"Beetroot, curd","course":"starter","price":{"amount":9.25,"currency":"GBP"},"vegan":true,"nuts":true},{"name":"Hogget pie","course":"main","price":{"amount":19.5,"currency":"GBP"},"vegan":false,"nuts":false},{"name":"Hake, almonds","course":"main","price":{"amount":22.75,"currency":"GBP"},"vegan":false,"nuts":true}]}`:     "/dishes/1/vegan",
				`{"dishes":[{"name":"Nettle soup","course":"starter","price":{"amount":7.5,"currency":"GBP"},"vegan":true,"nuts":false},{"name":"Beetroot, curd","course":"starter","price":{"amount":9.25,"currency":"GBP"},"vegan":false,"nuts":true},{"name":"Hogget pie","course":"main","price":{"amount":19.5,"currency":"GBP"},"vegan":false,"nuts":false},{"name":"Hake, almonds","course":"main","price":{"amount":22.75,"currency":"GBP"},"vegan":false,"nuts":false}]}`:   "/dishes/3/nuts",
			}},
		{"a participle in brackets, with its day", "hired: {list: Hired., fields: {nom: {text: Nom.}, prix: {money: Prix., currency: EUR}, rendu: {boolean: Si le mat\u00e9riel a \u00e9t\u00e9 rendu.}}}",
			"Plaque vibrante   42,00   (rendue le 04/06)\nBétonnière        28,00\nPerceuse          11,50\n", `{"hired":[{"nom":"Plaque vibrante","prix":{"amount":42,"currency":"EUR"},"rendu":true},{"nom":"Bétonnière","prix":{"amount":28,"currency":"EUR"},"rendu":null},{"nom":"Perceuse","prix":{"amount":11.5,"currency":"EUR"},"rendu":null}]}`,
			map[string]string{
				`{"hired":[{"nom":"Plaque vibrante","prix":{"amount":42,"currency":"EUR"},"rendu":false},{"nom":"Bétonnière","prix":{"amount":28,"currency":"EUR"},"rendu":null},{"nom":"Perceuse","prix":{"amount":11.5,"currency":"EUR"},"rendu":null}]}`: "/hired/0/rendu",
			}},
		{"options cut short by the schema, and what is excluded", "drugs: {list: Drugs., fields: {name: {text: Name.}, form: {choice: Form., of: {tablet: {also: [Tbl.]}, drops: {also: [Tr.]}, capsule: {also: [Kps.]}}}, swap: {boolean: Whether another may be given., printed_as: [aut idem]}}}",
			"1) Corveton 50 mg Tbl. N3   1-0-1\n2) Lumidrin 20 mg Kps. N2   0-0-1   aut idem ausgeschlossen\n", `{"drugs":[{"name":"Corveton","form":"tablet","swap":null},{"name":"Lumidrin","form":"capsule","swap":false}]}`,
			map[string]string{
				`{"drugs":[{"name":"Corveton","form":"drops","swap":null},{"name":"Lumidrin","form":"capsule","swap":false}]}`: "/drugs/0/form",
				`{"drugs":[{"name":"Corveton","form":"tablet","swap":null},{"name":"Lumidrin","form":"capsule","swap":true}]}`: "/drugs/1/swap",
			}},
		{"a short year beside one of long before, and a day of the month with a time", "born: {date: Born.}\n  issued: {date: Issued.}\n  eta: {datetime: Expected., zone: none}",
			"geb. 03.11.1958\nAusgestellt 22.05.31\nETA 23/0415 Kai 2\n", `{"born":"1958-11-03","issued":"2031-05-22","eta":"2031-05-23T04:15:00"}`,
			map[string]string{
				`{"born":"1958-11-03","issued":"2031-05-23","eta":"2031-05-23T04:15:00"}`: "/issued",
				`{"born":"1958-11-03","issued":"2031-05-22","eta":"2031-05-23T04:45:00"}`: "/eta",
				`{"born":"1958-11-03","issued":"1931-05-22","eta":"2031-05-23T04:15:00"}`: "/issued",
			}},
		{"codes of options", "people: {list: Passengers., key: [name], fields: {name: {text: Name.}, kind: {choice: Kind., of: {adult: {}, child: {}, infant: {}}}, seat: {text: Seat.}}}",
			"OKAFOR/BEN MR   ADT   12A\nOKAFOR/TOM      CHD   12B\nOKAFOR/IDA      INF   12C\n", `{"people":[{"name":"OKAFOR/BEN MR","kind":"adult","seat":"12A"},{"name":"OKAFOR/TOM","kind":"child","seat":"12B"},{"name":"OKAFOR/IDA","kind":"infant","seat":"12C"}]}`,
			map[string]string{
				`{"people":[{"name":"OKAFOR/BEN MR","kind":"adult","seat":"12A"},{"name":"OKAFOR/TOM","kind":"adult","seat":"12B"},{"name":"OKAFOR/IDA","kind":"infant","seat":"12C"}]}`: "/people/1/kind",
			}},
		{"a sign that says that it is not so, above the item's values", "lots: {list: Lots., key: [lot], fields: {lot: {integer: Lot.}, title: {text: What it is.}, low: {money: Estimate., currency: GBP}, reserve: {boolean: Whether it has a reserve.}}}",
			"101\nTall vase, ash glaze\n£400\n\n102 *\nCovered jar\n£150\n\n* No reserve\n", `{"lots":[{"lot":101,"title":"Tall vase","low":{"amount":400,"currency":"GBP"},"reserve":true},{"lot":102,"title":"Covered jar","low":{"amount":150,"currency":"GBP"},"reserve":false}]}`,
			map[string]string{
				`{"lots":[{"lot":101,"title":"Tall vase","low":{"amount":400,"currency":"GBP"},"reserve":false},{"lot":102,"title":"Covered jar","low":{"amount":150,"currency":"GBP"},"reserve":false}]}`: "/lots/0/reserve",
				`{"lots":[{"lot":101,"title":"Tall vase","low":{"amount":400,"currency":"GBP"},"reserve":true},{"lot":102,"title":"Covered jar","low":{"amount":150,"currency":"GBP"},"reserve":true}]}`:   "/lots/1/reserve",
			}},
		{"a sign that says how it is so", "bills: {list: Bills., fields: {to: {text: To.}, sum: {money: Sum., currency: EUR}, paid: {boolean: Whether it is paid.}}}",
			"Pell      41.20 *\nMarsh     42.07\n\n* paid in cash\n", `{"bills":[{"to":"Pell","sum":{"amount":41.2,"currency":"EUR"},"paid":true},{"to":"Marsh","sum":{"amount":42.07,"currency":"EUR"},"paid":true}]}`,
			map[string]string{`{"bills":[{"to":"Pell","sum":{"amount":41.2,"currency":"EUR"},"paid":false},{"to":"Marsh","sum":{"amount":42.07,"currency":"EUR"},"paid":true}]}`: "/bills/0/paid"}},
		{"a name with a word before it", "weight: {quantity: Weight., unit: kg}", "Gross weight 20 kg, tare weight 2 kg; 18 kg net.", `{"weight":{"amount":18,"unit":"kg"}}`, nil},
		{"a description that is another field's name", "total: {money: Price., currency: EUR}\n  price: {money: Price of one., currency: EUR}", "Price 3.00\nTotal 12.00", `{"total":{"amount":12,"currency":"EUR"},"price":{"amount":3,"currency":"EUR"}}`, nil},
		{"who someone is in brackets behind the name", "lender: {text: Who lends.}\n  hirer: {text: Who hires.}\n  what: {text: What.}",
			"An agreement between Maud Ferrier, of 4 Quay Street (\"the Lender\"), and Ole Varga, of 9 Mill Lane\n(hereinafter \"the Hirer\"), for a Harrow punt. The Lender brings it.", `{"lender":"Maud Ferrier","hirer":"Ole Varga","what":"Harrow punt"}`,
			map[string]string{
				`{"lender":"Ole Varga","hirer":"Maud Ferrier","what":"Harrow punt"}`:    "/hirer",
				`{"lender":"Harrow punt","hirer":"Ole Varga","what":"Harrow punt"}`:     "/lender",
				`{"lender":"Maud Ferrier","hirer":"Maud Ferrier","what":"Harrow punt"}`: "/hirer",
			}},
		{"a run of values of all items", "sizes: {list: Sizes., key: size, fields: {size: {text: Size.}, chest: {quantity: Chest., unit: cm}, balls: {integer: Balls.}}}",
			"Sizes: S (M, L, XL)\nChest 92 (100, 108, 118) cm\nBalls 9 (10, 12, 13), and 10 cm of ribbon\n", `{"sizes":[{"size":"S","chest":{"amount":92,"unit":"cm"},"balls":9},{"size":"M","chest":{"amount":100,"unit":"cm"},"balls":10},{"size":"L","chest":{"amount":108,"unit":"cm"},"balls":12},{"size":"XL","chest":{"amount":118,"unit":"cm"},"balls":13}]}`,
			map[string]string{
				`{"sizes":[{"size":"S","chest":{"amount":92,"unit":"cm"},"balls":9},{"size":"M","chest":{"amount":108,"unit":"cm"},"balls":10},{"size":"L","chest":{"amount":100,"unit":"cm"},"balls":12},{"size":"XL","chest":{"amount":118,"unit":"cm"},"balls":13}]}`: "/sizes/1/chest",
				`{"sizes":[{"size":"S","chest":{"amount":92,"unit":"cm"},"balls":9},{"size":"M","chest":{"amount":100,"unit":"cm"},"balls":10},{"size":"L","chest":{"amount":108,"unit":"cm"},"balls":10},{"size":"XL","chest":{"amount":118,"unit":"cm"},"balls":13}]}`: "/sizes/2/balls",
			}},
		{"items that come again in sections", "parts: {list: Parts., key: mark, fields: {mark: {text: Mark.}, from: {text: Where from.}, cells: {integer: Cells.}, found: {text: Finding.}}}",
			"SEEN\nA. Left flank, round\nB. Right ear\n\nUNDER THE GLASS\nA. dense; 7 cells in 10 fields\nB. loose; 4 cells in 10 fields\n\nFINDING\nA. Wart\nB. Cyst\n", `{"parts":[{"mark":"A","from":"Left flank","cells":7,"found":"Wart"},{"mark":"B","from":"Right ear","cells":4,"found":"Cyst"}]}`,
			map[string]string{`{"parts":[{"mark":"A","from":"Left flank","cells":7,"found":"Cyst"},{"mark":"B","from":"Right ear","cells":4,"found":"Wart"}]}`: "/parts/0/found"}},
		{"a day without its year in a stay", "from: {date: Arrival.}\n  to: {date: Departure.}\n  lines: {list: Lines., fields: {on: {date: Day.}, what: {text: What.}}}",
			"Stay from 28/12/2031 to 02/01/2032\n\n29/12   Dinner\n01/01   Bar\n", `{"from":"2031-12-28","to":"2032-01-02","lines":[{"on":"2031-12-29","what":"Dinner"},{"on":"2032-01-01","what":"Bar"}]}`,
			map[string]string{`{"from":"2031-12-28","to":"2032-01-02","lines":[{"on":"2032-12-29","what":"Dinner"},{"on":"2032-01-01","what":"Bar"}]}`: "/lines/0/on"}},
		{"the ends of ranges in the lines of items", "layers: {list: Layers., fields: {name: {text: Name.}, top: {quantity: Upper limit., unit: cm}, bottom: {quantity: Lower limit., unit: cm}}}",
			"Ap    0-24 cm    dark\nE     24-41 cm   pale\nBt    41-83 cm   grey\n", `{"layers":[{"name":"Ap","top":{"amount":0,"unit":"cm"},"bottom":{"amount":24,"unit":"cm"}},{"name":"E","top":{"amount":24,"unit":"cm"},"bottom":{"amount":41,"unit":"cm"}},{"name":"Bt","top":{"amount":41,"unit":"cm"},"bottom":{"amount":83,"unit":"cm"}}]}`,
			map[string]string{`{"layers":[{"name":"Ap","top":{"amount":0,"unit":"cm"},"bottom":{"amount":24,"unit":"cm"}},{"name":"E","top":{"amount":41,"unit":"cm"},"bottom":{"amount":41,"unit":"cm"}},{"name":"Bt","top":{"amount":41,"unit":"cm"},"bottom":{"amount":83,"unit":"cm"}}]}`: "/layers/1/top"}},
		{"a figure behind the name of what it measures", "slope: {quantity: Slope., unit: \"%\"}\n  ph: {number: pH.}",
			"The field has a slope of 4 %, stones 5 % and a pH 6.4, colour 2.5Y 5/1.", `{"slope":{"amount":4,"unit":"%"},"ph":6.4}`,
			map[string]string{`{"slope":{"amount":5,"unit":"%"},"ph":6.4}`: "/slope", `{"slope":{"amount":4,"unit":"%"},"ph":5}`: "/ph"}},
		{"a rate before the name of the tax", "vat: {number: VAT.}", "TOTAL WITH 21 % VAT   102.55 EUR", `{"vat":21}`, nil},
		{"labels in the words of descriptions", "due: {date: Förfallodatum.}\n  issued: {date: Fakturadatum.}\n  net: {money: Summa exklusive moms.}\n  vat: {money: Moms.}",
			"Fakturadatum   2032-04-07\nFörfallodatum  2032-05-07\n\nSumma exkl. moms   16 968,50\nMoms 25 %           4 242,13\nATT BETALA SEK\n", `{"due":"2032-05-07","issued":"2032-04-07","net":{"amount":16968.5,"currency":"SEK"},"vat":{"amount":4242.13,"currency":"SEK"}}`,
			map[string]string{
				`{"due":"2032-04-07","issued":"2032-05-07","net":{"amount":16968.5,"currency":"SEK"},"vat":{"amount":4242.13,"currency":"SEK"}}`: "/due",
				`{"due":"2032-05-07","issued":"2032-04-07","net":{"amount":4242.13,"currency":"SEK"},"vat":{"amount":16968.5,"currency":"SEK"}}`: "/vat",
			}},
		{"labels that a stop cuts off", "arrival: {date: When they come.}\n  departure: {date: When they go.}", "Arr. 28/12/2031  Dep. 02/01/2032", `{"arrival":"2031-12-28","departure":"2032-01-02"}`,
			map[string]string{`{"arrival":"2032-01-02","departure":"2031-12-28"}`: "/arrival"}},
		{"a boolean in the words of its description", "works: {list: Les œuvres., fields: {title: {text: Titre.}, height: {quantity: Hauteur., unit: cm}, framed: {boolean: Si l'œuvre est encadrée.}}}\n  photos: {boolean: Si les photographies sont permises.}",
			"- « Marée », 62 cm, encadrée\n- « Joncs », 24 cm, non encadrée\n\nPhotographies : interdites", `{"works":[{"title":"Marée","height":{"amount":62,"unit":"cm"},"framed":true},{"title":"Joncs","height":{"amount":24,"unit":"cm"},"framed":false}],"photos":false}`,
			map[string]string{
				`{"works":[{"title":"Marée","height":{"amount":62,"unit":"cm"},"framed":true},{"title":"Joncs","height":{"amount":24,"unit":"cm"},"framed":true}],"photos":false}`: "/works/1/framed",
				`{"works":[{"title":"Marée","height":{"amount":62,"unit":"cm"},"framed":true},{"title":"Joncs","height":{"amount":24,"unit":"cm"},"framed":false}],"photos":true}`: "/photos",
			}},
		{"what another row of a log says of the next day", "rows: {list: Rows., fields: {at: {datetime: When., zone: none}, what: {text: What.}}}",
			"Thu 11 Nov 2032\n 08:03 Loaded\nWed 10 Nov 2032\n 16:40 Nobody in, again tomorrow\n 07:55 Loaded up\n", `{"rows":[{"at":"2032-11-10T07:55:00","what":"Loaded up"},{"at":"2032-11-10T16:40:00","what":"Nobody in"},{"at":"2032-11-11T08:03:00","what":"Loaded"}]}`, nil},
		{"a rank is no day", "crew: {list: Crew., fields: {name: {text: Name.}, rank: {text: Rank.}, since: {date: Since.}}}",
			"OKSANEN   Master     01-02-2032\nMARCHETTI   2nd Eng.   22-12-2031\n", `{"crew":[{"name":"OKSANEN","rank":"Master","since":"2032-02-01"},{"name":"MARCHETTI","rank":"2nd Eng.","since":"2031-12-22"}]}`,
			map[string]string{`{"crew":[{"name":"OKSANEN","rank":"Master","since":"2032-02-02"},{"name":"MARCHETTI","rank":"2nd Eng.","since":"2031-12-22"}]}`: "/crew/0/since"}},
		{"a side of three is no product", "side: {quantity: Longest side., unit: mm}", "two fragments, 6 x 4 x 2 mm", `{"side":{"amount":6,"unit":"mm"}}`,
			map[string]string{`{"side":{"amount":8,"unit":"mm"}}`: "/side", `{"side":{"amount":24,"unit":"mm"}}`: "/side"}},
		{"an option that a stop cuts off", "crew: {list: Crew., fields: {name: {text: Name.}, rank: {choice: Rank., of: {mate: {}, engineer: {}, cook: {}}}, age: {integer: Age.}}}",
			"Name     Rank       Age\nPell     Ch. Mate   44\nMarsh    2nd Eng.   31\n", `{"crew":[{"name":"Pell","rank":"mate","age":44},{"name":"Marsh","rank":"engineer","age":31}]}`,
			map[string]string{`{"crew":[{"name":"Pell","rank":"mate","age":44},{"name":"Marsh","rank":"mate","age":31}]}`: "/crew/1/rank"}},
		{"the number of an entry is no amount", "notice: {quantity: Notice., unit: months}", "2. Rent is due monthly.\n5. Either party gives two months' notice.", `{"notice":{"amount":2,"unit":"months"}}`,
			map[string]string{`{"notice":{"amount":5,"unit":"months"}}`: "/notice"}},
	} {
		assert.Empty(t, looked(c.fields, c.text, c.right), c.what)
		for wrong, at := range c.wrong {
			said := looked(c.fields, c.text, wrong)
			found := false
			for _, one := range said {
				found = found || len(one) > len(at) && one[:len(at)+1] == at+" "
			}
			assert.True(t, found, "%s: %s: %q", c.what, wrong, said)
		}
	}
}
