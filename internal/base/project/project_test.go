package project

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func write(t *testing.T, dir, name, text string) string {
	t.Helper()
	path := filepath.Join(dir, name)
	require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
	require.NoError(t, os.WriteFile(path, []byte(text), 0o644))
	return path
}

const whole = `
schema: schemas/s.yaml
documents: [docs, more/a.txt, 'https://host.example/a?b=1']
fetch: {allow: [10.1.0.0/16, inner.example]}
gold: gold
use: big
models:
  big: {at: "http://127.0.0.1:8000/v1", name: some-model, key_from: BIG_KEY, shape: plain, temperature: 0.5, context: 9000, reply: 100,
        price: {in: 0.22, out: 0.87, cached: 0.1, picture: 0.01, currency: crowns}, reply_key: max_completion_tokens, seed: none, effort: low, key_header: api-key, headers: {X-Team: paths}, body: {top_p: 0.9, stop: ["a", "b"], mode: "1.0"}}
  small: {at: "standin:hasty", temperature: none}
pace: {at_once: 3, per_minute: 90, attempts: 2, timeout: 1m30s, reply_time: 5m, give_up: 3m}
repair: {rounds: 0}
`

func TestLoad(t *testing.T) {
	dir := t.TempDir()
	p, err := Load(write(t, dir, FileName, whole))
	require.NoError(t, err)
	assert.Equal(t, filepath.Join(dir, "schemas/s.yaml"), p.Schema)
	assert.Equal(t, []string{filepath.Join(dir, "docs"), filepath.Join(dir, "more/a.txt"), "https://host.example/a?b=1"}, p.Documents)
	assert.Equal(t, []string{"10.1.0.0/16", "inner.example"}, p.Reading.Fetch)
	assert.Equal(t, Pace{AtOnce: 3, PerMinute: 90, Attempts: 2, Timeout: 90 * time.Second, ReplyTime: 5 * time.Minute, GiveUp: 3 * time.Minute}, p.Pace)
	assert.Equal(t, 0, p.Rounds)
	assert.Equal(t, "crowns", p.Currency)
	m, err := p.Model("")
	require.NoError(t, err)
	cached := 0.1
	assert.Equal(t, &Model{Entry: "big", At: "http://127.0.0.1:8000/v1", Name: "some-model", KeyFrom: "BIG_KEY", Shape: "plain", Temperature: 0.5, Context: 9000, Reply: 100,
		PriceIn: 0.22, PriceOut: 0.87, PriceCached: &cached, PricePicture: 0.01, Currency: "crowns", Keys: map[string]string{"max_tokens": "max_completion_tokens", "seed": ""}, KeyHeader: "api-key", Headers: map[string]string{"X-Team": "paths"}, Body: map[string]string{"top_p": "0.9", "stop": `["a","b"]`, "mode": `"1.0"`, "reasoning_effort": `"low"`}}, m)
	assert.Equal(t, map[string]string{"temperature": ""}, p.Models["small"].Keys)
	m, err = p.Model("standin:careful")
	require.NoError(t, err)
	assert.Equal(t, "careful", m.Name)
	_, err = p.Model("bigg")
	assert.ErrorContains(t, err, `did you mean "big"?`)
	_, err = p.Model("standin:nobody")
	assert.ErrorContains(t, err, "has no character")
}

func TestFaults(t *testing.T) {
	for text, says := range map[string]string{
		"schema: s\nmodels: {a: {at: 'http://x', seed: 4}}\n": "the only thing to say of the seed", "schema: s\nfetch: {allow: ['http://x']}\n": "neither a host nor a range", "schema: s\nfetch: [x]\n": "should hold keys of its own",
		"use: x\n": `the key "schema" is missing`, "schema: s\nuse: x\n": "there is no model", "schema: s\nmodels: {a: {}}\n": `the key "at" is missing`,
		"schema: s\nmodels: {a: {at: localhost}}\n": "not a model address", "schema: s\nmodels: {a: {at: 'http://x', shape: round}}\n": "unknown shape",
		"schema: s\nmodels: {a: {at: 'http://x', key_from: 'sk-123 4'}}\n":               "not the name of an environment variable",
		"schema: s\nmodels: {a: {at: 'http://x', headers: {Authorization: Bearer x}}}\n": "use key_from",
		"schema: s\nmodels: {a: {at: 'http://x', price: {input: 3}}}\n":                  `unknown key "input"`, "schema: s\nmodels: {a: {at: 'http://x', price: {in: -3}}}\n": "at least 0",
		"schema: s\nmodels: {a: {at: 'http://x', price: {currency: x}}, b: {at: 'http://x', price: {currency: y}}}\n": "its price is in y, and that of another model in x",
		"schema: s\npace: {at_once: 0}\n": "at least 1", "schema: s\npace: {timeout: soon}\n": "not a duration", "schema: s\nrepair: {rounds: many}\n": "whole number",
		"schema: s\nprompt: {style: odd}\n": "unknown style", "schema: s\nmodels: [a]\n": "one entry a model", "schema: s\ndocuments: {a: b}\n": "a list of texts",
	} {
		_, err := Load(write(t, t.TempDir(), FileName, text))
		require.Error(t, err, text)
		assert.Contains(t, err.Error(), says, text)
		assert.NotContains(t, err.Error(), "sk-123")
	}
}

func TestFindLooksUpwards(t *testing.T) {
	dir := t.TempDir()
	write(t, dir, FileName, "schema: s.yaml\n")
	deep := filepath.Join(dir, "a", "b")
	require.NoError(t, os.MkdirAll(deep, 0o755))
	t.Chdir(deep)
	p, err := Find(".")
	require.NoError(t, err)
	assert.Equal(t, "../..", p.Dir)
	t.Chdir(t.TempDir())
	_, err = Find(".")
	var none *NotFound
	assert.ErrorAs(t, err, &none)
}

func TestKey(t *testing.T) {
	dir := t.TempDir()
	m := &Model{Entry: "big", KeyFrom: "FILLER_TEST_KEY"}
	_, err := m.Key(dir)
	assert.ErrorContains(t, err, "FILLER_TEST_KEY is not set")
	write(t, dir, ".env", "OTHER=1\nFILLER_TEST_KEY=\"from file\"\n")
	key, err := m.Key(dir)
	require.NoError(t, err)
	assert.Equal(t, "from file", key)
	t.Setenv("FILLER_TEST_KEY", "from environment")
	key, _ = m.Key(dir)
	assert.Equal(t, "from environment", key)
	key, err = (&Model{}).Key(dir)
	assert.True(t, key == "" && err == nil)
}

// How documents are read, by whom pictures are, and what a run may cost.
func TestReading(t *testing.T) {
	dir := t.TempDir()
	write(t, dir, "rules.md", "Write names as printed.\n")
	for text, want := range map[string]Reading{
		"": {Layout: "rows"},
		"prompt: {layout: boxes}\nread: {links: keep, running: drop}": {Layout: "boxes", Links: true, DropRunning: true},
		"limits: {bytes: 9, pixels: 8, pages: 7, seconds: 6}":         {Layout: "rows", Limits: Limits{9, 8, 7, 6, 0}},
		"ocr: {languages: [eng, deu]}":                                {Layout: "rows", OCR: OCR{Languages: []string{"eng", "deu"}}},
		"ocr: {command: [my-engine, '{image}'], gives: hocr}":         {Layout: "rows", OCR: OCR{Command: []string{"my-engine", "{image}"}, Gives: "hocr"}},
		"ocr: {at: 'http://127.0.0.1:9/x', gives: page}":              {Layout: "rows", OCR: OCR{At: "http://127.0.0.1:9/x", Gives: "page"}},
		"ocr: {model: m}": {Layout: "rows", OCR: OCR{Model: "m"}},
	} {
		p, err := Load(write(t, dir, FileName, "schema: s\nmodels: {m: {at: 'standin:steady'}}\n"+text+"\n"))
		require.NoError(t, err, text)
		assert.Equal(t, want, p.Reading, text)
	}
	p, err := Load(write(t, dir, FileName, "schema: s\nprompt: {instructions: rules.md}\nbudget: 2.5\nmetadata: f.csv\ndocuments: [{table: t.csv, from: url, metadata: [year]}, {table: u.csv, text: [a, b], id: c}]\n"))
	require.NoError(t, err)
	assert.Equal(t, "Write names as printed.\n", p.Prompt.Instructions)
	assert.Equal(t, 2.5, p.Budget)
	assert.Equal(t, filepath.Join(dir, "f.csv"), p.Metadata)
	assert.Equal(t, []Table{{File: filepath.Join(dir, "t.csv"), From: "url", Metadata: []string{"year"}}, {File: filepath.Join(dir, "u.csv"), Text: []string{"a", "b"}, ID: "c"}}, p.Tables)
}

func TestReadingFaults(t *testing.T) {
	dir := t.TempDir()
	write(t, dir, "empty.md", " \n")
	write(t, dir, "bytes.md", "\xff\xfe\xff")
	write(t, dir, "long.md", strings.Repeat("x", maxInstructions+1))
	for text, says := range map[string]string{
		"prompt: {layout: column}": `unknown layout "column"`, "read: x": "read should hold keys of its own", "ocr: tesseract": "write `ocr: {languages: [eng]}`, or leave it out",
		"limits: 5": "limits should hold keys", "limits: {pages: 0}": "at least 1", "read: {links: yes}": `unknown links "yes"`,
		"ocr: {command: [a], at: 'http://x', gives: hocr}": "needs exactly one of", "ocr: {command: [a]}": `"gives" is missing`, "ocr: {gives: hocr}": "belongs to a command",
		"ocr: {command: []}": "empty", "ocr: {at: ftp://x, gives: hocr}": "is not an address", "ocr: {command: [a], gives: pdf}": `unknown gives "pdf"`, "ocr: {model: m}": `there is no model "m"`,
		"budget: 0": "a budget is above 0", "budget: free": "a number of at least 0", "prompt: {instructions: none.md}": "can't be read", "prompt: {instructions: empty.md}": "is empty",
		"prompt: {instructions: bytes.md}": "not UTF-8", "prompt: {instructions: long.md}": "larger than 64 kB",
		"documents: [{table: t}]": `"text" is missing`, "documents: [{text: [a]}]": `"table" is missing`, "documents: [{table: t, text: [a], from: b}]": "exclude each other",
	} {
		_, err := Load(write(t, dir, FileName, "schema: s\n"+text+"\n"))
		require.ErrorContains(t, err, says, text)
		assert.Equal(t, 1, strings.Count(err.Error(), FileName), "one fault, one line: %s", err)
	}
}
