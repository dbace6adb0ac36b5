package evidence

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Of each document a right record has nothing against it, and each of the wrong ones has: cells that fill their
// columns, counts beside their names, and figures that number, date or code something.
func TestRowsAndCounts(t *testing.T) {
	const (
		race   = "rows: {list: Rows., fields: {no: {integer: Number.}, name: {text: Name.}, club: {text: Club.}, class: {text: Class.}, time: {text: Time.}}}"
		runs   = "No.  Name           Club              Class  Time\n114  Idris Fenwick  Cragside Harriers MSEN   58:41\n87   Noor Haddad    Tarn Striders     WSEN   61:07\n140  Beth Orme      Tarn Striders     W50    69:30"
		things = "rows: {list: Rows., fields: {thing: {text: Thing.}, expected: {integer: How many there should be.}, found: {integer: How many there are.}, broken: {integer: How many are broken.}}}\n  missing: {integer: Missing in all.}"
		stock  = "- Goblets: 24 expected, 22 found, 1 broken\n- Telephones: 5 expected, 6 found, 2 broken\nMissing in all: 4"
		bill   = "rows: {list: Rows., fields: {name: {text: Article.}, quantity: {number: How many.}, price: {money: Price of one., currency: EUR}, amount: {money: Sum., currency: EUR}}}"
		till   = "2 X 1.15\n  OAT BISCUITS              2.30 A\n3 X 0.60\n  BUTTON CELL               1.80 B\nPEARS                       4.10 A\nSUM                         8.20"
		rooms  = "rows: {list: Rows., fields: {room: {text: Room.}, damp: {quantity: Damp., unit: \"%\"}, cracks: {integer: Cracks.}, photos: {integer: Photos.}}}\n  keys: {integer: Keys.}"
		seen   = "Hall: damp 14 %, one crack (photos 1 to 3).\nKitchen: damp 22 %, three cracks (photos 4 to 8).\nStudy: damp 31 %, no crack (photo 9).\nTwo keys."
		dose   = "dose: {quantity: Dose., unit: mg}\n  daily: {integer: How often a day.}\n  days: {integer: For how many days.}"
		zones  = "rows: {list: Rows., fields: {pier: {text: Pier.}, zone: {integer: Zone.}, free: {boolean: Whether there are no steps.}}}"
		piers  = "| Pier | Zone | Free | Boat 1 | Boat 2 |\n|---|---|---|---|---|\n| Quay | 1 | yes | 08:10 | 11:40 |\n| Point | 1 | no | 08:32 | 17:02 |\n| Landing | 2 | yes | 08:55 | 17:30 |"
		agenda = "rows: {list: Rows., fields: {number: {integer: Number.}, title: {text: Title.}, ayes: {integer: Votes for.}}}"
		votes  = "1. Minutes of 2 September\n2. Water butts. Agreed by 3 votes to 1.\n3. Bees on plot 9."
		cook   = "serves: {integer: For how many.}\n  rows: {list: Rows., fields: {name: {text: Ingredient.}, amount: {number: How much.}, unit: {text: Unit.}, optional: {boolean: Whether it may be left out.}}}"
		bake   = "Serves 4\n\n3 stems leeks\n200 g pearl barley\n2 tbsp mustard\n1 bunch parsley (optional)"
		jobs   = "rows: {list: Rows., fields: {firm: {text: Firm.}, from: {date: Begin., precision: month}, to: {date: End., precision: month}, staff: {integer: People led.}}}"
		past   = "Brackwater Joinery       03/2028 - present\n  Led a crew of 7\nHolt and Daughters       08/2024 - 02/2028\n  Trained 2 apprentices"
	)
	all := func(s *schema.Schema, record *value.Value, ix *Index, places Places) []Line { // also what is asked about
		unread, left := Look(s, record, ix, places)
		return append(unread, left...)
	}
	for what, c := range map[string]struct {
		fields, text, right string
		wrong               []string
	}{
		"a cell that fills its column": {race, runs, `{"rows":[{"no":114,"name":"Idris Fenwick","club":"Cragside Harriers","class":"MSEN","time":"58:41"},{"no":87,"name":"Noor Haddad","club":"Tarn Striders","class":"WSEN","time":"61:07"},{"no":140,"name":"Beth Orme","club":"Tarn Striders","class":"W50","time":"69:30"}]}`, []string{
			`{"rows":[{"no":114,"name":null,"club":"Cragside Harriers","class":"MSEN","time":"58:41"},{"no":87,"name":"Noor Haddad","club":"Tarn Striders","class":"WSEN","time":"61:07"},{"no":140,"name":"Beth Orme","club":"Tarn Striders","class":"W50","time":"69:30"}]}`,
			`{"rows":[{"no":114,"name":"Idris Fenwick","club":null,"class":"MSEN","time":"58:41"},{"no":87,"name":"Noor Haddad","club":"Tarn Striders","class":"WSEN","time":"61:07"},{"no":140,"name":"Beth Orme","club":"Tarn Striders","class":"W50","time":"69:30"}]}`,
		}},
		"counts beside their names": {things, stock, `{"rows":[{"thing":"Goblets","expected":24,"found":22,"broken":1},{"thing":"Telephones","expected":5,"found":6,"broken":2}],"missing":4}`, []string{
			`{"rows":[{"thing":"Goblets","expected":24,"found":22,"broken":2},{"thing":"Telephones","expected":5,"found":6,"broken":2}],"missing":4}`,
			`{"rows":[{"thing":"Goblets","expected":24,"found":22,"broken":1},{"thing":"Telephones","expected":6,"found":6,"broken":2}],"missing":4}`,
			`{"rows":[{"thing":"Goblets","expected":24,"found":22,"broken":1},{"thing":"Telephones","expected":5,"found":6,"broken":2}],"missing":5}`,
		}},
		"words kin to two names": {"starters: {integer: Who began.}\n  finishers: {integer: Who came in.}", "Started 5, finished 4.", `{"starters":5,"finishers":4}`, []string{`{"starters":5,"finishers":5}`, `{"starters":4,"finishers":4}`}},
		"codes of rates, and a row of two lines": {bill, till, `{"rows":[{"name":"OAT BISCUITS","quantity":2,"price":{"amount":1.15,"currency":"EUR"},"amount":{"amount":2.30,"currency":"EUR"}},{"name":"BUTTON CELL","quantity":3,"price":{"amount":0.60,"currency":"EUR"},"amount":{"amount":1.80,"currency":"EUR"}},{"name":"PEARS","quantity":null,"price":{"amount":4.10,"currency":"EUR"},"amount":{"amount":4.10,"currency":"EUR"}}]}`, []string{
			`{"rows":[{"name":"OAT BISCUITS","quantity":3,"price":{"amount":1.15,"currency":"EUR"},"amount":{"amount":2.30,"currency":"EUR"}},{"name":"BUTTON CELL","quantity":3,"price":{"amount":0.60,"currency":"EUR"},"amount":{"amount":1.80,"currency":"EUR"}},{"name":"PEARS","quantity":null,"price":{"amount":4.10,"currency":"EUR"},"amount":{"amount":4.10,"currency":"EUR"}}]}`,
		}},
		"the first of two cells": {"rows: {list: Rows., fields: {name: {text: Article.}, amount: {money: Sum., currency: EUR}, code: {text: Code.}}}", "RYE LOAF       3.20 A\nPEARS          2.88 A\nLAMP OIL 1L    7.95 B", `{"rows":[{"name":"RYE LOAF","amount":{"amount":3.20,"currency":"EUR"},"code":"A"},{"name":"PEARS","amount":{"amount":2.88,"currency":"EUR"},"code":"A"},{"name":"LAMP OIL 1L","amount":{"amount":7.95,"currency":"EUR"},"code":"B"}]}`, []string{
			`{"rows":[{"name":"RYE LOAF","amount":{"amount":3.20,"currency":"EUR"},"code":"A"},{"name":null,"amount":{"amount":2.88,"currency":"EUR"},"code":"A"},{"name":"LAMP OIL 1L","amount":{"amount":7.95,"currency":"EUR"},"code":"B"}]}`,
		}},
		"numbered things": {rooms, seen, `{"rows":[{"room":"Hall","damp":{"amount":14,"unit":"%"},"cracks":1,"photos":3},{"room":"Kitchen","damp":{"amount":22,"unit":"%"},"cracks":3,"photos":5},{"room":"Study","damp":{"amount":31,"unit":"%"},"cracks":0,"photos":1}],"keys":2}`, []string{
			`{"rows":[{"room":"Hall","damp":{"amount":14,"unit":"%"},"cracks":2,"photos":3},{"room":"Kitchen","damp":{"amount":22,"unit":"%"},"cracks":3,"photos":5},{"room":"Study","damp":{"amount":31,"unit":"%"},"cracks":0,"photos":1}],"keys":2}`,
			`{"rows":[{"room":"Hall","damp":{"amount":14,"unit":"%"},"cracks":1,"photos":3},{"room":"Kitchen","damp":{"amount":22,"unit":"%"},"cracks":3,"photos":6},{"room":"Study","damp":{"amount":31,"unit":"%"},"cracks":0,"photos":1}],"keys":2}`,
			`{"rows":[{"room":"Hall","damp":{"amount":14,"unit":"%"},"cracks":1,"photos":3},{"room":"Kitchen","damp":{"amount":22,"unit":"%"},"cracks":3,"photos":5},{"room":"Study","damp":{"amount":31,"unit":"%"},"cracks":1,"photos":1}],"keys":2}`,
		}},
		"once a day without a word for once": {dose, "500 mg daily for 14 days", `{"dose":{"amount":500,"unit":"mg"},"daily":1,"days":14}`, []string{`{"dose":{"amount":500,"unit":"mg"},"daily":2,"days":14}`, `{"dose":{"amount":500,"unit":"mg"},"daily":1,"days":1}`}},
		"twice daily is not once":            {dose, "500 mg twice daily for 14 days", `{"dose":{"amount":500,"unit":"mg"},"daily":2,"days":14}`, []string{`{"dose":{"amount":500,"unit":"mg"},"daily":1,"days":14}`}},
		"heads with numbers over a rule": {zones, piers, `{"rows":[{"pier":"Quay","zone":1,"free":true},{"pier":"Point","zone":1,"free":false},{"pier":"Landing","zone":2,"free":true}]}`, []string{
			`{"rows":[{"pier":"Quay","zone":2,"free":true},{"pier":"Point","zone":1,"free":false},{"pier":"Landing","zone":2,"free":true}]}`,
			`{"rows":[{"pier":"Quay","zone":1,"free":true},{"pier":"Point","zone":2,"free":false},{"pier":"Landing","zone":2,"free":true}]}`,
		}},
		"numbers of entries": {agenda, votes, `{"rows":[{"number":1,"title":"Minutes of 2 September","ayes":null},{"number":2,"title":"Water butts","ayes":3},{"number":3,"title":"Bees on plot 9","ayes":null}]}`, []string{
			`{"rows":[{"number":1,"title":"Minutes of 2 September","ayes":null},{"number":3,"title":"Water butts","ayes":3},{"number":3,"title":"Bees on plot 9","ayes":null}]}`,
		}},
		"months of a stretch without an end": {jobs, past, `{"rows":[{"firm":"Brackwater Joinery","from":"2028-03","to":null,"staff":7},{"firm":"Holt and Daughters","from":"2024-08","to":"2028-02","staff":2}]}`, []string{
			`{"rows":[{"firm":"Brackwater Joinery","from":"2028-03","to":null,"staff":8},{"firm":"Holt and Daughters","from":"2024-08","to":"2028-02","staff":2}]}`,
			`{"rows":[{"firm":"Brackwater Joinery","from":"2028-03","to":null,"staff":7},{"firm":"Holt and Daughters","from":"2024-08","to":"2028-02","staff":3}]}`,
		}},
		"boxes with a blank between":       {"sound: {boolean: Sound.}\n  alarm: {boolean: Whether there is one.}", "Checks         Yes  No  N/A\nSound          [x]  [ ] [ ]\nAlarm fitted   [ ]  [x] [ ]", `{"sound":true,"alarm":false}`, []string{`{"sound":true,"alarm":true}`, `{"sound":false,"alarm":false}`}},
		"its own word with what denies it": {"furnished: {boolean: Furnished.}", "Double garage. Sold unfurnished.", `{"furnished":false}`, []string{`{"furnished":true}`}},
		"accents that a name has not":      {"occupe: {boolean: Occupé.}", "Un appartement de 64 m², inoccupé.", `{"occupe":false}`, []string{`{"occupe":true}`}},
		"lines without cells": {cook, bake, `{"serves":4,"rows":[{"name":"leeks","amount":3,"unit":"stems","optional":false},{"name":"pearl barley","amount":200,"unit":"g","optional":false},{"name":"mustard","amount":2,"unit":"tbsp","optional":false},{"name":"parsley","amount":1,"unit":"bunch","optional":true}]}`, []string{
			`{"serves":4,"rows":[{"name":"leeks","amount":4,"unit":"stems","optional":false},{"name":"pearl barley","amount":200,"unit":"g","optional":false},{"name":"mustard","amount":2,"unit":"tbsp","optional":false},{"name":"parsley","amount":1,"unit":"bunch","optional":true}]}`,
			`{"serves":4,"rows":[{"name":"leeks","amount":3,"unit":"stems","optional":false},{"name":"pearl barley","amount":200,"unit":"g","optional":false},{"name":null,"amount":2,"unit":"tbsp","optional":false},{"name":"parsley","amount":1,"unit":"bunch","optional":true}]}`,
			`{"serves":4,"rows":[{"name":"leeks","amount":3,"unit":"stems","optional":false},{"name":"pearl barley","amount":200,"unit":"g","optional":true},{"name":"mustard","amount":2,"unit":"tbsp","optional":false},{"name":"parsley","amount":1,"unit":"bunch","optional":true}]}`,
		}},
		"a count left out": {"pulse: {integer: Beats a minute.}\n  keys: {integer: Keys.}", "She was bright, pulse 36. Three keys have been handed over.", `{"pulse":36,"keys":3}`, []string{`{"pulse":null,"keys":3}`, `{"pulse":36,"keys":null}`}},
		"a sheet of a month": {"rows: {list: Rows., fields: {tag: {date: Tag.}, max: {number: Max.}, min: {number: Min.}}}", "Monatsblatt März 2031\n\nTag   Max    Min\n 1.    4,2   -3,1\n 2.    1,8   -5,0\n 3.   11,5    2,2", `{"rows":[{"tag":"2031-03-01","max":4.2,"min":-3.1},{"tag":"2031-03-02","max":1.8,"min":-5.0},{"tag":"2031-03-03","max":11.5,"min":2.2}]}`, []string{
			`{"rows":[{"tag":"2031-03-01","max":4.2,"min":-3.1},{"tag":"2031-03-04","max":1.8,"min":-5.0},{"tag":"2031-03-03","max":11.5,"min":2.2}]}`,
			`{"rows":[{"tag":"2031-02-01","max":4.2,"min":-3.1},{"tag":"2031-03-02","max":1.8,"min":-5.0},{"tag":"2031-03-03","max":11.5,"min":2.2}]}`,
		}},
		"names for yes and no as programs write them": {"rows: {list: Rows., fields: {id: {text: Id.}, status: {choice: Status., of: {open: {}, doing: {also: [in progress]}, done: {}}}, blocked: {boolean: Whether it is blocked.}}}", `[{"id": "O-1", "title": "Done by May", "state": "OPEN", "isBlocked": false},` + "\n" + `{"id": "O-2", "title": "Pallets", "state": "DONE", "isBlocked": true}]`, `{"rows":[{"id":"O-1","status":"open","blocked":false},{"id":"O-2","status":"done","blocked":true}]}`, []string{
			`{"rows":[{"id":"O-1","status":"open","blocked":true},{"id":"O-2","status":"done","blocked":true}]}`,
			`{"rows":[{"id":"O-1","status":"open","blocked":false},{"id":"O-2","status":"open","blocked":true}]}`,
		}},
		"what is forbidden":                 {"smoking: {boolean: Whether one may smoke.}", "Music ends at 1 a.m. Smoking is prohibited in the house.", `{"smoking":false}`, []string{`{"smoking":true}`}},
		"an article of the words behind it": {"hirer: {text: Who hires.}\n  hall: {text: Which hall.}", `The Parish ("the Owner") and Mr Karsten Velde ("the Hirer"): the Owner lets to the Hirer the Granary for a feast.`, `{"hirer":"Mr Karsten Velde","hall":"Granary"}`, []string{`{"hirer":"Mr Karsten Velde","hall":"Barn"}`}},
		"a rank over the end of a line":     {"times_reported: {integer: How often it was reported.}", "It is the third\ntime that she reports it, and 2 radiators are cold.", `{"times_reported":3}`, []string{`{"times_reported":4}`}},
		"two tables of the same items": {"rows: {list: Rows., fields: {name: {text: Name.}, berth: {text: Berth.}, length: {quantity: Length., unit: m}, owner: {text: Owner.}, fee: {money: Fee., currency: EUR}}}", "A1   Kestrel    9.20 m\nA2   Dunlin     7.80 m\nA4   Avocet    11.50 m\n\nKestrel   E. Mora   EUR 420\nDunlin    J. Aho    EUR 360\nAvocet    T. Lind   EUR 510", `{"rows":[{"name":"Kestrel","berth":"A1","length":{"amount":9.20,"unit":"m"},"owner":"E. Mora","fee":{"amount":420,"currency":"EUR"}},{"name":"Dunlin","berth":"A2","length":{"amount":7.80,"unit":"m"},"owner":"J. Aho","fee":{"amount":360,"currency":"EUR"}},{"name":"Avocet","berth":"A4","length":{"amount":11.50,"unit":"m"},"owner":"T. Lind","fee":{"amount":510,"currency":"EUR"}}]}`, []string{
			`{"rows":[{"name":"Kestrel","berth":"A1","length":{"amount":9.20,"unit":"m"},"owner":null,"fee":null},{"name":"Dunlin","berth":"A2","length":{"amount":7.80,"unit":"m"},"owner":"J. Aho","fee":{"amount":360,"currency":"EUR"}},{"name":"Avocet","berth":"A4","length":{"amount":11.50,"unit":"m"},"owner":"T. Lind","fee":{"amount":510,"currency":"EUR"}}]}`,
		}},
		"days under the month of a log": {"rows: {list: Rows., fields: {day: {date: Day.}, driver: {text: Driver.}, km: {integer: Kilometres.}}}", "Log of the bus, June 2031\n\nMon 2 June   Ines Farrow   17\nTue 3 June   Hakon Berg    12\nWed 4 June   Ines Farrow   31", `{"rows":[{"day":"2031-06-02","driver":"Ines Farrow","km":17},{"day":"2031-06-03","driver":"Hakon Berg","km":12},{"day":"2031-06-04","driver":"Ines Farrow","km":31}]}`, []string{
			`{"rows":[{"day":"2031-06-02","driver":"Ines Farrow","km":17},{"day":"2031-06-04","driver":"Hakon Berg","km":12},{"day":"2031-06-04","driver":"Ines Farrow","km":31}]}`,
			`{"rows":[{"day":"2031-06-02","driver":"Ines Farrow","km":17},{"day":"2031-06-03","driver":"Ines Farrow","km":12},{"day":"2031-06-04","driver":"Hakon Berg","km":31}]}`,
			`{"rows":[{"day":"2032-06-02","driver":"Ines Farrow","km":17},{"day":"2032-06-03","driver":"Hakon Berg","km":12},{"day":"2032-06-04","driver":"Ines Farrow","km":31}]}`,
		}},
		"a change by an item's name": {"rows: {list: Rows., fields: {article: {text: Article.}, count: {integer: How many.}, price: {money: Price., currency: EUR}}}", "candles    40   EUR 1.20\nmatches    12   EUR 0.80\nlamp oil    6   EUR 7.50\n\nChange by phone: lamp oil 8 instead of 6.", `{"rows":[{"article":"candles","count":40,"price":{"amount":1.20,"currency":"EUR"}},{"article":"matches","count":12,"price":{"amount":0.80,"currency":"EUR"}},{"article":"lamp oil","count":8,"price":{"amount":7.50,"currency":"EUR"}}]}`, []string{
			`{"rows":[{"article":"candles","count":40,"price":{"amount":1.20,"currency":"EUR"}},{"article":"matches","count":12,"price":{"amount":7.50,"currency":"EUR"}},{"article":"lamp oil","count":8,"price":{"amount":0.80,"currency":"EUR"}}]}`,
		}},
		"sentences in any order": {"rows: {list: Rows., fields: {hive: {text: Hive.}, frames: {integer: Frames.}, queen: {date: Year of the queen., precision: year}, honey: {quantity: Honey., unit: kg}}}", "Hive North has 8 frames and a queen of 2029; 12 kg came from it. From Hive Elm\n14.5 kg came; its queen is of 2030 and it covers 9 frames. A queen of 2028 heads Hive Gate,\nwith 6 frames and 3.5 kg.", `{"rows":[{"hive":"North","frames":8,"queen":"2029","honey":{"amount":12,"unit":"kg"}},{"hive":"Elm","frames":9,"queen":"2030","honey":{"amount":14.5,"unit":"kg"}},{"hive":"Gate","frames":6,"queen":"2028","honey":{"amount":3.5,"unit":"kg"}}]}`, []string{
			`{"rows":[{"hive":"North","frames":8,"queen":"2029","honey":{"amount":12,"unit":"kg"}},{"hive":"Elm","frames":9,"queen":"2031","honey":{"amount":14.5,"unit":"kg"}},{"hive":"Gate","frames":6,"queen":"2028","honey":{"amount":3.5,"unit":"kg"}}]}`,
		}},
		"a word kin to a name in one row": {"rows: {list: Rows., fields: {thing: {text: Thing.}, many: {integer: How many.}, price: {money: Price., currency: EUR}, stain: {boolean: Has one.}}}", "bed sheets    40   1.20\ntowels        85   0.60   stained\ntable cloth    6   3.50", `{"rows":[{"thing":"bed sheets","many":40,"price":{"amount":1.20,"currency":"EUR"},"stain":false},{"thing":"towels","many":85,"price":{"amount":0.60,"currency":"EUR"},"stain":true},{"thing":"table cloth","many":6,"price":{"amount":3.50,"currency":"EUR"},"stain":false}]}`, []string{
			`{"rows":[{"thing":"bed sheets","many":40,"price":{"amount":1.20,"currency":"EUR"},"stain":true},{"thing":"towels","many":85,"price":{"amount":0.60,"currency":"EUR"},"stain":true},{"thing":"table cloth","many":6,"price":{"amount":3.50,"currency":"EUR"},"stain":false}]}`,
		}},
		"a noun with a word for none": {"sedated: {boolean: Whether it was sedated.}", "No sedation was needed.", `{"sedated":false}`, []string{`{"sedated":true}`}},
	} {
		assert.Empty(t, toldAgainst(t, c.fields, c.text, c.right, all), "%s: %s", what, c.right)
		for _, wrong := range c.wrong {
			assert.NotEmpty(t, toldAgainst(t, c.fields, c.text, wrong, all), "%s: %s", what, wrong)
		}
	}
}
