package evidence

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/schema"
)

// A text in which a program wants a decimal, a day, a time or a length of time stands where what it
// means does, and nowhere else.
func TestEncoded(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  said: What it says.\n"))
	require.NoError(t, err)
	for doc, values := range map[string][2][]string{
		"Claimed: EUR 1,204.50 in all":                                                           {{"1204.50"}, {"1240.50", "204.50", "1.20"}},
		"Loss on 4 May 2031 at 17:40":                                                            {{"2031-05-04", "17:40:00", "17:40:00Z"}, {"2031-05-14", "17:04:00", "05:40:00"}},
		"Repair takes 3 days, then 2 weeks":                                                      {{"P3D", "P2W", "P14D", "PT72H"}, {"P2D", "P3W", "PT3H", "P3M", "P13D"}},
		"in two and a half hours, for 18 months":                                                 {{"PT2H30M", "PT150M", "P18M", "P1Y6M"}, {"PT2H", "PT18M", "P1Y8M"}},
		"Tel. 01632 960 412 or +44 191 498 0001":                                                 {{"+441632960412", "+441914980001"}, {"+441632960421", "+491914980001"}},
		"Loss on 4 May 2031, reported the next day; letter came two days later":                  {{"2031-05-05"}, {"2031-05-03", "2031-05-06"}},
		"Joiner, Aug 2027 - present; before that 02/2024 to 07/2027":                             {{"2027-08", "2024-02", "2027-07"}, {"2027-02", "2024-08", "2026-08"}},
		"Dep. Sat 21 Jan 2034 06:55, arr. 09:05":                                                 {{"2034-01-21T06:55:00", "2034-01-21 09:05", "2034-01-21T06:55:00+01:00"}, {"2034-01-21T06:05:00", "2034-01-20T06:55", "2034-01-21T09:55:00Z"}},
		"Sat 21 Jan 2034   SK 77   23:40  ->  00:55 +1   or 01:10 (next day)":                    {{"2034-01-21T23:40:00", "2034-01-22T00:55:00", "2034-01-22T01:10"}, {"2034-01-21T00:55:00", "2034-01-22T23:40:00", "2034-01-21T01:10"}},
		"On 6 February 2034, 19.30-21.05: sign by the end of the month; pay by the end of April": {{"2034-02-28", "2034-04-30", "PT1H35M"}, {"2034-03-31", "2034-02-27", "2034-04-29", "PT2H35M"}},
		"Call (555) 010-4477, installed Aug. '29":                                                {{"+15550104477", "2029-08"}, {"+445550104477", "2028-08", "2029-07"}},
		"open for 45 min. Closed 2 hours.":                                                       {{"PT45M", "PT2H"}, {"P45M", "PT2M", "P2Y"}},
	} {
		for i, all := range values {
			for _, v := range all {
				assert.Equal(t, i == 0, len(doubts(t, s, `{"said":"`+v+`"}`, doc)) == 0, "%s in %q", v, doc)
			}
		}
	}
}

// The code of a country stands where its name does, in any language, or that of its people, and the code of
// no other.
func TestCountries(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  country: Where from.\n  flag: {choice: Under which flag., evidence: restated, of: [DE, NL, PA]}\n"))
	require.NoError(t, err)
	for _, c := range []struct{ rec, doc, lacks string }{
		{`{"country":"DE","flag":"NL"}`, "Absender: Rothweg 7, Freiburg, Deutschland. Dutch barge.", ""},
		{`{"country":"DEU","flag":"PA"}`, "Allemagne; Panamanian flag", ""},
		{`{"country":"Germany","flag":"DE"}`, "Niemcy. German-built, sails under DE", ""},
		{`{"country":"AT","flag":"DE"}`, "it stands at the German quay", "/country"},
		{`{"country":"NL","flag":"DE"}`, "Belgium; Dutch flag", "/flag"},
		{`{"country":"IT"}`, "we saw it in Spain", "/country"},
	} {
		var lacks string
		for at := range doubts(t, s, c.rec, c.doc) {
			lacks += string(at)
		}
		assert.Equal(t, c.lacks, lacks, "%s in %q", c.rec, c.doc)
	}
}
