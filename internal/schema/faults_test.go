package schema

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Each fault has a place, says what is wrong in one line, and what to do.
func TestFaults(t *testing.T) {
	for text, says := range map[string]string{
		"a: {choice: C., of: [x]}":                                           "at least two values",
		"a: {choice: C., of: [x, x]}":                                        "is here twice",
		"a: {choice: C.}":                                                    "does not say what to choose from",
		"a: {integer: I., min: 5, max: 2}":                                   "min (5) is above max (2)",
		"a: {integer: I., min: five}":                                        "is not a number",
		"a: {text: T., min: -1}":                                             "a length is a whole number",
		"a: {text: T., pattern: '(?<=x)y'}":                                  "patterns are RE2",
		"a: {date: D., written: [D.M.YY]}":                                   "no `pivot` gives the century",
		"a: {date: D., written: [D.M.YY], pivot: 50}":                        "the first of the hundred years",
		"a: {date: D., precision: hour}":                                     "unknown precision",
		"a: {number: N., written: {decimal: ',', group: ','}}":               "are equal or not allowed",
		"a: {money: M., currency: euro}":                                     "is not a currency code",
		"a: {link: L., to: 'b[].c'}":                                         "points to \"b[].c\", not a value",
		"a: {link: L.}":                                                      "does not say what it points to",
		"a: {list: L.}":                                                      "needs exactly one of `fields`, `items` and `uses`",
		"a: {list: L., items: {text: T.}, fields: {b: B.}}":                  "needs exactly one of `fields`, `items` and `uses`",
		"a: {list: L., items: {list: M., items: {text: T.}}}":                "items are plain values",
		"a: {list: L., key: [c], fields: {b: B.}}":                           "the key names \"c\", not a value of an item; did you mean|known here: b",
		"a: {list: L., key: [b], fields: {b: {group: G., fields: {c: C.}}}}": "not a value of an item",
		"a: {group: G.}":                                                     "has no fields",
		"a: {uses: p}":                                                       "no shared group is called \"p\"",
		"a: {text: T., evidence: sure}":                                      "unknown kind of evidence",
		"a: {text: T., basis: true}":                                         "add `evidence: inferred`",
		"a: {text: T., normalize: [uper]}":                                   "did you mean \"upper\"?",
		"a: {text: T., compare: {within: 3}}":                                "within compares numbers",
		"a: {integer: I., compare: loose}":                                   "loose compares texts",
		"a: {text: T., compare: {similar: 2}}":                               "from 0 to 1",
		"a: {text: T., weight: -1}":                                          "a weight is 0 or more",
		"a: {text: T., examples: [{text: x, gives: 3}]}":                     "the example's answer breaks the schema",
		"a: {integer: T., examples: [{text: x, gives: '3'}]}":                "the field is of type integer",
		"a: {text: T., examples: [{text: x}]}":                               "a text and what it gives",
		"a: {text: T., edge: {from: a, to: a}}":                              "the type text has no key \"edge\"; it goes with list",
		"a: {type: date, entity: true}":                                      "`a: {date: What it is.}`",
		"a: {date: D., ordered: true}":                                       "the type date has no key \"ordered\"; it goes with list",
		"a: {text: T., exmaples: []}":                                        "did you mean \"examples\"?",
		"a-b: B.\n  a_b: C.":                                                 "differ in case, `_` or `-` only",
		"1a: B.":                                                             "is not a field name",
		"a: [x]":                                                             "expected a field",
		"a: {text: }":                                                        "is missing",
		"a: {name: T.}":                                                      "known here: text, integer|its type: text, integer",
		"b c: {text: T.}":                                                    "write \"b_c\"",
		"a: {month: T.}":                                                     "a month is a date: `a: {date: The month., precision: month}`",
		"a: {ref: T.}":                                                       "`a: {link: What it is., to: 'LIST[].KEY'}`",
		"a: {string: T.}":                                                    "\"string\" is called \"text\" here: `a: {text: What it is.}`",
		"a: {type: enum, description: T.}":                                   "\"enum\" is called \"choice\" here: `a: {choice: What it is., of: [one, another]}`",
		"a: {duration: T.}":                                                  "a length of time is a quantity: `a: {quantity: How long it lasts., unit: h}`",
		"a: {percent: T.}":                                                   "a percentage is a quantity",
		"a: {txet: T.}":                                                      "did you mean \"text\"",
	} {
		_, err := Parse("s.yaml", []byte("schema: s\nfields:\n  "+text+"\n"))
		require.Error(t, err, text)
		line := strings.Split(err.Error(), "\n")[0]
		found := false
		for _, s := range strings.Split(says, "|") {
			found = found || strings.Contains(err.Error(), s)
		}
		assert.True(t, found, "%s\n%s", text, err)
		assert.Regexp(t, `^s\.yaml:\d+:\d+: .*; .+`, line, text)
	}
	for text, says := range map[string]string{
		"shared: {p: {fields: {a: {uses: p}}}}\nfields: {a: {uses: p}}":                              "contains itself (p → p)",
		"shared: {p: {fields: {a: {uses: q}}}, q: {fields: {a: {uses: p}}}}\nfields: {a: {uses: p}}": "contains itself",
		"shared: {p: {group: G.}}\nfields: {a: B.}":                                                  "has no fields",
		"key: [a]\nfields: {a: B.}":                                                                  "one record a document",
		"each: entry\nkey: [b]\nfields: {a: B.}":                                                     "not a value of an item",
		"each: page\nfields: {a: B.}":                                                                "each is `document` or `entry`",
		"examples: [{text: x, gives: {b: 1}}]\nfields: {a: B.}":                                      "the schema has no field /b",
		"fields: {a: {list: L., fields: {b: B.}}, c: {list: L., fields: {d: {integer: D.}}}, e: {link: E., to: ['a[].b', 'c[].d']}}": "different types",
	} {
		_, err := Parse("s.yaml", []byte("schema: s\n"+text+"\n"))
		require.Error(t, err, text)
		assert.Contains(t, err.Error(), says, text)
	}
}

// Every key on every type, with values of every shape, is taken or refused with a place;
// a type refuses the keys that are not its own.
func TestKeysOnEveryType(t *testing.T) {
	own := map[string]bool{}
	for _, typ := range Types {
		for _, key := range KeysOf(Type(typ)) {
			own[key] = true
		}
	}
	shapes := []string{"x", "true", "7", "[x]", "{from: b, to: b}", "{key: [b]}", "{x: [y]}", "[[x]]", "null"}
	for _, typ := range Types {
		for key := range own {
			for _, shape := range shapes {
				text := "schema: s\nabout: S.\nfields:\n  a: {" + typ + ": A., " + key + ": " + shape + "}\n  b: {text: B.}\n"
				_, err := Parse("s.yaml", []byte(text))
				if key != typ && !slices.Contains(KeysOf(Type(typ)), key) {
					require.Error(t, err, text)
				}
				if err != nil {
					assert.Regexp(t, `^s\.yaml:\d+:\d+: `, err.Error(), text)
				}
			}
		}
	}
}
