package answer

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
)

// lost gives what of a reply is neither read nor words around it.
func lost(r *Result) (all []Unused) {
	taken := []*value.Value{&r.Value}
	for _, u := range r.Account(knownNames, taken...) {
		if !u.Chatter {
			all = append(all, u)
		}
	}
	return all
}

// written writes a record in each form that is read.
func written(r *rand.Rand, v *value.Value) map[string]string {
	var yaml, tags, outline strings.Builder
	asYAML(&yaml, v, "")
	asTags(&tags, v)
	asOutline(r, &outline, v)
	return map[string]string{"JSON": v.String(), "indented": string(v.Indent()), "YAML": yaml.String(), "tags": tags.String(), "outline": outline.String()}
}

// Of a reply in any form, with words around it or harms to its form alone, nothing
// is lost; and nothing is said to be.
func TestNothingLostOfWholeReplies(t *testing.T) {
	r := rand.New(rand.NewPCG(31, 32))
	around := []string{"%s", "Here is what the report says.\n\n%s", "```\n%s\n```\nThat is all; ask me if the grade or the name is wrong.", "<think>\nThe grade may be 3.\n</think>\n%s"}
	for range 400 {
		v := someRecord(r)
		for form, text := range written(r, &v) {
			said := fmt.Sprintf(around[r.IntN(len(around))], text)
			if form == "YAML" && !strings.Contains(said, "```") {
				said = text
			}
			got, err := ReadKnown(said, value.Object, knownNames)
			require.NoError(t, err, said)
			require.Empty(t, lost(&got), "%s: %s", form, said)
		}
		text := v.String()
		for range 1 + r.IntN(2) {
			text = harms[r.IntN(len(harms))](r, text)
		}
		got, err := ReadKnown(text, value.Object, knownNames)
		require.NoError(t, err)
		if !got.Cut {
			require.Empty(t, lost(&got), text)
		}
	}
}

// marked gives a record in which each value is a word that comes nowhere else.
func marked(r *rand.Rand) (value.Value, []string) {
	var marks []string
	word := func() value.Value {
		marks = append(marks, fmt.Sprintf("q%dz%d", len(marks), r.IntN(90)))
		return value.Str(marks[len(marks)-1])
	}
	number := func() value.Value {
		marks = append(marks, fmt.Sprint(1000+len(marks)))
		return value.Num(marks[len(marks)-1])
	}
	v := value.Obj(word().Named("report_no"), word().Named("bridge"), number().Named("grade"), value.Obj(word().Named("name"), word().Named("licence")).Named("inspector"))
	list := value.List()
	for range 2 + r.IntN(3) {
		list.Kids = append(list.Kids, value.Obj(word().Named("kind"), number().Named("photo")))
	}
	v.Kids = append(v.Kids, list.Named("defects"))
	return v, marks
}

// without takes away one of the places where s holds sign.
func without(r *rand.Rand, s, sign string) string {
	n := strings.Count(s, sign)
	if n == 0 {
		return s
	}
	at := 0
	for range 1 + r.IntN(n) {
		at += strings.Index(s[at:], sign) + 1
	}
	return s[:at-1] + s[at-1+len(sign):]
}

// damages are what a reply may suffer on its way.
var damages = map[string]func(r *rand.Rand, s string) string{
	"a comma lost":   func(r *rand.Rand, s string) string { return without(r, s, ",") },
	"a quote lost":   func(r *rand.Rand, s string) string { return without(r, s, `"`) },
	"a colon lost":   func(r *rand.Rand, s string) string { return without(r, s, ":") },
	"a bracket lost": func(r *rand.Rand, s string) string { return without(r, s, []string{"{", "}", "[", "]"}[r.IntN(4)]) },
	"a line lost":    func(r *rand.Rand, s string) string { return without(r, s, "\n") },
	"a cell more":    func(r *rand.Rand, s string) string { return strings.Replace(s, "|\n", "| more |\n", 1+r.IntN(3)) },
	"a key twice": func(r *rand.Rand, s string) string {
		return strings.NewReplacer("licence", "name", "photo", "kind").Replace(s)
	},
	"cut": func(r *rand.Rand, s string) string { return s[:r.IntN(len(s))] },
}

// Whatever form a reply has and whatever it suffers, each of its values is read,
// or the account says that it is not.
func TestEachValueIsReadOrTold(t *testing.T) {
	r := rand.New(rand.NewPCG(33, 34))
	for range 250 {
		v, marks := marked(r)
		forms := written(r, &v)
		forms["two objects"] = fmt.Sprintf("%s\n\nAnd the second:\n%s", `{"report_no": "alpha7", "grade": 77}`, v)
		var table, csv strings.Builder
		table.WriteString("| kind | photo |\n| --- | --- |\n")
		csv.WriteString("kind,photo\n")
		for _, k := range v.Get("defects").Kids {
			fmt.Fprintf(&table, "| %s | %s |\n", k.Kids[0].Text, k.Kids[1].Text)
			fmt.Fprintf(&csv, "%s,%s\n", k.Kids[0].Text, k.Kids[1].Text)
		}
		forms["table"] = table.String()
		forms["two tables"] = table.String() + "\nThe rest:\n\n| name | licence |\n|---|---|\n| rest7 | more8 |\n"
		forms["CSV"] = csv.String()
		for form, text := range forms {
			for damage, do := range damages {
				said := do(r, text)
				got, err := ReadKnown(said, value.Object, knownNames)
				if err != nil {
					continue // it is told to be no record
				}
				all := got.Account(knownNames, &got.Value)
				for _, mark := range append(marks, "alpha7", "rest7", "more8") {
					if !strings.Contains(said, mark) || strings.Contains(got.Value.String(), mark) {
						continue
					}
					require.Condition(t, func() bool { return tells(all, mark, got.Cut) }, "%s of %s: %q is lost of\n%s\nread as %s\nunused: %v", damage, form, mark, said, got.Value, all)
				}
			}
		}
	}
}

// tells tells whether an account holds a word, and not as chatter unless the reply
// is told to be cut.
func tells(all []Unused, mark string, cut bool) bool {
	for _, u := range all {
		if strings.Contains(u.Text, mark) && (!u.Chatter || cut || u.Reason == ReasonCut) {
			return true
		}
	}
	return false
}

// What is known to have been lost without a word.
func TestLossesAreToldAndMended(t *testing.T) {
	cases := []struct{ name, said, want, told string }{
		{"rows behind one with a comma", "report_no,bridge\nFB-1,Heron\nFB-2,Marl, the old one\nFB-3,Pipit\n", `[{"report_no":"FB-1","bridge":"Heron"},{"report_no":"FB-3","bridge":"Pipit"}]`, "FB-2,Marl, the old one"},
		{"a cell in quotes over two lines", "report_no,bridge\nFB-1,\"Heron\nPlank\"\nFB-3,Pipit\n", `[{"report_no":"FB-1","bridge":"Heron\nPlank"},{"report_no":"FB-3","bridge":"Pipit"}]`, ""},
		{"a second table like the first", "| kind | photo |\n|--|--|\n| rot | 1 |\n\nNext page:\n\n| kind | photo |\n|--|--|\n| rust | 2 |\n", `[{"kind":"rot","photo":1},{"kind":"rust","photo":2}]`, ""},
		{"a second table of other things", "| kind | photo |\n|--|--|\n| rot | 1 |\n| rust | 2 |\n\n| name | licence |\n|--|--|\n| Dell | QL-1 |\n", `[{"kind":"rot","photo":1},{"kind":"rust","photo":2}]`, "Dell"},
		{"a cell too many", "| kind | photo |\n|--|--|\n| rot | 1 | deep |\n| rust | 2 |\n", `[{"kind":"rot","photo":1},{"kind":"rust","photo":2}]`, "deep"},
		{"no comma between members", `{"report_no": "1" "bridge": "2"}`, `{"report_no":"1","bridge":"2"}`, ""},
		{"no comma between items", `{"kind": ["rot" "rust", "moss"], "photo": ["a" "b"]}`, `{"kind":["rot","rust","moss"],"photo":["a","b"]}`, ""},
		{"a key twice", `{"grade": 1, "grade": 2}`, `{"grade":2}`, "/grade: 1"},
		{"a key twice, the same", `{"grade": 2, "grade": 2}`, `{"grade":2}`, ""},
		{"two objects", `{"grade": 1, "kind": "rot"} {"grade": 2, "kind": "rust", "name": "b"}`, `{"grade":2,"kind":"rust","name":"b"}`, "rot"},
		{"a draft that says the same", "First {\"grade\": 2, \"kind\": \"rust\"}, so: {\"grade\": 2, \"kind\": \"rust\", \"name\": \"b\"}", `{"grade":2,"kind":"rust","name":"b"}`, ""},
		{"a line that says a name again", "**report_no:** FB-1\n**bridge:** Heron\n**bridge:** Marl\n", `{"report_no":"FB-1","bridge":"Heron"}`, "Marl"},
		{"items left out", `{"grade": 2, "defects": [{"kind": "rot"}, ...], "name": "b"}`, `{"grade":2,"defects":[{"kind":"rot"}],"name":"b"}`, "..."},
		{"a table of names and values", "| field | value |\n|---|---|\n| grade | 2 |\n| name | b |\n", `{"grade":2,"name":"b"}`, ""},
		{"a comment", `{"grade": 2, /* or 3 */ "name": "b",}`, `{"grade":2,"name":"b"}`, ""},
		{"words of other languages", `{"grade": None, "name": 'b', "kind": True}`, `{"grade":null,"name":"b","kind":true}`, ""},
		{"escapes", `{"name": "a\nb \u00e9\ud83d\ude00", 'kind': "c\/d \"e\""}`, "{\"name\":\"a\\nb é😀\",\"kind\":\"c/d \\\"e\\\"\"}", ""},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			r, err := ReadKnown(c.said, value.Object, knownNames)
			require.NoError(t, err)
			assert.Equal(t, c.want, r.Value.String())
			told := lost(&r)
			if c.told == "" {
				assert.Empty(t, told)
				return
			}
			require.NotEmpty(t, told)
			all := ""
			for _, u := range told {
				all += u.Text + "\n"
			}
			assert.Contains(t, all, c.told)
			assert.NotZero(t, told[0].Line)
			assert.NotEmpty(t, told[0].Reason)
		})
	}
}

// A record in several sections is one record. What stands twice in them, with
// different values, is told; the members of a call or a schema are not fields.
func TestSectionsOfARecord(t *testing.T) {
	s := surveyed(t)
	whole, err := value.Parse(plainSurvey)
	require.NoError(t, err)
	bays := whole.Get("bays").Named("").String()
	for said, aside := range map[string]string{
		`{"header":{"name":"Heron Plank","fee":{"amount":12,"currency":"EUR"}},"body":{"length":{"amount":9.5,"unit":"m"},"guard":{"first":"Ada","licence":"QL-1"},"bays":` + bays + `}}`: "",
		`{"name":"Heron Plank","details":{"length":{"amount":9.5,"unit":"m"},"fee":{"amount":12,"currency":"EUR"},"guard":{"first":"Ada","licence":"QL-1"},"bays":` + bays + `}}`:         "",
		`{"a":{"name":"Marl Steps"},"b":` + plainSurvey + `}`:                `/a/name: "Marl Steps"`,
		`{"name":"fill_record","arguments":` + plainSurvey + `}`:             "",
		`{"name":"survey","type":"object","properties":` + plainSurvey + `}`: "",
	} {
		v, deviations := shaped(t, s, said)
		arranged := value.Obj()
		for _, f := range s.Record().Fields {
			arranged.Kids = append(arranged.Kids, v.Get(f.Name).Named(f.Name))
		}
		assert.True(t, value.Equal(&whole, &arranged), "%s\n%s", said, v)
		told := ""
		for _, d := range deviations {
			if d.Kind == LeftAside {
				told += d.Note
			}
		}
		assert.Equal(t, aside, told, said)
	}
}
