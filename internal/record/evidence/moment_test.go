package evidence

import (
	"fmt"
	"math/rand"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/normalize"
	"filler/internal/schema"
)

// momentForms are ways in which documents print a date with its time, but for the zone.
var momentForms = []string{
	"2006-01-02T15:04:05", "2006-01-02 15:04", "2 January 2006, 15:04", "2 January 2006 at 3:04 pm", "January 2, 2006 3:04:05 PM",
	"Monday, 2 January 2006 15.04 Uhr", "2.1.2006 15:04", "02.01.2006, 15.04 Uhr", "Mon, 2 Jan 2006 15:04:05", "15:04 on 2 January 2006", "2 January 2006\nat 15:04 h", "2 Jan 2006 15h04",
}

// A date and a time are found however they are printed, and so is the zone beside them;
// another day, another time and another offset are not; and what is printed is read as
// the value that it means.
func TestMoments(t *testing.T) {
	r := rand.New(rand.NewSource(2031))
	lisbon, err := time.LoadLocation("Europe/Lisbon")
	require.NoError(t, err)
	fields := map[string]*schema.Field{}
	for _, zone := range []string{"", "Europe/Lisbon", "none"} {
		set := ""
		if zone != "" {
			set = ", zone: " + zone
		}
		s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  at: {datetime: When it was., written: [D.M.YYYY]"+set+"}\n"))
		require.NoError(t, err)
		fields[zone] = s.Root.Child("at")
	}
	for range 400 {
		at := time.Date(2001+r.Intn(40), time.Month(1+r.Intn(12)), 1+r.Intn(28), 6+r.Intn(16), r.Intn(60), 0, 0, time.UTC)
		form := momentForms[r.Intn(len(momentForms))]
		zone := []string{"", "", " (CEST)", " UTC+5", " EST", " UTC"}[r.Intn(6)]
		offset := map[string]int{" (CEST)": 120, " UTC+5": 300, " EST": -300, " UTC": 0}[zone] * 60
		printed := at.Format(form) + zone
		if zone != "" && (form == "15:04 on 2 January 2006" || r.Intn(4) == 0) {
			form, printed = "2006-01-02T15:04:05", at.Format("2006-01-02T15:04:05")+time.Unix(0, 0).In(time.FixedZone("", offset)).Format("-07:00")
		}
		doc := fmt.Sprintf("Report of the pump house\nBegun 4 May 1999, 07:11, closed at 23:59.\nReading taken: %s by the warden.\nNext visit in 30 days.\n", printed)
		name := []string{"", "Europe/Lisbon", "none"}[r.Intn(3)]
		f := fields[name]
		local := at.Format(schema.LocalForm)
		var right string
		switch {
		case name == "none":
			right = local
		case zone != "":
			right = time.Date(at.Year(), at.Month(), at.Day(), at.Hour(), at.Minute(), 0, 0, time.FixedZone("", offset)).Format(time.RFC3339)
		case name != "":
			right = time.Date(at.Year(), at.Month(), at.Day(), at.Hour(), at.Minute(), 0, 0, lisbon).Format(time.RFC3339)
		}
		says := func(text string) Place { return of(f, text, doc) }
		about := fmt.Sprintf("%q in a field of zone %q", printed, name)
		if right == "" { // nobody says the offset, and the type asks for one
			assert.True(t, says(at.Format(time.RFC3339)).Found(), about)
			assert.False(t, says(at.Add(time.Hour).Format(time.RFC3339)).Found(), about)
			continue
		}
		place := says(right)
		if !assert.True(t, place.Found(), "%s is %s", about, right) {
			continue
		}
		assert.Contains(t, []int{3, 4}, place.Line, about)
		for _, other := range []time.Time{at.Add(time.Hour), at.Add(12 * time.Hour), at.AddDate(0, 0, 1), at.Add(11 * time.Minute), time.Date(1999, 5, 4, 7, 11, 0, 0, time.UTC).AddDate(1, 0, 0)} {
			wrong := other.Format(schema.LocalForm) + right[len(local):]
			assert.False(t, says(wrong).Found(), "%s is not %s", about, wrong)
		}
		if name != "none" {
			wrong := local + map[bool]string{true: "-03:00", false: "+09:00"}[r.Intn(2) == 0]
			assert.False(t, says(wrong).Found(), "%s is not %s", about, wrong)
		}
		if form != "2 January 2006\nat 15:04 h" {
			raw := value.Str(printed)
			_, to, ok := normalize.ByType(f, &raw)
			if ok || raw.Text != right {
				assert.Equal(t, right, to.Text, about)
			}
		}
	}
}

func of(f *schema.Field, text, doc string) Place {
	s := &schema.Schema{Root: &schema.Field{Type: schema.Group, Fields: []*schema.Field{f}}}
	v := value.Obj(value.Str(text).Named("at"))
	return With(s, &v, NewIndex(doc), nil)["/at"]
}

// A day in figures with two readings is the one that the document's other days make of it, or its
// language; where they tell nothing, or both, it is neither, and where they tell another, it is contradicted.
func TestOrderOfDays(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  day: {date: Day of receipt.}\n"))
	require.NoError(t, err)
	for doc, want := range map[string]string{
		"Received 07.03.2034, paid by 18.03.2034":                                         "day",
		"Received 07/03/2034, paid 12/31/2033":                                            "month",
		"Received 07/03/2034, paid by 18/03/2034, shipped 12/31/2033":                     "",
		"Received 07/03/2034":                                                             "",
		"Received 07/03/2034, paid by 18.03.2034":                                         "",
		"Wir haben Ihre Ware am 07.03.2034 erhalten und danken Ihnen für den Auftrag.":    "day",
		"Nous avons bien reçu votre envoi le 07/03/2034 et nous vous en remercions.":      "day",
		"We have received your parcel on 07.03.2034 and will be in touch with you again.": "",
		"We received £40.00 from you on 07/03/2034 and thank you for the order.":          "day",
		"We have received $40.00 on 07/03/2034. Tidewater, Port Halsey, FL 33999.":        "month",
		"We have received $40.00 on 07/03/2034, and you have the rest in your hands.":     "",
		"Received 07.03.34; paid by 18.03.34":                                             "day",
	} {
		for order, day := range map[string]string{"day": "2034-03-07", "month": "2034-07-03"} {
			what := doubts(t, s, `{"day":"`+day+`"}`, doc)["/day"]
			switch want {
			case order:
				assert.Nil(t, what, "%s in %q", day, doc)
			case "":
				assert.IsType(t, record.TwoFigures{}, what, "%s in %q", day, doc)
			default:
				assert.IsType(t, record.SaysOpposite{}, what, "%s in %q", day, doc)
			}
		}
	}
}
