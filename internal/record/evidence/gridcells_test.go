package evidence

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// The heads of columns that are days, and those that are another's.
func TestHeadsOfDays(t *testing.T) {
	for head, says := range map[string]bool{
		"Tue 10": true, "10": true, "10th": true, "Tue": true, "Mar 10": true, "10.2.": true, "10 Feb": true, "Tue 10 Feb 2032": true, "10/02/32": true,
		"Wed 10": false, "Tue 11": false, "10 Mar 2032": false, "10.3.": false, "Feb": false, "Total": false, "10 boats": false, "": false,
	} {
		assert.Equal(t, says, headsDay(head, `"2032-02-10"`), head)
	}
	for cell, says := range map[string]bool{"07-15": true, "7 - 15.00": true, "15–23": true, "7:00-9": false, "07-16": false, "15": false, "8-3": true, "3-8": false} {
		assert.Equal(t, says, hoursSay(cell, `"15:00"`), cell)
	}
	assert.True(t, headsNumber("R1", "1") && headsNumber("Week 3", "3") && !headsNumber("R12", "1") && !headsNumber("R", "1"))
}

// Each right record is clean, and of each wrong one the path is told.
func TestCellsAndNames(t *testing.T) {
	const shifts = "rows: {list: R., fields: {who: {text: W.}, day: {choice: D., of: [mon, tue, wed]}, of: {text: T.}}}"
	const grid = "       Mon      Tue      Wed\n07:00  Ada (x)  Bo (y)   Ada (y)\n15:00  Bo (x)   Ada (x)  Bo (x)\n"
	const right = `{"rows":[{"who":"Ada","day":"mon","of":"07:00"},{"who":"Bo","day":"tue","of":"07:00"},{"who":"Ada","day":"wed","of":"07:00"},{"who":"Bo","day":"mon","of":"15:00"},{"who":"Ada","day":"tue","of":"15:00"},{"who":"Bo","day":"wed","of":"15:00"}]}`
	const shirts = "rows: {list: R., fields: {name: {text: N.}, shirt: {integer: S.}}}"
	const team = "Keld: 1 Marsh; 2 Pell, 4 Quill, 5 Rask; 9 Dunne. Subs 12 Yates"
	const wears = `{"rows":[{"name":"Marsh","shirt":1},{"name":"Pell","shirt":2},{"name":"Quill","shirt":4},{"name":"Rask","shirt":5},{"name":"Dunne","shirt":9}]}`
	const things = "rows: {list: R., fields: {thing: {text: T.}, state: {choice: S., of: [new, good, poor]}}}"
	const legend = "N=new G=good P=poor\n\ndoor mat      G\ncoat hooks    N\ncurtain       P\n"
	const states = `{"rows":[{"thing":"door mat","state":"good"},{"thing":"coat hooks","state":"new"},{"thing":"curtain","state":"poor"}]}`
	const hearings = "rows: {list: R., fields: {judge: {text: J.}, case: {text: C.}, at: {time: A.}}}"
	const list = "before Judge Harlan\n10:00   K212   trial\n11:00   K214   costs\n\nbefore Judge Aziz\n09:45   L901   trial\n10:30   L917   costs\n"
	const judges = `{"rows":[{"judge":"Judge Harlan","case":"K212","at":"10:00"},{"judge":"Judge Harlan","case":"K214","at":"11:00"},{"judge":"Judge Aziz","case":"L901","at":"09:45"},{"judge":"Judge Aziz","case":"L917","at":"10:30"}]}`
	const sowing = "rows: {list: R., fields: {name: {text: N.}, from: {choice: F., of: [Feb, Mar, Apr, Jul]}, to: {choice: T., of: [Feb, Mar, Apr, Jul]}}}"
	const seeds = "Beetroot   Apr-Jul\nLeek       Mar-Apr\nBean       Feb-Apr\n"
	const months = `{"rows":[{"name":"Beetroot","from":"Apr","to":"Jul"},{"name":"Leek","from":"Mar","to":"Apr"},{"name":"Bean","from":"Feb","to":"Apr"}]}`
	const places = "rows: {list: R., fields: {bay: {integer: B.}, row: {integer: R.}, tier: {integer: T.}, box: {text: X.}}}"
	const stowed = "020482  TRLU 441   > Vardby\n020484  TRLU 550   > Vardby\n100602  OSLU 778   > Vardby\n"
	const boxes = `{"rows":[{"bay":2,"row":4,"tier":82,"box":"TRLU 441"},{"bay":2,"row":4,"tier":84,"box":"TRLU 550"},{"bay":10,"row":6,"tier":2,"box":"OSLU 778"}]}`
	for _, c := range []struct{ fields, text, right, set, to, told string }{
		{shifts, grid, right, "/rows/1/day", `"wed"`, "/rows/1/who"},
		{shifts, grid, right, "/rows/1/who", `"Ada"`, "/rows/1/who"},
		{shifts, grid, right, "/rows/1/of", `"15:00"`, "/rows/1/who"},
		{shirts, team, wears, "/rows/3/shirt", `4`, "/rows/3/shirt"},
		{things, legend, states, "/rows/2/state", `"new"`, "/rows/2/state"},
		{hearings, list, judges, "/rows/1/judge", `"Judge Aziz"`, "/rows/1/judge"},
		{sowing, seeds, months, "/rows/1/from", `"Apr"`, "/rows/1/from"},
		{places, stowed, boxes, "/rows/0/tier", `84`, "/rows/0/tier"},
	} {
		s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  "+c.fields+"\n"))
		require.NoError(t, err, c.fields)
		assert.Empty(t, doubts(t, s, c.right, c.text), c.text)
		rec, err := value.Parse(c.right)
		require.NoError(t, err)
		to, err := value.Parse(c.to)
		require.NoError(t, err)
		rec.Put(value.Pointer(c.set), to)
		assert.Contains(t, doubts(t, s, rec.String(), c.text), value.Pointer(c.told), "%s = %s in\n%s", c.set, c.to, c.text)
	}
}

// A row that has no head of its own has that of the row above it.
func TestRowsThatGoOn(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  rows: {list: R., fields: {day: {date: D.}, at: {time: A.}, upper: {integer: U.}, lower: {integer: L.}}}\n"))
	require.NoError(t, err)
	const text = "week of 2 Feb 2032\nMon 2   07:10 148/92   19:25 139/88\nTue 3   07:15 151/94   19:20 142/85\n        21:40 150/91   22:15 144/90\nWed 4   07:05 146/89   19:10 141/86\n"
	const right = `{"rows":[{"day":"2032-02-02","at":"07:10","upper":148,"lower":92},{"day":"2032-02-02","at":"19:25","upper":139,"lower":88},{"day":"2032-02-03","at":"07:15","upper":151,"lower":94},{"day":"2032-02-03","at":"19:20","upper":142,"lower":85},{"day":"2032-02-03","at":"21:40","upper":150,"lower":91},{"day":"2032-02-03","at":"22:15","upper":144,"lower":90},{"day":"2032-02-04","at":"07:05","upper":146,"lower":89},{"day":"2032-02-04","at":"19:10","upper":141,"lower":86}]}`
	assert.Empty(t, doubts(t, s, right, text))
	wrong := strings.Replace(right, `{"day":"2032-02-03","at":"07:15"`, `{"day":"2032-02-04","at":"07:15"`, 1)
	assert.Contains(t, doubts(t, s, wrong, text), value.Pointer("/rows/2/day"))
}

// A cell with a name is asked about where no value came from it, one that says why there is none is not.
func TestCellsWithoutItems(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  rows: {list: R., fields: {who: {text: W.}, day: {choice: D., of: [mon, tue, wed]}, of: {text: T.}}}\n"))
	require.NoError(t, err)
	const right = `{"rows":[{"who":"Ada","day":"mon","of":"07:00"},{"who":"Bo","day":"tue","of":"07:00"},{"who":"Cy","day":"mon","of":"15:00"},{"who":"Dee","day":"tue","of":"15:00"}]}`
	for cell, asked := range map[string]int{"closed": 0, "-": 0, "vacant": 0, "Eve": 1} {
		rec, err := value.Parse(right)
		require.NoError(t, err)
		ix := NewIndex("       Mon   Tue   Wed\n07:00  Ada   Bo    -\n15:00  Cy    Dee   " + cell + "\n")
		assert.Len(t, Unread(s, &rec, ix, Of(s, &rec, ix)), asked, cell)
	}
}
