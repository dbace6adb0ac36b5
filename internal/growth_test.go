package internal

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/ask/answer"
	"filler/internal/ask/chat"
	"filler/internal/ask/exchange"
	"filler/internal/ask/outline"
	"filler/internal/base/place"
	"filler/internal/base/secret"
	"filler/internal/base/value"
	"filler/internal/draft"
	"filler/internal/draft/printed"
	"filler/internal/measure/gold"
	"filler/internal/record"
	"filler/internal/record/evidence"
	"filler/internal/record/normalize"
	"filler/internal/record/trace"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/standin"
)

// times gives a shape of text by how often it repeats something.
func times(before, again, after string) func(n int) string {
	return func(n int) string { return before + strings.Repeat(again, n) + after }
}

// counted gives one whose repeated part holds its number.
func counted(before, again, after string) func(n int) string {
	return func(n int) string {
		var b strings.Builder
		b.WriteString(before)
		for i := range n {
			b.WriteString(strings.ReplaceAll(again, "%", fmt.Sprint(i+1000)))
		}
		return b.String() + after
	}
}

// bayNo is a bay of a text made by counted.
var bayNo = regexp.MustCompile(`bay no\. (\d+)`)

// reader is something that takes text from elsewhere, with shapes that tried it.
type reader struct {
	name   string
	read   func(t *testing.T, text string)
	shapes map[string]func(n int) string
}

const growthSchema = "schema: s\nfields:\n  name: {text: Name of it., printed_as: [Bridge]}\n  cost: {money: Cost.}\n  day: {date: Day., written: [D.M.YYYY]}\n  long: {quantity: Length., unit: m}\n  ok: {boolean: Whether ok.}\n  bays: {list: Bays., key: [no], fields: {no: {integer: Number.}, cost: {money: Cost.}}}\n"

func inFile(t *testing.T, name, text string) string {
	file := filepath.Join(t.TempDir(), name)
	require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
	return file
}

var jsonShapes = map[string]func(n int) string{
	"brackets": times("", "[", ""), "objects": times("", `{"a":`, ""), "keys": counted("{", `"k%":1,`, `"z":1}`), "one key": times("{", `"a":1,`, `"a":1}`), "digits": times(`{"a":1`, "9", "}"),
	"escapes": times(`{"a":"`, `\u0041`, `"}`), "backslashes": times(`{"a":"`, `\\`, `"}`), "quotes": times(`{"a":"`, `" , "`, `"}`), "items": counted(`{"bays":[`, `{"no":%},`, `{"no":1}]}`), "strange items": counted(`{"bays":[`, `{"no":"x%","y%":1},`, `{"no":1}]}`),
	"open strings": times("", `"a`, ""), "commas": times("[", ",", "]"), "words": times(`{"name":"`, "bridge over 4 m ", `"}`), "objects side by side": counted("", `{"name":"x%"} `, ""),
}

func readers(t *testing.T) []reader {
	s, err := schema.Parse("s.yaml", []byte(growthSchema))
	require.NoError(t, err)
	check, err := record.NewValidator(s)
	require.NoError(t, err)
	known := func(name string) bool { return s.Root.Child(name) != nil || name == "no" }
	ofKind := func(name string) func(t *testing.T, text string) {
		return func(_ *testing.T, text string) { _, _ = document.Parse(name, []byte(text)) }
	}
	prose := map[string]func(n int) string{"words": times("", "the deck of bay 3 is sound ", ""), "lines that run on": counted("", "the path along the bank is narrow and goes on with no stop for %\n", ""), "lines": counted("", "Bay %: 4.5 m, EUR 20,00 on 3.4.2031\n", ""), "labels": counted("", "Bridge: Heron %\n", ""), "other labels": counted("", "Label %: x\n", ""), "bars": times("", "| a ", "\n"), "marks": times("", "> ", ""), "blanks": times("a", " ", "b"), "empty lines": times("a", "\n", "b"), "numbers": times("", "1 ", ""), "days": times("", "3.4.2031 ", ""), "money": times("", "EUR 4,50 ", ""), "brackets": times("", "(", ""), "taken back": times("", "not 4 but 9; ", "")}
	return []reader{
		{"YAML", func(_ *testing.T, text string) { place.Load("a.yaml", []byte(text)) }, map[string]func(n int) string{"brackets": times("a: ", "[", ""), "braces": times("a: ", "{a: ", ""), "dashes": times("", "- ", "a"), "questions": times("", "? ", "a"), "keys": counted("", "k%: 1\n", ""), "flow": counted("a: {", "k%: 1, ", "}"), "items": times("", "- x\n", ""), "quotes": times("a: \"", `\"`, "\""), "words": times("a: ", "b ", ""), "lines": times("a: |\n", "  x\n", ""), "anchors": times("", "&a ", "x"), "tags": times("", "!", ""), "comments": times("", "# x\n", "a: 1"), "documents": times("", "---\n", "a: 1"), "aliases": counted("x: &a [1]\n", "y%: [*a, *a]\n", "")}},
		{"schema", func(_ *testing.T, text string) { _, _ = schema.Parse("s.yaml", []byte(text)) }, map[string]func(n int) string{"fields": counted("schema: s\nfields:\n", "  f%: A text.\n", ""), "choices": counted("schema: s\nfields:\n  a:\n    text: A.\n    choices: [", "c%, ", "x]\n"), "labels": counted("schema: s\nfields:\n  a: {text: A., printed_as: [", "l%, ", "x]}\n"), "pattern": times("schema: s\nfields:\n  a: {text: A., pattern: '", "(a?)", "'}\n"), "rule": times("schema: s\nfields:\n  a: {integer: A.}\nrules:\n  - {holds: \"", "a + ", "a > 1\", say: x}\n")}},
		{"JSON Schema", func(_ *testing.T, text string) { _, _, _ = schema.Import("s.json", []byte(text)) }, map[string]func(n int) string{"properties": counted(`{"type":"object","properties":{`, `"p%":{"type":"string"},`, `"z":{}}}`), "depth": times("", `{"type":"object","properties":{"a":`, ""), "enum": counted(`{"type":"object","properties":{"a":{"enum":[`, `"v%",`, `"z"]}}}`), "any": times(`{"anyOf":[`, `{},`, `{}]}`), "references": counted(`{"$ref":"#/$defs/d1000","$defs":{`, `"d%":{"$ref":"#/$defs/d%"},`, `"z":{}}}`)}},
		{"JSON", func(_ *testing.T, text string) { _, _ = value.Parse(text) }, jsonShapes},
		{"record", func(_ *testing.T, text string) {
			v, err := value.Parse(text)
			if err != nil {
				return
			}
			check.Check(&v)
			normalize.Record(s, &v)
			v = record.Arrange(s, &v)
			evidence.Of(s, &v, evidence.NewIndex("Bridge: Heron Plank\n"))
		}, jsonShapes},
		{"records file", func(t *testing.T, text string) {
			_ = record.ReadLines(inFile(t, "r.jsonl", text), nil, func(int, record.Line, error) error { return nil })
		}, map[string]func(n int) string{"lines": counted("", `{"document":"a%","record":{"name":"x"}}`+"\n", ""), "broken lines": times("", "{\n", ""), "line": counted(`{"document":"a","record":{`, `"k%":1,`, `"z":1}}`), "problems": counted(`{"document":"a","record":{},"problems":[`, `{"path":"/a%","code":"type"},`, `{}]}`)}},
		{"draft of records", func(_ *testing.T, text string) {
			v, err := value.Parse(text)
			if err != nil {
				return
			}
			c := draft.NewCollector()
			if c.Add(&v) == nil {
				_, _ = c.Result()
			}
		}, jsonShapes},
		{"draft of texts", func(_ *testing.T, text string) { _, _ = draft.FromTexts([]string{text}) }, prose},
		{"printed", func(_ *testing.T, text string) { printed.Fill(s, text) }, prose},
		{"evidence", func(t *testing.T, text string) {
			v, err := value.Parse(`{"name":"Heron 1007","cost":{"amount":4.5,"currency":"EUR"},"day":"2031-04-03","long":{"amount":4.5,"unit":"m"},"bays":[{"no":1001},{"no":1}]}`)
			require.NoError(t, err)
			ix := evidence.NewIndex(text)
			evidence.Unread(s, &v, ix, evidence.Of(s, &v, ix))
		}, prose},
		{"evidence of rows", func(t *testing.T, text string) {
			var items []string
			for _, m := range bayNo.FindAllStringSubmatch(text, -1) {
				items = append(items, fmt.Sprintf(`{"no":%s,"of":%s}`, m[1], m[1]))
			}
			v, err := value.Parse(`{"bays":[` + strings.Join(items, ",") + `]}`)
			require.NoError(t, err)
			rows, err := schema.Parse("r.yaml", []byte("schema: r\nfields:\n  bays: {list: Bays., fields: {no: {integer: N.}, of: {quantity: Of., unit: m}}}\n"))
			require.NoError(t, err)
			for i := range v.Kids[0].Kids {
				item := &v.Kids[0].Kids[i]
				item.Kids[1] = value.Obj(value.Num(item.Kids[1].Text).Named("amount"), value.Str("m").Named("unit")).Named("of")
			}
			ix := evidence.NewIndex(text)
			evidence.Unread(rows, &v, ix, evidence.Of(rows, &v, ix))
		}, map[string]func(n int) string{"table": counted("", "bay no. %   % m   x\n", ""), "lines": counted("", "- bay no. %, % m\n", ""), "one line": counted("", "bay no. %, % m, ", "")}},
		{"reply", func(_ *testing.T, text string) { _, _ = answer.ReadKnown(text, value.Object, known) }, mixed(jsonShapes, prose, map[string]func(n int) string{"fences": times("", "```\n", ""), "thoughts": times("", "<think>", ""), "tags": times("", "<name>", ""), "whole tags": times("", "<name>x</name>", ""), "outline": counted("", "- name: x%\n", ""), "indents": func(n int) string {
			var b strings.Builder
			for i := range n {
				b.WriteString(strings.Repeat(" ", i%100) + "name:\n")
			}
			return b.String()
		}, "apostrophes": times("{", "'name': 'x', ", "}"), "braces": times("", "{{", ""), "comments": times("{", "/* x ", "}"), "dots": times("[", "..., ", "]")})},
		{"patch", func(_ *testing.T, text string) {
			if r, err := answer.Read(text, value.Object); err == nil {
				of := value.Obj(value.Str("x").Named("name"))
				answer.Patch(s, &of, []value.Pointer{"/name"}, r)
			}
		}, mixed(jsonShapes, map[string]func(n int) string{"corrections": counted(`{"corrections":[`, `{"at":"/a/%","value":1,"quote":"x"},`, `{}]}`)})},
		{"stream", func(_ *testing.T, text string) {
			c := chat.Codec{}.Streamed()
			for len(text) > 0 {
				n := min(len(text), 4096)
				c.Feed([]byte(text[:n]))
				text = text[n:]
			}
			c.Body()
		}, map[string]func(n int) string{"events": counted("", "data: {\"choices\":[{\"delta\":{\"content\":\"x%\"}}]}\n\n", ""), "empty": times("", "data: {}\n", ""), "comments": times("", ": x\n", "")}},
		{"server's reply", func(_ *testing.T, text string) { _, _ = chat.ReadReply([]byte(text)) }, mixed(jsonShapes, map[string]func(n int) string{"choices": counted(`{"choices":[`, `{"message":{"content":"x%"}},`, `{}]}`)})},
		{"keys struck out", func(_ *testing.T, text string) { secret.NewSet("quite-a-secret-17").Strike([]byte(text)) }, map[string]func(n int) string{"escapes": times("", `\u0071`, ""), "percents": times("", "%71", ""), "keys": times("", "quite-a-secret-17 ", ""), "almost": times("", "quite-a-secret-1", ""), "backslashes": times("", `\`, "")}},
		{"recording", func(t *testing.T, text string) { _, _ = exchange.LoadRecording(inFile(t, "e.jsonl", text)) }, map[string]func(n int) string{"lines": counted("", `{"request":{"a":%},"status":200,"reply":{}}`+"\n", ""), "broken": times("", "{\n", "")}},
		{"trace", func(_ *testing.T, text string) { _, _ = trace.Parse([]byte(text)) }, map[string]func(n int) string{"steps": counted("[", `{"step":"example","document":"d%"},`, `{"step":"example"}]`), "brackets": times("", "[", "")}},
		{"gold", func(t *testing.T, text string) { _, _ = gold.Load(inFile(t, "g.json", text), s) }, mixed(jsonShapes, map[string]func(n int) string{"items": counted(`{"document":"a","state":"reviewed","record":{"bays":[`, `{"no":%},`, `{"no":1}]}}`), "strange": counted(`{"document":"a","state":"reviewed","record":{`, `"x%":1,`, `"z":1}}`)})},
		{"metadata", func(t *testing.T, text string) { _, _ = document.LoadMetadata(inFile(t, "m.csv", text)) }, map[string]func(n int) string{"rows": counted("document,a\n", "d%,1\n", ""), "patterns": counted("document,a\n", "d%/*,1\n", ""), "columns": counted("document,", "c%,", "z\n"), "quotes": times("document,a\n", `"`, "")}},
		{"table", func(t *testing.T, text string) {
			_, _, _ = document.Table{File: inFile(t, "t.csv", text), Text: []string{"a"}}.Rows(".")
		}, map[string]func(n int) string{"rows": counted("a,b\n", "x%,1\n", ""), "cells": times("a,b\n", "x,", "y\n"), "quotes": times("a,b\n", `"`, ""), "columns": counted("a,", "c%,", "z\nx\n")}},
		{"condition", func(_ *testing.T, text string) {
			c, err := document.ParseCondition(text, []document.Source{{ID: "a", Metadata: document.Metadata{"n": "3"}}})
			if err == nil {
				_, _, _ = c.Holds(document.Metadata{"n": "3"})
			}
		}, map[string]func(n int) string{"brackets": func(n int) string { return strings.Repeat("(", n) + "n > 1" + strings.Repeat(")", n) }, "sum": times("", "n + ", "n > 1"), "nots": times("", "not ", "(n > 1)"), "pattern": times(`string(n) matches "`, "(a?)", `"`)}},
		{"script", func(t *testing.T, text string) { _, _ = standin.LoadScript(inFile(t, "s.txt", text)) }, map[string]func(n int) string{"lines": counted("", "when a%: b\n", ""), "brackets": times("", "[", "")}},
		{"what a prompt asks", func(_ *testing.T, text string) {
			outline.Read(text, nil)
			outline.ReadLines(text)
			outline.ReadProblems(text)
			outline.ReadRecords(text)
		}, map[string]func(n int) string{"fields": counted("# Fields\n", "- f% (text): A text.\n", ""), "lines": counted("", "L% the deck\n", ""), "pieces": times("", "L1.13 the deck\n", ""), "problems": counted("# Problems\n", "%. /a (type): It is. Its value now: 1\n", "")}},
		{"text", ofKind("a.txt"), prose},
		{"web page", ofKind("a.html"), map[string]func(n int) string{"divisions": times("", "<div>", "x"), "tables": times("", "<table>", "x"), "rows": counted("<table>", "<tr><td>%</td><td>b</td></tr>", "</table>"), "cells": times("<table><tr>", "<td>x</td>", "</tr></table>"), "spans": times("<table><tr>", "<td colspan=40 rowspan=40>x</td>", "</tr></table>"), "lists": times("", "<ul><li>", "x"), "paragraphs": times("", "<p>x", ""), "signs": times("", "&", ""), "open": times("", "<a ", ""), "attributes": counted("<a ", "k%=v ", ">x</a>"), "bold": times("", "<b>", "x"), "comments": times("", "<!--", ""), "links": times("", "<a href=/x>y</a> ", "")}},
		{"mail", ofKind("a.eml"), map[string]func(n int) string{"fields": times("From: a\n", "X: y\n", "\nbody\n"), "parts": times("From: a\nContent-Type: multipart/mixed; boundary=b\n\n", "--b\n\nx\n", "--b--\n"), "nested": times("From: a\n", "Content-Type: multipart/mixed; boundary=b\n\n--b\n", "x"), "addresses": counted("From: a\nTo: ", "a%@b.example, ", "z\n\nbody\n"), "words": times("From: a\nSubject: ", "=?utf-8?q?x?= ", "\n\nbody\n"), "quoted": times("From: a\nContent-Transfer-Encoding: quoted-printable\n\n", "=41", "\n")}},
		{"XML", ofKind("a.xml"), map[string]func(n int) string{"depth": times("<?xml version='1.0'?>", "<a>", ""), "elements": counted("<?xml version='1.0'?><r>", "<a%>x</a%>", "</r>"), "attributes": counted("<?xml version='1.0'?><r ", "k%='v' ", "/>"), "entities": counted("<?xml version='1.0'?><!DOCTYPE r [", "<!ENTITY e% 'x'>", "]><r/>"), "text": times("<?xml version='1.0'?><r>", "x &amp; ", "</r>")}},
		{"scan", ofKind("a.hocr"), map[string]func(n int) string{"words": counted("<html><body><div class='ocr_page' title='bbox 0 0 1000 90000'><span class='ocr_line' title='bbox 0 0 900 20'>", "<span class='ocrx_word' title='bbox 1 1 20 20'>w%</span> ", "</span></div></body></html>"), "lines": counted("<html><body><div class='ocr_page' title='bbox 0 0 1000 900000'>", "<span class='ocr_line' title='bbox 0 %0 900 %9'><span class='ocrx_word' title='bbox 1 %0 20 %9'>w</span></span>", "</div></body></html>"), "pages": times("<html><body>", "<div class='ocr_page' title='bbox 0 0 10 10'></div>", "</body></html>")}},
	}
}

func mixed(all ...map[string]func(n int) string) map[string]func(n int) string {
	out := map[string]func(n int) string{}
	for i, one := range all {
		for name, shape := range one {
			out[fmt.Sprint(i, " ", name)] = shape
		}
	}
	return out
}

// No reader's cost grows faster than what it reads, whatever that is: sixteen times
// the text takes at most twenty times the memory. Go's lists take room ahead, long
// ones more often than short ones, and replies in which too much is amiss are read
// in other ways as well: of four lengths, one has to keep to it. What grows with the
// square is far off at each.
func TestReadersGrowInStep(t *testing.T) {
	if testing.Short() {
		t.Skip("left out of short runs; `make long` runs it")
	}
	for _, r := range readers(t) {
		t.Run(r.name, func(t *testing.T) {
			for name, shape := range r.shapes {
				cost := func(n int) uint64 {
					text := shape(n)
					var before, after runtime.MemStats
					runtime.ReadMemStats(&before)
					r.read(t, text)
					runtime.ReadMemStats(&after)
					return after.TotalAlloc - before.TotalAlloc
				}
				cost(300) // what is made once
				idle, said := cost(0), ""
				for _, few := range []int{300, 370, 2500, 10000} {
					small, large := cost(few), cost(16*few)
					small, large = max(small, idle+48<<10)-idle, max(large, idle)-idle
					if large <= 20*small {
						said = ""
						break
					}
					said += fmt.Sprintf("%d bytes for %d times, %d for %d; ", small, few, large, 16*few)
					if large > 200*small {
						break // longer ones would only take long
					}
				}
				assert.Empty(t, said, name)
			}
		})
	}
}
