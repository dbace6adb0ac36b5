package evidence

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// What a record lacks while the document has something of its form is told with its line,
// for three values in five; few right records have anything left over.
func TestLeftOver(t *testing.T) {
	lost, told := map[schema.Type]int{}, map[schema.Type]int{}
	docs, without := 0, 0
	for _, of := range trades(t) {
		rec, err := value.Parse(of.rec)
		require.NoError(t, err)
		ix := NewIndex(of.doc)
		places := Of(of.schema, &rec, ix)
		docs++
		if _, left := Look(of.schema, &rec, ix, places); len(left) > 0 {
			without++
		}
		for p, place := range places {
			f := of.schema.At(p)
			if !place.Found() || strings.Contains(f.Path, "[]") {
				continue
			}
			less := rec.Clone()
			less.Put(p, value.Value{Kind: value.Null})
			_, left := Look(of.schema, &less, ix, Of(of.schema, &less, ix))
			lost[f.Type]++
			if slices.ContainsFunc(left, func(l Line) bool { return l.At == p && l.Start < place.End && place.Start < l.End }) {
				told[f.Type]++
			}
		}
	}
	t.Logf("%d of %d right records have something left over; of %v lost values these are told: %v", without, docs, lost, told)
	assert.Less(t, without*100, docs*10)
	for _, kind := range []schema.Type{schema.Date, schema.DateTime, schema.Time, schema.Money, schema.Quantity, schema.Choice} {
		assert.Greater(t, told[kind]*100, lost[kind]*60, kind)
	}
}

// A list that is empty while the document prints several lines of its items' form is asked about.
func TestWholeListsLeftOver(t *testing.T) {
	lost, told := 0, 0
	for _, of := range trades(t) {
		rec, err := value.Parse(of.rec)
		require.NoError(t, err)
		ix := NewIndex(of.doc)
		for i := range rec.Kids {
			if list := rec.Kids[i]; list.Kind != value.Array || len(list.Kids) < 2 || list.Kids[0].Kind != value.Object {
				continue
			}
			less := rec.Clone()
			less.Kids[i].Kids = nil
			lines, left := Look(of.schema, &less, ix, Of(of.schema, &less, ix))
			if lost++; len(lines)+len(left) > 0 {
				told++
			}
		}
	}
	t.Logf("%d of %d emptied lists are told", told, lost)
	assert.Greater(t, told*100, lost*60)
}

// One kind of thing that may be left over, or may not.
func TestWhatIsLeftOver(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(`
schema: s
fields:
  name: Name.
  on: {date: Day.}
  at: {time: When.}
  price: {money: Price.}
  width: {quantity: Width., unit: m}
  rooms: {integer: Rooms.}
  state: {choice: State., of: {good: {}, worn: {also: [shabby]}}}
  stops:
    list: Stops.
    fields: {place: Where., km: {quantity: How far., unit: km}, note: {integer: Note.}}
`))
	require.NoError(t, err)
	for _, c := range []struct{ text, record, want string }{
		{"Pell, 3 May 2031", `{"name":"Pell"}`, "on 3 May 2031"},
		{"Pell, 3 May 2031 and 4 May 2031", `{"name":"Pell","on":"2031-05-03"}`, ""},
		{"Pell\nSeen 3 May 2031\nPrinted 3 May 2031", `{"name":"Pell","on":"2031-05-03"}`, ""},
		{"Pell came at 14:05", `{"name":"Pell"}`, "at 14:05"},
		{"Pell, £12.50", `{"name":"Pell"}`, "price 12.50"},
		{"Pell, net 12.50", `{"name":"Pell"}`, "price 12.50"},
		{"Pell, 250 cm by 300 kg", `{"name":"Pell"}`, "width 250"},
		{"Pell, rather shabby", `{"name":"Pell"}`, "state shabby"},
		{"Pell, not shabby", `{"name":"Pell"}`, ""},
		{"Pell, 3 rooms", `{"name":"Pell"}`, "rooms 3"},
		{"Pell\n3. He came\n", `{"name":"Pell"}`, ""},
		{"Pell, account 12345678", `{"name":"Pell"}`, ""},
		{"From: Pell\nDate: 3 May 2031\nSubject: rooms\n\nPell", `{"name":"Pell"}`, ""},
		{"Pell\n> it was 3 May 2031", `{"name":"Pell"}`, ""},
		{"1 May 2031, 2 May 2031, 3 May 2031, 4 May 2031: Pell", `{"name":"Pell"}`, ""}, // none is told from the others
		{"Pell\nOsk 3 km\nWeir 4 km\nUlm 7 km", `{"name":"Pell","stops":[{"place":"Osk","km":{"amount":3,"unit":"km"}},{"place":"Weir","km":{"amount":4,"unit":"km"}}]}`, "stops 7"},
		{"Pell\nOsk 8 km\n\nWeir 9 km\ntotal 17 km", `{"name":"Pell","stops":[]}`, "stops 8, stops 9"},
		{"Pell\nto Osk (4)\nto Weir (5)\nto Ulm (6)", `{"name":"Pell","stops":[]}`, "stops 4, stops 5, stops 6"},
		{"Pell\nfrom     to       by\nOsk      Weir     bus\nWeir     Ulm      boat\nUlm      Osk      rail", `{"name":"Pell","stops":[]}`, "stops Osk      Weir     bus, stops Weir     Ulm      boat, stops Ulm      Osk      rail"},
		{"Pell\nOsk 3 km\nby the lake\nWeir 4 km", `{"name":"Pell","width":{"amount":2,"unit":"m"},"rooms":9,"stops":[]}`, ""}, // none stands below the other
		{"Pell\nto Osk (1)\nto Weir (2)", `{"name":"Pell","rooms":9,"stops":[]}`, ""},                                          // two counts tell little
		{"Pell\nOsk 3 km (2)\nWeir 4 km (5)", `{"name":"Pell","stops":[{"place":"Osk","km":{"amount":3,"unit":"km"},"note":2},{"place":"Weir","km":{"amount":4,"unit":"km"},"note":null}]}`, "stops[].note 5"},
		{"Pell\nOsk 3 km (2)\nWeir 4 km\ntotal 7 km", `{"name":"Pell","stops":[{"place":"Osk","km":{"amount":3,"unit":"km"},"note":2},{"place":"Weir","km":{"amount":4,"unit":"km"}}]}`, "width 7"}, // and no stop: a sum
	} {
		text := c.text
		rec, err := value.Parse(c.record)
		require.NoError(t, err)
		for _, f := range s.Root.Fields { // the others are known
			known := map[string]string{"on": `"2031-05-03"`, "at": `"14:05"`, "price": `{"amount":12.5,"currency":"GBP"}`, "width": `{"amount":2.5,"unit":"m"}`, "rooms": "3", "state": `"worn"`}[f.Name]
			if name, _, _ := strings.Cut(c.want, " "); known == "" || rec.Get(f.Name) != nil || name == f.Name || c.want == "" && !strings.HasPrefix(name, "stops") {
				continue
			}
			v, err := value.Parse(known)
			require.NoError(t, err)
			rec.Kids = append(rec.Kids, v.Named(f.Name))
		}
		ix := NewIndex(text)
		_, left := Look(s, &rec, ix, Of(s, &rec, ix))
		var got []string
		for _, l := range left {
			got = append(got, l.Field+" "+text[l.Start:l.End])
		}
		assert.Equal(t, c.want, strings.Join(got, ", "), text)
	}
}

// What stands behind a label with one blank between, where the label begins a line or a cell, is asked about.
func TestBehindLabels(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  seal: {text: Number of the seal.}\n  driver: {text: Who drives.}\n  seen: {date: When.}\n  site: {group: Where., fields: {name: Name of the site., hall: {text: Hall.}}}\n  lines: {list: Lines., fields: {what: {text: What.}, n: {integer: How many.}}}\n"))
	require.NoError(t, err)
	for _, c := range []struct{ text, want string }{
		{"Truck KW 318        Seal 0088213", "seal"},
		{"Truck KW 318        Driver  Murat Hanner", "driver"},
		{"| Truck | KW 318 | Driver | Murat Hanner |", "driver"},
		{"Seen 8 Sept 2031     no rain", "seen"},
		{"Site  Nether Cobble", "site.name"},
		{"The seal is whole.", ""},
		{"Seal of the county", ""}, // goes on
		{"Driver not needed", ""},
		{"Seal number     Driver name\nA  B", ""}, // a head
		{"Bring the seal 4 times", ""},
	} {
		rec, _ := value.Parse(`{"seal":null,"driver":null,"seen":null,"site":{"name":null,"hall":null},"lines":[]}`)
		ix := NewIndex(c.text)
		lines, left := Look(s, &rec, ix, Of(s, &rec, ix))
		got := ""
		for _, l := range append(lines, left...) {
			got += l.Field
		}
		assert.Equal(t, c.want, got, c.text)
	}
}

// A choice or a boolean that is wrong and stands nowhere is asked about where the document
// says another in so many words; a right one that the model concluded is not.
func TestContested(t *testing.T) {
	right, contested := 0, map[value.Pointer]string{}
	wrong, told := map[schema.Type]int{}, map[schema.Type]int{}
	for _, of := range some(append(trades(t), tradesIn(t, "sheets")...)) {
		rec, err := value.Parse(of.rec)
		require.NoError(t, err)
		ix := NewIndex(of.doc)
		tell := func(p value.Pointer) (doubted, asked bool) {
			places := Of(of.schema, &rec, ix)
			_, left := Look(of.schema, &rec, ix, places)
			return ix.Doubt(of.schema.Holding(p), rec.At(p), places[p], false) != nil, slices.ContainsFunc(left, func(l Line) bool { return l.At == p })
		}
		for p := range Of(of.schema, &rec, ix) {
			f := of.schema.At(p)
			if f == nil || f.Type != schema.Choice && f.Type != schema.Boolean || rec.At(p).Empty() {
				continue
			}
			right++
			if _, asked := tell(p); asked {
				contested[p] = of.key()
			}
			was := *rec.At(p)
			var others []value.Value
			for _, o := range f.Of {
				others = append(others, value.Str(o.Value))
			}
			if f.Type == schema.Boolean {
				others = append(others, value.Boolean(was.Text != "true"))
			}
			for _, other := range others {
				if value.Equal(&other, &was) {
					continue
				}
				rec.Put(p, other)
				wrong[f.Type]++
				if doubted, asked := tell(p); doubted || asked {
					told[f.Type]++
				}
			}
			rec.Put(p, was)
		}
	}
	t.Logf("of %d right choices and booleans these are contested: %v; of %v wrong ones these are told: %v", right, contested, wrong, told)
	share := 100
	if testing.Short() { // of a third of the documents more may be such, by chance
		share = 75
	}
	assert.Less(t, len(contested)*share, right)
}

// What else a line says beside the items that were read from it is asked about; what names a
// field, denies itself or is of another sentence is not. The word for an option that labels
// another field speaks for nothing.
func TestLeftWithinALine(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  dog: Name.\n  sex: {choice: Sex., of: [dog, bitch]}\n  neutered: {boolean: Neutered.}\n  foods: {list: What it must not eat., items: {text: One.}}\n  stock: {list: Stock., fields: {what: {text: What.}, count: {integer: How many.}, breed: {text: Breed.}}}\n"))
	require.NoError(t, err)
	for _, c := range []struct{ doc, rec, field, said string }{
		{"Not for it: chicken, wheat and soy.\n", `{"foods":["chicken","wheat"]}`, "foods", "soy"},
		{"Not for it: chicken, wheat and soy.\n", `{"foods":["chicken","wheat","soy"]}`, "", ""},
		{"Stock: 420 ewes, 11 rams. Land 310 acres.\n", `{"stock":[{"what":"ewes","count":420}]}`, "stock", "11 rams"},
		{"Stock: 420 ewes, bulls (none), breed Dorset\n", `{"stock":[{"what":"ewes","count":420}]}`, "", ""},
		{"Dog: Bramble (spaniel, bitch)\n", `{"dog":"Bramble","sex":"dog"}`, "sex", "Dog: Bramble (spaniel, bitch)"},
		{"Dog: Bramble (spaniel, bitch)\n", `{"dog":"Bramble","sex":"bitch"}`, "", ""},
		{"Bramble, not neutered.\n", `{"dog":"Bramble","neutered":true}`, "neutered", "Bramble, not neutered."},
		{"Bramble, not neutered. Neutered dogs pay less.\n", `{"dog":"Bramble","neutered":true}`, "", ""},
	} {
		rec, err := value.Parse(c.rec)
		require.NoError(t, err)
		ix := NewIndex(c.doc)
		_, left := Look(s, &rec, ix, Of(s, &rec, ix))
		if c.field == "" {
			assert.Empty(t, left, c.doc)
			continue
		}
		if assert.Len(t, left, 1, "%s %v", c.doc, left) {
			assert.Equal(t, []string{c.field, c.said}, []string{left[0].Field, left[0].Text})
		}
	}
}

// A value of an item that goes against a mark which all the others go by is asked about, with what
// the mark says; so is false where the item says the name. What some mark goes with is left alone.
func TestUnlikeOthers(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  heats: {list: Heats., fields: {name: {text: Name.}, seconds: {number: Time.}, hand_timed: {boolean: Timed by hand.}, round: {choice: Round., of: [final, heat]}}}\n"))
	require.NoError(t, err)
	doc := "Ines  12.04  Q\nFola  12.31\nJo  13.9 hd\nLena  14.2 hd\nKit  14.8\nRuth  15.1 hd  Q\n"
	for _, c := range []struct{ hand, rounds, want string }{ // T and F, f and h
		{"FFTTFT", "fhhhhf", ""},
		{"FFTTTT", "fhhhhf", "/heats/4/hand_timed false Kit 14.8"},
		{"FFTTFF", "fhhhhf", "/heats/5/hand_timed true Ruth 15.1 hd Q"},
		{"FFTTFT", "hhhhhf", ""}, // one is no kind
		{"TFFFFT", "fhhhhf", ""}, // Q goes with it
	} {
		var items []string
		for i, line := range strings.Split(strings.TrimSpace(doc), "\n") {
			f := strings.Fields(line)
			items = append(items, fmt.Sprintf(`{"name":%q,"seconds":%s,"hand_timed":%v,"round":%q}`, f[0], f[1], c.hand[i] == 'T', map[byte]string{'f': "final", 'h': "heat"}[c.rounds[i]]))
		}
		rec, err := value.Parse(`{"heats":[` + strings.Join(items, ",") + `]}`)
		require.NoError(t, err)
		ix := NewIndex(doc)
		_, left := Look(s, &rec, ix, Of(s, &rec, ix))
		var said []string
		for _, l := range left {
			said = append(said, string(l.At)+" "+l.Says+" "+l.Text)
		}
		assert.Equal(t, c.want, strings.Join(said, "; "), c)
	}
	s, err = schema.Parse("s.yaml", []byte("schema: s\nfields:\n  twin: {boolean: Whether it is one of two.}\n"))
	require.NoError(t, err)
	for doc, want := range map[string]string{"Ruth (twin), born 8 Dec\n": "true", "Ruth. Twin: no\n": "", "A twin?\n": "", "Ruth, no twin\n": ""} {
		rec, err := value.Parse(`{"twin":false}`)
		require.NoError(t, err)
		ix := NewIndex(doc)
		_, left := Look(s, &rec, ix, Of(s, &rec, ix))
		said := ""
		for _, l := range left {
			said += l.Says
		}
		assert.Equal(t, want, said, doc)
	}
}

// In a talk the name of who speaks is no label; in a form with the same label three times it is.
func TestSpeakers(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  customer: {text: Name of the customer.}\n  account: {text: Account.}\n"))
	require.NoError(t, err)
	rec, err := value.Parse(`{"customer":"Pete Lonsdale","account":"4402"}`)
	require.NoError(t, err)
	for doc, unread := range map[string]int{
		"19:02 Nadia (agent): Hi\n19:03 customer: its 4402, Pete Lonsdale\n19:04 Nadia (agent): Right\n19:05 customer: so?\n19:06 Nadia (agent): Done\n19:07 customer: thx all\n": 0,
		"Customer: Pete Lonsdale, 4402\nCustomer: Bo Fry\nCustomer: Al Dunn\n":                                                                                                    2,
	} {
		ix := NewIndex(doc)
		places := Of(s, &rec, ix)
		assert.Len(t, Unread(s, &rec, ix, places), unread, doc)
		assert.True(t, places["/account"].Found(), doc)
	}
}
