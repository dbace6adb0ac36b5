package answer

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
)

func TestRead(t *testing.T) {
	cases := []struct {
		name, text, want string
		kinds            []string
		cut              bool
	}{
		{"plain JSON", `{"a": 1.50, "b": [null]}`, `{"a":1.50,"b":[null]}`, nil, false},
		{"fence and chatter", "Here is it:\n```json\n{\"a\": 1}\n```\nBye!", `{"a":1}`, []string{Fence, Chatter, Chatter}, false},
		{"fence without chatter", "```\n{\"a\": 1}\n```", `{"a":1}`, []string{Fence}, false},
		{"trailing commas", `{"a": [1, 2,], }`, `{"a":[1,2]}`, []string{Comma, Comma}, false},
		{"missing comma", "{\"a\": 1\n \"b\": 2}", `{"a":1,"b":2}`, []string{Comma}, false},
		{"single quotes with an apostrophe", `{'a': 'the bridge's rail', 'b': 2}`, `{"a":"the bridge's rail","b":2}`, []string{Quotes, Quotes, RawQuote, Quotes}, false},
		{"unquoted keys", `{a: 1, b_c: "x"}`, `{"a":1,"b_c":"x"}`, []string{Quotes, Quotes}, false},
		{"words of other languages", `{"a": None, "b": True, "c": NaN}`, `{"a":null,"b":true,"c":null}`, []string{Word, Word, Word}, false},
		{"comments", "{\"a\": 1, // one\n /* two */ \"b\": 2 # three\n}", `{"a":1,"b":2}`, []string{Comment, Comment, Comment}, false},
		{"raw newline", "{\"a\": \"x\ny\"}", `{"a":"x\ny"}`, []string{RawLine}, false},
		{"raw quotes", `{"a": "the "old" rail", "b": 1}`, `{"a":"the \"old\" rail","b":1}`, []string{RawQuote, RawQuote}, false},
		{"raw quotes before a comma", `{"a": "the "old", worn rail", "b": 1}`, `{"a":"the \"old\", worn rail","b":1}`, []string{RawQuote, RawQuote}, false},
		{"missing bracket inside", `{"a": [1, 2}`, `{"a":[1,2]}`, []string{Close}, false},
		{"cut in a string", `{"a": 1, "b": "half a`, `{"a":1}`, []string{Cut, Close}, true},
		{"cut in a number", `{"a": 1, "b": 12`, `{"a":1}`, []string{Cut, Close}, true},
		{"cut behind a value", `{"a": [{"b": 1}, {"b": 2}`, `{"a":[{"b":1},{"b":2}]}`, []string{Close, Close}, true},
		{"cut inside a fence", "```json\n{\"a\": 1,\n```", `{"a":1}`, []string{Fence, Close}, true},
		{"thinking first", `<think>maybe {"a": 1, "b": 2}?</think> {"a": 3}`, `{"a":3}`, []string{Chatter}, false},
		{"brackets in the prose", `I read [the page] {carefully}. {"a": 1}`, `{"a":1}`, []string{Chatter}, false},
		{"leading zeros stay text", `{"a": 007, "b": +5, "c": .5}`, `{"a":"007","b":5,"c":0.5}`, []string{Quotes, Number, Number}, false},
		{"repeated key", `{"a": 1, "a": 2}`, `{"a":2}`, []string{Repeated}, false},
		{"ellipsis", `{"a": [1, ...]}`, `{"a":[1]}`, []string{Ellipsis, Comma}, false},
		{"equal sign", `{"a" = 1}`, `{"a":1}`, []string{Colon}, false},
		{"crlf and tabs", "```json\r\n{\r\n\t\"a\": 1\r\n}\r\n```\r\n", `{"a":1}`, []string{Fence}, false},
		{"a fence without a close", "```json\n{\"a\": 1}\n", `{"a":1}`, []string{Fence}, false},
		{"a fence with a title", "**Answer**\n\n```JSON\n{\"a\": {\"b\": []}}\n```", `{"a":{"b":[]}}`, []string{Fence, Chatter}, false},
		{"two blocks, the fuller counts", "```\n{\"a\": 1}\n```\nbetter:\n```\n{\"a\": 1, \"b\": 2}\n```", `{"a":1,"b":2}`, []string{Fence, Chatter}, false},
		{"an example before the answer", `For instance {"a": "..."}, so: {"a": "x", "b": "y"}`, `{"a":"x","b":"y"}`, []string{Chatter}, false},
		{"a schema of the answer before it", `The type is {a: string}. {"a": "x", "c": null}`, `{"a":"x","c":null}`, []string{Chatter}, false},
		{"smart quotes", `{“a”: “b”}`, `{"a":"b"}`, []string{Quotes, Quotes}, false},
		{"triple quotes", `{"a": """x "y" z"""}`, `{"a":"x \"y\" z"}`, []string{Quotes}, false},
		{"a bare word and a bare date", `{"a": timber, "b": 2031-04-03}`, `{"a":"timber","b":"2031-04-03"}`, []string{Quotes, Quotes}, false},
		{"a number with a unit stays text", `{"a": 12.5 m, "b": 1_000}`, `{"a":"12.5 m","b":"1_000"}`, []string{Quotes, Quotes}, false},
		{"hex stays text", `{"a": 0x1F}`, `{"a":"0x1F"}`, []string{Quotes}, false},
		{"infinity", `{"a": -Infinity, "b": Infinity}`, `{"a":null,"b":null}`, []string{Word, Word}, false},
		{"undefined", `{"a": undefined}`, `{"a":null}`, []string{Word}, false},
		{"semicolons at the end", `{"a": 1};`, `{"a":1}`, []string{Chatter}, false},
		{"an assignment", `answer = {"a": 1}`, `{"a":1}`, []string{Chatter}, false},
		{"an arrow", `{"a" => 1, b: 2}`, `{"a":1,"b":2}`, []string{Colon, Quotes}, false},
		{"a wrong bracket", `{"a": [1, 2), "b": 3}`, `{"a":[1,"2)"],"b":3}`, nil, false},
		{"a closing brace for a bracket", `{"a": [{"b": 1}}, "c": 2}`, `{"a":[{"b":1}]}`, nil, false},
		{"a path with backslashes", `{"a": "C:\Users\x"}`, `{"a":"C:\\Users\\x"}`, []string{Escape, Escape}, false},
		{"an escaped apostrophe", `{"a": "it\'s"}`, `{"a":"it's"}`, []string{Escape}, false},
		{"half a surrogate", `{"a": "x\ud83d"}`, "{\"a\":\"x\ufffd\"}", []string{Escape}, false},
		{"a big number", `{'a': 123456789012345678901234567890.10}`, `{"a":123456789012345678901234567890.10}`, []string{Quotes}, false},
		{"a comma in a string before a name", `{"a": "one, "two", three", "b": "c"}`, `{"a":"one, \"two\", three","b":"c"}`, nil, false},
		{"inches", `{"a": "8" pipe", "b": 1}`, `{"a":"8\" pipe","b":1}`, []string{RawQuote}, false},
		{"a comment as a value's end", "{\"a\": 1 // first\n, \"b\": 2}", `{"a":1,"b":2}`, []string{Comment}, false},
		{"a web address is no comment", `{"a": "http://x.example/y"}`, `{"a":"http://x.example/y"}`, nil, false},
		{"cut in a name", `{"a": 1, "lon`, `{"a":1}`, []string{Cut, Close}, true},
		{"cut behind a colon", `{"a": 1, "b":`, `{"a":1}`, []string{Close}, true},
		{"cut deep inside", `{"a": [{"b": [1, 2, {"c": "x`, `{"a":[{"b":[1,2,{}]}]}`, nil, true},
		{"cut behind an item", `{"a": ["x", "y"`, `{"a":["x","y"]}`, []string{Close, Close}, true},
		{"cut in a word", `{"a": 1, "b": tru`, `{"a":1}`, []string{Cut, Close}, true},
		{"no value", `{"a": , "b": 1}`, `{"a":null,"b":1}`, []string{Word}, false},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			r, err := Read(c.text, value.Object)
			require.NoError(t, err)
			assert.Equal(t, c.want, r.Value.String())
			assert.Equal(t, c.cut, r.Cut)
			if c.kinds != nil {
				var kinds []string
				for _, m := range r.Deviations {
					kinds = append(kinds, m.Kind)
				}
				assert.Equal(t, c.kinds, kinds)
			}
		})
	}
}

func TestReadNothing(t *testing.T) {
	for _, text := range []string{"", "  \n", "I am sorry, I can't.", "see [1] and [2]"} {
		_, err := Read(text, value.Object)
		assert.Error(t, err, text)
	}
}

func TestDeepAndHuge(t *testing.T) {
	_, err := Read(strings.Repeat("[", 200000), value.Object)
	assert.Error(t, err)
	_, err = Read(strings.Repeat(`{"a":`, 200000), value.Object)
	assert.Error(t, err)
	r, err := Read("{"+strings.Repeat(`"a": 'x', `, 900)+"}", value.Object)
	require.NoError(t, err)
	assert.Equal(t, `{"a":"x"}`, r.Value.String())
}

// FuzzRead holds three promises: valid JSON is read unchanged, nothing makes
// the reader fall over, and what was read is read the same again.
func FuzzRead(f *testing.F) {
	for _, seed := range []string{`{"a": [1, "x", null]}`, "```json\n{'a': None,}\n```", `{"a": "b`, `{a: 'it's', b: [1 2]}`, `[[{}`, `{"a":1e999, "b": "\ud800"}`} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		r, err := Read(text, value.Object)
		if err != nil {
			return
		}
		again, err := value.Parse(r.Value.String())
		require.NoError(t, err, "what was read must be JSON")
		require.True(t, value.Equal(&r.Value, &again))
		accounted(t, &r, nil)
		if v, err := value.Parse(text); err == nil && v.Kind == value.Object {
			for _, m := range r.Deviations {
				require.Equal(t, Repeated, m.Kind, "valid JSON has no deviation")
			}
		}
	})
}

// Replies without measure are read or refused; none is a fall, and the deviations that
// are listed have a bound, with a word on the rest.
func TestHostileReplies(t *testing.T) {
	var keys strings.Builder
	for i := range 200000 {
		fmt.Fprintf(&keys, `"k%d":%d,`, i, i)
	}
	for _, c := range []struct {
		name, text string
		kids       int // of the object that is read; -1: it is refused
	}{
		{"long text", `{"a":"` + strings.Repeat("x", 8<<20) + `"}`, 1},
		{"many keys", "{" + keys.String() + `"z":1}`, 200001},
		{"many keys, cut", "{" + keys.String(), 200000},
		{"one key many times", "{" + strings.Repeat(`"b":"c",`, 1<<19) + `"a":1}`, 2},
		{"deep", strings.Repeat(`{"a":`, 10000) + "1" + strings.Repeat("}", 10000), -1},
		{"open", strings.Repeat("[", 1<<20), -1},
		{"quotes", strings.Repeat(`"`, 4<<20), -1},
		{"fences", strings.Repeat("```\n", 1<<20), -1},
		{"chatter", strings.Repeat("Here is what I found. ", 1<<18) + "```json\n{\"a\":1}\n```", 1},
		{"bytes", `{"a":"` + strings.Repeat("\xff\xfe", 1<<18) + `"}`, 1},
	} {
		r, err := Read(c.text, value.Object)
		if c.kids < 0 {
			assert.Error(t, err, c.name)
			continue
		}
		if assert.NoError(t, err, c.name) {
			assert.Len(t, r.Value.Kids, c.kids, c.name)
			assert.Less(t, len(r.Deviations), 3*maxDeviations, c.name)
		}
	}
	r, err := Read("{"+strings.Repeat(`"b":"c",`, 1<<19)+`"a":1}`, value.Object)
	require.NoError(t, err)
	assert.Contains(t, r.Deviations[len(r.Deviations)-1].Note, fmt.Sprint((1<<19)-1-maxDeviations)+" more duplicate keys")
	v, err := Read(`{"n": 123456789012345678901234567890.5, "e": 1e999999999}`, value.Object)
	require.NoError(t, err)
	assert.Equal(t, `{"n":123456789012345678901234567890.5,"e":1e999999999}`, v.Value.String())
}
