package record

import (
	"go/ast"
	"go/parser"
	"go/token"
	"reflect"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

var null = value.Null

// whats is one problem of each kind with what it says.
var whats = map[string]What{
	"missing: required, but missing":                                                                       NotThere{},
	"type: expected a whole number, got null":                                                              OfType{schema.Integer, &null},
	"type: expected an amount with its unit":                                                               OfType{Want: schema.Quantity},
	"type: does not fit the schema":                                                                        Unfit{},
	"choice: not one of the choices: a, b":                                                                 NoChoice{Choices: []string{"a", "b"}},
	"pattern: does not match the pattern ^x$":                                                              NoMatch{"^x$"},
	"range: 7 is above the maximum, 5":                                                                     Limit{"", "7", "5", true},
	"length: 1 characters; the minimum is 2":                                                               Limit{"characters", "1", "2", false},
	"length: 9 items; the maximum is 2":                                                                    Limit{"items", "9", "2", true},
	"range: 9 is out of bounds (at least 1, at most 5)":                                                    OutOfBounds{"9", "1", "5"},
	`format: the unit is "ft"; the schema requires "m"`:                                                    OtherMeasure{"unit", "ft", "m"},
	"range: a number with an excessive exponent":                                                           Exponent{},
	"format: not a date in the form YYYY-MM-DD":                                                            NotInForm{schema.Date, "YYYY-MM-DD"},
	"format: not written as YYYY-MM-DD: declare written: [D.M.YYYY]":                                       OtherForm{"YYYY-MM-DD", "D.M.YYYY"},
	"format: ambiguous date: the formats under `written` read this as 1 and as 2; keep one of the formats": TwoDays{"1", "2"},
	`format: ambiguous date "1/2": declare written: [D/M] or [M/D]`:                                        TwoForms{"1/2", []string{"D/M", "M/D"}},
	"format: no such day in the calendar":                                                                  NoSuchDay{},
	`unexpected: the schema has no such field; did you mean "bays"?`:                                       NoField{"bays"},
	"syntax: duplicate key":                                                                                TwiceNamed{},
	"schema: does not fit the schema: not, it is":                                                          Keyword{"not, it is"},
	"rule: rule broken: a > b":                                                                             BrokenRule{Holds: "a > b"},
	"link: points to nothing: no a or b has this value":                                                    DeadLink{[]string{"a", "b"}},
	`no-evidence: line 3 has the figure in a form with two readings ("Fee 1,250"): declare written, such as {decimal: ",", group: "."}`:                    TwoFigures{3, "Fee 1,250", false},
	`no-evidence: line 3 has the day in a form with two readings ("on 3.4.2031"): declare written, such as [D.M.YYYY] or [M.D.YYYY]`:                       TwoFigures{3, "on 3.4.2031", true},
	`no-evidence: line 3 has the day in a form with two readings ("| 05/11/26 |"): declare written, such as [D/M/YY] or [M/D/YY], and pivot, such as 1950`: TwoFigures{3, "| 05/11/26 |", true},
	`no-evidence: line 3 has the day in a form with two readings: declare written, such as [D.M.YYYY]`:                                                     TwoFigures{Line: 3, Day: true},
	`no-evidence: line 3 takes it back ("~~9 kg~~")`:                                                               TakenBack{3, "~~9 kg~~"},
	"no-evidence: line 3 takes it back":                                                                            TakenBack{Line: 3},
	`contradicted: line 3 says otherwise ("The seal was broken.")`:                                                 SaysOpposite{3, "The seal was broken."},
	`contradicted: its label in the document, "Kirn", is that of another field`:                                    OthersLabel{"Kirn"},
	`contradicted: the document has it at the other end of its range ("10 - 12")`:                                  OtherEnd{"10 - 12"},
	`contradicted: the other items have theirs in another column, which has "20.4" in line 16`:                     OtherColumn{Line: 16, Said: "20.4"},
	`contradicted: line 6 has "7.5" under "Tue"`:                                                                   OtherColumn{Line: 6, Said: "7.5", Head: "Tue"},
	`contradicted: line 6 has nothing under "Tue"`:                                                                 OtherColumn{Line: 6, Head: "Tue"},
	`contradicted: line 6 has something else in the cell under its head`:                                           OtherColumn{Line: 6, ByHead: true},
	`contradicted: the other items have theirs in another column`:                                                  OtherColumn{Line: 16},
	`contradicted: it breaks off: the document has "Osterley & Finch"`:                                             BreaksOff{"Osterley & Finch"},
	`contradicted: it breaks off: the document goes on`:                                                            BreaksOff{},
	`contradicted: the document has it at the other end of its range`:                                              OtherEnd{},
	`no-evidence: its name, "Cadmium", is nowhere in the document`:                                                 NameNowhere{"Cadmium"},
	`contradicted: it stands in line 3, and not in that of its item ("7 lb rye")`:                                  OthersLine{Line: 3, Said: "7 lb rye"},
	`contradicted: it stands in line 8 beside another item, and not beside its own ("Daily 9%; weekly 27%")`:       OthersLine{8, "Daily 9%; weekly 27%", true},
	"duplicate-key: comes from the same words as /bill/0, in line 4":                                               ReadTwice{"/bill/0", 4},
	`format: "bananas" is no currency code of ISO 4217`:                                                            NoCurrency{"bananas"},
	`contradicted: line 3 has the figure with another unit, currency or sign ("Weight 7 lb")`:                      SaysOther{3, "Weight 7 lb"},
	"duplicate-key: has the key of /bays/0 (no 7), and says something else":                                        SameKey{"no 7", "/bays/0"},
	"no-evidence: the value is nowhere in the document":                                                            Nowhere{},
	"no-evidence: the words that this value rests on are missing or not in the document":                           Unfounded{},
	"no-evidence: evidence must be quoted, but the value is only pictured: the model says where it is on the page": OnlyPictured{},
	`no-evidence: evidence must be tighter than a lookalike ("O1")`:                                                OnlyLookalike{"O1"},
	"no-evidence: evidence must be quoted, but the document has the value in another spelling":                     OnlyRestated{},
	`uncovered: line 3 names bay, but no value came from it ("Bay 2")`:                                             Unread{3, "bay", "Bay 2"},
	"uncovered: no value came from 4 more lines that name fields":                                                  MoreUnread{4},
	"conflict: another chunk of the document says 1 and 2":                                                         ChunksDisagree{[]string{"1", "2"}},
	"conflict: b.txt says 2, and both have evidence":                                                               DocumentsDisagree{"b.txt", "2"},
	"truncated: fill 2/3: the reply was cut short; its complete values were kept":                                  ReplyCut{"fill 2/3"},
	`unused: line 2 of the reply: a cell too many ("x")`:                                                           ReplyUnused{2, "a cell too many", "x"},
	"encoding: the reply holds bytes that are not UTF-8, or half a letter; U+FFFD stands in their place":           ReplyGarbled{},
	"no-answer: fill 2/3: it gave none":                                                                            Failure{NoAnswer, "fill 2/3", "it gave none"},
	"other: as told":                                                                                               Told{"other", "as told"},
}

// Each kind says what is wrong in its words, and comes back from its machine
// form as what it said; no kind is left out here.
func TestWhats(t *testing.T) {
	tried := map[string]bool{}
	for want, what := range whats {
		p := Problem{Path: "/a", What: what}
		assert.Equal(t, want, string(p.Code())+": "+p.Message())
		v := p.JSON()
		back := ProblemFromJSON(&v)
		assert.Equal(t, want, string(back.Code())+": "+back.Message())
		name := reflect.TypeOf(what).Name()
		tried[name] = true
	}
	file, err := parser.ParseFile(token.NewFileSet(), "what.go", nil, 0)
	require.NoError(t, err)
	for _, d := range file.Decls {
		if f, ok := d.(*ast.FuncDecl); ok && f.Recv != nil && f.Name.Name == "Code" {
			name := f.Recv.List[0].Type.(*ast.Ident).Name
			assert.True(t, tried[name], "%s is not tried", name)
		}
	}
	long := Unread{1, "note", strings.Repeat("é", 90)}
	assert.Contains(t, long.Text(), strings.Repeat("é", 59)+"…")
	assert.NotContains(t, Unread{Line: 1, Field: "iban"}.Text(), "(")
}
