package evidence

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

// Of each document a right record has nothing against it, and a wrong one has.
func TestRightAndWrong(t *testing.T) {
	for _, c := range []struct{ what, fields, text, right, wrong string }{
		{"a time of the only day", "at: {datetime: When., zone: none}", "Date: 11 March 2031\n\nAt 06:40 door 3 would not close.", `{"at":"2031-03-11T06:40:00"}`, `{"at":"2031-03-12T06:40:00"}`},
		{"a time of the only day", "at: {datetime: When., zone: none}", "Date: 11 March 2031\n\nAt 06:40 door 3 would not close.", `{"at":"2031-03-11T06:40:00"}`, `{"at":"2031-03-11T16:40:00"}`},
		{"this morning", "at: {datetime: When., zone: none}", "11 March 2031, depot of 3 May 2029\n\nAt twenty to seven this morning door 3 stuck.", `{"at":"2031-03-11T06:40:00"}`, `{"at":"2031-03-10T06:40:00"}`},
		{"another day's time", "at: {datetime: When., zone: none}", "11 March 2031\n\nYesterday at 6.40 am door 3 stuck.", `{"at":"2031-03-10T06:40:00"}`, `{"at":"2031-03-11T06:40:00"}`},
		{"thousands in English", "km: {quantity: Odometer., unit: km}", "The tram on line 4 had 184,320 km on the clock this morning, and it will go on.", `{"km":{"amount":184320,"unit":"km"}}`, `{"km":{"amount":184.32,"unit":"km"}}`},
		{"a unit in its own column", "cost: {money: Cost., currency: EUR}\n  share: {money: Share., currency: EUR}", "Kosten      Gesamt €    Schlüssel   Anteil €\nReinigung   2.040,00    m²            272,53", `{"cost":{"amount":2040.00,"currency":"EUR"},"share":{"amount":272.53,"currency":"EUR"}}`, `{"cost":{"amount":2140.00,"currency":"EUR"},"share":{"amount":272.53,"currency":"EUR"}}`},
		{"a sign that the description names", "balance: {money: \"Nachzahlung, negativ bei Guthaben.\", currency: EUR}", "Summe 1.000,68\nGuthaben   79,32", `{"balance":{"amount":-79.32,"currency":"EUR"}}`, `{"balance":{"amount":79.32,"currency":"EUR"}}`},
		{"an option that begins an item's line", "lines: {list: Lines., fields: {what: {choice: What., of: {berth: {also: [mooring]}, water: {}, slip: {}}}, count: {integer: How many.}, amount: {money: Amount., currency: GBP}}}", " - berth, 5 nights: £102.50\n - slip, 2 lifts: £60.00", `{"lines":[{"what":"berth","count":5,"amount":{"amount":102.50,"currency":"GBP"}},{"what":"slip","count":2,"amount":{"amount":60.00,"currency":"GBP"}}]}`, `{"lines":[{"what":"water","count":5,"amount":{"amount":102.50,"currency":"GBP"}},{"what":"slip","count":2,"amount":{"amount":60.00,"currency":"GBP"}}]}`},
		{"an option that begins an item's cell", "lines: {list: Lines., fields: {what: {choice: What., of: {berth: {also: [mooring]}, water: {}, slip: {}}}, count: {integer: How many.}, amount: {money: Amount., currency: GBP}}}", "| Item | Qty | £ |\n|---|---|---|\n| Mooring 1–5 June | 5 | 102.50 |\n| Slip (lift) | 2 | 60.00 |", `{"lines":[{"what":"berth","count":5,"amount":{"amount":102.50,"currency":"GBP"}},{"what":"slip","count":2,"amount":{"amount":60.00,"currency":"GBP"}}]}`, `{"lines":[{"what":"water","count":5,"amount":{"amount":102.50,"currency":"GBP"}},{"what":"slip","count":2,"amount":{"amount":60.00,"currency":"GBP"}}]}`},
		{"an item in each column", "dishes: {list: Dishes., fields: {dish: {text: Mark.}, seeds: {integer: Seeds.}, up: {integer: How many came up.}, mould: {integer: Mouldy.}}}", "              A     B     C\nSeeds         25    25    20\nCame up       21    19    20\nMouldy        1     3     0\n", `{"dishes":[{"dish":"A","seeds":25,"up":21,"mould":1},{"dish":"B","seeds":25,"up":19,"mould":3},{"dish":"C","seeds":20,"up":20,"mould":0}]}`, `{"dishes":[{"dish":"A","seeds":25,"up":21,"mould":1},{"dish":"B","seeds":25,"up":20,"mould":3},{"dish":"C","seeds":20,"up":20,"mould":0}]}`},
		{"an item in each column", "dishes: {list: Dishes., fields: {dish: {text: Mark.}, seeds: {integer: Seeds.}, up: {integer: How many came up.}, mould: {integer: Mouldy.}}}", "|  | A | B | C |\n|---|---|---|---|\n| Seeds | 25 | 25 | 20 |\n| Came up | 21 | 19 | 20 |\n| Mouldy | 1 | 3 | 0 |\n", `{"dishes":[{"dish":"A","seeds":25,"up":21,"mould":1},{"dish":"B","seeds":25,"up":19,"mould":3},{"dish":"C","seeds":20,"up":20,"mould":0}]}`, `{"dishes":[{"dish":"A","seeds":25,"up":21,"mould":3},{"dish":"B","seeds":25,"up":19,"mould":3},{"dish":"C","seeds":20,"up":20,"mould":0}]}`},
		{"a figure of each", "dishes: {list: Dishes., fields: {dish: {text: Mark.}, seeds: {integer: Seeds in it.}, up: {integer: Up.}}}", "We laid 3 dishes on paper, 20 seeds each. In dish 1, 14 came up; dish 2 had 11, and dish 3 - 16.", `{"dishes":[{"dish":"1","seeds":20,"up":14},{"dish":"2","seeds":20,"up":11},{"dish":"3","seeds":20,"up":16}]}`, `{"dishes":[{"dish":"1","seeds":20,"up":14},{"dish":"2","seeds":30,"up":11},{"dish":"3","seeds":20,"up":16}]}`},
		{"a line with several items is no row", "lot: {text: Lot.}\n  dishes: {list: Dishes., fields: {dish: {text: Mark.}, seeds: {integer: Seeds.}, up: {integer: Up.}}}", "1. Lot?            Number SB-4.\n2. Cold before?     No, nothing.\n3. Results?         Dish P: 40 seeds, 31 up. Dish Q: 45 seeds, 35 up.", `{"lot":"SB-4","dishes":[{"dish":"P","seeds":40,"up":31},{"dish":"Q","seeds":45,"up":35}]}`, `{"lot":"SB-4","dishes":[{"dish":"P","seeds":40,"up":33},{"dish":"Q","seeds":45,"up":35}]}`},
		{"an answer denies nothing of the next line", "crew: {integer: Crew.}\n  drone: {boolean: Whether a drone is flown.}\n  night_work: {boolean: Whether there is work at night.}", "Crew       12\nDrone      no\nNight work yes", `{"crew":12,"drone":false,"night_work":true}`, `{"crew":12,"drone":false,"night_work":false}`},
		{"an answer denies nothing of the next line", "crew: {integer: Crew.}\n  drone: {boolean: Whether a drone is flown.}\n  night_work: {boolean: Whether there is work at night.}", "Crew: 12\nDrone: no\nNight work: yes, until 2", `{"crew":12,"drone":false,"night_work":true}`, `{"crew":12,"drone":false,"night_work":false}`},
		{"names in one word", "crew: {integer: Crew.}\n  drone: {boolean: Whether a drone is flown.}\n  night_work: {boolean: Whether there is work at night.}", "{\"crew\":12,\"drone\":false,\"nightWork\":true}", `{"crew":12,"drone":false,"night_work":true}`, `{"crew":12,"drone":false,"night_work":false}`},
		{"a figure behind its label in a form", "crew: {integer: Crew.}\n  vehicles: {integer: Vehicles.}\n  lane: {text: Where.}", "Lane       Birch Lane 4-12\nCrew       12\nVehicles   3\n", `{"crew":12,"vehicles":3,"lane":"Birch Lane 4-12"}`, `{"crew":12,"vehicles":4,"lane":"Birch Lane 4-12"}`},
		{"a sentence goes on in the next line", "lift: {boolean: Whether there is a lift.}", "The hall is on the first floor.  No\nlift.", `{"lift":false}`, `{"lift":true}`},
		{"a label of a row of names", "steps: {list: Steps., fields: {step: {text: Name.}, days: {integer: Days.}, bath: {quantity: Water., unit: l}}}", "Step           Lime   Wash   Tan\nDays           9      1      21\nBath l         400    600    350", `{"steps":[{"step":"Lime","days":9,"bath":{"amount":400,"unit":"l"}},{"step":"Wash","days":1,"bath":{"amount":600,"unit":"l"}},{"step":"Tan","days":21,"bath":{"amount":350,"unit":"l"}}]}`, `{"steps":[{"step":"Lime","days":9,"bath":{"amount":400,"unit":"l"}},{"step":"Wash","days":9,"bath":{"amount":600,"unit":"l"}},{"step":"Tan","days":21,"bath":{"amount":350,"unit":"l"}}]}`},
		{"a label of a row of names", "steps: {list: Steps., fields: {step: {text: Name.}, days: {integer: Days.}, bath: {quantity: Water., unit: l}}}", "Stage           Lime   Wash   Tan\nDays           9      1      21\nBath l         400    600    350", `{"steps":[{"step":"Lime","days":9,"bath":{"amount":400,"unit":"l"}},{"step":"Wash","days":1,"bath":{"amount":600,"unit":"l"}},{"step":"Tan","days":21,"bath":{"amount":350,"unit":"l"}}]}`, `{"steps":[{"step":"Lime","days":9,"bath":{"amount":400,"unit":"l"}},{"step":"Wash","days":9,"bath":{"amount":600,"unit":"l"}},{"step":"Tan","days":21,"bath":{"amount":350,"unit":"l"}}]}`},
		{"two answers in a line", "no: {text: Number.}\n  jabs: {boolean: Has its jabs.}\n  neutered: {boolean: Neutered.}\n  walks: {integer: Walks.}", "Jabs       yes (card seen)  Neutered  no\nWalks      three\n", `{"no":null,"jabs":true,"neutered":false,"walks":3}`, `{"no":null,"jabs":false,"neutered":false,"walks":3}`},
		{"two answers in a line", "no: {text: Number.}\n  jabs: {boolean: Has its jabs.}\n  neutered: {boolean: Neutered.}\n  walks: {integer: Walks.}", "Jabs:      yes (card seen)  Neutered: no\nWalks:     three\n", `{"no":null,"jabs":true,"neutered":false,"walks":3}`, `{"no":null,"jabs":false,"neutered":false,"walks":3}`},
		{"two answers in a line", "no: {text: Number.}\n  jabs: {boolean: Has its jabs.}\n  neutered: {boolean: Neutered.}\n  walks: {integer: Walks.}", "Jabs       yes (card seen)  Neutered  no\nWalks      three\n", `{"no":null,"jabs":true,"neutered":false,"walks":3}`, `{"no":null,"jabs":true,"neutered":true,"walks":3}`},
		{"two answers in a line", "no: {text: Number.}\n  jabs: {boolean: Has its jabs.}\n  neutered: {boolean: Neutered.}\n  walks: {integer: Walks.}", "Jabs:      yes (card seen)  Neutered: no\nWalks:     three\n", `{"no":null,"jabs":true,"neutered":false,"walks":3}`, `{"no":null,"jabs":true,"neutered":true,"walks":3}`},
		{"nobody was", "hurt: {integer: How many were hurt.}", "We lost 6 minutes. No one was hurt, but 2 left.", `{"hurt":0}`, `{"hurt":3}`},
		{"of what is counted", "injured: {integer: People hurt.}", "The rail is bent. Nobody was hurt.", `{"injured":0}`, `{"injured":1}`},
		{"of something else", "tugs: {integer: Tugs used.}", "No damage to the tugs, 2 of them.", `{"tugs":2}`, `{"tugs":0}`},
		{"nobody", "hurt: {integer: How many were hurt.}", "We lost 6 minutes. Nobody hurt.", `{"hurt":0}`, `{"hurt":2}`},
		{"a count is no year", "vintage: {integer: Year of the vintage.}\n  other: {integer: Another year.}", "Perdrix 2024, Mas Blanc 2029\n30 bouteilles en tout", `{"vintage":2024,"other":2029}`, `{"vintage":2030,"other":2029}`},
		{"a box behind other words for the name", "may_swim: {boolean: Whether the pupil may swim.}", "My child may take part in swimming      [X] Yes  [ ] No", `{"may_swim":true}`, `{"may_swim":false}`},
		{"a mark in the line of an item", "lots: {list: Lots., fields: {wine: {text: Wine.}, n: {integer: Number.}, a_boire: {boolean: À boire.}}}", " - Clos Perdrix, 6 bouteilles (à boire)\n - Mas Blanc, 12 bouteilles", `{"lots":[{"wine":"Clos Perdrix","n":6,"a_boire":true},{"wine":"Mas Blanc","n":12,"a_boire":false}]}`, `{"lots":[{"wine":"Clos Perdrix","n":6,"a_boire":false},{"wine":"Mas Blanc","n":12,"a_boire":false}]}`},
		{"a denied mark in the line of an item", "cats: {list: Cats., fields: {name: {text: Name.}, age: {integer: Age.}, chipped: {boolean: Chipped.}}}", "1. Moss, 3 years, not chipped\n2. Fern, 7 years, chipped", `{"cats":[{"name":"Moss","age":3,"chipped":false},{"name":"Fern","age":7,"chipped":true}]}`, `{"cats":[{"name":"Moss","age":3,"chipped":true},{"name":"Fern","age":7,"chipped":true}]}`},
		{"off behind a name", "watches: {list: Watches., fields: {at: {time: When.}, wind: {text: Wind.}, fog_signal: {boolean: Fog signal.}}}", "18:00 wind SW, fog signal on\n06:00 wind NW, fog signal off", `{"watches":[{"at":"18:00","wind":"SW","fog_signal":true},{"at":"06:00","wind":"NW","fog_signal":false}]}`, `{"watches":[{"at":"18:00","wind":"SW","fog_signal":true},{"at":"06:00","wind":"NW","fog_signal":true}]}`},
		{"a head that is cut off", "lines: {list: Lines., fields: {feed: {text: Feed.}, silo: {integer: Silo.}, medicated: {boolean: Whether it is medicated.}}}", "| Feed | Silo | Med. |\n|---|---|---|\n| Starter | 3 | no |\n| Sow feed | 1 | yes |", `{"lines":[{"feed":"Starter","silo":3,"medicated":false},{"feed":"Sow feed","silo":1,"medicated":true}]}`, `{"lines":[{"feed":"Starter","silo":3,"medicated":true},{"feed":"Sow feed","silo":1,"medicated":true}]}`},
		{"the number of an entry is no count", "plants: {list: Plants., fields: {name: {text: Name.}, count: {integer: How many.}}}", "1) Thymus pulegioides (45 plants)\n2) Carlina vulgaris (7 plants)\n3) Stipa pennata (30 plants)", `{"plants":[{"name":"Thymus pulegioides","count":45},{"name":"Carlina vulgaris","count":7},{"name":"Stipa pennata","count":30}]}`, `{"plants":[{"name":"Thymus pulegioides","count":45},{"name":"Carlina vulgaris","count":2},{"name":"Stipa pennata","count":30}]}`},
		{"numbers of entries", "steps: {list: Steps., fields: {n: {integer: Which step.}, what: {text: What.}}}", "1. Knead 10 minutes\n2. Rest 30 minutes\n3. Bake", `{"steps":[{"n":1,"what":"Knead"},{"n":2,"what":"Rest"},{"n":3,"what":"Bake"}]}`, `{"steps":[{"n":1,"what":"Knead"},{"n":2,"what":"Rust"},{"n":3,"what":"Bake"}]}`},
		{"a weekday in a mail about what has been", "examined: {date: When.}\n  due: {date: Due.}", "Date: Mon, 2 Nov 2026 17:05:11 +0000\n\nI saw the forge on Friday. The next is due by 30 April 2027.", `{"examined":"2026-10-30","due":"2027-04-30"}`, `{"examined":"2026-10-29","due":"2027-04-30"}`},
		{"a weekday is no day two weeks back", "examined: {date: When.}\n  due: {date: Due.}", "Date: Mon, 2 Nov 2026 17:05:11 +0000\n\nI saw the forge on Friday. The next is due by 30 April 2027.", `{"examined":"2026-10-30","due":"2027-04-30"}`, `{"examined":"2026-10-23","due":"2027-04-30"}`},
		{"a clock is no year", "made: {integer: Year of manufacture.}", "Date: Mon, 2 Nov 2026 17:05:11 +0000\n\nThe jack was made in 2016.", `{"made":2016}`, `{"made":2017}`},
		{"the day first in Britain", "seen: {date: When.}", "It was seen on 09/11/2026 by the owner and is in good order.\nVAT is to be added.", `{"seen":"2026-11-09"}`, `{"seen":"2026-09-11"}`},
		{"a label elsewhere, and an own cell", "rows: {list: Rows., fields: {flat: {integer: Flat.}, meter: {text: Meter.}, used: {number: Used.}}}", "Flat | Meter    | Used\n1    | 40017733 | 17.5\n1    | 40017734 | 6.2\n2    | 40018102 | 25.3\n\nflat 2: seal broken\n", `{"rows":[{"flat":1,"meter":"40017733","used":17.5},{"flat":1,"meter":"40017734","used":6.2},{"flat":2,"meter":"40018102","used":25.3}]}`, `{"rows":[{"flat":2,"meter":"40017733","used":17.5},{"flat":1,"meter":"40017734","used":6.2},{"flat":2,"meter":"40018102","used":25.3}]}`},
		{"a kind of an option in a cell", "rows: {list: Rows., fields: {id: {text: Mark.}, kind: {choice: What., of: {hoist: {}, sling: {}, davit: {}}}, made: {integer: Made.}}}", "H-01  Electric chain hoist  2014\nS-12  Two-leg wire sling    2021\n", `{"rows":[{"id":"H-01","kind":"hoist","made":2014},{"id":"S-12","kind":"sling","made":2021}]}`, `{"rows":[{"id":"H-01","kind":"hoist","made":2014},{"id":"S-12","kind":"davit","made":2021}]}`},
		{"an option between commas", "rows: {list: Rows., fields: {id: {text: Mark.}, kind: {choice: What., of: {hoist: {}, sling: {}, davit: {}}}, made: {integer: Made.}}}", "1. **H-01**, hoist, built 2014.\n2. **S-12**, sling, built 2021, leaks\n", `{"rows":[{"id":"H-01","kind":"hoist","made":2014},{"id":"S-12","kind":"sling","made":2021}]}`, `{"rows":[{"id":"H-01","kind":"hoist","made":2014},{"id":"S-12","kind":"davit","made":2021}]}`},
		{"heads with figures in them", "rows: {list: Rows., fields: {at: {time: Time.}, pulse: {integer: Pulse.}, oxygen: {integer: Oxygen.}}}", "time    HR    SpO2\n09:00   92    98\n09:15   88    97\n09:30   104   95", `{"rows":[{"at":"09:00","pulse":92,"oxygen":98},{"at":"09:15","pulse":88,"oxygen":97},{"at":"09:30","pulse":104,"oxygen":95}]}`, `{"rows":[{"at":"09:00","pulse":92,"oxygen":98},{"at":"09:30","pulse":104,"oxygen":95}]}`},
	} {
		s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  "+c.fields+"\n"))
		require.NoError(t, err, c.what)
		against := func(text string) (told []string) {
			rec, err := value.Parse(text)
			require.NoError(t, err, c.what)
			ix := NewIndex(c.text)
			places := Of(s, &rec, ix)
			rec.Walk(func(p value.Pointer, v *value.Value) bool {
				if at, ok := places[p]; ok {
					if what := ix.Doubt(s.At(p), v, at, false); what != nil {
						told = append(told, string(p)+" "+record.Problem{Path: p, What: what}.What.Text())
					}
				}
				return true
			})
			for _, l := range Unread(s, &rec, ix, places) {
				told = append(told, l.Field+": "+l.Text)
			}
			return told
		}
		assert.Empty(t, against(c.right), "%s: %s", c.what, c.right)
		assert.NotEmpty(t, against(c.wrong), "%s: %s", c.what, c.wrong)
	}
}
