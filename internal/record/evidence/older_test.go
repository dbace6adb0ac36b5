package evidence

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

// What a mail quotes is as good as what stands above it, but for an amount that the newer mail says
// otherwise, which is told, and a day, which is asked about; the days of the mails themselves tell nothing.
func TestOlderMails(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  order: {integer: Number.}\n  weight_kg: {number: Weight.}\n  pick_up: {date: Day of pick-up.}\n  boxes: {integer: Boxes.}\n  to: Where to.\n  old_weight_kg: {number: Weight before.}\n"))
	require.NoError(t, err)
	head := "From: Ida Marsh <ida@marsh.example>\nTo: depot@hale.example\nDate: Tue, 14 Mar 2034 16:08:11 +0100\nSubject: Order 4471\n\n"
	quoted := "\n\nOn 13 March 2034 at 11:02 Depot wrote:\n> Order 4471: 3 boxes, 18 kg, pick-up 15 March 2034, to 30 Mill Rise.\n"
	for _, c := range []struct{ above, rec, told, asked string }{
		{"All right, thank you. See you then.", `{"order":4471,"weight_kg":18,"pick_up":"2034-03-15","boxes":3,"to":"30 Mill Rise"}`, "", ""},
		{"It weighs 21.4 kg now.", `{"order":4471,"weight_kg":21.4,"pick_up":"2034-03-15","boxes":3,"to":"30 Mill Rise"}`, "", ""},
		{"It weighs 21.4 kg now.", `{"order":4471,"weight_kg":18,"pick_up":"2034-03-15","boxes":3,"to":"30 Mill Rise"}`, "/weight_kg", ""},
		{"It weighs 21.4 kg now instead of 18.", `{"order":4471,"weight_kg":18,"pick_up":"2034-03-15","boxes":3,"to":"30 Mill Rise"}`, "/weight_kg", ""},
		{"It weighs 21.4 kg now instead of 18.", `{"order":4471,"weight_kg":21.4,"old_weight_kg":18,"pick_up":"2034-03-15","boxes":3,"to":"30 Mill Rise"}`, "", ""},
		{"Please come on Thursday.", `{"order":4471,"weight_kg":18,"pick_up":"2034-03-15","boxes":3,"to":"30 Mill Rise"}`, "", "2034-03-16"},
		{"Please come on Thursday.", `{"order":4471,"weight_kg":18,"pick_up":"2034-03-16","boxes":3,"to":"30 Mill Rise"}`, "", ""},
		{"Fine, come tomorrow.", `{"order":4471,"weight_kg":18,"pick_up":"2034-03-15","boxes":3,"to":"30 Mill Rise"}`, "", ""},
	} {
		rec, err := value.Parse(c.rec)
		require.NoError(t, err)
		ix := NewIndex(head + c.above + quoted)
		places := Of(s, &rec, ix)
		told, asked := "", ""
		for p, place := range places {
			if what := ix.Doubt(s.At(p), rec.At(p), place, false); what != nil {
				told += string(p)
				assert.IsType(t, record.SaysOpposite{}, what, c.above)
			}
		}
		_, left := Look(s, &rec, ix, places)
		for _, line := range left {
			asked += line.Says
		}
		assert.Equal(t, c.told, told, "%s: %s", c.above, c.rec)
		assert.Equal(t, c.asked, asked, "%s: %s", c.above, c.rec)
	}
}

// What is struck out counts for no field but one for what was so, and what a change began with for one
// for the beginning of a range.
func TestWhatWasSo(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  start: {time: When it starts.}\n  price_from: {money: Least price.}\n  price_to: {money: Most price.}\n  old_price: {money: Price before.}\n"))
	require.NoError(t, err)
	for _, c := range []struct{ rec, doc, told string }{
		{`{"start":"10:00"}`, "Starts ~~09:00~~ 10:00", ""},
		{`{"start":"09:00"}`, "Starts ~~09:00~~ 10:00", "/start"},
		{`{"price_from":{"amount":18,"currency":"GBP"},"price_to":{"amount":21,"currency":"GBP"}}`, "Fares were raised from £18 to £21.", ""},
		{`{"price_to":{"amount":18,"currency":"GBP"}}`, "Fares were raised from £18 to £21.", "/price_to"},
		{`{"old_price":{"amount":18,"currency":"GBP"}}`, "Fares were raised from £18 to £21.", ""},
		{`{"old_price":{"amount":18,"currency":"GBP"}}`, "~~£18~~ £21", ""},
	} {
		told := ""
		for p := range doubts(t, s, c.rec, c.doc) {
			told += string(p)
		}
		assert.Equal(t, c.told, told, "%s in %q", c.rec, c.doc)
	}
}
